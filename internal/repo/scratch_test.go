package repo_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestEditTreeAgainstTheIndex: setting and taking out files gives the tree that the
// repository's own index gives.
func TestEditTreeAgainstTheIndex(t *testing.T) {
	fixture.FewerChecks(t, "40")
	f := fixture.New(t)
	f.Commit("base", "a", "a\n", "d/b", "b\n", "d/e/c", "c\n", "d.x", "x\n")
	r := f.Open(t)
	base, err := repo.ParseID(f.Git("rev-parse", "HEAD^{tree}"))
	require.NoError(t, err)
	blob, err := repo.ParseID(f.Git("rev-parse", "HEAD:a"))
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		paths := rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"a", "d/b", "d/e/c", "d.x", "n", "d/e/n", "n2/x/y", "d/e.f"}), 0, 5,
			func(s string) string { return s }).Draw(t, "paths")
		var entries []repo.IndexEntry
		for _, path := range paths {
			e := repo.IndexEntry{Path: path}
			if rapid.Bool().Draw(t, "there") {
				e.Mode, e.ID = rapid.SampledFrom([]repo.Mode{repo.ModeFile, repo.ModeExecutable}).Draw(t, "mode"), blob
			}
			entries = append(entries, e)
		}
		overlay := r.NewOverlay()
		got, err := overlay.EditTree(context.Background(), base, entries)
		require.NoError(t, err)
		f.Git("read-tree", base.String())
		if len(entries) > 0 {
			require.NoError(t, r.UpdateIndex(context.Background(), entries))
		}
		require.Equal(t, f.Git("write-tree"), got.String())
	})
}

func TestContentGoesOutAndComesBack(t *testing.T) {
	f := fixture.New(t)
	f.Write(".gitattributes", "*.txt text eol=crlf\n")
	f.Commit("base", "a.txt", "1\n2\n", "run", "x\n", ".gitignore", "*.o\n")
	r := f.Open(t)
	ctx := context.Background()
	tree, err := repo.ParseID(f.Git("rev-parse", "HEAD^{tree}"))
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, r.Export(ctx, tree, dir))
	data, err := os.ReadFile(filepath.Join(dir, "a.txt"))
	require.NoError(t, err)
	assert.Equal(t, "1\r\n2\r\n", string(data), "with the attributes")
	same, err := r.Import(ctx, tree, dir)
	require.NoError(t, err)
	assert.Equal(t, tree, same)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.txt"), []byte("1\r\n3\r\n"), 0o666))
	require.NoError(t, os.Remove(filepath.Join(dir, "run")))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "x.o"), nil, 0o666))
	changed, err := r.Import(ctx, tree, dir)
	require.NoError(t, err)
	assert.Equal(t, ".gitattributes\n.gitignore\na.txt", f.Git("ls-tree", "--name-only", changed.String()))
	assert.Equal(t, "1\n3", f.Git("show", changed.String()+":a.txt"))
	assert.Empty(t, f.Git("status", "--porcelain"), "the real index and files are as they were")
}
