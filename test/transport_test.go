package test

import (
	"context"
	"fmt"
	"math/rand"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/publishing"
	"bastel/internal/ask"
	"bastel/internal/repo"
	"bastel/test/fixture"
)

var ctx = context.Background()

// patience is how long a test waits for what must come.
const patience = 30 * time.Second

// hub is a clone with a branch, whose remote is reached by an address.
func hub(t *testing.T) (work, shared *fixture.Repo, root string) {
	root = t.TempDir()
	shared = fixture.At(t, filepath.Join(root, "shared.git"), "--bare")
	shared.Git("config", "http.receivepack", "true")
	work = fixture.New(t)
	work.Commit("base", "a", "1\n")
	work.Git("remote", "add", "origin", shared.Dir)
	work.Git("push", "--quiet", "origin", "main")
	work.Git("fetch", "--quiet")
	work.Git("switch", "--quiet", "-c", "topic")
	return work, shared, root
}

// send compares and pushes as the command does.
func send(t *testing.T, dir string) error {
	a, _, err := app.Open(ctx, dir)
	require.NoError(t, err)
	defer a.Close()
	return sendWith(a)
}

func sendWith(a *app.App) error {
	compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
	if err != nil {
		return err
	}
	_, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: compared}, nil)
	return err
}

// asking answers questions by a part of their text, and keeps what was asked.
type asking struct {
	answers map[string]string
	asked   []string
}

func (a *asking) ask(_ context.Context, q ask.Question) (string, error) {
	a.asked = append(a.asked, q.Text)
	for part, answer := range a.answers {
		if strings.Contains(q.Text, part) {
			return answer, nil
		}
	}
	return "", ask.ErrNoAnswer
}

// TestTransports: a new branch, a rewritten one, and a fetch, over all that a remote can
// be reached by. Where a transport asks, the application's own questions answer it, each
// but once.
func TestTransports(t *testing.T) {
	overSSH := func(method string) func(t *testing.T, work *fixture.Repo, root string) string {
		return func(t *testing.T, work *fixture.Repo, root string) string {
			server := fixture.ServeSSH(t, root)
			work.Git("config", "core.sshCommand", server.Command(method))
			return "ssh://" + fixture.User + "@" + server.Address + root + "/shared.git"
		}
	}
	password := "http://" + fixture.Login
	for name, test := range map[string]struct {
		address func(t *testing.T, work *fixture.Repo, root string) string
		answers map[string]string
		asked   int
	}{
		"path":     {func(_ *testing.T, _ *fixture.Repo, root string) string { return filepath.Join(root, "shared.git") }, nil, 0},
		"file url": {func(_ *testing.T, _ *fixture.Repo, root string) string { return "file://" + root + "/shared.git" }, nil, 0},
		"http": {func(t *testing.T, _ *fixture.Repo, root string) string {
			return password + fixture.ServeHTTP(t, root) + "/shared.git"
		}, nil, 0},
		"http that asks": {func(t *testing.T, _ *fixture.Repo, root string) string {
			return "http://" + fixture.ServeHTTP(t, root) + "/shared.git"
		}, map[string]string{"Username": fixture.User, "Password": fixture.Password}, 2},
		"http through a slow proxy": {func(t *testing.T, _ *fixture.Repo, root string) string {
			proxy := fixture.NewProxy(t, fixture.ServeHTTP(t, root))
			proxy.Delay.Store(int64(5 * time.Millisecond))
			return password + proxy.Address + "/shared.git"
		}, nil, 0},
		"ssh with a password": {overSSH("password"), map[string]string{"(yes/no": "yes", "password": fixture.Password}, 2},
		"ssh with a key":      {overSSH("publickey"), map[string]string{"(yes/no": "yes", "passphrase": "low water"}, 2},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			work, shared, root := hub(t)
			work.Git("remote", "set-url", "origin", test.address(t, work, root))
			user := &asking{answers: test.answers}
			a, _, err := app.Open(ctx, work.Dir, repo.WithAsker(user.ask))
			require.NoError(t, err)
			defer a.Close()
			work.Commit("one", "b", "2\n")
			require.NoError(t, sendWith(a))
			assert.Equal(t, work.Git("rev-parse", "topic"), shared.Git("rev-parse", "topic"))
			work.Git("commit", "--quiet", "--amend", "--message", "one, reworded")
			require.NoError(t, sendWith(a), "a rewritten branch, with a lease")
			assert.Equal(t, "one, reworded", shared.Git("log", "-1", "--format=%s", "topic"))
			_, err = publishing.Of(a).Fetch(ctx, nil)
			require.NoError(t, err)
			assert.Len(t, user.asked, test.asked, "each but once: %q", user.asked)
		})
	}
}

