package repo_test

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestALookAheadSeesWhatALookSees: files that changed before it began, and after, are found all the same.
func TestALookAheadSeesWhatALookSees(t *testing.T) {
	fixture.FewerChecks(t, "10")
	rapid.Check(t, func(draw *rapid.T) {
		f := fixture.At(t, t.TempDir())
		var paths []string
		for i := range 12 { // more than a command is narrowed down by
			paths = append(paths, fmt.Sprint("f", i))
			f.Write(paths[i], "1\n")
			old := time.Now().Add(-time.Hour)
			require.NoError(t, os.Chtimes(filepath.Join(f.Dir, paths[i]), old, old))
		}
		f.Git("add", ".")
		f.Git("commit", "--quiet", "--message", "base")
		tree, err := repo.ParseID(f.Git("rev-parse", "HEAD^{tree}"))
		require.NoError(t, err)
		r, fresh := f.Open(t), f.Open(t)
		change := func(when string) {
			for _, path := range paths {
				switch rapid.IntRange(0, 12).Draw(draw, when+path) {
				case 0:
					f.Write(path, "2\n")
				case 1:
					require.NoError(t, os.RemoveAll(filepath.Join(f.Dir, path)))
				case 2:
					f.Write(path, "3\n")
					f.Git("add", path)
				}
			}
		}
		change("before ")
		end := r.LookAhead(t.Context())
		change("after ")
		got, err := r.LooseOrStaged(t.Context(), tree, paths)
		require.NoError(t, err)
		end()
		want, err := fresh.LooseOrStaged(t.Context(), tree, paths)
		require.NoError(t, err)
		assert.Equal(draw, want, got)
	})
}
