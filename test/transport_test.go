package test

import (
	"bytes"
	"context"
	"io"
	"math/rand"
	"net"
	"net/http"
	"net/http/cgi"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/test/fixture"
)

// serve lets the repository's own server program answer over HTTP, behind a password. It
// gives the server's address, without the password.
func serve(t *testing.T, root string) string {
	path, err := exec.Command("git", "--exec-path").Output()
	require.NoError(t, err)
	backend := &cgi.Handler{
		Path:   filepath.Join(strings.TrimSpace(string(path)), "git-http-backend"),
		Env:    []string{"GIT_PROJECT_ROOT=" + root, "GIT_HTTP_EXPORT_ALL=1", "REMOTE_USER=ines"},
		Stderr: io.Discard, // what it says of connections that were cut
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if user, password, ok := r.BasicAuth(); !ok || user != "ines" || password != "tide" {
			w.Header().Set("WWW-Authenticate", `Basic realm="quay"`)
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		// The program waits for ever for a body that was cut, so it only gets whole ones.
		body, err := io.ReadAll(r.Body)
		if err != nil {
			w.WriteHeader(http.StatusBadRequest)
			return
		}
		r.Body, r.ContentLength, r.TransferEncoding = io.NopCloser(bytes.NewReader(body)), int64(len(body)), nil
		backend.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	return strings.TrimPrefix(server.URL, "http://")
}

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
	a, _, err := app.Open(context.Background(), dir)
	require.NoError(t, err)
	defer a.Close()
	compared, err := a.CompareRemote(context.Background(), "", true)
	if err != nil {
		return err
	}
	_, err = a.Send(context.Background(), app.Outgoing{Comparison: compared}, nil)
	return err
}

func TestTransports(t *testing.T) {
	for name, address := range map[string]func(t *testing.T, root string) string{
		"path":     func(_ *testing.T, root string) string { return filepath.Join(root, "shared.git") },
		"file url": func(_ *testing.T, root string) string { return "file://" + filepath.Join(root, "shared.git") },
		"http":     func(t *testing.T, root string) string { return "http://ines:tide@" + serve(t, root) + "/shared.git" },
	} {
		t.Run(name, func(t *testing.T) {
			work, shared, root := hub(t)
			work.Git("remote", "set-url", "origin", address(t, root))
			work.Commit("one", "b", "2\n")
			require.NoError(t, send(t, work.Dir))
			assert.Equal(t, work.Git("rev-parse", "topic"), shared.Git("rev-parse", "topic"))
			work.Git("commit", "--quiet", "--amend", "--message", "one, reworded")
			require.NoError(t, send(t, work.Dir), "a rewritten branch, with a lease")
			assert.Equal(t, "one, reworded", shared.Git("log", "-1", "--format=%s", "topic"))
			a, _, err := app.Open(context.Background(), work.Dir)
			require.NoError(t, err)
			defer a.Close()
			_, err = a.Fetch(context.Background(), nil)
			require.NoError(t, err)
		})
	}
	t.Run("wrong password", func(t *testing.T) {
		work, shared, root := hub(t)
		work.Git("remote", "set-url", "origin", "http://ines:ebb@"+serve(t, root)+"/shared.git")
		work.Commit("one", "b", "2\n")
		require.Error(t, send(t, work.Dir))
		assert.Empty(t, shared.Git("branch", "--list", "topic"))
	})
}

// cutter passes connections on, and cuts them after some bytes; a negative number: never.
type cutter struct{ left atomic.Int64 }

func (c *cutter) pass(to io.Writer, from io.Reader, cut func()) {
	buffer := make([]byte, 512)
	for {
		n, err := from.Read(buffer)
		if left := c.left.Load(); left >= 0 && int64(n) > left {
			_, _ = to.Write(buffer[:left]) // the other side may be gone already
			cut()
			return
		} else if left >= 0 {
			c.left.Add(-int64(n))
		}
		if _, writeErr := to.Write(buffer[:n]); err != nil || writeErr != nil {
			cut()
			return
		}
	}
}

func (c *cutter) listen(t *testing.T, behind string) string {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { listener.Close() })
	go func() {
		for {
			near, err := listener.Accept()
			if err != nil {
				return
			}
			far, err := net.DialTimeout("tcp", behind, time.Second)
			if err != nil {
				near.Close()
				continue
			}
			cut := func() { near.Close(); far.Close() }
			go c.pass(far, near, cut)
			go c.pass(near, far, cut)
		}
	}()
	return listener.Addr().String()
}

// TestCutConnections: the connection is cut at random bytes 200 times. The remote has the
// old or the new state, whole; nothing is lost here; and a second try is safe.
func TestCutConnections(t *testing.T) {
	t.Parallel()
	work, shared, root := hub(t)
	cut := &cutter{}
	cut.left.Store(-1)
	work.Git("remote", "set-url", "origin", "http://ines:tide@"+cut.listen(t, serve(t, root))+"/shared.git")
	work.Commit("one", "b", "2\n")
	require.NoError(t, send(t, work.Dir))
	random, failed := rand.New(rand.NewSource(6)), 0
	for i := range 200 {
		before := work.Git("rev-parse", "topic")
		args := []string{"commit", "--quiet", "--allow-empty", "--message", "again"}
		if i%3 == 0 { // rewritten
			args = append(args, "--amend")
		}
		work.Git(args...)
		mine := work.Git("rev-parse", "topic")
		cut.left.Store(int64(random.Intn(4000)))
		if send(t, work.Dir) != nil {
			failed++
		}
		there := shared.Git("rev-parse", "topic")
		require.Contains(t, []string{before, mine}, there)
		require.Equal(t, mine, work.Git("rev-parse", "topic"))
		cut.left.Store(-1)
		require.NoError(t, send(t, work.Dir), "a second try is safe")
		require.Equal(t, mine, shared.Git("rev-parse", "topic"))
	}
	assert.Greater(t, failed, 50, "the cuts met")
	shared.Git("fsck", "--strict")
	work.Git("fsck", "--strict")
}
