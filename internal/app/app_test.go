package app_test

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
	"bastel/internal/tray"
	"bastel/test/fixture"
)

var ctx = context.Background()

func open(t *testing.T, dir string) *app.App {
	t.Helper()
	a, _, err := app.Open(ctx, dir)
	require.NoError(t, err)
	t.Cleanup(func() { a.Close() })
	return a
}

// branch is a repository on "feature", three commits after main.
func branch(t *testing.T) *fixture.Repo {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n2\n3\n", "kept", "x\n")
	f.Git("switch", "--quiet", "-c", "feature")
	f.Commit("one", "new", "n\n")
	f.Commit("two", "a", "1\n2\n3\n4\n")
	f.Commit("three", "new", "n\nm\n")
	return f
}

func refusal(t *testing.T, err error) string {
	t.Helper()
	var refusal *app.Refusal
	require.ErrorAs(t, err, &refusal)
	return refusal.Reason
}

func TestTargetsAndSentences(t *testing.T) {
	f := branch(t)
	a := open(t, f.Dir)
	s, err := a.Situation(ctx)
	require.NoError(t, err)
	assert.Equal(t, "work is on feature, 3 commits ahead of main.", s.Sentence())
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main", "main:develop", "feature~1:refs/heads/feature")
	remote.Git("symbolic-ref", "HEAD", "refs/heads/develop")
	f.Git("fetch", "--quiet")
	f.Git("remote", "set-head", "origin", "--auto")
	f.Git("branch", "--quiet", "--set-upstream-to=origin/feature")
	f.Write("a", "loose\n")
	f.Write("staged", "s\n")
	f.Git("add", "staged")
	a = open(t, f.Dir)
	s, err = a.Situation(ctx)
	require.NoError(t, err)
	assert.Equal(t, "origin/develop", s.Target.Name, "the remote's default branch")
	assert.Equal(t, "work is on feature, 3 commits ahead of origin/develop. 1 not on origin/feature yet. Loose: 1 file, staged: 1.", s.Sentence())
	target, err := a.FindTarget(ctx, "main")
	require.NoError(t, err)
	assert.Equal(t, "origin/develop", target.Name)
}

func TestRangeOfABranchWithoutTarget(t *testing.T) {
	f := fixture.New(t)
	for i := range 103 {
		f.Commit(strings.Repeat("x", i+1))
	}
	a := open(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 100)
	f.Git("switch", "--quiet", "-c", "side", "HEAD~3")
	f.Commit("side")
	f.Git("switch", "--quiet", "main")
	f.Git("merge", "--quiet", "--no-ff", "-m", "merge", "side")
	f.Commit("after")
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 1, "back to the last merge")
}

func TestAShallowCloneBeginsAtItsEdge(t *testing.T) {
	f := branch(t)
	f.Git("clone", "--quiet", "--depth", "2", "--branch", "feature", "file://"+f.Dir, f.Dir+"/shallow")
	s := fixture.Existing(t, f.Dir+"/shallow")
	s.Git("remote", "remove", "origin")
	a := open(t, s.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 1, "the edge itself cannot be rewritten")
	_, err = a.Apply(ctx, plan.Reword(0, "other\n"), app.OwnOnly, nil)
	require.NoError(t, err)
	plan.Base, plan.Sources = repo.ID{}, append([]repo.ID{plan.Base}, plan.Sources...)
	_, err = a.Survey(ctx, plan)
	require.ErrorIs(t, err, repo.ErrMissingObject)
	assert.Contains(t, app.Explain(err), "git fetch --unshallow")
}

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
	a := open(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 2)
	require.Len(t, plan.Extra, 1, "what was settled by hand is a commit of its own")
	settled := f.Git("log", "-1", "--format=%B", plan.Extra[0].String())
	assert.Contains(t, settled, "Resolve conflicts in \"merge main\"")
	assert.Contains(t, settled, "Resolved by hand:\na")
	forecast, err := a.Forecast(ctx, plan, nil)
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
	result, err := a.Apply(ctx, plan, app.OwnOnly, nil)
	require.NoError(t, err)
	assert.True(t, result.SameContent)
	assert.Equal(t, "one\ntwo", f.Git("log", "--reverse", "--format=%s", "main.."))
	assert.Empty(t, f.Git("rev-list", "--merges", "main.."))
}

