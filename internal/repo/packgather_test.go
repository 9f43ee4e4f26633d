package repo_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestManyPacksBecomeOne: packs of rewritings that share trees in all sorts of ways become one, in which the repository finds all that
// was in them and nothing wrong, also while another reader is at work. Those that somebody keeps, and damaged ones, stay.
func TestManyPacksBecomeOne(t *testing.T) {
	for _, format := range []string{"sha1", "sha256"} {
		t.Run(format, func(t *testing.T) {
			f := fixture.New(t, "--object-format="+format)
			r, ctx := f.Open(t), t.Context()
			reader := f.Open(t)
			packs := func() (list []string) {
				list, err := filepath.Glob(filepath.Join(f.Dir, ".git/objects/pack/*.pack"))
				require.NoError(t, err)
				return list
			}
			random := rand.New(rand.NewPCG(3, 4))
			written := map[repo.ID]string{}
			write := func(n int) {
				overlay := r.NewOverlay() // of its own, so that the same trees are packed again and again, in other orders
				var parent repo.ID
				for range 30 {
					var tree repo.Tree
					for i := range 60 {
						tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: fmt.Sprintf("name %02d", i),
							ID: overlay.Put(repo.KindBlob, fmt.Append(nil, i == random.IntN(4)))})
					}
					id := overlay.PutTree(tree)
					written[id] = string(tree.Encode())
					c := &repo.Commit{Tree: id, Author: "Ines <i@quay.example> 1 +0000", Committer: "Ines <i@quay.example> 1 +0000",
						Message: fmt.Sprintln(n)}
					if !parent.IsZero() {
						c.Parents = []repo.ID{parent}
					}
					parent = overlay.Put(repo.KindCommit, c.Encode())
				}
				require.NoError(t, overlay.Flush(ctx, parent))
				f.Git("update-ref", fmt.Sprintf("refs/heads/b%d", n), parent.String())
			}
			for n := range 12 {
				write(n)
			}
			n, err := r.GatherPacks(ctx)
			require.NoError(t, err)
			assert.Zero(t, n, "they are few")
			_, err = reader.Head(ctx)
			require.NoError(t, err)
			for n := range 12 {
				write(12 + n)
			}
			all := packs()
			require.Len(t, all, 24)
			keep := all[3]
			require.NoError(t, os.WriteFile(keep[:len(keep)-len("pack")]+"keep", nil, 0o666))
			n, err = r.GatherPacks(ctx)
			require.NoError(t, err)
			assert.Equal(t, 23, n)
			assert.Len(t, packs(), 2)
			assert.Contains(t, packs(), keep)
			noted, err := os.ReadFile(filepath.Join(f.Dir, ".git/bastel/packs"))
			require.NoError(t, err)
			for _, pack := range packs() {
				assert.Contains(t, string(noted), strings.TrimSuffix(filepath.Base(pack), ".pack"), "what is left is noted still")
			}
			f.Git("fsck", "--strict", "--full")
			for id, want := range written {
				got, err := reader.Object(ctx, id)
				require.NoError(t, err)
				require.Equal(t, want, string(got.Data))
			}
			for n := range 24 {
				write(24 + n)
			}
			before := packs()
			require.NoError(t, os.Chmod(before[5], 0o666))
			data, err := os.ReadFile(before[5])
			require.NoError(t, err)
			data[len(data)/2] ^= 1
			require.NoError(t, os.WriteFile(before[5], data, 0o666))
			_, err = r.GatherPacks(ctx)
			if before[5] != keep {
				require.ErrorIs(t, err, repo.ErrBadPack)
				assert.Equal(t, before, packs(), "nothing was changed")
			}
		})
	}
}
