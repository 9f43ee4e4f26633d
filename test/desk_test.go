package test

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/demo"
	"bastel/test/fixture"
)

func get(t *testing.T, address string) (status int, body string) {
	response, err := http.Get(address)
	require.NoError(t, err)
	defer response.Body.Close()
	data, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, string(data)
}

// TestTheReviewDesk: a pushed series is there to be read, and what a reviewer says on the
// page comes into the read-through, where it lasts through a rewriting.
func TestTheReviewDesk(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	place, err := demo.Make(ctx, filepath.Join(dir, "demo"))
	require.NoError(t, err)
	desk, err := app.OpenDesk(ctx, place, app.AnyPort)
	require.NoError(t, err)
	work := fixture.Existing(t, place.Work)
	a, _, err := app.Open(ctx, place.Work)
	require.NoError(t, err)
	defer a.Close()

	compared, err := publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	said, err := publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: compared}, nil)
	require.NoError(t, err)
	page := desk.Address + "/series/" + demo.BranchName
	require.Equal(t, []string{page}, publishing.Links(said.Said), "the server names the page")
	status, body := get(t, page)
	assert.Equal(t, http.StatusOK, status)
	for _, subject := range strings.Split(work.Git("log", "--format=%s", "origin/main..HEAD"), "\n") {
		assert.Contains(t, body, subject)
	}
	_, body = get(t, desk.Address)
	assert.Contains(t, body, "/series/"+demo.BranchName)
	status, _ = get(t, desk.Address+"/series/nowhere")
	assert.Equal(t, http.StatusNotFound, status)

	commit := work.Git("log", "--format=%H", "--grep", "^mooring depth$")
	for name, test := range map[string]struct {
		path   string
		form   url.Values
		status int
	}{
		"on a line": {"comment", url.Values{"commit": {commit}, "path": {"berth/depth.go"}, "sign": {"+"}, "line": {"14"},
			"text": {"<b>Left over?</b>"}, "by": {"Oskar Brandt"}}, http.StatusOK},
		"on the commit": {"comment", url.Values{"commit": {commit}, "text": {"Say why."}, "by": {"Mira Lund"}}, http.StatusOK},
		"approved":      {"verdict", url.Values{"by": {"Oskar Brandt"}, "approved": {"yes"}}, http.StatusOK},
		"no text":       {"comment", url.Values{"commit": {commit}, "by": {"Oskar Brandt"}}, http.StatusBadRequest},
		"no line":       {"comment", url.Values{"commit": {commit}, "path": {"a"}, "text": {"x"}, "by": {"x"}}, http.StatusBadRequest},
		"no commit":     {"comment", url.Values{"commit": {"x"}, "text": {"x"}, "by": {"x"}}, http.StatusNotFound},
		"one from elsewhere": {"comment", url.Values{"commit": {work.Git("rev-parse", "origin/main")}, "text": {"x"}, "by": {"x"}},
			http.StatusNotFound},
		"nobody's verdict": {"verdict", url.Values{"approved": {"yes"}}, http.StatusBadRequest},
	} {
		response, err := http.PostForm(desk.Address+"/"+test.path+"/"+demo.BranchName, test.form)
		require.NoError(t, err)
		response.Body.Close()
		assert.Equal(t, test.status, response.StatusCode, name)
	}
	_, body = get(t, page)
	assert.Contains(t, body, "&lt;b&gt;Left over?", "untrusted text stays text")
	foreign, err := http.NewRequest(http.MethodPost, desk.Address+"/verdict/"+demo.BranchName, strings.NewReader("by=x"))
	require.NoError(t, err)
	foreign.Header.Set("Origin", "http://elsewhere.example")
	response, err := http.DefaultClient.Do(foreign)
	require.NoError(t, err)
	response.Body.Close()
	assert.Equal(t, http.StatusForbidden, response.StatusCode, "no other page may speak for the reader")

	for _, want := range []publishing.Received{{Comments: 2, Verdicts: 1}, {}} {
		got, err := publishing.Of(a).ReceiveReview(ctx)
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	placed := func() (where []string) {
		r, err := publishing.Of(a).ReadThrough(ctx)
		require.NoError(t, err)
		for _, n := range r.Remarks {
			where = append(where, fmt.Sprint(n.By, " on ", n.Subject, ":", n.Line >= 0))
		}
		require.Len(t, r.Verdicts, 1)
		assert.True(t, r.Verdicts[0].Approved)
		return where
	}
	want := []string{"Oskar Brandt on mooring depth:true", "Mira Lund on mooring depth:false"}
	assert.ElementsMatch(t, want, placed())
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	_, err = planning.Of(a).Apply(ctx, plan.Move(3, 1), app.OwnOnly, nil)
	require.NoError(t, err)
	assert.ElementsMatch(t, want, placed(), "after a rewriting")

	require.NoError(t, desk.Close())
	_, err = publishing.Of(a).ReceiveReview(ctx)
	assert.ErrorIs(t, err, app.ErrNoService)
	compared, err = publishing.Of(a).CompareRemote(ctx, "", true)
	require.NoError(t, err)
	said, err = publishing.Of(a).Send(ctx, publishing.Outgoing{Comparison: compared}, nil)
	require.NoError(t, err)
	assert.Empty(t, said, "a desk that is closed is not named")

	stop, cancel := context.WithCancel(ctx)
	again, err := app.OpenDesk(stop, place, app.AnyPort)
	require.NoError(t, err)
	a.Repo.ForgetConfig()
	got, err := publishing.Of(a).ReceiveReview(ctx)
	require.NoError(t, err)
	assert.Equal(t, publishing.Received{}, got, "what was said is kept")
	cancel()
	require.Eventually(t, func() bool { _, err := http.Get(again.Address); return err != nil }, patience, patience/1000)
	assert.Empty(t, work.Git("status", "--porcelain", "--", "berth/depth.go"))
}

// TestAServiceThatIsNone: whatever answers there, the remarks stay as they are.
func TestAServiceThatIsNone(t *testing.T) {
	t.Parallel()
	for name, handler := range map[string]http.HandlerFunc{
		"a page":    func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, "<html>") },
		"an error":  func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusInternalServerError) },
		"half":      func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, `{"comments": [{"id": "1", `) },
		"nonsense":  func(w http.ResponseWriter, _ *http.Request) { io.WriteString(w, `{"comments": [{"id": ""}]}`) },
		"a hang up": func(http.ResponseWriter, *http.Request) { panic(http.ErrAbortHandler) },
	} {
		t.Run(name, func(t *testing.T) {
			server := httptest.NewServer(handler)
			defer server.Close()
			work, _, _ := hub(t)
			work.Commit("one", "b", "2\n")
			a, _, err := app.Open(ctx, work.Dir)
			require.NoError(t, err)
			defer a.Close()
			_, err = publishing.Of(a).ReceiveReview(ctx)
			assert.ErrorContains(t, err, "No review service is set")
			work.Git("config", "bastel.review", server.URL)
			a.Repo.ForgetConfig()
			_, err = publishing.Of(a).ReceiveReview(ctx)
			assert.ErrorIs(t, err, app.ErrNotAllowed)
			_, err = a.Allow(ctx, true)
			require.NoError(t, err)
			_, err = publishing.Of(a).ReceiveReview(ctx)
			assert.ErrorIs(t, err, app.ErrNoService)
			assert.NoFileExists(t, filepath.Join(work.Dir, ".git", "bastel", "review.toml"))
		})
	}
}
