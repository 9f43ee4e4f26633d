package publishing_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/send"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestFetchTellsAndDropsWhatWent: a branch that is gone there goes from what is known of the
// remote, and undo brings that back; a fetch that nobody asked for only brings.
func TestFetchTellsAndDropsWhatWent(t *testing.T) {
	f, remote, _ := exchange(t)
	f.Git("push", "--quiet", "origin", "main:old", "main:older")
	f.Git("update-ref", "refs/remotes/elsewhere/old", "main") // of no remote's settings
	remote.Git("branch", "--quiet", "-D", "old")
	remote.Git("branch", "--quiet", "-D", "older")
	a := opened.App(t, f.Dir)
	fetched, err := publishing.Of(a).Fetch(ctx, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"origin"}, fetched.From)
	require.Len(t, fetched.Arrivals, 2)
	assert.Equal(t, "origin/old is gone.", fetched.Arrivals[0].Says())
	known := f.Git("for-each-ref", "--format=%(refname)", "refs/remotes")
	assert.NotContains(t, known, "origin/old")
	assert.Contains(t, known, "elsewhere/old")
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Contains(t, f.Git("for-each-ref", "--format=%(refname)", "refs/remotes"), "origin/older")
	when, err := publishing.Of(a).LastFetch(ctx, "origin")
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), when, time.Minute)
}

// TestACloneOfOneBranchSeesItsOwn: the branch at work is asked for, also where the settings
// leave it out, and is compared with what was seen.
func TestACloneOfOneBranchSeesItsOwn(t *testing.T) {
	f, remote, mira := exchange(t)
	one := fixture.Existing(t, t.TempDir())
	one.Git("clone", "--quiet", "--single-branch", "--depth=1", "--branch", "main", "file://"+remote.Dir, ".")
	one.Git("switch", "--quiet", "-c", "topic")
	one.Commit("one", "one", "1\n")
	a := opened.App(t, one.Dir)
	send1 := func() error {
		c, err := publishing.Of(a).CompareRemote(ctx, "", true)
		require.NoError(t, err)
		_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: c}, nil)
		return err
	}
	require.NoError(t, send1())
	assert.Equal(t, one.Git("rev-parse", "topic"), one.Git("rev-parse", "refs/remotes/origin/topic"), "what was sent is known")
	mira.Git("fetch", "--quiet")
	mira.Git("switch", "--quiet", "--track", "origin/topic")
	theirs := mira.Commit("From Mira", "mira", "m\n")
	mira.Git("push", "--quiet", "origin", "topic")
	fetched, err := publishing.Of(a).Fetch(ctx, nil)
	require.NoError(t, err)
	require.Len(t, fetched.Arrivals, 1)
	assert.True(t, fetched.Arrivals[0].Yours)
	assert.Equal(t, theirs, one.Git("rev-parse", "refs/remotes/origin/topic"))
	remote.Git("branch", "--quiet", "-D", "topic")
	one.Commit("two", "two", "2\n")
	assert.Error(t, send1(), "it was deleted there since it was seen")
	_ = f
}

// TestOneRemoteThatFailsDoesNotHoldTheOthers: what the others have is told, with why one failed.
func TestOneRemoteThatFailsDoesNotHoldTheOthers(t *testing.T) {
	f, _, mira := exchange(t)
	f.Git("remote", "add", "fork", filepath.Join(t.TempDir(), "nowhere"))
	f.Git("config", "branch.feature.pushRemote", "fork")
	mira.Git("switch", "--quiet", "main")
	mira.Commit("From Mira", "mira", "m\n")
	mira.Git("push", "--quiet", "origin", "main")
	fetched, err := publishing.Of(opened.App(t, f.Dir)).Fetch(ctx, nil)
	require.NoError(t, err)
	assert.Equal(t, []string{"origin"}, fetched.From)
	assert.Len(t, fetched.Arrivals, 1)
	require.Len(t, fetched.Warnings, 1)
	assert.Contains(t, fetched.Warnings[0], "fork")
}

