package replay_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/test/fixture"
)

// someLines changes a few lines of texts that are all different.
func someLines(random *rand.Rand, files map[string]string, who string) map[string]string {
	files = clone(files)
	for i := range 1 + random.Intn(2) {
		path := []string{"a", "d/b"}[random.Intn(2)]
		lines := strings.SplitAfter(files[path], "\n")
		at := random.Intn(len(lines))
		switch random.Intn(4) {
		case 0:
			lines = append(lines[:at], append([]string{fmt.Sprintf("new %s%d\n", who, i)}, lines[at:]...)...)
		case 1:
			lines[at] = ""
		default:
			lines[at] = fmt.Sprintf("%s%d\n", who, random.Intn(3))
		}
		files[path] = strings.Join(lines, "")
	}
	return files
}

func firstFiles() map[string]string {
	text := ""
	for i := range 9 {
		text += fmt.Sprintf("line %d of it\n", i)
	}
	return map[string]string{"a": text, "d/b": strings.ReplaceAll(text, "it", "b")}
}

// TestCrossedHistoriesAgainstTheRepository: histories that merged each other, each settling
// what conflicted in its own way, come out as the repository has them, or conflict.
func TestCrossedHistoriesAgainstTheRepository(t *testing.T) {
	f := fixture.New(t)
	r, random := f.Open(t), fixture.Random(t, 3)
	o := r.NewOverlay()
	commit := func(files map[string]string, parents ...repo.ID) repo.ID {
		c := repo.Commit{Tree: tree(o, files), Parents: parents, Author: committer, Committer: committer, Message: "x\n"}
		return o.Put(repo.KindCommit, c.Encode())
	}
	var tips [][2]repo.ID
	var ends []repo.ID
	var pairs []string
	for range fixture.Rounds(150, 3000) {
		first := firstFiles()
		left, right := someLines(random, first, "l"), someLines(random, first, "r")
		start := commit(first)
		a, b := commit(left, start), commit(right, start)
		one, other := someLines(random, left, "m"), someLines(random, right, "n") // what the merges settled on
		x, y := commit(one, a, b), commit(other, b, a)
		x, y = commit(someLines(random, one, "p"), x), commit(someLines(random, other, "q"), y)
		tips, pairs, ends = append(tips, [2]repo.ID{x, y}), append(pairs, x.String()+" "+y.String()), append(ends, x, y)
	}
	require.NoError(t, o.Flush(ctx, ends...))
	clean, doubted := 0, 0
	for i, there := range fixture.MergeTrees(t, f.Dir, pairs) {
		base, err := replay.CommonTree(ctx, r, o, merge.Options{}, tips[i][0], tips[i][1])
		require.NoError(t, err)
		commits, err := r.Commits(ctx, tips[i][:])
		require.NoError(t, err)
		merged, err := merge.TreesWith(ctx, o, merge.Options{}, base, commits[0].Tree, commits[1].Tree)
		require.NoError(t, err)
		switch here := len(merged.Conflicts) == 0; {
		case here:
			clean++
			assert.Equal(t, there, merged.Tree, pairs[i])
		case !there.IsZero():
			doubted++
		}
	}
	t.Logf("%d clean, %d conflicts here only", clean, doubted)
	assert.Greater(t, clean, len(tips)/50)
	assert.LessOrEqual(t, doubted, len(tips)/50)
}

