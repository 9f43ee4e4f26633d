package resolving_test

import (
	"context"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app/planning"
	"bastel/internal/app/resolving"
	"bastel/internal/app/sorting"
	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestPartsOfACommit: any hunks and lines of a commit, taken onto what it was made from, are those lines put in and taken
// out by hand; and taken onto something else they are what the repository's own command makes of a commit of these parts.
func TestPartsOfACommit(t *testing.T) {
	fixture.FewerChecks(t, "10")
	rapid.Check(t, func(r *rapid.T) {
		f := fixture.New(t)
		old := make([]string, 40)
		for i := range old {
			old[i] = fmt.Sprint("line ", i, "\n")
		}
		f.Commit("base", "a", strings.Join(old, ""), "b", "1\n")
		changed := append([]string{}, old...)
		// Not next to each other: of a replaced block of several lines the new ones stand beside those that they replace.
		for _, at := range rapid.SliceOfNDistinct(rapid.IntRange(1, 19), 1, 5, rapid.ID).Draw(r, "lines") {
			at *= 2
			changed[at] = rapid.SampledFrom([]string{"", "changed\n", old[at] + "added\n"}).Draw(r, "to")
		}
		f.Write("fresh", "new\n")
		name := rapid.SampledFrom([]string{"a", "moved"}).Draw(r, "name there")
		if name != "a" {
			f.Git("mv", "a", name)
		}
		source := fixture.ID(t, f.Commit("source", name, strings.Join(changed, "")))
		f.Git("reset", "--quiet", "--hard", "HEAD~1")

		a := resolving.Of(opened.App(t, f.Dir))
		files, err := a.CommitChanges(t.Context(), source)
		require.NoError(r, err)
		selected, want := someOf(r, files, old)
		if len(selected) == 0 {
			return
		}
		part, err := a.PartOf(t.Context(), repo.ID{}, source, selected)
		require.NoError(r, err)
		if rapid.Bool().Draw(r, "elsewhere") { // both ends of the file differ here
			f.Write("a", "first\n"+strings.Join(old, "")+"last\n")
			f.Git("commit", "--quiet", "--all", "--message", "here")
			f.Git("branch", "reference")
			_, _, err = a.Take(t.Context(), []repo.ID{part}, tray.Loose, false)
			require.NoError(r, err)
			got := f.Read("a")
			f.Git("stash", "--quiet", "--include-untracked")
			f.Git("cherry-pick", "--no-commit", part.String())
			require.Equal(r, f.Read("a"), got)
			return
		}
		into := rapid.SampledFrom([]tray.Layer{tray.Loose, tray.A, tray.A + 1}).Draw(r, "into")
		comes, _, err := a.Preview(t.Context(), []repo.ID{part})
		require.NoError(r, err)
		paths, waiting, err := a.Take(t.Context(), []repo.ID{part}, into, false)
		require.NoError(r, err)
		require.Nil(r, waiting)
		require.NotEmpty(r, paths)
		require.Equal(r, want, f.Read("a"))
		sorter := sorting.Of(a.App)
		listing, err := sorter.Look(t.Context())
		require.NoError(r, err)
		require.Equal(r, tray.IDs(comes), tray.IDs(listing.Files(into)), "what was shown before is there")
		if into != tray.Loose {
			require.Empty(r, listing.Files(tray.Loose))
		}
		_, err = planning.Of(a.App).Undo(t.Context())
		require.NoError(r, err)
		require.Empty(r, f.Git("status", "--porcelain"), "undo takes all of it back, the index too")
		listing, err = sorter.Look(t.Context())
		require.NoError(r, err)
		require.Empty(r, listing.Lost)
		require.Empty(r, listing.Files(into))
	})
}

// someOf draws hunks and lines of a commit's files, and gives the text of a with them.
func someOf(r *rapid.T, files []tray.File, old []string) (selected []tray.Selection, want string) {
	var text strings.Builder
	at := 0
	for _, file := range files {
		for _, h := range file.Hunks {
			if file.From == "a" && !h.HasLines() {
				continue // its new name: the lines are taken without it
			}
			if file.Path != "a" && file.From != "a" {
				if rapid.Bool().Draw(r, "the new file") {
					selected = append(selected, tray.Select(h.ID)...)
				}
				continue
			}
			lines := map[int]bool{}
			for i, line := range h.Lines {
				if line.Op != diff.Keep && rapid.Bool().Draw(r, "line") {
					lines[i] = true
				}
			}
			text.WriteString(strings.Join(old[at:h.OldStart], ""))
			at = h.OldStart
			for i, line := range h.Lines {
				if line.Op != diff.Add {
					at++
				}
				if line.Op == diff.Keep || (line.Op == diff.Add) == lines[i] {
					text.Write(line.Text)
				}
			}
			if len(lines) > 0 {
				selected = append(selected, tray.Selection{Hunk: h.ID, Lines: maps.Clone(lines)})
			}
		}
	}
	text.WriteString(strings.Join(old[at:], ""))
	return selected, text.String()
}

// TestFilesAsThere: files, a folder, a deleted and an untracked one come as they are at a point; what is not committed is
// named first; undo brings all of it back.
func TestFilesAsThere(t *testing.T) {
	ctx := context.Background()
	f := fixture.New(t)
	f.Commit("base", "a", "1\n", "dir/b", "1\n", "dir/c", "1\n", "gone", "1\n")
	f.Git("rm", "--quiet", "gone")
	f.Commit("now", "a", "2\n", "dir/b", "2\n", "new", "2\n")
	f.Write("dir/c", "loose\n")
	a := resolving.Of(opened.App(t, f.Dir))
	_, err := a.FilesAsThere(ctx, "HEAD~1", []string{"a", "dir", "gone", "new"}, false)
	assert.ErrorIs(t, err, repo.ErrInTheWay)
	assert.ErrorContains(t, err, "dir/c: changes that are in no commit")
	assert.Equal(t, "2\n", f.Read("a"), "nothing was changed")
	paths, err := a.FilesAsThere(ctx, "HEAD~1", []string{"a", "dir", "gone", "new"}, true)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "dir/b", "dir/c", "gone", "new"}, paths)
	for _, path := range paths[:4] {
		assert.Equal(t, "1\n", f.Read(path), path)
	}
	assert.NoFileExists(t, filepath.Join(f.Dir, "new"))
	_, err = planning.Of(a.App).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "loose\n", f.Read("dir/c"))
	assert.Equal(t, "2\n", f.Read("new"))
	assert.NoFileExists(t, filepath.Join(f.Dir, "gone"))

	_, err = a.FilesAsThere(ctx, "HEAD", []string{"nowhere"}, false)
	assert.ErrorContains(t, err, "Neither HEAD nor the working tree")
	require.NoError(t, os.WriteFile(filepath.Join(f.Dir, "gone"), []byte("untracked\n"), 0o666))
	_, err = a.FilesAsThere(ctx, "HEAD~1", []string{"gone"}, false)
	assert.ErrorContains(t, err, "gone: changes that are in no commit")
}
