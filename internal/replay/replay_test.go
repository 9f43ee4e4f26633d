package replay_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/test/fixture"
)

var ctx = context.Background()

const committer = "Ines Falk <ines@lanternquay.example> 1777990000 +0200"

// history is a linear branch in a real repository.
type history struct {
	repo    *repo.Repo
	base    repo.ID
	sources []repo.ID
}

func (h history) tip() repo.ID { return h.sources[len(h.sources)-1] }

func (h history) plan() shape.Plan { return shape.New("main", h.tip(), h.base, h.sources) }

// write makes commits of which each changes the given files: "path text" in turn.
func write(t fixture.TB, r *repo.Repo, states []map[string]string) history {
	o := r.NewOverlay()
	var ids []repo.ID
	var parent repo.ID
	for i, files := range states {
		c := &repo.Commit{Tree: tree(o, files), Author: fmt.Sprintf("A%d <a@x.example> %d +0100", i, 1777800000+i),
			Committer: "C <c@x.example> 1777800000 +0000", Message: fmt.Sprintf("commit %d\n", i)}
		if i > 0 {
			c.Parents = []repo.ID{parent}
		}
		parent = o.Put(repo.KindCommit, c.Encode())
		ids = append(ids, parent)
	}
	require.NoError(t, o.Flush(ctx, parent))
	return history{r, ids[0], ids[1:]}
}

func tree(o *repo.Overlay, files map[string]string) repo.ID {
	below := map[string]map[string]string{}
	var list repo.Tree
	for name, text := range files {
		if folder, rest, nested := strings.Cut(name, "/"); nested {
			if below[folder] == nil {
				below[folder] = map[string]string{}
			}
			below[folder][rest] = text
			continue
		}
		list = append(list, repo.Entry{Mode: repo.ModeFile, Name: name, ID: o.Put(repo.KindBlob, []byte(text))})
	}
	for folder, inside := range below {
		list = append(list, repo.Entry{Mode: repo.ModeTree, Name: folder, ID: tree(o, inside)})
	}
	list.Sort()
	return o.PutTree(list)
}

// apart draws a history whose commits change lines of one text, or files, that no
// other commit comes near.
func apart(t *rapid.T, r *repo.Repo) history {
	n := rapid.IntRange(1, 7).Draw(t, "commits")
	text := make([]string, 6*n)
	for i := range text {
		text[i] = fmt.Sprintf("line %d", i)
	}
	files := map[string]string{"text": strings.Join(text, "\n") + "\n", "d/kept": "x\n"}
	states := []map[string]string{clone(files)}
	for _, i := range rapid.Permutation(seq(n)).Draw(t, "places") {
		switch rapid.IntRange(0, 3).Draw(t, "kind") {
		case 0:
			files[fmt.Sprintf("d/e%d/new", i%3)+fmt.Sprint(i)] = "new\n"
		case 1:
			text[6*i] += "\nadded"
		case 2:
			text[6*i] = "changed"
		case 3:
			text[6*i] = "changed"
			files[fmt.Sprintf("f%d", i)] = "too\n"
		}
		files["text"] = strings.Join(text, "\n") + "\n"
		states = append(states, clone(files))
	}
	return write(t, r, states)
}

func seq(n int) []int {
	list := make([]int, n)
	for i := range list {
		list[i] = i
	}
	return list
}

func clone(files map[string]string) map[string]string {
	c := map[string]string{}
	for k, v := range files {
		c[k] = v
	}
	return c
}

func TestReorderingWhatLiesApartKeepsTheContent(t *testing.T) {
	r := fixture.New(t).Open(t)
	rapid.Check(t, func(t *rapid.T) {
		h := apart(t, r)
		plan := h.plan()
		plan.Next = rapid.Permutation(plan.Next).Draw(t, "order")
		for len(plan.Next) > 1 && rapid.Bool().Draw(t, "join") {
			plan = plan.Join(0, rapid.IntRange(1, len(plan.Next)-1).Draw(t, "with"))
		}
		f, err := replay.New(r).Run(ctx, plan, h.base, committer, nil)
		require.NoError(t, err)
		require.Zero(t, f.Conflicts())
		assert.True(t, f.SameContent)
		assert.False(t, f.Tip.IsZero())
	})
}