// TestNotLetIn: wrong answers, and hosts that are not who they should be, are told apart;
// nothing arrives, and the right answer works afterwards.
func TestNotLetIn(t *testing.T) {
	for name, test := range map[string]struct {
		ssh     string // how the client shows itself; empty: over HTTP
		trust   string // right, wrong, or empty for a host that is not known
		answers map[string]string
		want    error
		right   map[string]string // with which the next try works; nil: none does
	}{
		"nobody answers": {"", "", nil, repo.ErrNeedsAnswer, map[string]string{"Username": fixture.User, "Password": fixture.Password}},
		"a wrong password": {"", "", map[string]string{"Username": fixture.User, "Password": "ebb"}, repo.ErrNoPermission,
			map[string]string{"Username": fixture.User, "Password": fixture.Password}},
		"a wrong password by ssh": {"password", "right", map[string]string{"password": "ebb"}, repo.ErrNoPermission,
			map[string]string{"password": fixture.Password}},
		"a wrong passphrase": {"publickey", "right", map[string]string{"passphrase": "ebb"}, repo.ErrNoPermission,
			map[string]string{"passphrase": "low water"}},
		"a host that is not known": {"publickey", "", map[string]string{"(yes/no": "no", "passphrase": "low water"}, repo.ErrHostKey,
			map[string]string{"(yes/no": "yes", "passphrase": "low water"}},
		"a host of another key": {"publickey", "wrong", map[string]string{"(yes/no": "yes", "passphrase": "low water"}, repo.ErrHostKey, nil},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			work, shared, root := hub(t)
			address := "http://" + fixture.ServeHTTP(t, root) + "/shared.git"
			if test.ssh != "" {
				server := fixture.ServeSSH(t, root)
				work.Git("config", "core.sshCommand", server.Command(test.ssh))
				address = "ssh://" + fixture.User + "@" + server.Address + root + "/shared.git"
				if test.trust != "" {
					server.Trust(t, test.trust == "right")
				}
			}
			work.Git("remote", "set-url", "origin", address)
			work.Commit("one", "b", "2\n")
			user := &asking{answers: test.answers}
			a, _, err := app.Open(ctx, work.Dir, repo.WithAsker(user.ask))
			require.NoError(t, err)
			defer a.Close()
			assert.ErrorIs(t, sendWith(a), test.want)
			assert.Empty(t, shared.Git("branch", "--list", "topic"))
			if user.answers = test.right; test.right != nil {
				assert.NoError(t, sendWith(a))
				assert.Equal(t, work.Git("rev-parse", "topic"), shared.Git("rev-parse", "topic"))
			}
		})
	}
}

// TestARemoteThatFallsSilent: it is stopped by the user, and the next try works.
func TestARemoteThatFallsSilent(t *testing.T) {
	t.Parallel()
	work, shared, root := hub(t)
	proxy := fixture.NewProxy(t, fixture.ServeHTTP(t, root))
	work.Git("remote", "set-url", "origin", "http://"+fixture.Login+proxy.Address+"/shared.git")
	work.Commit("one", "b", "2\n")
	a, _, err := app.Open(ctx, work.Dir)
	require.NoError(t, err)
	defer a.Close()
	compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	proxy.Silent.Store(true)
	stopped, stop := context.WithTimeout(ctx, time.Second)
	defer stop()
	began := time.Now()
	_, err = publishing.Of(a).Send(stopped, publishing.Outgoing{Comparison: compared}, nil)
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	assert.ErrorContains(t, err, "trying again is safe")
	assert.Less(t, time.Since(began), 10*time.Second)
	assert.Empty(t, shared.Git("branch", "--list", "topic"))
	assert.Empty(t, work.Git("branch", "--remotes", "--list", "origin/topic"), "what is known here is what is known there")
	proxy.Silent.Store(false)
	require.NoError(t, sendWith(a))
	assert.Equal(t, work.Git("rev-parse", "topic"), shared.Git("rev-parse", "topic"))
}

// TestCutConnections: the connection is cut at random bytes, many times. The remote has the
// old or the new state, whole; nothing is lost here; and a second try is safe.
func TestCutConnections(t *testing.T) {
	t.Parallel()
	work, shared, root := hub(t)
	cut := fixture.NewProxy(t, fixture.ServeHTTP(t, root))
	work.Git("remote", "set-url", "origin", "http://"+fixture.Login+cut.Address+"/shared.git")
	work.Commit("one", "b", "2\n")
	require.NoError(t, send(t, work.Dir))
	random, failed := rand.New(rand.NewSource(6)), 0
	for i := range fixture.Rounds(24, 1000) {
		before := work.Git("rev-parse", "topic")
		args := []string{"commit", "--quiet", "--allow-empty", "--message", "again"}
		if i%3 == 0 { // rewritten
			args = append(args, "--amend")
		}
		work.Git(args...)
		mine := work.Git("rev-parse", "topic")
		cut.Left.Store(int64(random.Intn(4000)))
		if send(t, work.Dir) != nil {
			failed++
		}
		there := shared.Git("rev-parse", "topic")
		require.Contains(t, []string{before, mine}, there)
		require.Equal(t, mine, work.Git("rev-parse", "topic"))
		cut.Left.Store(-1)
		require.NoError(t, send(t, work.Dir), "a second try is safe")
		require.Equal(t, mine, shared.Git("rev-parse", "topic"))
	}
	assert.Greater(t, failed, fixture.Rounds(5, 250), "the cuts met")
	shared.Git("fsck", "--strict")
	work.Git("fsck", "--strict")
}