func TestTheForkPointOfARewrittenTarget(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base")
	f.Commit("taken back later", "x", "x\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("mine", "y", "y\n")
	f.Git("branch", "--force", "main", "main~1")
	a := open(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 1, "what was the target's once is not the branch's")
	f.Git("branch", "ahead", "topic")
	_, err = a.Forecast(ctx, func() shape.Plan { p := plan; p.Onto = "ahead"; return p }(), nil)
	assert.Contains(t, refusal(t, err), "cannot go onto its own commits")
	f.Git("switch", "--quiet", "ahead")
	f.Commit("more")
	f.Git("switch", "--quiet", "topic")
	_, err = a.Forecast(ctx, func() shape.Plan { p := plan; p.Onto = "ahead"; return p }(), nil)
	assert.Contains(t, refusal(t, err), "has all of topic already")
}

func TestABranchElsewhereIsRewrittenWithoutSwitching(t *testing.T) {
	f := branch(t)
	f.Git("switch", "--quiet", "main")
	f.Write("a", "loose\n")
	a := open(t, f.Dir)
	plan, err := a.NewPlanOf(ctx, "feature", "", "")
	require.NoError(t, err)
	before := f.Git("rev-parse", "feature")
	result, err := a.Apply(ctx, plan.Join(0, 2), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.Equal(t, 2, result.Commits)
	assert.Equal(t, "main", f.Git("branch", "--show-current"))
	assert.Equal(t, "loose\n", f.Read("a"))
	assert.Equal(t, "one\ntwo", f.Git("log", "--reverse", "--format=%s", "main..feature"))
	_, err = a.Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, before, f.Git("rev-parse", "feature"))
	f.Git("worktree", "add", "--quiet", t.TempDir()+"/other", "feature")
	_, err = a.Apply(ctx, plan.Join(0, 2), app.OwnOnly, nil)
	assert.Contains(t, refusal(t, err), "is checked out in")
	_, err = a.NewPlanOf(ctx, "nowhere", "", "")
	assert.Contains(t, refusal(t, err), "no branch nowhere")
}

func TestTheRootCommitCanBeRewritten(t *testing.T) {
	f := fixture.New(t)
	f.Commit("first", "a", "1\n")
	f.Commit("second", "b", "2\n")
	a := open(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	require.True(t, plan.Base.IsZero())
	result, err := a.Apply(ctx, plan.Move(1, 0), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.True(t, result.SameContent)
	assert.Equal(t, "first\nsecond", f.Git("log", "--format=%s"))
	_, err = a.Apply(ctx, plan, app.OwnOnly, nil)
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
			f := branch(t)
			a := open(t, f.Dir)
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			test.prepare(f)
			head, status := f.Git("rev-parse", "HEAD"), f.Git("status", "--porcelain")
			_, err = a.Apply(ctx, plan.LeaveOut(1), app.OwnOnly, nil)
			assert.Contains(t, refusal(t, err), test.want)
			assert.Equal(t, head, f.Git("rev-parse", "HEAD"))
			assert.Equal(t, status, f.Git("status", "--porcelain"))
			assert.NoFileExists(t, filepath.Join(f.Dir, ".git", "bastel", "unfinished.json"))
		})
	}
}

// TestUntrackedFilesAreNeverOverwritten: undoing brings a file back whose place
// somebody has taken, ignored or not.
func TestUntrackedFilesAreNeverOverwritten(t *testing.T) {
	for _, ignore := range []string{"", "new\n"} {
		f := branch(t)
		f.Write(".git/info/exclude", ignore)
		a := open(t, f.Dir)
		plan, err := a.NewPlan(ctx, "", "")
		require.NoError(t, err)
		_, err = a.Apply(ctx, plan.LeaveOut(2).LeaveOut(0), app.OwnOnly, nil)
		require.NoError(t, err)
		assert.NoFileExists(t, filepath.Join(f.Dir, "new"))
		f.Write("new", "somebody's work\n")
		_, err = a.Undo(ctx)
		assert.Contains(t, refusal(t, err), "new")
		assert.Equal(t, "somebody's work\n", f.Read("new"))
		assert.Equal(t, "two", f.Git("log", "-1", "--format=%s"))
	}
}

func TestApplyInALinkedWorktreeAndWithASubmodule(t *testing.T) {
	f := branch(t)
	linked := filepath.Join(t.TempDir(), "linked")
	f.Git("switch", "--quiet", "main")
	f.Git("worktree", "add", "--quiet", linked, "feature")
	w := fixture.Existing(t, linked)
	w.Git("-c", "protocol.file.allow=always", "submodule", "--quiet", "add", f.Dir, "sub")
	w.Commit("with a submodule")
	w.Write("sub/a", "loose in the submodule\n")
	w.Write("kept", "loose\n")
	a := open(t, linked)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	result, err := a.Apply(ctx, plan.LeaveOut(1).Move(2, 0), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.Equal(t, 3, result.Commits)
	assert.Equal(t, "three\none\nwith a submodule\nbase", w.Git("log", "--format=%s"))
	assert.Equal(t, "loose in the submodule\n", w.Read("sub/a"))
	assert.Equal(t, "1\n2\n3\n", w.Read("a"))
	_, err = a.Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "1\n2\n3\n4\n", w.Read("a"))
	main := open(t, f.Dir)
	_, err = main.Undo(ctx)
	assert.Contains(t, refusal(t, err), "nothing to undo", "each working tree has its own steps")
}