func TestDroppingAndBringingBackKeepsTheContent(t *testing.T) {
	r := fixture.New(t).Open(t)
	rapid.Check(t, func(t *rapid.T) {
		h := apart(t, r)
		engine := replay.New(r)
		at := rapid.IntRange(0, len(h.sources)-1).Draw(t, "dropped")
		dropped := h.plan().LeaveOut(at)
		f, err := engine.Run(ctx, dropped, h.base, committer, nil)
		require.NoError(t, err)
		assert.False(t, f.SameContent, "something is missing")
		f, err = engine.Run(ctx, dropped.BringBack(h.sources[at]), h.base, committer, nil)
		require.NoError(t, err)
		assert.True(t, f.SameContent)
		assert.Equal(t, h.tip(), f.Tip, "nothing changed, so the commits are the same ones")
	})
}

func TestSquashingEverythingKeepsTheContent(t *testing.T) {
	r := fixture.New(t).Open(t)
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.SampledFrom([]string{"a\n", "b\n", "c\n", "d\n"})
		var states []map[string]string
		for range rapid.IntRange(2, 6).Draw(t, "states") {
			states = append(states, map[string]string{"x": strings.Join(rapid.SliceOfN(line, 1, 8).Draw(t, "x"), ""), "d/y": line.Draw(t, "y")})
		}
		h := write(t, r, states)
		f, err := replay.New(r).Run(ctx, h.plan().Join(seq(len(h.sources))...), h.base, committer, nil)
		require.NoError(t, err)
		assert.Zero(t, f.Conflicts(), "the same order never conflicts")
		assert.True(t, f.SameContent)
	})
}

// naive replays files as a map, without trees, caches or shortcuts.
func naive(states []map[string]string, order []int) (map[string]string, bool) {
	now := clone(states[0])
	for _, i := range order {
		base, right := states[i], states[i+1]
		names := map[string]bool{}
		for _, files := range []map[string]string{base, right, now} {
			for name := range files {
				names[name] = true
			}
		}
		next := map[string]string{}
		for name := range names {
			b, hasBase := base[name]
			l, hasLeft := now[name]
			v, hasRight := right[name]
			switch {
			case hasBase == hasRight && b == v:
				v, hasRight = l, hasLeft
			case hasBase == hasLeft && b == l, hasLeft == hasRight && l == v:
			case !hasLeft || !hasRight:
				return nil, false
			default:
				text, ok := merge.Resolved(merge.Text([]byte(b), []byte(l), []byte(v)))
				if !ok {
					return nil, false
				}
				v = string(text)
			}
			if hasRight {
				next[name] = v
			}
		}
		now = next
	}
	return now, true
}

func TestAgainstANaiveReplay(t *testing.T) {
	r := fixture.New(t).Open(t)
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.SampledFrom([]string{"a", "d/b", "d/c", "d/e/f"})
		line := rapid.SampledFrom([]string{"1\n", "2\n", "3\n", "4\n", "5\n", "6\n"})
		files := map[string]string{"a": "1 of a\n2 of a\n3 of a\n4 of a\n5 of a\n", "d/b": "1 of d/b\n"}
		states := []map[string]string{clone(files)}
		n := rapid.IntRange(1, 6).Draw(t, "commits")
		for range n {
			for range rapid.IntRange(0, 2).Draw(t, "files") {
				path := name.Draw(t, "name")
				// No text resembles that of another file: this replay knows no renames.
				files[path] = strings.ReplaceAll(strings.Join(rapid.SliceOfN(line, 0, 6).Draw(t, "text"), ""), "\n", " of "+path+"\n")
			}
			if rapid.IntRange(0, 5).Draw(t, "delete") == 0 {
				delete(files, name.Draw(t, "name"))
			}
			states = append(states, clone(files))
		}
		h := write(t, r, states)
		order := rapid.Permutation(seq(n)).Draw(t, "order")
		order = order[:rapid.IntRange(1, n).Draw(t, "kept")]
		plan := h.plan()
		plan.Next = nil
		used := map[int]bool{}
		for _, i := range order {
			used[i] = true
			plan.Next = append(plan.Next, shape.Entry{From: []repo.ID{h.sources[i]}})
		}
		for i, id := range h.sources {
			if !used[i] {
				plan.LeftOut = append(plan.LeftOut, id)
			}
		}
		want, clean := naive(states, order)
		f, err := replay.New(r).Run(ctx, plan, h.base, committer, nil)
		require.NoError(t, err)
		require.Equal(t, clean, f.Conflicts() == 0)
		if clean {
			assert.Equal(t, tree(r.NewOverlay(), want), f.Tree)
		}
	})
}

