package send_test

import (
	"context"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/test/fixture"
)

var ctx = context.Background()

// published is a repository whose branch "feature" is on its remote as it is here.
func published(t *testing.T) (f, remote *fixture.Repo) {
	f = fixture.New(t)
	f.Commit("base", "a", "1\n")
	remote = f.Remote(t)
	f.Git("switch", "--quiet", "-c", "feature")
	f.Commit("one", "a", "2\n")
	f.Git("push", "--quiet", "origin", "main", "feature")
	f.Git("fetch", "--quiet")
	return f, remote
}

func cause(t *testing.T, err error) send.Cause {
	t.Helper()
	var refusal *send.Refusal
	require.ErrorAs(t, err, &refusal)
	return refusal.Cause
}

// push sends one branch.
func push(r *repo.Repo, c send.Comparison, progress func(string)) error {
	if err := c.Verdict(send.Consent{}); err != nil {
		return err
	}
	_, err := send.PushRefs(ctx, r, c.Remote, []repo.PushedRef{{Ref: c.Ref, ID: c.Here, Expect: c.There}}, nil, progress)
	if err != nil {
		return err
	}
	return send.SetUpstream(ctx, r, c)
}

func TestTargets(t *testing.T) {
	f := fixture.New(t)
	r := f.Open(t)
	_, err := send.FindTarget(ctx, r, "b", "")
	assert.Equal(t, send.NoRemote, cause(t, err))
	for _, test := range []struct{ config, remote, ref, tracking string }{
		{"remote.up.url x", "up", "refs/heads/b", "refs/remotes/up/b"},
		{"remote.up.fetch +refs/heads/*:refs/remotes/u/*", "up", "refs/heads/b", "refs/remotes/u/b"},
		{"remote.origin.url x", "origin", "refs/heads/b", "refs/remotes/origin/b"},
		{"branch.b.remote up", "up", "refs/heads/b", "refs/remotes/u/b"},
		{"branch.b.merge refs/heads/other", "up", "refs/heads/b", "refs/remotes/u/b"},
		{"push.default upstream", "up", "refs/heads/other", "refs/remotes/u/other"},
		{"remote.pushDefault origin", "origin", "refs/heads/other", "refs/remotes/origin/other"},
		{"branch.b.pushRemote up", "up", "refs/heads/other", "refs/remotes/u/other"},
	} {
		key, value, _ := strings.Cut(test.config, " ")
		f.Git("config", key, value)
		target, err := send.FindTarget(ctx, f.Open(t), "b", "")
		require.NoError(t, err)
		assert.Equal(t, send.Target{Remote: test.remote, Branch: "b", Ref: test.ref, Tracking: test.tracking}, target, test.config)
	}
}

// TestTheLeaseHolds: a colleague pushes between the look and the push, and nothing
// of theirs is lost.
func TestTheLeaseHolds(t *testing.T) {
	f, remote := published(t)
	r := f.Open(t)
	f.Git("commit", "--quiet", "--amend", "-m", "one, reworded")
	seen, err := send.Compare(ctx, r, "feature", "", true)
	require.NoError(t, err)
	require.NoError(t, seen.Verdict(send.Consent{}))
	colleague := fixture.At(t, filepath.Join(t.TempDir(), "colleague"))
	colleague.Git("fetch", "--quiet", remote.Dir, "feature")
	colleague.Git("switch", "--quiet", "--detach", "FETCH_HEAD")
	theirs := colleague.Commit("theirs", "b", "x\n")
	colleague.Git("push", "--quiet", remote.Dir, "HEAD:feature")
	assert.Equal(t, send.Diverged, cause(t, push(r, seen, nil)))
	assert.Equal(t, theirs, remote.Git("rev-parse", "feature"))
	again, err := send.Compare(ctx, r, "feature", "", true)
	require.NoError(t, err)
	assert.Equal(t, send.Diverged, cause(t, again.Verdict(send.Consent{})))
	f.Git("fetch", "--quiet")
	again, err = send.Compare(ctx, r, "feature", "", true)
	require.NoError(t, err)
	assert.Equal(t, send.NotYours, cause(t, again.Verdict(send.Consent{})), "fetching alone does not make it yours")
	assert.Len(t, again.NotYours, 1)
}

