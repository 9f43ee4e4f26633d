package merge_test

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestTreesAgainstTheRepository: what merges cleanly here merges cleanly there, to the same tree. Only
// where files should follow a folder that went to several places, or to where their name is taken, they
// stay here without a question, for nothing is lost.
func TestTreesAgainstTheRepository(t *testing.T) {
	f := fixture.New(t)
	r := f.Open(t)
	random, rounds := fixture.Random(t, 5), fixture.Rounds(300, 50000)
	o := r.NewOverlay()
	commit := func(tree repo.ID, parents ...repo.ID) repo.ID {
		c := repo.Commit{Tree: tree, Parents: parents, Author: "A <a@x.example> 1 +0000", Committer: "A <a@x.example> 1 +0000", Message: "x\n"}
		return o.Put(repo.KindCommit, c.Encode())
	}
	var trees [][3]repo.ID
	var specs [][3]string
	var pairs []string
	var tips []repo.ID
	for range rounds {
		base := fixture.DrawFiles(random)
		var spec [3]string
		var ids, tree [3]repo.ID
		for i, f := range []fixture.Files{base, base.Changed(random, "l"), base.Changed(random, "r")} {
			spec[i] = f.Spec()
			tree[i] = fixture.MakeTree(o, spec[i], repo.ID{})
			ids[i] = commit(tree[i], ids[:min(i, 1)]...)
		}
		specs, trees = append(specs, spec), append(trees, tree)
		pairs, tips = append(pairs, ids[1].String()+" "+ids[2].String()), append(tips, ids[1], ids[2])
	}
	require.NoError(t, o.Flush(context.Background(), tips...))
	theirs := map[string][]repo.ID{"false": fixture.MergeTrees(t, f.Dir, pairs, "merge.directoryRenames=false"),
		"true": fixture.MergeTrees(t, f.Dir, pairs, "merge.directoryRenames=true")}
	agreed, doubted, lost, guessed, placed := 0, 0, 0, 0, 0
	for i, tree := range trees {
		for folders, there := range theirs {
			options := merge.Options{Folders: merge.FolderRuleOf(folders), Faulty: func(_ context.Context, _, _, _ repo.ID, at []merge.Conflict) {
				assert.Fail(t, "not all that went in", "%s\n%s\n%s\n%s\n%v", folders, specs[i][0], specs[i][1], specs[i][2], at)
			}}
			merged, err := merge.TreesWith(ctx, o, options, tree[0], tree[1], tree[2])
			require.NoError(t, err)
			switch clean := len(merged.Conflicts) == 0; {
			case clean && merged.Tree == there[i]:
				agreed++
			case clean && !there[i].IsZero() && fixture.Count(t, o, merged.Tree) > fixture.Count(t, r.NewOverlay(), there[i]):
				lost++ // the repository itself brings a folder to the name of a file, which goes
			case clean && !there[i].IsZero() && fixture.SameContents(t, o, merged.Tree, r.NewOverlay(), there[i]):
				placed++ // a file beside the renamed folder, or in it
			case clean && there[i].IsZero() && theirs["false"][i].IsZero():
				guessed++ // it takes another file for the one that was renamed, since it looks at fewer
			case clean && (!there[i].IsZero() || theirs["false"][i].IsZero()):
				assert.Fail(t, "clean here", "%s\nbase  %s\nleft  %s\nright %s\nhere  %s\nthere %s", folders, specs[i][0], specs[i][1], specs[i][2],
					fixture.SpecOf(t, o, merged.Tree), fixture.SpecOf(t, o, there[i]))
			case !clean && !there[i].IsZero():
				doubted++
			}
		}
	}
	t.Logf("of %d: %d clean on both sides, %d conflicts here only, %d files lost there, %d otherwise guessed there, %d put elsewhere",
		2*rounds, agreed, doubted, lost, guessed, placed)
	assert.LessOrEqual(t, guessed, 1+rounds/2000)
	assert.LessOrEqual(t, placed, 1+rounds/2000)
	assert.LessOrEqual(t, lost, 1+rounds/1000)
	assert.LessOrEqual(t, doubted, rounds/50)
	assert.Greater(t, agreed, rounds)
}

// TestRenamesPatchedOrMergedAgain: to merge once more only at the paths that renames concern gives the very same as to merge
// all trees again, conflicts and all.
func TestRenamesPatchedOrMergedAgain(t *testing.T) {
	random, rounds, patchedOnes := fixture.Random(t, 9), fixture.Rounds(4000, 100000), 0
	for range rounds {
		o, base := fixture.NewObjects(), fixture.DrawFiles(random)
		specs := [3]string{base.Spec(), base.Changed(random, "l").Spec(), base.Changed(random, "r").Spec()}
		options := merge.Options{Folders: []merge.FolderRule{merge.FoldersFollow, merge.FoldersAsk, merge.FoldersStay}[random.Intn(3)]}
		patched, again, ok, err := merge.BothWays(ctx, o, options, o.Make(specs[0]), o.Make(specs[1]), o.Make(specs[2]))
		require.NoError(t, err)
		if !ok {
			continue
		}
		patchedOnes++
		for _, merged := range []merge.Merged{patched, again} {
			slices.SortFunc(merged.Conflicts, func(a, b merge.Conflict) int {
				return strings.Compare(a.Path+" "+string(a.Kind), b.Path+" "+string(b.Kind))
			})
		}
		require.Equal(t, again, patched, "%q: %s, %s", specs, o.Spec(again.Tree), o.Spec(patched.Tree))
	}
	assert.Greater(t, patchedOnes, rounds/4)
}

// TestAFolderThatWentToTwoPlacesIsFollowedToNone: also where one of them is the top.
func TestAFolderThatWentToTwoPlacesIsFollowedToNone(t *testing.T) {
	for range 40 { // whichever of the two comes first
		o := fixture.NewObjects()
		base, left := o.Make("d/a:1,2,3, d/b:4,5,6, c:7,8,9,"), o.Make("d/a:1,2,3, d/b:4,5,6, d/c:7,8,9,")
		merged, err := merge.TreesWith(ctx, o, merge.Options{}, base, left, o.Make("a:1,2,3, k/b:4,5,6, c:7,8,9,"))
		require.NoError(t, err)
		assert.Equal(t, "a:1,2,3, d/c:7,8,9, k/b:4,5,6,", o.Spec(merged.Tree))
	}
}