func TestWhatARewrittenCommitKeeps(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	base := fixture.ID(t, f.Git("rev-parse", "HEAD"))
	r := f.Open(t)
	o := r.NewOverlay()
	source := &repo.Commit{Tree: tree(o, map[string]string{"a": "2\n"}), Parents: []repo.ID{base}, Author: "J\xf6rg <j@x.example> 5 +0130",
		Committer: "X <x@x.example> 6 +0000", Encoding: "ISO-8859-1", Message: "Gr\xfc\xdfe\n",
		Extra: []repo.Header{{Key: "gpgsig", Value: "old\nsignature"}, {Key: "ticket", Value: "17"}}}
	one := o.Put(repo.KindCommit, source.Encode())
	second := &repo.Commit{Tree: tree(o, map[string]string{"a": "2\n", "b": "x\n"}), Parents: []repo.ID{one},
		Author: "B <b@x.example> 7 +0000", Committer: "B <b@x.example> 7 +0000", Message: "two\n"}
	two := o.Put(repo.KindCommit, second.Encode())
	require.NoError(t, o.Flush(ctx, two))
	engine := replay.New(r)
	forecast, err := engine.Run(ctx, shape.New("main", two, base, []repo.ID{one, two}).Join(0, 1), base, committer, nil)
	require.NoError(t, err)
	assert.Equal(t, 1, forecast.Signatures, "a signature cannot survive and is counted")
	engine.Forget() // the forecast has its objects all the same
	_, err = engine.Objects().Object(ctx, forecast.Tip)
	require.ErrorIs(t, err, repo.ErrMissingObject)
	require.NoError(t, forecast.Store(ctx))
	got, err := r.Commit(ctx, forecast.Tip)
	require.NoError(t, err)
	want := *source
	want.Tree, want.Committer, want.Extra = second.Tree, committer, []repo.Header{{Key: "ticket", Value: "17"}}
	assert.Equal(t, &want, got)
}

// story is a branch of which a target took the first change over, changed the line
// of the second, and deleted the file of the third.
func story(t *testing.T) (*fixture.Repo, shape.Plan, repo.ID) {
	f := fixture.New(t)
	base := f.Commit("base", "hours", "nine\n\n\n\n\nten\n", "depth", "6 m\n", "old", "x\n")
	f.Git("switch", "--quiet", "-c", "feature")
	var sources []repo.ID
	for _, c := range [][]string{{"open at eight", "hours", "eight\n\n\n\n\nten\n"}, {"deeper", "depth", "7 m\n"}, {"news", "old", "y\n"},
		{"deeper still", "depth", "8 m\n"}} {
		sources = append(sources, fixture.ID(t, f.Commit(c[0], c[1:]...)))
	}
	f.Git("switch", "--quiet", "main")
	f.Commit("centimetres", "depth", "600 cm\n")
	f.Commit("summer hours", "hours", "eight\n\n\n\n\nten\n")
	f.Git("rm", "--quiet", "old")
	f.Commit("away with the old")
	onto := fixture.ID(t, f.Git("rev-parse", "HEAD"))
	f.Git("switch", "--quiet", "feature")
	return f, shape.New("feature", sources[3], fixture.ID(t, base), sources), onto
}

