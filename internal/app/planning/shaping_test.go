package planning_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/app/resolving"
	"bastel/internal/app/sorting"
	"bastel/internal/draw"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// divided is the plan of a branch with its second commit, "two", in parts: first the
// lines picked, then the rest.
func divided(t *testing.T, a *app.App, selected func(tray.Listing) []tray.Selection) shape.Plan {
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	id := plan.Sources[1]
	desk, err := planning.Of(a).PartsOf(ctx, id)
	require.NoError(t, err)
	require.NoError(t, desk.Move(tray.Loose, tray.A, selected(desk.Listing())))
	parts, messages, err := planning.Of(a).SplitCommit(ctx, id, desk)
	require.NoError(t, err)
	return plan.Divide(1, parts, messages)
}

func threeCommits(t *testing.T) (*fixture.Repo, *app.App) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n2\n3\n4\n5\n6\n7\n8\n9\n", "b", "b\n")
	f.Git("switch", "--quiet", "-c", "feature")
	f.Commit("one", "c", "c\n")
	f.Commit("two", "a", "one\n2\n3\n4\n5\n6\n7\n8\nnine\n", "b", "B\n")
	f.Commit("three", "c", "c\nd\n")
	return f, opened.App(t, f.Dir)
}

func TestASplitCommitGoesItsOwnWays(t *testing.T) {
	f, a := threeCommits(t)
	plan := divided(t, a, func(b tray.Listing) []tray.Selection {
		return []tray.Selection{{Hunk: b.Loose[0].Hunks[0].ID}, {Path: "b"}}
	})
	require.NoError(t, plan.Check())
	text, err := plan.File(func(repo.ID) string { return "" }).Encode()
	require.NoError(t, err)
	again, err := planning.Of(a).ReadPlan(ctx, text)
	require.NoError(t, err)
	assert.True(t, plan.Equal(again), "a plan with parts comes back from its file")

	// The last part goes to the front, the first one joins "three".
	moved := again.Move(2, 0).Join(2, 3)
	applied := opened.Apply(t, a, moved)
	assert.True(t, applied.SameContent)
	assert.Equal(t, "two, part 2\none\ntwo", f.Git("log", "--reverse", "--format=%s", "main.."))
	assert.Equal(t, "-9\n+nine", strings.Join(strings.Split(f.Git("show", "--format=", "--unified=0", "feature~2"), "\n")[5:], "\n"))
	relations := map[string]int{}
	for _, fate := range applied.Became {
		relations[fate.Relation]++
	}
	assert.Equal(t, map[string]int{"moved": 1, "split": 1, "joined": 1}, relations)
	picture, err := planning.Of(a).LastSeam(ctx)
	require.NoError(t, err)
	assert.Len(t, picture.Threads, 4, "one for each source, two for the one that was split")
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)

	// Parts that do not add up are refused, and so is one that is left out by mistake.
	file, err := shape.Decode(text)
	require.NoError(t, err)
	short := file
	short.Next = short.Next[:3]
	broken, err := short.Encode()
	require.NoError(t, err)
	_, err = planning.Of(a).ReadPlan(ctx, broken)
	assert.ErrorIs(t, err, shape.ErrBadPlan)
	wrong, err := shape.Decode(text)
	require.NoError(t, err)
	wrong.Split[0].Parts[1] = plan.Sources[2]
	wrong.Next[2].From[0] = plan.Sources[2]
	broken, err = wrong.Encode()
	require.NoError(t, err)
	_, err = planning.Of(a).ReadPlan(ctx, broken)
	assert.ErrorIs(t, err, shape.ErrBadPlan)
}

