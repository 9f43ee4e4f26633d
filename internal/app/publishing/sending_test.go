package publishing_test

import (
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/series"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestOwnRewritesArePairedExactly: whatever Bastel itself did to a branch, in several
// steps, each commit is paired with what it really became.
func TestOwnRewritesArePairedExactly(t *testing.T) {
	random := rand.New(rand.NewSource(4))
	for range 6 {
		f := fixture.New(t)
		f.Commit("base", "base", "1\n")
		f.Git("switch", "--quiet", "-c", "topic")
		for i := range 7 {
			f.Commit(fmt.Sprint("commit ", i), fmt.Sprint("f", i), "the same text\n")
		}
		a := opened.App(t, f.Dir)
		first, err := a.NewPlan(ctx, "", "")
		require.NoError(t, err)
		became := map[repo.ID]repo.ID{}
		for _, id := range first.Sources {
			became[id] = id
		}
		for range 3 {
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			for range 3 {
				n := len(plan.Next)
				switch at := random.Intn(n); random.Intn(4) {
				case 0:
					plan = plan.Move(at, random.Intn(n))
				case 1:
					if n > 2 && at > 0 {
						plan = plan.Join(at-1, at)
					}
				case 2:
					plan = plan.Reword(at, fmt.Sprint("words ", random.Intn(3), "\n"))
				case 3:
					if n > 3 {
						plan = plan.LeaveOut(at)
					}
				}
			}
			result, err := planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
			require.NoError(t, err)
			for source, now := range became {
				for _, fate := range result.Became {
					if fate.Source == now && len(fate.New) > 0 {
						became[source] = fate.New[0]
					} else if fate.Source == now {
						delete(became, source)
					}
				}
			}
		}
		_, _, pairs, err := publishing.Of(a).CompareSeries(ctx, first.Tip.String(), "topic")
		require.NoError(t, err)
		for _, p := range pairs {
			if p.Relation != series.New {
				assert.Equal(t, became[p.Old], p.New)
			}
		}
	}
}

// TestAColleaguesCommitIsTakenInAndNeverReplaced: a push that came in between is seen, is
// refused to be replaced, comes in as an entry, and then the branch can be sent.
func TestAColleaguesCommitIsTakenInAndNeverReplaced(t *testing.T) {
	f := opened.Feature(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main", "feature")
	f.Git("fetch", "--quiet")
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.Reword(0, "one, reworded"), app.OwnOnly, nil)
	require.NoError(t, err)
	colleague := t.TempDir()
	f.Git("clone", "--quiet", "--branch", "feature", remote.Dir, colleague)
	other := fixture.Existing(t, colleague)
	theirs := other.Commit("From Mira", "mira", "m\n")
	other.Git("push", "--quiet", "origin", "feature")

	compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	assert.ErrorContains(t, compared.Verdict(send.Consent{}), "Somebody pushed")
	fetched, err := publishing.Of(a).Fetch(ctx, nil)
	came := fetched.Arrivals
	require.NoError(t, err)
	require.Len(t, came, 1)
	assert.Equal(t, "origin/feature has 1 new commit.", came[0].Says())
	s, err := publishing.Of(a).SendSeries(ctx, "", true)
	require.NoError(t, err)
	assert.ErrorContains(t, s.Verdict(send.Consent{}), "that you don't have")
	assert.Equal(t, theirs, s.NotYours[0].String())

	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	plan, err = a.WithTaken(ctx, plan, len(plan.Next), s.NotYours)
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
	require.NoError(t, err)
	compared, err = publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	require.NoError(t, compared.Verdict(send.Consent{}), "what was taken in is here")
	_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: compared}, nil)
	require.NoError(t, err)
	assert.Equal(t, "From Mira", remote.Git("log", "-1", "--format=%s", "feature"))
	var refusal *app.Refusal
	_, err = a.WithTaken(ctx, plan, 0, []repo.ID{plan.Tip})
	assert.ErrorAs(t, err, &refusal)
}

