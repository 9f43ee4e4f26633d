package merge_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestTheGuardSeesWhatIsLost: whatever path of a clean merge is put back as the left side had it, or taken away, or made another:
// the guard names it. Of a right outcome it names none.
func TestTheGuardSeesWhatIsLost(t *testing.T) {
	random, lost := fixture.Random(t, 11), 0
	for range fixture.Rounds(1500, 50000) {
		o, base := fixture.NewObjects(), fixture.DrawFiles(random)
		specs := [3]string{base.Spec(), base.Changed(random, "l").Spec(), base.Changed(random, "r").Spec()}
		ids := [3]repo.ID{o.Make(specs[0]), o.Make(specs[1]), o.Make(specs[2])}
		merged, err := merge.TreesWith(ctx, o, merge.Options{}, ids[0], ids[1], ids[2])
		require.NoError(t, err)
		faults, err := merge.Guard(ctx, o, ids[0], ids[1], ids[2], merged)
		require.NoError(t, err)
		require.Empty(t, faults, "%q", specs)
		done, err := merge.Compare(ctx, o, ids[1], merged.Tree)
		require.NoError(t, err)
		all, err := merge.Compare(ctx, o, repo.ID{}, merged.Tree)
		require.NoError(t, err)
		if len(merged.Conflicts) > 0 || len(done) == 0 || len(all) == 0 {
			continue
		}
		wrong := done[random.Intn(len(done))]
		edit := repo.IndexEntry{Path: wrong.Path, Mode: wrong.Old.Mode, ID: wrong.Old.ID}
		switch random.Intn(3) {
		case 0:
			first, err := repo.Find(ctx, o, ids[0], wrong.Path)
			require.NoError(t, err)
			if wrong.New.IsZero() || !wrong.Old.IsZero() && wrong.Old.ID != first.ID {
				continue // nothing is lost, but there twice; or both sides changed it, and only texts could tell
			}
		case 1:
			edit = repo.IndexEntry{Path: all[random.Intn(len(all))].Path}
		case 2:
			edit = repo.IndexEntry{Path: "surely/new", Mode: repo.ModeFile, ID: o.Put(repo.KindBlob, []byte("new\n"))}
		}
		merged.Tree, err = repo.EditTree(ctx, o, merged.Tree, []repo.IndexEntry{edit})
		require.NoError(t, err)
		faults, err = merge.Guard(ctx, o, ids[0], ids[1], ids[2], merged)
		require.NoError(t, err)
		require.NotEmpty(t, faults, "%q: %s", specs, o.Spec(merged.Tree))
		lost++
	}
	assert.Greater(t, lost, 100)
}