func TestExtrasAuthorsAndContent(t *testing.T) {
	f, a := threeCommits(t)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	empty, err := planning.Of(a).EmptyCommit(ctx, plan.Tip, "Begin here")
	require.NoError(t, err)
	plan = plan.Insert(0, empty).Sign(1, "Mira Lund <mira@lanternquay.example>", "1700000000 +0100")
	forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
	require.NoError(t, err)
	dir := t.TempDir()
	scratch, err := planning.Of(a).LayOut(ctx, forecast, 1, dir)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "c"), []byte("changed\n"), 0o666))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "new"), []byte("n\n"), 0o666))
	change, err := planning.Of(a).TakeBack(ctx, scratch)
	require.NoError(t, err)
	plan = plan.Amend(1, change).LeaveOut(3)
	require.NoError(t, planning.Of(a).KeepPlan(ctx, plan))
	f.Git("gc", "--quiet", "--prune=now")
	draft, err := planning.Of(a).DraftPlan(ctx, "")
	require.NoError(t, err)
	require.True(t, plan.Equal(draft.Plan), "the commits made for a draft are kept")
	opened.Apply(t, a, draft.Plan)
	assert.Equal(t, "Begin here\none\ntwo", f.Git("log", "--reverse", "--format=%s", "main.."))
	assert.Equal(t, "Mira Lund, 1700000000", f.Git("log", "-1", "--format=%an, %at", "feature~1"))
	assert.Equal(t, "changed", f.Git("show", "feature~1:c"))
	assert.Equal(t, "n", f.Git("show", "feature:new"))
	require.NoError(t, planning.Of(a).ForgetPlan(ctx, plan.Branch))
	left, err := filepath.Glob(filepath.Join(f.Dir, ".git", "BASTEL_PLAN_*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestTheStackAndNotesComeAlong(t *testing.T) {
	f, a := threeCommits(t)
	f.Git("branch", "below", "feature~2")
	f.Git("branch", "middle", "feature~1")
	f.Git("config", "notes.rewriteRef", "refs/notes/*")
	f.Git("notes", "add", "-m", "on one", "feature~2")
	f.Git("notes", "add", "-m", "on two", "feature~1")
	a.Close()
	a = opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	before := f.Git("for-each-ref", "--format=%(refname) %(objectname)", "refs/heads", "refs/notes")
	applied := opened.Apply(t, a, plan.Reword(0, "ONE\n").Join(0, 1))
	assert.Equal(t, 2, applied.Carried)
	assert.Equal(t, "ONE", f.Git("log", "-1", "--format=%s", "below"))
	assert.Equal(t, f.Git("rev-parse", "feature~1"), f.Git("rev-parse", "middle"))
	assert.Equal(t, "on one\n\non two", f.Git("notes", "show", "middle"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, before, f.Git("for-each-ref", "--format=%(refname) %(objectname)", "refs/heads", "refs/notes"))
	_, err = planning.Of(a).Redo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "ONE", f.Git("log", "-1", "--format=%s", "below"))
	// A branch that somebody moved meanwhile stops the step, and nothing moves.
	f.Git("branch", "--force", "below", "main")
	_, err = planning.Of(a).Undo(ctx)
	require.Error(t, err)
	assert.Equal(t, f.Git("rev-parse", "feature~1"), f.Git("rev-parse", "middle"))
}

func TestChecksRunOnEachEntryOnce(t *testing.T) {
	f, a := threeCommits(t)
	log := filepath.Join(t.TempDir(), "log")
	f.Git("config", "bastel.check", "echo run >>"+log+"; grep -q one a || ! test -e c")
	a.Close()
	a = opened.App(t, f.Dir)
	require.NoError(t, a.AllowHere())
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	for range 2 {
		forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
		require.NoError(t, err)
		passed := make([]bool, 3)
		require.NoError(t, planning.Of(a).CheckSteps(ctx, forecast, func(step int, c app.Checked) { passed[step] = c.Passed }))
		assert.Equal(t, []bool{false, true, true}, passed)
	}
	data, err := os.ReadFile(log)
	require.NoError(t, err)
	assert.Equal(t, 3, strings.Count(string(data), "run"), "what was checked is not run again")
}

func TestDrawToRefusesWhatIsThere(t *testing.T) {
	f, a := threeCommits(t)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	name, err := a.DrawTo(ctx, planning.Of(a).DrawingOf(plan.LeaveOut(0), false), "plan.svg")
	require.NoError(t, err)
	assert.Contains(t, f.Read("plan.svg"), "<svg")
	_, err = a.DrawTo(ctx, planning.Of(a).DrawingOf(plan, true), name)
	assert.Contains(t, opened.Refusal(t, err), "is there already")
	_, err = a.DrawTo(ctx, planning.Of(a).DrawingOf(plan, true), "x.png")
	assert.ErrorIs(t, err, draw.ErrFormat)
}

func TestWhatOthersMayBuildOnIsGuarded(t *testing.T) {
	f, a := threeCommits(t)
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "feature", "feature~1:refs/heads/release")
	plan, err := a.NewPlan(ctx, "", "main")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.Reword(1, "other\n"), app.OwnOnly, nil)
	require.ErrorIs(t, err, app.ErrPublished)
	assert.Contains(t, opened.Refusal(t, err), "origin/release has the commit")
	last := plan.Reword(2, "mine alone\n")
	opened.Apply(t, a, last)
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)

	// Folding rewrites too, and takes the stack along.
	f.Git("branch", "below", "feature~1")
	f.Write("a", "one!\n2\n3\n4\n5\n6\n7\n8\nnine\n")
	homes, err := sorting.Of(a).FindHomes(ctx, tray.Loose, nil, tray.Plain)
	require.NoError(t, err)
	move := []sorting.HomeMove{{Fixup: homes.Homes[0].Fixup.Selection(), Home: homes.Homes[0].Commit}}
	_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, move)
	require.ErrorIs(t, err, app.ErrPublished)
	f.Git("update-ref", "-d", "refs/remotes/origin/release")
	_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, move)
	require.NoError(t, err)
	assert.Equal(t, f.Git("rev-parse", "feature~1"), f.Git("rev-parse", "below"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, plan.Sources[1].String(), f.Git("rev-parse", "below"))
	f.Git("checkout", "--quiet", "a")
	f.Git("update-ref", "refs/remotes/origin/release", "feature~1")
	_, err = planning.Of(a).Apply(ctx, plan.Reword(1, "other\n"), app.Published, nil)
	assert.NoError(t, err)
}

