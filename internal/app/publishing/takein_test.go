package publishing_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// exchange is a branch that was sent, and a colleague's clone of it.
func exchange(t *testing.T) (f, remote, mira *fixture.Repo) {
	f = opened.Feature(t)
	remote = f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("push", "--quiet", "--set-upstream", "origin", "feature")
	mira = fixture.Existing(t, t.TempDir()).ByMira()
	mira.Git("clone", "--quiet", "--branch", "feature", remote.Dir, ".")
	return f, remote, mira
}

// TestTakingIn: whatever a colleague did there, the advice leads to a push in which nothing
// of anybody gets lost; where the remote's line can stay it only adds.
func TestTakingIn(t *testing.T) {
	force := func(mira *fixture.Repo) { mira.Git("push", "--quiet", "--force", "origin", "HEAD:feature") }
	for name, test := range map[string]struct {
		theirs  func(mira *fixture.Repo)
		mine    func(t *testing.T, f *fixture.Repo)
		forward bool   // the push only adds
		want    string // subjects at the end, oldest first, beyond the target
	}{
		"a commit in between": {func(mira *fixture.Repo) { mira.Commit("From Mira", "mira", "m\n"); force(mira) },
			func(_ *testing.T, f *fixture.Repo) { f.Commit("mine", "mine", "1\n") }, true, "one two three From Mira mine"},
		"a commit in between, and mine rewritten": {func(mira *fixture.Repo) { mira.Commit("From Mira", "mira", "m\n"); force(mira) },
			func(_ *testing.T, f *fixture.Repo) { f.Git("commit", "--quiet", "--amend", "-m", "three, better") }, false,
			"one two three, better From Mira"},
		"they rewrote it": {func(mira *fixture.Repo) { mira.Git("commit", "--quiet", "--amend", "-m", "three by Mira"); force(mira) },
			func(_ *testing.T, f *fixture.Repo) { f.Commit("mine", "mine", "1\n") }, true, "one two three by Mira mine"},
		"they rewrote it, and nothing is new here": {func(mira *fixture.Repo) {
			mira.Git("commit", "--quiet", "--amend", "-m",
				"three by Mira")
			force(mira)
		},
			func(*testing.T, *fixture.Repo) {}, true, "one two three by Mira"},
		"they dropped one of mine": {func(mira *fixture.Repo) {
			mira.Git("reset", "--quiet", "--hard", "HEAD~1")
			mira.Commit("From Mira", "mira", "m\n")
			force(mira)
		}, func(_ *testing.T, f *fixture.Repo) { f.Commit("mine", "mine", "1\n") }, true, "one two From Mira three mine"},
	} {
		t.Run(name, func(t *testing.T) {
			f, remote, mira := exchange(t)
			a := opened.App(t, f.Dir)
			test.theirs(mira)
			test.mine(t, f)
			_, err := publishing.Of(a).Fetch(ctx, nil)
			require.NoError(t, err)
			c, err := publishing.Of(a).CompareRemote(ctx, "", true)
			require.NoError(t, err)
			var refusal *send.Refusal
			if c.UpToDate() {
				return
			}
			if len(c.Replaces) > 0 {
				require.ErrorAs(t, c.Verdict(send.Consent{}), &refusal)
			}
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			plan, _, err = publishing.Of(a).TakeIn(ctx, plan, nil)
			require.NoError(t, err)
			_, err = planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
			require.NoError(t, err)
			assert.Equal(t, test.want, strings.Join(strings.Split(f.Git("log", "--reverse", "--format=%s", "main..feature"), "\n"), " "))
			c, err = publishing.Of(a).CompareRemote(ctx, "", true)
			require.NoError(t, err)
			require.NoError(t, c.Verdict(send.Consent{}), "the advice does not lead in a circle")
			assert.Equal(t, test.forward, len(c.Replaces) == 0)
			_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: c}, nil)
			require.NoError(t, err)
			assert.Equal(t, f.Git("rev-parse", "feature"), remote.Git("rev-parse", "feature"))
		})
	}
}

// TestOnASharedBranchTheAdviceIsNoRefusal: what was rewritten of what everybody builds on goes on
// top of it.
func TestOnASharedBranchTheAdviceIsNoRefusal(t *testing.T) {
	f, remote, _ := exchange(t)
	f.Git("switch", "--quiet", "main")
	f.Commit("sent", "sent", "1\n")
	f.Git("push", "--quiet", "origin", "main")
	sent := remote.Git("rev-parse", "main")
	f.Write("sent", "2\n")
	f.Git("commit", "--quiet", "--all", "--amend", "-m", "sent, better")
	f.Commit("more", "more", "1\n")
	a := opened.App(t, f.Dir)
	c, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	require.ErrorContains(t, c.Verdict(send.Consent{}), "main is shared")
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	plan, _, err = publishing.Of(a).TakeIn(ctx, plan, nil)
	require.NoError(t, err)
	forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
	require.NoError(t, err)
	if forecast.Conflicts() > 0 { // both changed one file: mended, or left out
		plan = plan.LeaveOut(0)
	}
	_, err = planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
	require.NoError(t, err)
	c, err = publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	require.NoError(t, c.Verdict(send.Consent{}))
	_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: c}, nil)
	require.NoError(t, err)
	assert.Equal(t, sent, f.Git("merge-base", sent, "origin/main"), "what was there stays")
}

