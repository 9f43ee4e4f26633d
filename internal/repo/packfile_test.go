package repo_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
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

// TestPackedTreesAreReadBack: of many versions of folders, with names that come, go and change, the repository reads each from
// the pack as it was put in, and finds nothing wrong.
func TestPackedTreesAreReadBack(t *testing.T) {
	for _, format := range []string{"sha1", "sha256"} {
		f := fixture.New(t, "--object-format="+format)
		r := f.Open(t)
		overlay := r.NewOverlay()
		blobs := make([]repo.ID, 20)
		for i := range blobs {
			blobs[i] = overlay.Put(repo.KindBlob, fmt.Append(nil, i))
		}
		random := rand.New(rand.NewPCG(7, 7))
		tree := repo.Tree{}
		for i := range 500 {
			tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: fmt.Sprintf("name %04d", 2*i), ID: blobs[i%20]})
		}
		var parent repo.ID
		written := map[repo.ID]string{}
		for range 150 {
			tree = slices.Clone(tree)
			for range random.IntN(6) {
				switch at := random.IntN(len(tree)); random.IntN(8) {
				case 0:
					tree = slices.Delete(tree, at, at+1)
				case 1:
					if at+1 < len(tree) && tree[at+1].Name == tree[at].Name+"x" {
						continue
					}
					tree = slices.Insert(tree, at+1, repo.Entry{Mode: repo.ModeFile, Name: tree[at].Name + "x", ID: blobs[at%20]})
				default:
					tree[at].ID = blobs[random.IntN(20)]
				}
			}
			id := overlay.PutTree(tree)
			written[id] = string(tree.Encode())
			c := &repo.Commit{Tree: id, Author: "Ines <i@quay.example> 1 +0000", Committer: "Ines <i@quay.example> 1 +0000", Message: "m\n"}
			if !parent.IsZero() {
				c.Parents = []repo.ID{parent}
			}
			parent = overlay.Put(repo.KindCommit, c.Encode())
		}
		require.NoError(t, overlay.Flush(t.Context(), parent))
		f.Git("update-ref", "refs/heads/main", parent.String())
		f.Git("fsck", "--strict", "--full")
		fresh := f.Open(t)
		for id, want := range written {
			got, err := fresh.Object(t.Context(), id)
			require.NoError(t, err)
			require.Equal(t, want, string(got.Data))
		}
		packs, err := filepath.Glob(filepath.Join(f.Dir, ".git/objects/pack/*.pack"))
		require.NoError(t, err)
		require.Len(t, packs, 1)
	}
}