// TestSharedBranchesAreUnlockedByName: what a shared branch has on its remote is rewritten
// only where that is said of it; what is new on it is not guarded.
func TestSharedBranchesAreUnlockedByName(t *testing.T) {
	for name, test := range map[string]struct {
		branch, config string
		guarded        bool
	}{
		"the default branch":   {"main", "", true},
		"by its name":          {"release/7", "", true},
		"by a setting":         {"quay/one", "quay/*", true},
		"a setting without it": {"main", "quay/*", false},
		"one's own":            {"topic", "", false},
	} {
		t.Run(name, func(t *testing.T) {
			f := fixture.New(t)
			f.Commit("base", "a", "1\n")
			f.Git("switch", "--quiet", "-C", test.branch)
			f.Commit("there", "b", "1\n")
			f.Remote(t)
			f.Git("push", "--quiet", "--set-upstream", "origin", test.branch)
			if test.config != "" {
				f.Git("config", "bastel.shared", test.config)
			}
			f.Commit("new", "c", "1\n")
			a := opened.App(t, f.Dir)
			plan, err := a.NewPlan(ctx, "", f.Git("rev-parse", "HEAD~2"))
			require.NoError(t, err)
			fresh := plan.Reword(1, "newer\n")
			_, err = planning.Of(a).Apply(ctx, fresh, app.OwnOnly, nil)
			require.NoError(t, err, "what the remote does not have")
			plan, err = a.NewPlan(ctx, "", f.Git("rev-parse", "HEAD~2"))
			require.NoError(t, err)
			for _, consent := range []app.Consent{app.OwnOnly, app.Published} {
				if !test.guarded {
					break
				}
				_, err = planning.Of(a).Apply(ctx, plan.Reword(0, "other\n"), consent, nil)
				require.ErrorIs(t, err, app.ErrSharedBranch)
				assert.Contains(t, opened.Refusal(t, err), "can only be sent under another name; and whoever builds on it would get it twice")
			}
			consent := app.OwnOnly
			if test.guarded {
				consent = app.Unlocked
			}
			_, err = planning.Of(a).Apply(ctx, plan.Reword(0, "other\n"), consent, nil)
			require.NoError(t, err)
			assert.Equal(t, "newer\nother", f.Git("log", "-2", "--format=%s"))
			compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
			require.NoError(t, err)
			assert.Equal(t, test.guarded, compared.Verdict(send.Consent{}) != nil, "a push with force is another matter")
		})
	}
}