// TestOthersAreNamed: what a plan left out of a colleague's is named, goes only by consent to
// exactly that, and can be taken in again.
func TestOthersAreNamed(t *testing.T) {
	f, remote, mira := exchange(t)
	theirs := mira.Commit("From Mira", "mira", "m\n")
	mira.Git("push", "--quiet", "origin", "HEAD:feature")
	a := opened.App(t, f.Dir)
	_, err := publishing.Of(a).Fetch(ctx, nil)
	require.NoError(t, err)
	_, err = planning.Of(a).Forward(ctx)
	require.NoError(t, err)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(len(plan.Next)-1).Reword(0, "one, better\n"), app.Others, nil)
	require.NoError(t, err)
	c, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	var refusal *send.Refusal
	require.ErrorAs(t, c.Verdict(send.Consent{}), &refusal)
	assert.Equal(t, send.RemovesOthers, refusal.Cause)
	assert.Contains(t, refusal.Reason, `"From Mira" of Mira Lund (`+theirs[:7]+`)`)
	assert.Contains(t, refusal.Reason, "--remove "+theirs[:7])
	assert.Equal(t, "3 of yours replaced and 1 of Mira Lund removed", c.Replacing())
	s, err := a.BranchStatus(ctx)
	require.NoError(t, err)
	assert.Contains(t, s.Sentence(), "3 to send in place of 3, 1 of others to take in")
	_, err = publishing.Of(a).Removable(ctx, publishing.Outgoing{Comparison: c}, []string{"HEAD"})
	assert.ErrorContains(t, err, "no commit of somebody else that would go")

	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	again, _, err := publishing.Of(a).TakeIn(ctx, plan, []repo.ID{fixture.ID(t, theirs)})
	require.NoError(t, err)
	assert.Len(t, again.Next, 4, "it can come back")

	consent := send.Consent{}
	consent.Remove, err = publishing.Of(a).Removable(ctx, publishing.Outgoing{Comparison: c}, []string{theirs})
	require.NoError(t, err)
	_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: c, Consent: consent}, nil)
	require.NoError(t, err)
	assert.Equal(t, f.Git("rev-parse", "feature"), remote.Git("rev-parse", "feature"))
}

// TestTheTarget is found by where the work is shared, is kept once chosen, and no push changes it.
func TestTheTarget(t *testing.T) {
	config := func(pairs ...string) func(f *fixture.Repo) {
		return func(f *fixture.Repo) {
			for i := 0; i < len(pairs); i += 2 {
				f.Git("config", pairs[i], pairs[i+1])
			}
		}
	}
	alone := func(f *fixture.Repo) { f.Git("remote", "remove", "origin"); f.Git("remote", "remove", "fork") }
	for name, test := range map[string]struct {
		prepare func(f *fixture.Repo)
		want    string
	}{
		"the remote's":                   {config(), "origin/main"},
		"one's own copy is pushed to":    {config("remote.pushDefault", "fork"), "origin/main"},
		"the clone is of one's own copy": {func(f *fixture.Repo) { f.Git("remote", "rename", "fork", "upstream") }, "upstream/main"},
		"main follows another":           {config("branch.main.remote", "fork"), "fork/main"},
		"the branch follows another": {config("branch.feature.remote", "fork", "branch.feature.merge", "refs/heads/main",
			"branch.feature.pushRemote", "origin"), "fork/main"},
		"chosen":    {config("branch.feature.bastelTarget", "fork/main"), "fork/main"},
		"no remote": {alone, "main"},
		"a local one of another name": {func(f *fixture.Repo) {
			alone(f)
			f.Git("branch", "-m", "main", "trunk")
			f.Git("config", "init.defaultBranch", "trunk")
		}, "trunk"},
	} {
		t.Run(name, func(t *testing.T) {
			f := opened.Feature(t)
			f.Remote(t)
			f.Git("remote", "add", "fork", fixture.At(t, t.TempDir(), "--bare").Dir)
			f.Git("push", "--quiet", "origin", "main")
			f.Git("push", "--quiet", "fork", "main")
			f.Git("fetch", "--quiet", "--all")
			test.prepare(f)
			a := opened.App(t, f.Dir)
			target, err := a.FindTarget(ctx, "feature")
			require.NoError(t, err)
			require.Equal(t, test.want, target.Name)
			c, err := publishing.Of(a).CompareRemote(ctx, "", true)
			if f.Git("remote") == "" {
				require.Error(t, err)
				return
			}
			require.NoError(t, err)
			_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: c}, nil)
			require.NoError(t, err)
			target, err = a.FindTarget(ctx, "feature")
			require.NoError(t, err)
			assert.Equal(t, test.want, target.Name, "a push does not change it")
		})
	}
}

