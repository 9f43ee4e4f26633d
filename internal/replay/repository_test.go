package replay_test

import (
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
