package send

import (
	"context"
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/publishing"
	"bastel/internal/ui/kit"
	"bastel/test/fixture"
)

// TestOnlyWhatWasSeenIsSent: whatever changes between the look and the push, and is not on
// the screen yet, stops it.
func TestOnlyWhatWasSeenIsSent(t *testing.T) {
	for name, test := range map[string]struct {
		stack  bool
		change func(f, remote *fixture.Repo)
		want   string // why it is refused; empty: it is sent
	}{
		"nothing":              {false, func(_, _ *fixture.Repo) {}, ""},
		"nothing of the stack": {true, func(_, _ *fixture.Repo) {}, ""},
		"the branch grew":      {false, func(f, _ *fixture.Repo) { f.Commit("more", "b", "1\n") }, "topic has changed since you looked"},
		"the branch was rewritten": {false, func(f, _ *fixture.Repo) { f.Git("commit", "--quiet", "--amend", "-m", "anew") },
			"topic has changed since you looked"},
		"a lower branch moved": {true, func(f, _ *fixture.Repo) { f.Git("branch", "--quiet", "--force", "lower", "topic") },
			"lower has changed since you looked"},
		"a lower branch is gone": {true, func(f, _ *fixture.Repo) { f.Git("branch", "--quiet", "-D", "lower") },
			"The stack has changed since you looked"},
		"another remote": {false, func(f, remote *fixture.Repo) { f.Git("remote", "rename", "origin", "fork") },
			"topic on fork has changed"},
		"the remote has less": {false, func(_, remote *fixture.Repo) { remote.Git("branch", "--quiet", "-D", "topic") },
			"was deleted on origin since you last fetched"},
	} {
		t.Run(name, func(t *testing.T) {
			f := fixture.New(t)
			f.Commit("base", "a", "1\n")
			remote := f.Remote(t)
			f.Git("push", "--quiet", "--set-upstream", "origin", "main")
			f.Git("switch", "--quiet", "-c", "topic")
			f.Commit("one", "a", "2\n")
			f.Git("branch", "lower")
			f.Git("push", "--quiet", "origin", "topic")
			f.Commit("two", "a", "3\n")
			a, _, err := app.Open(context.Background(), f.Dir)
			require.NoError(t, err)
			defer a.Close()
			m := New(context.Background(), a, nil)
			m.series, err = publishing.Of(a).SendSeries(context.Background(), "", false)
			require.NoError(t, err)
			m.stack = test.stack
			seen := m.outgoing()
			test.change(f, remote)
			a.Repo.ForgetConfig()
			before := remote.Git("for-each-ref")
			got, err := m.carryOut(context.Background(), seen, "", func(string) {})
			if test.want == "" {
				require.NoError(t, err)
				assert.Contains(t, got.Note, "Sent ")
				return
			}
			if question, ok := got.Msg.(kit.Choose); ok {
				err = errors.New(question.Title)
			}
			assert.ErrorContains(t, err, test.want)
			assert.Equal(t, before, remote.Git("for-each-ref"))
		})
	}
}

// TestAnOlderReadingIsPassedOver: readings that began earlier may end later.
func TestAnOlderReadingIsPassedOver(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Remote(t)
	a, _, err := app.Open(context.Background(), f.Dir)
	require.NoError(t, err)
	defer a.Close()
	m := New(context.Background(), a, nil)
	read := func() kit.Read[publishing.Series] {
		return m.Situated(app.BranchStatus{})().(kit.Read[publishing.Series])
	}
	old := read()
	f.Commit("more", "a", "2\n")
	now := read()
	require.NotEqual(t, old.Value.Here, now.Value.Here)
	m.Update(now)
	m.Update(old)
	assert.Equal(t, now.Value.Here, m.series.Here)
}