// TestAPushWhoseAnswerWasLost ends with the right picture: what follows the branch, the
// upstream, the journal; at once where the remote can be asked, else by the next fetch.
func TestAPushWhoseAnswerWasLost(t *testing.T) {
	f := opened.Feature(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	a := opened.App(t, f.Dir)
	// The server takes it, and does not say so before the user has had enough.
	slow := filepath.Join(remote.Dir, "hooks", "post-receive")
	require.NoError(t, os.MkdirAll(filepath.Dir(slow), 0o777))
	require.NoError(t, os.WriteFile(slow, []byte("#!/bin/sh\nexec sleep 30 >/dev/null 2>&1\n"), 0o777))
	c, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	stopped, stop := context.WithCancel(ctx)
	go func() {
		for remote.Git("for-each-ref", "refs/heads/feature") == "" {
			<-time.After(5 * time.Millisecond)
		}
		stop()
	}()
	_, err = publishing.Of(a).Send(stopped, publishing.Outgoing{Comparison: c}, nil)
	require.NoError(t, err, "it has arrived")
	assert.Equal(t, f.Git("rev-parse", "feature"), f.Git("rev-parse", "refs/remotes/origin/feature"))
	assert.Equal(t, "refs/heads/feature", f.Git("config", "branch.feature.merge"))
	last, _, err := publishing.Of(a).PushedLast(ctx)
	require.NoError(t, err)
	assert.Equal(t, "refs/heads/feature", last.Ref)
}

// TestTakingAPushBackSaysWhat: whether the branch is deleted, moved or made anew, and who else
// has what was sent.
func TestTakingAPushBackSaysWhat(t *testing.T) {
	f := opened.Feature(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("fetch", "--quiet")
	a := opened.App(t, f.Dir)
	push := func() {
		c, err := publishing.Of(a).CompareRemote(ctx, "", true)
		require.NoError(t, err)
		_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: c}, nil)
		require.NoError(t, err)
	}
	push()
	look, err := publishing.Of(a).LookTakingBack(ctx, "")
	require.NoError(t, err)
	assert.Equal(t, "feature is deleted on origin, where your last push made it.", look.Says)
	first := f.Git("rev-parse", "feature")
	f.Commit("more", "more", "1\n")
	push()
	f.Git("push", "--quiet", "origin", "feature:built")
	look, err = publishing.Of(a).LookTakingBack(ctx, "")
	require.NoError(t, err)
	assert.Contains(t, look.Says, "feature on origin goes back from ")
	assert.Equal(t, []string{"origin/built"}, look.BuiltOn)
	_, last, err := publishing.Of(a).PushedLast(ctx)
	require.NoError(t, err)
	assert.True(t, last)
	_, _, err = publishing.Of(a).TakeBackSent(ctx, "", nil)
	require.NoError(t, err)
	assert.Equal(t, first, remote.Git("rev-parse", "feature"))
	_, last, err = publishing.Of(a).PushedLast(ctx)
	require.NoError(t, err)
	assert.False(t, last, "it was taken back")
}

// TestLandingDeletesTheOlderVersionThere: what lands has replaced it; what somebody added
// there stays, and is said beforehand. Undo makes one's own commits one's own again.
func TestLandingDeletesTheOlderVersionThere(t *testing.T) {
	for name, theirs := range map[string]bool{"mine alone": false, "with a colleague's": true} {
		t.Run(name, func(t *testing.T) {
			f, remote, mira := exchange(t)
			if theirs {
				mira.Commit("From Mira", "mira", "m\n")
				mira.Git("push", "--quiet", "origin", "HEAD:feature")
			}
			a := opened.App(t, f.Dir)
			_, err := publishing.Of(a).Fetch(ctx, nil)
			require.NoError(t, err)
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			_, err = planning.Of(a).Apply(ctx, plan.Join(0, 1, 2), app.OwnOnly, nil)
			require.NoError(t, err)
			look, err := publishing.Of(a).LookLanding(ctx)
			require.NoError(t, err)
			landed, err := publishing.Of(a).Land(ctx, publishing.Landing{Delete: true}, nil)
			require.NoError(t, err)
			assert.Equal(t, f.Git("rev-parse", "main"), remote.Git("rev-parse", "main"))
			there := remote.Git("branch", "--list", "feature")
			if theirs {
				assert.Equal(t, "feature on origin has 1 commit that did not land, and stays.", look.There)
				assert.Contains(t, landed.Notes, look.There)
				assert.NotEmpty(t, there)
				return
			}
			assert.Equal(t, "Its older version on origin goes too: 3 commits there, replaced by what lands.", look.There)
			assert.Empty(t, there)
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			_, _, err = publishing.Of(a).TakeBackSent(ctx, "", nil)
			require.NoError(t, err)
			c, err := publishing.Of(a).CompareRemote(ctx, "", true)
			require.NoError(t, err)
			assert.Len(t, c.Replaces, 3)
			assert.NoError(t, c.Verdict(send.Consent{}), "they are one's own again")
		})
	}
}

// TestOnlyBehindIsNoTrouble: where there is nothing to send, nothing warns of a push.
func TestOnlyBehindIsNoTrouble(t *testing.T) {
	f, _, mira := exchange(t)
	mira.Commit("From Mira", "mira", "m\n")
	mira.Git("push", "--quiet", "origin", "HEAD:feature")
	a := opened.App(t, f.Dir)
	_, err := publishing.Of(a).Fetch(ctx, nil)
	require.NoError(t, err)
	c, err := publishing.Of(a).CompareRemote(ctx, "", false)
	require.NoError(t, err)
	var refusal *send.Refusal
	require.ErrorAs(t, c.Verdict(send.Consent{}), &refusal)
	assert.Equal(t, send.Behind, refusal.Cause)
	_, err = planning.Of(a).Forward(ctx)
	require.NoError(t, err)
}
