package merge_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/test/fixture"
)

// folderOf files that a random change works on: by path, the lines separated by commas.
type folderOf map[string]string

func (f folderOf) spec() string {
	var parts []string
	for _, path := range slices.Sorted(maps.Keys(f)) {
		parts = append(parts, path+":"+f[path])
	}
	return strings.Join(parts, " ")
}

func drawFolder(random *rand.Rand) folderOf {
	f := folderOf{}
	for i := range 3 + random.Intn(5) {
		var lines []string
		for n := range 8 {
			lines = append(lines, fmt.Sprintf("%c-%d", 'a'+i, n+1))
		}
		f[fmt.Sprintf("%sf%d", []string{"", "d/", "d/", "d/s/", "e/"}[random.Intn(5)], i+1)] = strings.Join(lines, ",") + ","
	}
	return f
}

// changed edits, renames, deletes and adds files, and renames folders.
func (f folderOf) changed(random *rand.Rand, who string) folderOf {
	g := maps.Clone(f)
	for i := range 1 + random.Intn(3) {
		paths := slices.Sorted(maps.Keys(g))
		if len(paths) == 0 {
			return g
		}
		path := paths[random.Intn(len(paths))]
		folder := []string{"", "d/", "e/", "g/"}[random.Intn(4)]
		switch random.Intn(7) {
		case 0:
			delete(g, path)
		case 1, 2:
			g[path] = lineChanged(random, g[path], who)
		case 3, 4:
			to, text := fmt.Sprintf("%sr%d", folder, 1+random.Intn(3)), g[path]
			if _, taken := g[to]; taken {
				continue
			}
			if random.Intn(2) == 0 {
				text = lineChanged(random, text, who)
			}
			delete(g, path)
			g[to] = text
		case 5:
			g[fmt.Sprintf("%sn%d", folder, 1+random.Intn(2))] = fmt.Sprintf("%s,%d,new,", who, i+1)
		case 6:
			from, to := []string{"d/", "e/", "d/s/"}[random.Intn(3)], []string{"h/", "k/"}[random.Intn(2)]
			for _, path := range paths {
				if rest, in := strings.CutPrefix(path, from); in {
					g[to+rest] = g[path]
					delete(g, path)
				}
			}
		}
	}
	return g
}

func lineChanged(random *rand.Rand, text, who string) string {
	lines := strings.Split(text, ",")
	lines[random.Intn(len(lines)-1)] = fmt.Sprintf("%s%d", who, 1+random.Intn(2))
	return strings.Join(lines, ",")
}

// TestTreesAgainstTheRepository: what merges cleanly here merges cleanly there, to the same tree. Only
// where files should follow a folder that went to several places, or to where their name is taken, they
// stay here without a question, for nothing is lost.
func TestTreesAgainstTheRepository(t *testing.T) {
	f := fixture.New(t)
	r := f.Open(t)
	random, rounds := fixture.Random(t, 5), fixture.Rounds(300, 2000)
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
		base := drawFolder(random)
		var spec [3]string
		var ids, tree [3]repo.ID
		for i, f := range []folderOf{base, base.changed(random, "l"), base.changed(random, "r")} {
			spec[i] = f.spec()
			tree[i] = fixture.MakeTree(o, spec[i], repo.ID{})
			ids[i] = commit(tree[i], ids[:min(i, 1)]...)
		}
		specs, trees = append(specs, spec), append(trees, tree)
		pairs, tips = append(pairs, ids[1].String()+" "+ids[2].String()), append(tips, ids[1], ids[2])
	}
	require.NoError(t, o.Flush(context.Background(), tips...))
	theirs := map[string][]repo.ID{"false": fixture.MergeTrees(t, f.Dir, pairs, "merge.directoryRenames=false"),
		"true": fixture.MergeTrees(t, f.Dir, pairs, "merge.directoryRenames=true")}
	agreed, doubted := 0, 0
	for i, tree := range trees {
		for folders, there := range theirs {
			merged, err := merge.TreesWith(ctx, o, merge.Options{Folders: merge.FolderRuleOf(folders)}, tree[0], tree[1], tree[2])
			require.NoError(t, err)
			switch clean := len(merged.Conflicts) == 0; {
			case clean && merged.Tree == there[i]:
				agreed++
			case clean && (!there[i].IsZero() || theirs["false"][i].IsZero()):
				assert.Fail(t, "clean here", "%s\nbase  %s\nleft  %s\nright %s\nhere  %s\nthere %s", folders, specs[i][0], specs[i][1], specs[i][2],
					specOf(t, o, merged.Tree), specOf(t, o, there[i]))
			case !clean && !there[i].IsZero():
				doubted++
			}
		}
	}
	t.Logf("of %d: %d clean on both sides, %d conflicts here only", 2*rounds, agreed, doubted)
	assert.LessOrEqual(t, doubted, rounds/50)
	assert.Greater(t, agreed, rounds)
}

// TestRenamesPatchedOrMergedAgain: to merge once more only at the paths that renames concern gives the very same as to merge
// all trees again, conflicts and all.
func TestRenamesPatchedOrMergedAgain(t *testing.T) {
	random, rounds, patchedOnes := fixture.Random(t, 9), fixture.Rounds(4000, 100000), 0
	for range rounds {
		o, base := fixture.NewObjects(), drawFolder(random)
		specs := [3]string{base.spec(), base.changed(random, "l").spec(), base.changed(random, "r").spec()}
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

func specOf(t *testing.T, o merge.Objects, id repo.ID) string {
	if id.IsZero() {
		return "a conflict"
	}
	differences, err := merge.Compare(ctx, o, repo.ID{}, id)
	require.NoError(t, err)
	var parts []string
	for _, d := range differences {
		data, err := o.Blob(ctx, d.New.ID)
		require.NoError(t, err)
		parts = append(parts, d.Path+":"+strings.ReplaceAll(string(data), "\n", ","))
	}
	return strings.Join(parts, " ")
}