func TestForecastExplains(t *testing.T) {
	f, plan, onto := story(t)
	forecast, err := replay.New(f.Open(t)).Run(ctx, plan, onto, committer, nil)
	require.NoError(t, err)
	var got []string
	for _, s := range forecast.Steps {
		got = append(got, fmt.Sprintf("%s %s %v", s.Title, s.Result, s.Paths()))
	}
	assert.Equal(t, []string{"open at eight empty []", "deeper conflict [depth]", "news conflict [old]", "deeper still conflict [depth]"}, got)
	assert.Contains(t, forecast.Steps[0].Reason, "the target has this change already")
	for i, subject := range []string{"summer hours", "centimetres", "away with the old"} {
		require.Len(t, forecast.Steps[i].Against, 1)
		assert.Equal(t, subject, f.Git("log", "-1", "--format=%s", forecast.Steps[i].Against[0].String()))
	}
	region := forecast.Steps[1].Conflicts[0].Regions()[0]
	assert.Equal(t, "6 m\n|600 cm\n|7 m\n", string(region.Base[0])+"|"+string(region.Left[0])+"|"+string(region.Right[0]))
	assert.True(t, forecast.Tip.IsZero())
	assert.Empty(t, f.Git("status", "--porcelain"))
}

func TestCommitsThatTakeEachOtherBack(t *testing.T) {
	f := fixture.New(t)
	base := fixture.ID(t, f.Commit("base", "a", "1\n"))
	sources := []repo.ID{fixture.ID(t, f.Commit("there", "a", "2\n")), fixture.ID(t, f.Commit("and back", "a", "1\n")),
		fixture.ID(t, f.Commit("empty on purpose"))}
	forecast, err := replay.New(f.Open(t)).Run(ctx, shape.New("main", sources[2], base, sources).Join(0, 1), base, committer, nil)
	require.NoError(t, err)
	assert.Equal(t, replay.Empty, forecast.Steps[0].Result)
	assert.Equal(t, "its commits undo each other", forecast.Steps[0].Reason)
	assert.Equal(t, replay.Clean, forecast.Steps[1].Result, "a commit that was empty before stays")
}

func TestForecastWritesNothingAndStops(t *testing.T) {
	f, plan, _ := story(t)
	before := f.Git("count-objects", "-v")
	engine := replay.New(f.Open(t))
	_, err := engine.Run(ctx, plan.Move(3, 0), plan.Base, committer, nil)
	require.NoError(t, err)
	assert.Equal(t, before, f.Git("count-objects", "-v"))
	stopped, cancel := context.WithCancel(ctx)
	_, err = engine.Run(stopped, plan, plan.Base, committer, func(done, _ int) { cancel() })
	assert.ErrorIs(t, err, context.Canceled)
	again, err := engine.Run(ctx, plan, plan.Base, committer, nil)
	require.NoError(t, err, "the engine goes on after a stop")
	assert.Equal(t, plan.Tip, again.Tip)
}