// TestCutOverSSH: the same over ssh, and for several branches at once: all of them, or none.
func TestCutOverSSH(t *testing.T) {
	t.Parallel()
	work, shared, root := hub(t)
	server := fixture.ServeSSH(t, root)
	cut := fixture.NewProxy(t, server.Address)
	server.Address = cut.Address
	server.Trust(t, true)
	work.Git("config", "core.sshCommand", server.Command("password"))
	work.Git("remote", "set-url", "origin", "ssh://"+fixture.User+"@"+cut.Address+root+"/shared.git")
	work.Commit("lower", "b", "1\n")
	work.Git("branch", "lower")
	work.Commit("upper", "b", "2\n")
	user := &asking{answers: map[string]string{"password": fixture.Password}}
	a, _, err := app.Open(ctx, work.Dir, repo.WithAsker(user.ask))
	require.NoError(t, err)
	defer a.Close()
	both := func() error {
		var out publishing.Outgoing
		var err error
		if out.Comparison, err = publishing.Of(a).CompareRemote(ctx, "", true); err != nil {
			return err
		}
		if out.Stack, err = publishing.Of(a).CompareStack(ctx, out.Remote, true); err != nil {
			return err
		}
		_, err = publishing.Of(a).Send(ctx, out, nil)
		return err
	}
	require.NoError(t, both())
	random, failed := rand.New(rand.NewSource(8)), 0
	for i := range fixture.Rounds(5, 100) {
		before := work.Git("rev-parse", "lower", "topic")
		work.Git("switch", "--quiet", "lower")
		work.Git("commit", "--quiet", "--allow-empty", "--amend", "--message", fmt.Sprint("lower ", i))
		work.Git("switch", "--quiet", "topic")
		work.Git("rebase", "--quiet", "--onto", "lower", "topic~1")
		mine := work.Git("rev-parse", "lower", "topic")
		cut.Left.Store(int64(2000 + random.Intn(12000)))
		if both() != nil {
			failed++
		}
		there := shared.Git("rev-parse", "lower", "topic")
		require.Contains(t, []string{before, mine}, there, "both, or none")
		require.Equal(t, mine, work.Git("rev-parse", "lower", "topic"))
		cut.Left.Store(-1)
		require.NoError(t, both(), "a second try is safe")
		require.Equal(t, mine, shared.Git("rev-parse", "lower", "topic"))
	}
	assert.Positive(t, failed, "the cuts met")
	shared.Git("fsck", "--strict")
}

// TestCutWhileFetching: what is here stays as it is, and the next fetch brings all of it.
func TestCutWhileFetching(t *testing.T) {
	t.Parallel()
	work, shared, root := hub(t)
	cut := fixture.NewProxy(t, fixture.ServeHTTP(t, root))
	work.Git("remote", "set-url", "origin", "http://"+fixture.Login+cut.Address+"/shared.git")
	work.Commit("one", "b", "2\n")
	work.Write("b", "loose\n")
	other := fixture.At(t, filepath.Join(t.TempDir(), "other"))
	other.Git("fetch", "--quiet", shared.Dir, "main")
	other.Git("reset", "--quiet", "--hard", "FETCH_HEAD")
	a, _, err := app.Open(ctx, work.Dir)
	require.NoError(t, err)
	defer a.Close()
	random, failed := rand.New(rand.NewSource(9)), 0
	for i := range fixture.Rounds(12, 300) {
		other.Commit(fmt.Sprint("theirs ", i), fmt.Sprint("theirs", i), strings.Repeat(fmt.Sprint(random.Int63(), "\n"), 50))
		other.Git("push", "--quiet", shared.Dir, "HEAD:main")
		before := work.Git("rev-parse", "HEAD", "main") + work.Git("status", "--porcelain") + work.Git("diff")
		tracked := work.Git("rev-parse", "origin/main")
		cut.Left.Store(int64(random.Intn(4000)))
		if _, err := publishing.Of(a).Fetch(ctx, nil); err != nil {
			failed++
			assert.Equal(t, tracked, work.Git("rev-parse", "origin/main"), "what is known is what was known")
		}
		require.Equal(t, before, work.Git("rev-parse", "HEAD", "main")+work.Git("status", "--porcelain")+work.Git("diff"))
		cut.Left.Store(-1)
		_, err := publishing.Of(a).Fetch(ctx, nil)
		require.NoError(t, err)
		require.Equal(t, shared.Git("rev-parse", "main"), work.Git("rev-parse", "origin/main"))
	}
	assert.Greater(t, failed, 5, "the cuts met")
	work.Git("fsck", "--strict")
}
