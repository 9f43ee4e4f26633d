package planning_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

var ctx = context.Background()

func TestMergesBecomeLinear(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n2\n3\n", "b", "1\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("one", "a", "one\n2\n3\n")
	f.Git("switch", "--quiet", "main")
	f.Commit("theirs", "b", "2\n", "a", "uno\n2\n3\n")
	f.Git("switch", "--quiet", "topic")
	_, err := f.Run("merge", "--quiet", "main")
	require.Error(t, err, "it conflicts")
	f.Write("a", "one, uno\n2\n3\n")
	f.Write("hand", "made\n")
	f.Git("add", ".")
	f.Git("commit", "--quiet", "-m", "merge main")
	f.Commit("two", "b", "2\n3\n")
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 2)
	require.Len(t, plan.Extra, 1, "what was settled by hand is a commit of its own")
	settled := f.Git("log", "-1", "--format=%B", plan.Extra[0].String())
	assert.Contains(t, settled, "Resolve conflicts in \"merge main\"")
	assert.Contains(t, settled, "Resolved by hand:\na")
	again, err := planning.Of(a).StartOver(ctx, plan.LeaveOut(1).LeaveOut(0))
	require.NoError(t, err)
	assert.Equal(t, plan, again, "starting over keeps what was settled")
	forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
	require.NoError(t, err)
	assert.Equal(t, replay.Conflict, forecast.Steps[0].Result, "the conflict that the merge settled is there again")

	// A merge that nobody had to settle leaves nothing behind.
	f.Git("reset", "--quiet", "--hard", "topic~2")
	f.Git("switch", "--quiet", "main")
	f.Git("reset", "--quiet", "--hard", "main~1")
	f.Commit("theirs", "b", "2\n")
	f.Git("switch", "--quiet", "topic")
	f.Git("merge", "--quiet", "-m", "merge main", "main")
	f.Commit("two", "b", "2\n3\n")
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Empty(t, plan.Extra)
	result, err := planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
	require.NoError(t, err)
	assert.True(t, result.SameContent)
	assert.Equal(t, "one\ntwo", f.Git("log", "--reverse", "--format=%s", "main.."))
	assert.Empty(t, f.Git("rev-list", "--merges", "main.."))
}