// TestEditsOnOneEngine: what an engine keeps from earlier forecasts never shows in
// later ones.
func TestEditsOnOneEngine(t *testing.T) {
	r := fixture.New(t).Open(t)
	rapid.Check(t, func(t *rapid.T) {
		h := apart(t, r)
		engine := replay.New(r)
		plan := h.plan()
		for range rapid.IntRange(1, 8).Draw(t, "edits") {
			at := rapid.IntRange(0, max(0, len(plan.Next)-1)).Draw(t, "at")
			switch kind := rapid.IntRange(0, 3).Draw(t, "kind"); {
			case kind == 0 && len(plan.Next) > 1:
				plan = plan.Move(at, rapid.IntRange(0, len(plan.Next)-1).Draw(t, "to"))
			case kind == 1 && len(plan.Next) > 1 && at > 0:
				plan = plan.Join(at-1, at)
			case kind == 2 && len(plan.Next) > 1:
				plan = plan.LeaveOut(at)
			case len(plan.LeftOut) > 0:
				plan = plan.BringBack(plan.LeftOut[0])
			}
			kept, err := engine.Run(ctx, plan, h.base, committer, nil)
			require.NoError(t, err)
			fresh, err := replay.New(r).Run(ctx, plan, h.base, committer, nil)
			require.NoError(t, err)
			require.Equal(t, fresh.Steps, kept.Steps)
			require.Equal(t, []any{fresh.Tip, fresh.Tree, fresh.SameContent, fresh.Signatures},
				[]any{kept.Tip, kept.Tree, kept.SameContent, kept.Signatures})
		}
	})
}

// TestAnsweredOnce: four commits change one line that a colleague changed too. Each
// conflict is answered in the plan; in the next plan nothing is asked again; the branch
// that came first is explained where nothing of it is left.
func TestAnsweredOnce(t *testing.T) {
	f := fixture.New(t)
	base := fixture.ID(t, f.Commit("base", "depth", "top\n6 m\n", "hours", "nine\n"))
	f.Git("switch", "--quiet", "-c", "feature")
	var sources []repo.ID
	for i := range 4 {
		sources = append(sources, fixture.ID(t, f.Commit(fmt.Sprint("deeper ", i), "depth", fmt.Sprintf("top\n%d m\n", 7+i))))
	}
	f.Git("switch", "--quiet", "main")
	onto := fixture.ID(t, f.Commit("centimetres", "depth", "top\n600 cm\n"))
	engine, plan := replay.New(f.Open(t)), shape.New("feature", sources[3], base, sources)
	var result *replay.Forecast
	asked := 0
	for {
		var err error
		result, err = engine.Run(ctx, plan, onto, committer, nil)
		require.NoError(t, err)
		at := slices.IndexFunc(result.Steps, func(s replay.Step) bool { return s.Result == replay.Conflict })
		if at < 0 {
			break
		}
		asked++
		met := result.Steps[at].PathConflicts[0]
		if at == 0 {
			assert.Equal(t, [][]repo.ID{{onto}}, met.Writers, "it says who wrote the line there")
		}
		plan = plan.Answer(met.Questions()[0].Give(mend.Answer{Own: []byte(fmt.Sprintf("%d00 cm\n", 7+at))}))
	}
	assert.Equal(t, 4, asked)
	assert.Equal(t, "top\n1000 cm\n", contentAt(t, engine, result.Tree, "depth"))
	assert.Equal(t, mend.Here, result.Steps[3].PathConflicts[0].Regions[0].Origin)

	joined := shape.New("feature", sources[3], base, sources).Join(0, 1, 2, 3)
	once, err := engine.Run(ctx, joined, onto, committer, nil)
	require.NoError(t, err)
	require.Len(t, once.Steps[0].PathConflicts, 1)
	joined = joined.Answer(once.Steps[0].PathConflicts[0].Questions()[0].Give(mend.Answer{Own: []byte("1000 cm\n")}))
	once, err = engine.Run(ctx, joined, onto, committer, nil)
	require.NoError(t, err)
	assert.Equal(t, replay.Clean, once.Steps[0].Result, "joined first, it is one question")
	assert.Equal(t, result.Tree, once.Tree)

	memory := map[mend.Key]mend.Resolution{}
	for _, g := range plan.Answers {
		memory[g.Key] = g
	}
	engine.Remember(memory)
	again, err := engine.Run(ctx, shape.New("feature", sources[3], base, sources), onto, committer, nil)
	require.NoError(t, err)
	assert.Equal(t, result.Tip, again.Tip, "answers replayed give the same bytes")
	assert.Equal(t, mend.Remembered, again.Steps[0].PathConflicts[0].Regions[0].Origin)

	left := shape.New("feature", sources[3], base, sources)
	first, err := replay.New(f.Open(t)).Run(ctx, left, onto, committer, nil)
	require.NoError(t, err)
	left = left.Answer(first.Steps[0].PathConflicts[0].Questions()[0].Give(mend.Take(mend.Left)))
	first, err = replay.New(f.Open(t)).Run(ctx, left, onto, committer, nil)
	require.NoError(t, err)
	assert.Equal(t, replay.Empty, first.Steps[0].Result)
	assert.Equal(t, "the answers to its conflicts leave nothing of it", first.Steps[0].Reason)
}