func TestWithoutReflogNothingIsReplaced(t *testing.T) {
	f, _ := published(t)
	require.NoError(t, os.RemoveAll(filepath.Join(f.Dir, ".git", "logs")))
	f.Git("config", "core.logAllRefUpdates", "false")
	f.Git("commit", "--quiet", "--amend", "-m", "again")
	compared, err := send.Compare(ctx, f.Open(t), "feature", "", false)
	require.NoError(t, err)
	assert.Equal(t, send.NotYours, cause(t, compared.Verdict(send.Consent{})))
}

func TestDeletedThere(t *testing.T) {
	f, remote := published(t)
	remote.Git("branch", "--quiet", "-D", "feature")
	compared, err := send.Compare(ctx, f.Open(t), "feature", "", true)
	require.NoError(t, err)
	assert.True(t, compared.There.IsZero())
	var refusal *send.Refusal
	require.ErrorAs(t, compared.Verdict(send.Consent{}), &refusal)
	assert.Equal(t, send.WentThere, refusal.Cause)
	f.Git("fetch", "--quiet", "--prune")
	compared, err = send.Compare(ctx, f.Open(t), "feature", "", true)
	require.NoError(t, err)
	require.NoError(t, push(f.Open(t), compared, nil))
	assert.Equal(t, f.Git("rev-parse", "feature"), remote.Git("rev-parse", "feature"))
	assert.Equal(t, "refs/heads/feature", f.Git("config", "branch.feature.merge"))
}

// TestAPasswordIsNeverWaitedFor: a server that wants one makes the push fail at
// once, since behind a full screen nobody could answer.
func TestAPasswordIsNeverWaitedFor(t *testing.T) {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("WWW-Authenticate", `Basic realm="quay"`)
		w.WriteHeader(http.StatusUnauthorized)
	}))
	defer server.Close()
	f := fixture.New(t)
	f.Commit("base")
	f.Git("remote", "add", "origin", server.URL+"/x.git")
	began := time.Now()
	_, err := send.Compare(ctx, f.Open(t), "main", "", true)
	assert.ErrorIs(t, err, repo.ErrNeedsAnswer)
	assert.Less(t, time.Since(began), 20*time.Second)
}

// TestAPushCanBeStopped: a remote that never answers does not hold anyone.
func TestAPushCanBeStopped(t *testing.T) {
	asked := make(chan struct{}, 8)
	release := make(chan struct{})
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {
		asked <- struct{}{}
		<-release
	}))
	defer server.Close()
	defer close(release)
	f := fixture.New(t)
	f.Commit("base")
	f.Git("remote", "add", "origin", server.URL+"/x.git")
	stopped, cancel := context.WithCancel(ctx)
	go func() { <-asked; cancel() }()
	_, err := send.Compare(stopped, f.Open(t), "main", "", true)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestTheServersRuleIsToldWordForWord(t *testing.T) {
	f, remote := published(t)
	require.NoError(t, os.WriteFile(filepath.Join(remote.Dir, "hooks", "update"), []byte("#!/bin/sh\necho no pushes today >&2; exit 1\n"),
		0o777))
	f.Commit("two", "a", "3\n")
	compared, err := send.Compare(ctx, f.Open(t), "feature", "", true)
	require.NoError(t, err)
	var heard []string
	err = push(f.Open(t), compared, func(line string) { heard = append(heard, line) })
	assert.Equal(t, send.HookDeclined, cause(t, err))
	var refusal *send.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, refusal.Output, "no pushes today")
	assert.NotContains(t, refusal.Output, "% (1/", "without the counting")
	assert.Contains(t, strings.Join(heard, "\n"), "no pushes today")
}

func TestAStrangersHistoryIsNotReplaced(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base")
	other := fixture.At(t, filepath.Join(t.TempDir(), "other"))
	other.Commit("theirs")
	f.Git("remote", "add", "origin", other.Dir)
	compared, err := send.Compare(ctx, f.Open(t), "main", "", true)
	require.NoError(t, err)
	assert.Equal(t, send.Diverged, cause(t, compared.Verdict(send.Consent{})))
}