func TestABranchElsewhereIsRewrittenWithoutSwitching(t *testing.T) {
	f := opened.Feature(t)
	f.Git("switch", "--quiet", "main")
	f.Write("a", "loose\n")
	a := opened.App(t, f.Dir)
	plan, err := planning.Of(a).NewPlanOf(ctx, "feature", "", "")
	require.NoError(t, err)
	before := f.Git("rev-parse", "feature")
	result, err := planning.Of(a).Apply(ctx, plan.Join(0, 2), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.Equal(t, 2, result.Commits)
	assert.Equal(t, "main", f.Git("branch", "--show-current"))
	assert.Equal(t, "loose\n", f.Read("a"))
	assert.Equal(t, "one\ntwo", f.Git("log", "--reverse", "--format=%s", "main..feature"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, before, f.Git("rev-parse", "feature"))
	f.Git("worktree", "add", "--quiet", t.TempDir()+"/other", "feature")
	_, err = planning.Of(a).Apply(ctx, plan.Join(0, 2), app.OwnOnly, nil)
	assert.Contains(t, opened.Refusal(t, err), "is checked out in")
	_, err = planning.Of(a).NewPlanOf(ctx, "nowhere", "", "")
	assert.Contains(t, opened.Refusal(t, err), "no branch nowhere")
}

func TestTheRootCommitCanBeRewritten(t *testing.T) {
	f := fixture.New(t)
	f.Commit("first", "a", "1\n")
	f.Commit("second", "b", "2\n")
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	require.True(t, plan.Base.IsZero())
	result, err := planning.Of(a).Apply(ctx, plan.Move(1, 0), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.True(t, result.SameContent)
	assert.Equal(t, "first\nsecond", f.Git("log", "--format=%s"))
	_, err = planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
	assert.ErrorIs(t, err, repo.ErrMoved, "the plan is of another time")
}

func TestApplyRefusesWhatIsInTheWay(t *testing.T) {
	for name, test := range map[string]struct {
		prepare func(f *fixture.Repo)
		want    string
	}{
		"loose":     {func(f *fixture.Repo) { f.Write("a", "loose\n") }, "a"},
		"staged":    {func(f *fixture.Repo) { f.Write("a", "1\n2\n3\n4\n5\n"); f.Git("add", "a") }, "a"},
		"deleted":   {func(f *fixture.Repo) { os.Remove(filepath.Join(f.Dir, "a")) }, "a"},
		"unsettled": {func(f *fixture.Repo) { f.Write(".git/CHERRY_PICK_HEAD", "x") }, "cherry-pick"},
	} {
		t.Run(name, func(t *testing.T) {
			f := opened.Feature(t)
			a := opened.App(t, f.Dir)
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			test.prepare(f)
			head, status := f.Git("rev-parse", "HEAD"), f.Git("status", "--porcelain")
			_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(1), app.OwnOnly, nil)
			assert.Contains(t, opened.Refusal(t, err), test.want)
			assert.Equal(t, head, f.Git("rev-parse", "HEAD"))
			assert.Equal(t, status, f.Git("status", "--porcelain"))
			assert.NoFileExists(t, filepath.Join(f.Dir, ".git", "bastel", "unfinished.json"))
		})
	}
}

func TestUntrackedFilesAreNeverOverwritten(t *testing.T) {
	for _, ignore := range []string{"", "new\n"} {
		f := opened.Feature(t)
		f.Write(".git/info/exclude", ignore)
		a := opened.App(t, f.Dir)
		plan, err := a.NewPlan(ctx, "", "")
		require.NoError(t, err)
		_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(2).LeaveOut(0), app.OwnOnly, nil)
		require.NoError(t, err)
		assert.NoFileExists(t, filepath.Join(f.Dir, "new"))
		f.Write("new", "somebody's work\n")
		_, err = planning.Of(a).Undo(ctx)
		assert.Contains(t, opened.Refusal(t, err), "new")
		assert.Equal(t, "somebody's work\n", f.Read("new"))
		assert.Equal(t, "two", f.Git("log", "-1", "--format=%s"))
	}
}

func TestApplyInALinkedWorktreeAndWithASubmodule(t *testing.T) {
	f := opened.Feature(t)
	linked := filepath.Join(t.TempDir(), "linked")
	f.Git("switch", "--quiet", "main")
	f.Git("worktree", "add", "--quiet", linked, "feature")
	w := fixture.Existing(t, linked)
	w.Git("-c", "protocol.file.allow=always", "submodule", "--quiet", "add", f.Dir, "sub")
	w.Commit("with a submodule")
	w.Write("sub/a", "loose in the submodule\n")
	w.Write("kept", "loose\n")
	a := opened.App(t, linked)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	result, err := planning.Of(a).Apply(ctx, plan.LeaveOut(1).Move(2, 0), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.Equal(t, 3, result.Commits)
	assert.Equal(t, "three\none\nwith a submodule\nbase", w.Git("log", "--format=%s"))
	assert.Equal(t, "loose in the submodule\n", w.Read("sub/a"))
	assert.Equal(t, "1\n2\n3\n", w.Read("a"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "1\n2\n3\n4\n", w.Read("a"))
	main := opened.App(t, f.Dir)
	_, err = planning.Of(main).Undo(ctx)
	assert.Contains(t, opened.Refusal(t, err), "nothing to undo", "each working tree has its own steps")
}

func TestPostRewriteHears(t *testing.T) {
	f := opened.Feature(t)
	f.Hook("post-rewrite", "echo $1 >heard; cat >>heard\n")
	old := strings.Fields(f.Git("rev-list", "--reverse", "main..feature"))
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.Join(1, 2), app.OwnOnly, nil)
	require.NoError(t, err)
	head := f.Git("rev-parse", "HEAD")
	assert.Equal(t, "rebase\n"+old[1]+" "+head+"\n"+old[2]+" "+head+"\n", f.Read("heard"))
	f.Hook("post-rewrite", "echo grumble; exit 1\n")
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	result, err := planning.Of(a).Apply(ctx, plan.Reword(0, "other"), app.OwnOnly, nil)
	require.NoError(t, err, "the rewriting is done")
	assert.Contains(t, result.Warning, "grumble")
}

func TestDraftsAreKept(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	require.NoError(t, sorting.Of(a).KeepMessage(ctx, tray.A, "half a\nmessage"))
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	draft := plan.Join(0, 2).Reword(0, "both").LeaveOut(1)
	require.NoError(t, planning.Of(a).KeepPlan(ctx, draft))
	again := opened.App(t, f.Dir)
	message, err := sorting.Of(again).Message(ctx, tray.A)
	require.NoError(t, err)
	assert.Equal(t, "half a\nmessage", message)
	got, err := planning.Of(again).DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.True(t, draft.Equal(got.Plan))
	f.Commit("grown")
	got, err = planning.Of(again).DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.Len(t, got.Plan.Next, len(draft.Next)+1, "what came to the branch since is at the draft's end")
	assert.Contains(t, got.Note, "grown")
	require.NoError(t, got.Plan.Check())
	branch := plan.Branch
	f.Git("switch", "--quiet", "main")
	got, err = planning.Of(again).DraftPlan(ctx, branch)
	require.NoError(t, err)
	assert.Len(t, got.Plan.Next, len(draft.Next)+1, "a draft is there from another branch too")
	f.Git("switch", "--quiet", branch)
	f.Git("reset", "--quiet", "--hard", "HEAD~2")
	got, err = planning.Of(again).DraftPlan(ctx, "")
	require.NoError(t, err)
	require.NoError(t, got.Plan.Check())
	assert.Contains(t, got.Note, "Not there any more: three", "what fits is carried over, and what does not is named")
	f.Git("commit", "--quiet", "--amend", "-m", "all new")
	f.Commit("other", "a", "another\n")
	f.Git("reset", "--quiet", "--hard", "main")
	f.Commit("nothing of it", "z", "z\n")
	got, err = planning.Of(again).DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.False(t, got.Plan.Changes())
	assert.Contains(t, got.Note, "It is kept in ")
	require.NoError(t, sorting.Of(again).KeepMessage(ctx, tray.A, ""))
	assert.Empty(t, f.Git("for-each-ref", tray.Ref(again.Repo)), "nothing is left to keep")
}