// TestWhatCameAndWentIsNotOnesOwn: a colleague's commit that once was in the branch may be
// replaced only where something stands for it.
func TestWhatCameAndWentIsNotOnesOwn(t *testing.T) {
	for name, test := range map[string]struct {
		do   func(t *testing.T, f *fixture.Repo, a *app.App)
		free bool // it may be replaced
	}{
		"forward, and back again": {func(t *testing.T, _ *fixture.Repo, a *app.App) {
			_, err := planning.Of(a).Forward(ctx)
			require.NoError(t, err)
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
		}, false},
		"pulled, and reset": {func(_ *testing.T, f *fixture.Repo, _ *app.App) {
			f.Git("merge", "--quiet", "--ff-only", "origin/feature")
			f.Git("reset", "--quiet", "--hard", "HEAD~")
		}, false},
		"left out by a plan": {func(t *testing.T, _ *fixture.Repo, a *app.App) {
			_, err := planning.Of(a).Forward(ctx)
			require.NoError(t, err)
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(len(plan.Next)-1), app.Others, nil)
			require.NoError(t, err)
		}, false},
		"left out, and that taken back": {func(t *testing.T, f *fixture.Repo, a *app.App) {
			_, err := planning.Of(a).Forward(ctx)
			require.NoError(t, err)
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(len(plan.Next)-1), app.Others, nil)
			require.NoError(t, err)
			for range 2 {
				_, err = planning.Of(a).Undo(ctx)
				require.NoError(t, err)
			}
		}, false},
		"rewritten by another tool": {func(_ *testing.T, f *fixture.Repo, _ *app.App) {
			f.Git("merge", "--quiet", "--ff-only", "origin/feature")
			f.Git("commit", "--quiet", "--amend", "-m", "From Mira, reworded")
		}, true},
	} {
		t.Run(name, func(t *testing.T) {
			f := opened.Feature(t)
			remote := f.Remote(t)
			f.Git("push", "--quiet", "origin", "main")
			f.Git("push", "--quiet", "--set-upstream", "origin", "feature")
			other := fixture.Existing(t, t.TempDir()).ByMira()
			other.Git("clone", "--quiet", "--branch", "feature", remote.Dir, ".")
			other.Commit("From Mira", "mira", "m\n")
			other.Git("push", "--quiet", "origin", "HEAD:feature")
			f.Git("fetch", "--quiet")
			a := opened.App(t, f.Dir)
			test.do(t, f, a)
			f.Commit("mine", "mine", "1\n")
			compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
			require.NoError(t, err)
			require.Len(t, compared.Replaces, 1)
			assert.Equal(t, test.free, compared.Verdict(send.Consent{}) == nil, "%v", compared.Verdict(send.Consent{}))
			if !test.free {
				assert.ErrorContains(t, compared.Verdict(send.Consent{}), "\"From Mira\" of Mira Lund")
			}
		})
	}
}

// TestABranchThatWentThereIsNotBroughtBack: what was deleted or moved back on the remote
// since it was seen is not sent again by a plain push, which looks as if it only added.
func TestABranchThatWentThereIsNotBroughtBack(t *testing.T) {
	for name, test := range map[string]struct {
		args []string
		want string
	}{
		"deleted":    {[]string{"branch", "--quiet", "-D", "feature"}, "was deleted on origin since you last fetched"},
		"moved back": {[]string{"branch", "--quiet", "--force", "feature", "feature~1"}, "was moved back on origin since you last fetched"},
	} {
		t.Run(name, func(t *testing.T) {
			f := opened.Feature(t)
			remote := f.Remote(t)
			f.Git("push", "--quiet", "origin", "main", "feature")
			remote.Git(test.args...)
			a := opened.App(t, f.Dir)
			f.Commit("mine", "mine", "1\n")
			before := remote.Git("for-each-ref")
			compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
			require.NoError(t, err)
			assert.ErrorContains(t, compared.Verdict(send.Consent{}), test.want)
			_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: compared}, nil)
			assert.ErrorContains(t, err, test.want)
			assert.Equal(t, before, remote.Git("for-each-ref"))
			f.Git("fetch", "--quiet", "--prune")
			compared, err = publishing.Of(a).CompareRemote(ctx, "", true)
			require.NoError(t, err)
			assert.NoError(t, compared.Verdict(send.Consent{}), "what was looked at may be sent")
		})
	}
}