// TestAnotherContentIsAskedAbout: a plan that leaves nothing out, has no answers, and yet
// ends in another content is applied only when that is confirmed.
func TestAnotherContentIsAskedAbout(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Git("switch", "--quiet", "-c", "feature")
	f.Commit("on", "a", "2\n")
	f.Commit("off", "a", "1\n")
	f.Commit("on again", "a", "2\n")
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	moved := plan.Move(2, 0) // then "on" finds nothing to do, and "off" has the last word
	forecast, err := planning.Of(a).Forecast(ctx, moved, nil)
	require.NoError(t, err)
	assert.Zero(t, forecast.Conflicts())
	assert.False(t, forecast.SameContent)
	_, err = planning.Of(a).Apply(ctx, moved, app.Unlocked, nil)
	assert.ErrorIs(t, err, app.ErrNewContent)
	assert.Equal(t, plan.Tip.String(), f.Git("rev-parse", "feature"))
	_, err = planning.Of(a).Apply(ctx, moved, app.NewContent, nil)
	require.NoError(t, err)
	assert.Equal(t, "1\n", f.Read("a"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(2), app.OwnOnly, nil)
	assert.NoError(t, err, "what was left out by name may change the content")
}

// TestHistoriesThatCrossedAreMerged: their common ancestors are merged first, so that what a
// merge settled on purpose stays.
func TestHistoriesThatCrossedAreMerged(t *testing.T) {
	f := opened.Feature(t)
	f.Git("switch", "--quiet", "-c", "other", "main")
	f.Commit("theirs", "a", "1\ntheirs\n3\n")
	f.Git("branch", "met")
	f.Git("switch", "--quiet", "-c", "top", "main")
	f.Commit("mine", "a", "1\nmine\n3\n")
	f.Git("branch", "mine")
	settle := func(branch, with string) { // both settle on "mine"
		f.Git("switch", "--quiet", branch)
		f.Git("merge", "--quiet", "--no-commit", "-s", "ours", with)
		f.Write("a", "1\nmine\n3\n")
		f.Git("commit", "--quiet", "-am", "settled")
	}
	settle("other", "mine")
	settle("top", "met")
	f.Commit("more", "kept", "mine\n")
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", f.Git("rev-parse", "top~1"))
	require.NoError(t, err)
	plan, err = resolving.Of(a).WithMerge(ctx, plan, "other")
	require.NoError(t, err)
	opened.Apply(t, a, plan)
	assert.Equal(t, f.Git("merge-tree", "--write-tree", "top@{1}", "other"), f.Git("rev-parse", "HEAD^{tree}"))
	assert.Equal(t, "1\nmine\n3\n", f.Read("a"))
}

// TestRulesOfMerging: drivers of the user's configuration, and what becomes of files in renamed folders.
func TestRulesOfMerging(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "list", "1\n2\n", "d/one", "1\n2\n3\n", ".gitattributes", "list merge=sorted\n")
	f.Git("switch", "--quiet", "-c", "feature")
	f.Commit("mine", "list", "1\nmine\n2\n", "d/new", "n\n")
	f.Git("switch", "--quiet", "main")
	f.Commit("theirs", "list", "1\ntheirs\n2\n")
	f.Git("mv", "d", "e")
	f.Git("commit", "--quiet", "-m", "renamed")
	f.Git("switch", "--quiet", "feature")
	for _, test := range []struct{ driver, folders, list, paths string }{
		{"", "", "a conflict", ""},
		{"sort -u -o %A %A %O %B", "", "1\n2\nmine\ntheirs", "e/new"},
		{"sort -u -o %A %A %O %B; test %P = list && test %L = 7", "true", "1\n2\nmine\ntheirs", "e/new"},
		{"sort -u -o %A %A %O %B", "false", "1\n2\nmine\ntheirs", "d/new"},
		{"sort -u -o %A %A %O %B", "conflict", "a conflict", ""},
		{"false", "", "a conflict", ""},
		{"kill -9 $$", "", "a conflict", ""},
		{"surely-not-there %A", "", "a conflict", ""},
	} {
		f.Git("config", "merge.sorted.driver", test.driver)
		f.Git("config", "merge.directoryRenames", test.folders)
		a := opened.App(t, f.Dir)
		plan, err := a.NewPlan(ctx, "main", "")
		require.NoError(t, err)
		forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
		require.NoError(t, err)
		if forecast.Conflicts() > 0 {
			assert.Equal(t, "a conflict", test.list, test)
			continue
		}
		applied := opened.Apply(t, a, plan)
		assert.Equal(t, test.list, f.Git("show", applied.New.String()+":list"), test)
		assert.Contains(t, f.Git("ls-tree", "-r", "--name-only", applied.New.String()), test.paths, test)
		_, err = planning.Of(a).Undo(ctx)
		require.NoError(t, err)
	}
}
