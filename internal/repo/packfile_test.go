package repo_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestObjectsAreWrittenAsTheRepositoryDoes: few and many, of all kinds, twice the same among them, in both formats of
// ids, and where files are shared: the repository reads each, and finds nothing wrong.
func TestObjectsAreWrittenAsTheRepositoryDoes(t *testing.T) {
	for _, test := range []struct {
		format, shared string
		blobs          int
		files          string // what they come as
	}{
		{"sha1", "", 3, "??/*"}, {"sha1", "", 300, "pack/*.idx"}, {"sha256", "", 3, "??/*"}, {"sha256", "", 300, "pack/*.idx"},
		{"sha1", "group", 3, "??/*"}, {"sha1", "group", 300, "pack/*.idx"},
	} {
		t.Run(fmt.Sprint(test.format, test.shared, test.blobs), func(t *testing.T) {
			f := fixture.New(t, "--object-format="+test.format)
			if test.shared != "" {
				f.Git("config", "core.sharedRepository", test.shared)
			}
			r := f.Open(t)
			overlay := r.NewOverlay()
			var tree repo.Tree
			texts := map[string]string{}
			for i := range test.blobs {
				text := strings.Repeat(fmt.Sprint(i%7, "\x00 text\n"), i*i%3000)
				name := fmt.Sprintf("file %03d", i)
				texts[name] = text
				tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: name, ID: overlay.Put(repo.KindBlob, []byte(text))})
			}
			id := overlay.PutTree(tree)
			person := "Ines Falk <ines@quay.example> 1700000000 +0100"
			commit := overlay.Put(repo.KindCommit, fmt.Appendf(nil, "tree %s\nauthor %s\ncommitter %s\n\nAll of it\n", id, person, person))
			for range 2 { // the second time all of it is there
				require.NoError(t, overlay.Flush(t.Context(), commit))
				_, err := r.WriteBlobs(t.Context(), [][]byte{[]byte("again"), []byte("again")})
				require.NoError(t, err)
			}
			f.Git("update-ref", "refs/heads/main", commit.String())
			f.Git("fsck", "--strict", "--full")
			for name, text := range texts {
				got, err := f.Run("show", "main:"+name)
				require.NoError(t, err)
				assert.Equal(t, strings.TrimSuffix(text, "\n"), got, name)
			}
			found, err := filepath.Glob(filepath.Join(f.Dir, ".git/objects", test.files))
			require.NoError(t, err)
			assert.NotEmpty(t, found)
			for _, name := range found {
				if strings.HasSuffix(name, ".idx") {
					f.Git("verify-pack", name)
				}
				info, err := os.Stat(name)
				require.NoError(t, err)
				assert.Zero(t, info.Mode()&0o222, "%s never changes", name)
			}
			left, err := filepath.Glob(filepath.Join(f.Dir, ".git/objects/*/tmp_obj_*"))
			require.NoError(t, err)
			assert.Empty(t, left)
		})
	}
}