// TestCrossedRenamesAgainstTheRepository: those that rename, add and delete come out as the repository has them, but for a few where the
// histories named a file differently before: its base has the file twice then, ours once. Nothing that went in is lost, and no marker
// of a base comes out.
func TestCrossedRenamesAgainstTheRepository(t *testing.T) {
	f := fixture.New(t)
	r, random := f.Open(t), fixture.Random(t, 3)
	o := r.NewOverlay()
	commit := func(files fixture.Files, parents ...repo.ID) repo.ID {
		c := repo.Commit{Tree: fixture.MakeTree(o, files.Spec(), repo.ID{}), Parents: parents, Author: committer,
			Committer: committer, Message: "x\n"}
		return o.Put(repo.KindCommit, c.Encode())
	}
	var tips [][2]repo.ID
	var ends []repo.ID
	var pairs []string
	for range fixture.Rounds(150, 3000) {
		first := fixture.DrawFiles(random)
		left, right := first.Changed(random, "l"), first.Changed(random, "r")
		start := commit(first)
		a, b := commit(left, start), commit(right, start)
		one, other := left.Changed(random, "m"), right.Changed(random, "n") // what the merges settled on
		x, y := commit(one, a, b), commit(other, b, a)
		x, y = commit(one.Changed(random, "p"), x), commit(other.Changed(random, "q"), y)
		tips, pairs, ends = append(tips, [2]repo.ID{x, y}), append(pairs, x.String()+" "+y.String()), append(ends, x, y)
	}
	require.NoError(t, o.Flush(ctx, ends...))
	clean, differ, doubted := 0, 0, 0
	for i, there := range fixture.MergeTrees(t, f.Dir, pairs, "merge.directoryRenames=true") {
		base, err := replay.CommonTree(ctx, r, o, merge.Options{}, tips[i][0], tips[i][1])
		require.NoError(t, err)
		commits, err := r.Commits(ctx, tips[i][:])
		require.NoError(t, err)
		options := merge.Options{Faulty: func(_ context.Context, base, left, right repo.ID, at []merge.Conflict) {
			assert.Fail(t, "not all that went in", "%s\n%s\n%s\n%v", fixture.SpecOf(t, o, base), fixture.SpecOf(t, o, left),
				fixture.SpecOf(t, o, right), at)
		}}
		merged, err := merge.TreesWith(ctx, o, options, base, commits[0].Tree, commits[1].Tree)
		require.NoError(t, err)
		assert.NotContains(t, fixture.SpecOf(t, o, merged.Tree), "<<<<<<<")
		for _, c := range merged.Conflicts {
			for _, region := range c.Regions() {
				assert.NotContains(t, string(bytes.Join(region.Base, nil)), "<<<<<<<")
			}
		}
		switch here := len(merged.Conflicts) == 0; {
		case here && merged.Tree == there:
			clean++
		case here:
			differ++
		case !there.IsZero():
			doubted++
		}
	}
	t.Logf("%d clean, %d otherwise clean, %d conflicts here only", clean, differ, doubted)
	assert.Greater(t, clean, len(tips)/10)
	assert.LessOrEqual(t, differ, len(tips)/40)
	assert.LessOrEqual(t, doubted, len(tips)/50)
}

// TestPlansAgainstTheRepository: a plan that reorders and leaves out is what picking its commits
// one by one gives. What is clean here is clean there, with the same content.
func TestPlansAgainstTheRepository(t *testing.T) {
	f := fixture.New(t)
	r, random := f.Open(t), fixture.Random(t, 4)
	rounds, clean, doubted := fixture.Rounds(25, 2000), 0, 0
	for range rounds {
		states := []map[string]string{firstFiles()}
		for n := range 2 + random.Intn(4) {
			states = append(states, someLines(random, states[n], string(rune('p'+n))))
		}
		h := write(t, r, states)
		plan, order := h.plan(), random.Perm(len(h.sources))
		order = order[:1+random.Intn(len(order))]
		plan.Next, plan.LeftOut = nil, nil
		for i, id := range h.sources {
			if !slices.Contains(order, i) {
				plan.LeftOut = append(plan.LeftOut, id)
			}
		}
		var picks []string
		for _, i := range order {
			plan.Next = append(plan.Next, shape.Entry{From: []repo.ID{h.sources[i]}})
			picks = append(picks, h.sources[i].String())
		}
		forecast, err := replay.New(r).Run(ctx, plan, h.base, committer, nil)
		require.NoError(t, err)
		f.Git("checkout", "-q", "-f", "--detach", h.base.String())
		there := repo.ID{}
		pick := append([]string{"-C", f.Dir, "cherry-pick", "--allow-empty", "--keep-redundant-commits"}, picks...)
		if exec.Command("git", pick...).Run() == nil {
			there, err = repo.ParseID(f.Git("rev-parse", "HEAD^{tree}"))
			require.NoError(t, err)
		} else {
			f.Git("cherry-pick", "--abort")
		}
		switch here := forecast.Conflicts() == 0; {
		case here:
			clean++
			assert.Equal(t, there, forecast.Tree, "%v of %v", order, h.sources)
		case !there.IsZero():
			doubted++
		}
	}
	t.Logf("%d clean, %d conflicts here only", clean, doubted)
	assert.Greater(t, clean, rounds/10)
	assert.LessOrEqual(t, doubted, rounds/20)
}