// TestTheStackGoesWhereTheBranchGoes: whatever remotes its branches have of their own, they
// are held against the one that all are pushed to.
func TestTheStackGoesWhereTheBranchGoes(t *testing.T) {
	f := opened.Feature(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("branch", "below", "feature~1")
	fork := fixture.At(t, t.TempDir(), "--bare")
	f.Git("remote", "add", "fork", fork.Dir)
	f.Git("push", "--quiet", "fork", "below")
	f.Git("config", "branch.below.pushRemote", "fork")
	a := opened.App(t, f.Dir)
	var out publishing.Outgoing
	var err error
	out.Comparison, err = publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	out.Stack, err = publishing.Of(a).CompareStack(ctx, out.Remote, true)
	require.NoError(t, err)
	require.Len(t, out.Stack, 1)
	assert.True(t, out.Stack[0].There.IsZero(), "the shared remote does not have it")
	_, err = publishing.Of(a).Send(ctx, out, nil)
	require.NoError(t, err)
	assert.Equal(t, f.Git("rev-parse", "below", "feature"), remote.Git("rev-parse", "below", "feature"))
}

// TestWhatTheRemoteTookIsASuccess: what fails here afterwards is a warning.
func TestWhatTheRemoteTookIsASuccess(t *testing.T) {
	f := opened.Feature(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("fetch", "--quiet")
	a := opened.App(t, f.Dir)
	compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	// The remote takes it, and then the configuration is locked, and the journal.
	require.NoError(t, os.MkdirAll(filepath.Join(remote.Dir, "hooks"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(remote.Dir, "hooks", "post-receive"),
		[]byte("#!/bin/sh\n: >"+f.Dir+"/.git/config.lock; : >"+f.Dir+"/.git/BASTEL_JOURNAL.lock\n"), 0o777))
	sent, err := publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: compared}, nil)
	require.NoError(t, err)
	assert.Len(t, sent.Warnings, 2, "%v", sent.Warnings)
	assert.Equal(t, f.Git("rev-parse", "feature"), remote.Git("rev-parse", "feature"))

	require.NoError(t, os.Remove(filepath.Join(f.Dir, ".git", "config.lock")))
	require.NoError(t, os.Remove(filepath.Join(f.Dir, ".git", "BASTEL_JOURNAL.lock")))
	landed, err := publishing.Of(a).Land(ctx, publishing.Landing{}, nil)
	require.NoError(t, err, "it has landed on the remote")
	assert.NotEmpty(t, landed.Warnings)
	assert.Equal(t, f.Git("rev-parse", "feature"), remote.Git("rev-parse", "main"))
}

// TestLandingInOrder: what was changed since it was shown does not land, and what does not sit on the one before it neither.
func TestLandingInOrder(t *testing.T) {
	f := opened.Feature(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("config", "bastel.target", "origin/main")
	f.Git("switch", "--quiet", "-c", "first", "main")
	f.Commit("first", "first", "1\n")
	f.Git("switch", "--quiet", "-c", "second")
	f.Commit("second", "second", "1\n")
	f.Git("switch", "--quiet", "feature")
	a := publishing.Of(opened.App(t, f.Dir))
	before := remote.Git("rev-parse", "main")
	tip := func(name string) repo.ID {
		id, err := a.CommitNamed(ctx, name)
		require.NoError(t, err)
		return id
	}
	none := func(string) {}
	_, err := a.LandInOrder(ctx, []string{"first", "second"}, publishing.Landing{Seen: map[string]repo.ID{"first": tip("first"),
		"second": tip("main")}}, none)
	assert.ErrorContains(t, err, "second was changed since it was shown")
	_, err = a.LandInOrder(ctx, []string{"second", "first"}, publishing.Landing{}, none)
	assert.ErrorContains(t, err, "does not sit on second")
	assert.Equal(t, before, remote.Git("rev-parse", "main"), "nothing landed")
	landed, err := a.LandInOrder(ctx, []string{"first", "second"}, publishing.Landing{Seen: map[string]repo.ID{"second": tip("second")}}, none)
	require.NoError(t, err)
	assert.Len(t, landed, 2)
	assert.Equal(t, f.Git("rev-parse", "second"), remote.Git("rev-parse", "main"))
	assert.Equal(t, "feature", f.Git("branch", "--show-current"))
}

// TestSeveralMergesLandByOnePush: each with its own message, all of them or none, and nothing here moves before the remote has them.
func TestSeveralMergesLandByOnePush(t *testing.T) {
	f := opened.Feature(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("config", "bastel.target", "origin/main")
	for _, name := range []string{"left", "right", "clash"} {
		f.Git("switch", "--quiet", "-c", name, "main")
		f.Commit("on "+name, map[string]string{"clash": "left"}[name]+strings.TrimPrefix(name, "clash"), name+"\n")
	}
	f.Git("switch", "--quiet", "-c", "on-right", "right")
	f.Commit("more", "more", "1\n")
	f.Git("switch", "--quiet", "feature")
	a := publishing.Of(opened.App(t, f.Dir))
	before, here := remote.Git("rev-parse", "main"), f.Git("for-each-ref", "refs/heads")
	_, err := a.LandInOrder(ctx, []string{"left", "clash"}, publishing.Landing{Merge: true}, nil)
	assert.ErrorContains(t, err, `clash cannot land after left by a merge: they conflict in "left"`)
	hookOn := func(script string) {
		require.NoError(t, os.MkdirAll(filepath.Join(remote.Dir, "hooks"), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(remote.Dir, "hooks", "pre-receive"), []byte("#!/bin/sh\n"+script), 0o777))
	}
	hookOn("echo no; exit 1\n")
	_, err = a.LandInOrder(ctx, []string{"left", "right"}, publishing.Landing{Merge: true, Delete: true}, nil)
	assert.ErrorContains(t, err, "A rule of origin refused")
	assert.Equal(t, before, remote.Git("rev-parse", "main"))
	assert.Equal(t, here, f.Git("for-each-ref", "refs/heads"), "nothing here has moved")
	hookOn("echo push >>'" + remote.Dir + "/pushes'\n")
	landed, err := a.LandInOrder(ctx, []string{"left", "right", "on-right"}, publishing.Landing{Merge: true}, nil)
	require.NoError(t, err)
	assert.Len(t, landed, 3)
	assert.Equal(t, "push\n", remote.Read("pushes"))
	assert.Equal(t, "Merge on-right\nMerge right\nMerge left", remote.Git("log", "-3", "--first-parent", "--format=%s", "main"))
	assert.Equal(t, "left\nmore\nright", remote.Git("diff", "--name-only", before, "main"))
	assert.Equal(t, f.Git("rev-parse", "main"), remote.Git("rev-parse", "main"), "the local target came along")
}