func contentAt(t *testing.T, engine *replay.Engine, tree repo.ID, path string) string {
	entry, err := engine.Objects().Find(ctx, tree, path)
	require.NoError(t, err)
	data, err := engine.Objects().Blob(ctx, entry.ID)
	require.NoError(t, err)
	return string(data)
}

// TestMergeEntries: another branch is merged as an entry, with answers as any other.
func TestMergeEntries(t *testing.T) {
	f, plan, onto := story(t)
	engine := replay.New(f.Open(t))
	plan = plan.Insert(len(plan.Next), onto)
	last := len(plan.Next) - 1
	plan.Next[last].Merge, plan.Next[last].Message = true, "Merge main\n"
	require.NoError(t, plan.Check())
	result, err := engine.Run(ctx, plan, plan.Base, committer, nil)
	require.NoError(t, err)
	require.Equal(t, replay.Conflict, result.Steps[last].Result)
	var paths []string
	for _, met := range result.Steps[last].PathConflicts {
		paths = append(paths, met.Path)
		plan = plan.Answer(met.Questions()[0].Give(mend.Take(mend.Left)))
	}
	assert.Equal(t, []string{"depth", "old"}, paths, "the same change on both sides is none")
	result, err = engine.Run(ctx, plan, plan.Base, committer, nil)
	require.NoError(t, err)
	require.NoError(t, result.Store(ctx))
	assert.Equal(t, plan.Tip.String()+" "+onto.String(), f.Git("log", "-1", "--format=%P", result.Tip.String()),
		"commits before it stay as they are")
	assert.Equal(t, "8 m", f.Git("show", result.Tip.String()+":depth"))
}

// TestJoinedInTheOrderOfHistory: sources of the branch are applied as its history has them,
// in whatever order an entry lists them: else a later commit takes an earlier one along, whose
// own change then finds nothing to do, and is lost.
func TestJoinedInTheOrderOfHistory(t *testing.T) {
	h := write(t, fixture.New(t).Open(t), []map[string]string{
		{"gone": "x\n", "file": "1\n", "other": "1\n", "a": "1\n"},
		{"gone": "x\n", "file": "1\n", "other": "1\n", "a": "A\n"},
		{"file": "B\n", "other": "1\n", "a": "A\n"},
		{"file": "B\n", "other": "C\n", "a": "A\n"},
	})
	a, b, c := h.sources[0], h.sources[1], h.sources[2]
	for _, from := range [][]repo.ID{{c, b}, {b, c}} {
		plan := h.plan()
		plan.Next = []shape.Entry{{From: from}, {From: []repo.ID{a}}}
		f, err := replay.New(h.repo).Run(ctx, plan, h.base, committer, nil)
		require.NoError(t, err)
		assert.Zero(t, f.Conflicts())
		assert.True(t, f.SameContent)
		assert.Equal(t, fmt.Sprintf("commit %d", map[repo.ID]int{b: 2, c: 3}[from[0]]), f.Steps[0].Title,
			"the first one listed gives the message")
	}
	rapid.Check(t, func(t *rapid.T) { // any grouping that leaves everything in place
		plan := h.plan()
		from := rapid.Permutation(h.sources).Draw(t, "from")
		plan.Next = []shape.Entry{{From: from}}
		f, err := replay.New(h.repo).Run(ctx, plan, h.base, committer, nil)
		require.NoError(t, err)
		assert.True(t, f.SameContent)
	})
}