// TestChoosingTheTarget keeps a choice, says where it is not there, and forgets it.
func TestChoosingTheTarget(t *testing.T) {
	f, _, _ := exchange(t)
	a := opened.App(t, f.Dir)
	_, err := a.SetTarget(ctx, "nowhere")
	assert.ErrorContains(t, err, "There is no branch nowhere")
	_, err = a.SetTarget(ctx, "feature")
	assert.ErrorContains(t, err, "cannot land on itself")
	f.Git("branch", "release", "main")
	target, err := a.SetTarget(ctx, "release")
	require.NoError(t, err)
	assert.True(t, target.Kept)
	assert.Equal(t, "release", f.Git("config", "branch.feature.bastelTarget"))
	f.Git("branch", "--quiet", "-D", "release")
	s, err := a.BranchStatus(ctx)
	require.NoError(t, err)
	assert.Contains(t, s.Sentence(), "whose target release is not there")
	_, err = publishing.Of(a).Land(ctx, publishing.Landing{}, nil)
	assert.ErrorContains(t, err, "release")
	target, err = a.SetTarget(ctx, "")
	require.NoError(t, err)
	assert.Equal(t, "origin/main", target.Name)
}

// TestCommitsOfASharedBranchAreNotYours: what any remote's shared branch has is neither
// counted nor listed, and a plan begins after it.
func TestCommitsOfASharedBranchAreNotYours(t *testing.T) {
	f, _, mira := exchange(t)
	mira.Git("switch", "--quiet", "-c", "release/1", "origin/main")
	for _, name := range []string{"r1", "r2", "r3"} {
		mira.Commit(name, name, name)
	}
	mira.Git("push", "--quiet", "origin", "release/1")
	f.Git("fetch", "--quiet")
	f.Git("switch", "--quiet", "--no-track", "-c", "fix", "origin/release/1")
	f.Commit("mine", "mine", "1\n")
	f.Git("push", "--quiet", "origin", "origin/main:refs/heads/fix")
	f.Git("fetch", "--quiet")
	a := opened.App(t, f.Dir)
	s, err := publishing.Of(a).SendSeries(ctx, "", false)
	require.NoError(t, err)
	assert.Equal(t, "1 commit, and 3 that origin/release/1 has already", s.Sending(""))
	assert.Len(t, s.Next, 1)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 1)
	assert.Equal(t, f.Git("rev-parse", "origin/release/1"), plan.Base.String())
	n, on, err := planning.Of(a).Beneath(ctx, plan)
	require.NoError(t, err)
	assert.Equal(t, 3, n)
	assert.Equal(t, "origin/release/1", on)
}

// TestTheBranchAtWork need not be checked out to be shaped, sent and landed.
func TestTheBranchAtWork(t *testing.T) {
	f, remote, _ := exchange(t)
	f.Git("switch", "--quiet", "--no-track", "-c", "other", "main")
	f.Commit("other", "other", "1\n")
	f.Write("other", "loose\n")
	a := opened.App(t, f.Dir)
	assert.ErrorContains(t, a.WorkOn(ctx, "nowhere"), "There is no branch nowhere")
	require.NoError(t, a.WorkOn(ctx, "feature"))
	s, err := a.BranchStatus(ctx)
	require.NoError(t, err)
	assert.Contains(t, s.Sentence(), "On other in work; at work is feature, not checked out, 3 commits ahead of origin/main.")
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.Reword(0, "one, better\n"), app.OwnOnly, nil)
	require.NoError(t, err)
	c, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: c}, nil)
	require.NoError(t, err)
	landed := f.Git("rev-parse", "feature")
	assert.Equal(t, landed, remote.Git("rev-parse", "feature"))
	_, err = publishing.Of(a).Land(ctx, publishing.Landing{Delete: true}, nil)
	require.NoError(t, err)
	assert.Equal(t, landed, remote.Git("rev-parse", "main"))
	assert.Equal(t, landed, f.Git("rev-parse", "main"))
	assert.NotContains(t, f.Git("branch"), "feature")
	assert.NotContains(t, remote.Git("branch"), "feature")
	assert.Equal(t, "other", f.Git("branch", "--show-current"))
	assert.Equal(t, "loose\n", f.Read("other"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, landed, f.Git("rev-parse", "feature"), "undo brings it back")
	assert.Equal(t, "other", f.Git("branch", "--show-current"))
}