// TestFromElsewhereAgainstTheRepository: what comes from before the branch began (a commit picked, one taken back, another branch merged)
// is brought on through the renames since, as the repository does it.
func TestFromElsewhereAgainstTheRepository(t *testing.T) {
	f := fixture.New(t)
	f.Git("config", "merge.directoryRenames", "true")
	r, random := f.Open(t), fixture.Random(t, 6)
	o := r.NewOverlay()
	commit := func(files fixture.Files, parents ...repo.ID) repo.ID {
		c := repo.Commit{Tree: fixture.MakeTree(o, files.Spec(), repo.ID{}), Parents: parents, Author: committer,
			Committer: committer, Message: "x\n"}
		return o.Put(repo.KindCommit, c.Encode())
	}
	type round struct {
		plan  shape.Plan
		specs []string
	}
	var rounds []round
	var pairs []string
	var tips []repo.ID
	for range fixture.Rounds(120, 20000) {
		first := fixture.DrawFiles(random)
		moved := first.Changed(random, "m")
		old, own := first.Changed(random, "o"), moved.Changed(random, "b")
		if old.Spec() == moved.Spec() {
			continue // they would be one commit
		}
		start := commit(first)
		base := commit(moved, start)
		tip, elsewhere := commit(own, base), commit(old, start)
		back := commit(first, elsewhere)
		entry, sides := shape.Entry{From: []repo.ID{elsewhere}}, [2]repo.ID{tip, elsewhere}
		switch random.Intn(3) {
		case 0:
			entry.Merge = true
		case 1: // the old commit taken back
			entry.From[0], sides = back, [2]repo.ID{commit(own, elsewhere), back}
		}
		plan := shape.New("main", tip, base, []repo.ID{tip})
		plan.Next = append(plan.Next, entry)
		rounds = append(rounds, round{plan, []string{first.Spec(), moved.Spec(), own.Spec(), old.Spec()}})
		pairs, tips = append(pairs, sides[0].String()+" "+sides[1].String()), append(tips, tip, elsewhere, back, sides[0])
	}
	require.NoError(t, o.Flush(ctx, tips...))
	clean, doubted, lost, placed := 0, 0, 0, 0
	for i, there := range fixture.MergeTrees(t, f.Dir, pairs, "merge.directoryRenames=true") {
		forecast, err := replay.New(r).Run(ctx, rounds[i].plan, rounds[i].plan.Base, committer, nil)
		require.NoError(t, err)
		switch here := forecast.Conflicts() == 0; {
		case here && there == forecast.Tree:
			clean++
		case here && !there.IsZero() && fixture.Count(t, forecast.Objects(), forecast.Tree) > fixture.Count(t, r.NewOverlay(), there):
			lost++ // the repository itself brings a folder to the name of a file, which goes
		case here && !there.IsZero() && fixture.SameContents(t, forecast.Objects(), forecast.Tree, r.NewOverlay(), there):
			placed++ // a new file beside the renamed folder, or in it
		case here && !there.IsZero():
			assert.Fail(t, "clean here", "%s %q\nhere  %s\nthere %s", pairs[i], rounds[i].specs, fixture.SpecOf(t,
				forecast.Objects(), forecast.Tree),
				fixture.SpecOf(t, r.NewOverlay(), there))
		case !here && !there.IsZero():
			doubted++
		}
	}
	t.Logf("of %d: %d clean, %d conflicts here only, %d files lost there, %d put elsewhere", len(rounds), clean, doubted, lost, placed)
	assert.LessOrEqual(t, placed, 1+len(rounds)/2000)
	assert.Greater(t, clean, len(rounds)/3)
	assert.LessOrEqual(t, lost, 1+len(rounds)/1000)
	assert.LessOrEqual(t, doubted, len(rounds)/20)
}