func TestPostRewriteHears(t *testing.T) {
	f := branch(t)
	f.Hook("post-rewrite", "echo $1 >heard; cat >>heard\n")
	old := strings.Fields(f.Git("rev-list", "--reverse", "main..feature"))
	a := open(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = a.Apply(ctx, plan.Join(1, 2), app.OwnOnly, nil)
	require.NoError(t, err)
	head := f.Git("rev-parse", "HEAD")
	assert.Equal(t, "rebase\n"+old[1]+" "+head+"\n"+old[2]+" "+head+"\n", f.Read("heard"))
	f.Hook("post-rewrite", "echo grumble; exit 1\n")
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	result, err := a.Apply(ctx, plan.Reword(0, "other"), app.OwnOnly, nil)
	require.NoError(t, err, "the rewriting is done")
	assert.Contains(t, result.Warning, "grumble")
}

func TestDraftsAreKept(t *testing.T) {
	f := branch(t)
	a := open(t, f.Dir)
	require.NoError(t, a.KeepMessage(ctx, tray.A, "half a\nmessage"))
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	draft := plan.Join(0, 2).Reword(0, "both").LeaveOut(1)
	require.NoError(t, a.KeepPlan(ctx, draft))
	again := open(t, f.Dir)
	message, err := again.Message(ctx, tray.A)
	require.NoError(t, err)
	assert.Equal(t, "half a\nmessage", message)
	got, err := again.DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.True(t, draft.Equal(got.Plan))
	f.Commit("grown")
	got, err = again.DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.Len(t, got.Plan.Next, len(draft.Next)+1, "what came to the branch since is at the draft's end")
	assert.Contains(t, got.Note, "grown")
	require.NoError(t, got.Plan.Check())
	branch := plan.Branch
	f.Git("switch", "--quiet", "main")
	got, err = again.DraftPlan(ctx, branch)
	require.NoError(t, err)
	assert.Len(t, got.Plan.Next, len(draft.Next)+1, "a draft is there from another branch too")
	f.Git("switch", "--quiet", branch)
	f.Git("reset", "--quiet", "--hard", "HEAD~2")
	got, err = again.DraftPlan(ctx, "")
	require.NoError(t, err)
	require.NoError(t, got.Plan.Check())
	assert.Contains(t, got.Note, "Not there any more: three", "what fits is carried over, and what does not is named")
	f.Git("commit", "--quiet", "--amend", "-m", "all new")
	f.Commit("other", "a", "another\n")
	f.Git("reset", "--quiet", "--hard", "main")
	f.Commit("nothing of it", "z", "z\n")
	got, err = again.DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.False(t, got.Plan.Changes())
	assert.Contains(t, got.Note, "It is kept in ")
	require.NoError(t, again.KeepMessage(ctx, tray.A, ""))
	assert.Empty(t, f.Git("for-each-ref", tray.Ref(again.Repo)), "nothing is left to keep")
}

func TestSendSeriesFollowsTheJournal(t *testing.T) {
	f := branch(t)
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main", "feature")
	f.Git("fetch", "--quiet")
	a := open(t, f.Dir)
	for _, edit := range []int{0, 1} {
		plan, err := a.NewPlan(ctx, "", "")
		require.NoError(t, err)
		if edit == 0 {
			plan = plan.Join(0, 2)
		} else {
			plan = plan.Reword(1, "two, reworded")
		}
		_, err = a.Apply(ctx, plan, app.OwnOnly, nil)
		require.NoError(t, err)
	}
	s, err := a.SendSeries(ctx, "", false)
	require.NoError(t, err)
	require.Len(t, s.Now, 3)
	require.Len(t, s.Next, 2)
	assert.Equal(t, []send.Pairing{{Old: s.Now[0].ID, New: s.Next[0].ID, Relation: send.Joined}, {Old: s.Now[1].ID, New: s.Next[1].ID, Relation: send.Reworded},
		{Old: s.Now[2].ID, New: s.Next[0].ID, Relation: send.Joined}}, s.Pairs)
	assert.NoError(t, s.Verdict(send.Consent{}))
}

func TestCleanMessage(t *testing.T) {
	for text, want := range map[string]string{
		"": "", " \n\t\n": "", "a": "a\n", "\n\na  \n\n\n\nb\n\n": "a\n\nb\n", "a\r\nb": "a\nb\n", "# kept": "# kept\n",
	} {
		assert.Equal(t, want, app.CleanMessage(text))
	}
}

func TestACommitIsWhatWasSeen(t *testing.T) {
	f := branch(t)
	a := open(t, f.Dir)
	f.Write("a", "changed\n")
	_, err := a.Stage(ctx, []string{"a"})
	require.NoError(t, err)
	s, err := a.Situation(ctx)
	require.NoError(t, err)
	board, err := a.Board(ctx, s.Changes, tray.Plain)
	require.NoError(t, err)
	f.Write("b", "another tool\n")
	f.Git("add", "b")
	_, err = a.Commit(ctx, "seen", tray.IDs(board.Files(tray.A)))
	assert.ErrorIs(t, err, repo.ErrMoved)
	f.Git("reset", "--quiet", "b")
	_, err = a.Commit(ctx, "seen", tray.IDs(board.Files(tray.A)))
	require.NoError(t, err)
	assert.Equal(t, "a", f.Git("show", "--format=", "--name-only"))
}
