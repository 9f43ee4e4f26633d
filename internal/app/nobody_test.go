package app_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app"
	"bastel/internal/send"
	"bastel/test/fixture"
)

// quay is a branch on which the user and a colleague work at the same time, each commit
// with a file of its own.
type quay struct {
	t      *rapid.T
	user   *fixture.Repo
	app    *app.App
	mira   *fixture.Repo
	shared *fixture.Repo
	files  int
	sent   *int     // pushes that were carried out, in all runs
	theirs []string // files that the colleague has pushed
	mine   []string
}

func newQuay(t *rapid.T, dir string) *quay {
	q := &quay{t: t}
	q.user, q.shared = fixture.At(t, filepath.Join(dir, "user")), fixture.At(t, filepath.Join(dir, "shared"), "--bare")
	q.user.Git("remote", "add", "origin", q.shared.Dir)
	q.user.Commit("base", "base", "1\n")
	q.user.Git("push", "--quiet", "--set-upstream", "origin", "main")
	q.user.Git("switch", "--quiet", "-c", "topic")
	q.commit()
	q.user.Git("push", "--quiet", "--set-upstream", "origin", "topic")
	q.user.Git("clone", "--quiet", "--branch", "topic", q.shared.Dir, filepath.Join(dir, "mira"))
	q.mira = fixture.Existing(t, filepath.Join(dir, "mira")).ByMira()
	var err error
	q.app, _, err = app.Open(ctx, q.user.Dir)
	require.NoError(t, err)
	return q
}

func (q *quay) file(who string) string {
	q.files++
	return fmt.Sprint(who, q.files)
}

func (q *quay) commit() {
	name := q.file("mine")
	q.user.Commit("Add "+name, name, name+"\n")
	q.mine = append(q.mine, name)
}

// colleague takes the branch as it is there and pushes a commit.
func (q *quay) colleague() {
	q.mira.Git("fetch", "--quiet")
	q.mira.Git("reset", "--quiet", "--hard", "origin/topic")
	name := q.file("theirs")
	q.mira.Commit("Add "+name, name, name+"\n")
	q.mira.Git("push", "--quiet", "origin", "HEAD:topic")
	q.theirs = append(q.theirs, name)
}

// may takes a refusal as an answer, and no other error.
func (q *quay) may(err error) {
	if err != nil && !assert.True(q.t, isRefusal(err), "%v", err) {
		q.t.FailNow()
	}
}

func isRefusal(err error) bool {
	var refusal *app.Refusal
	var notSent *send.Refusal
	return assert.ErrorAs(discard{}, err, &refusal) || assert.ErrorAs(discard{}, err, &notSent)
}

// discard takes no notice.
type discard struct{}

func (discard) Errorf(string, ...any) {}

func (q *quay) reorder() {
	plan, err := q.app.NewPlan(ctx, "", "")
	require.NoError(q.t, err)
	n := len(plan.Next)
	plan = plan.Move(rapid.IntRange(0, n-1).Draw(q.t, "from"), rapid.IntRange(0, n-1).Draw(q.t, "to"))
	if rapid.Bool().Draw(q.t, "reword") {
		plan = plan.Reword(0, fmt.Sprintf("Say it anew, %d\n", q.files))
	}
	_, err = q.app.Apply(ctx, plan, app.OwnOnly, nil)
	q.may(err)
}

// take takes in what is known of others' commits.
func (q *quay) take() {
	s, err := q.app.SendSeries(ctx, false)
	require.NoError(q.t, err)
	if len(s.NotYours) == 0 {
		return
	}
	plan, err := q.app.NewPlan(ctx, "", "")
	require.NoError(q.t, err)
	plan, err = q.app.WithTaken(ctx, plan, len(plan.Next), s.NotYours)
	q.may(err)
	if err == nil {
		_, err = q.app.Apply(ctx, plan, app.OwnOnly, nil)
		q.may(err)
	}
}

// send pushes what was compared; between the look and the push there may be another's.
func (q *quay) send() {
	compared, err := q.app.CompareRemote(ctx, "", rapid.Bool().Draw(q.t, "ask"))
	require.NoError(q.t, err)
	if rapid.IntRange(0, 3).Draw(q.t, "between") == 0 {
		q.colleague()
	}
	_, err = q.app.Send(ctx, app.Outgoing{Comparison: compared}, nil)
	q.may(err)
	if err == nil && !compared.UpToDate() {
		*q.sent++
		assert.Equal(q.t, q.user.Git("rev-parse", "topic"), q.shared.Git("rev-parse", "topic"), "what was sent is there")
	}
}

// bring does what the advice says: fetch, take in, send, with nobody in between. The
// remote then has all of everybody's.
func (q *quay) bring() {
	_, err := q.app.Fetch(ctx, nil)
	require.NoError(q.t, err)
	q.take()
	compared, err := q.app.CompareRemote(ctx, "", true)
	require.NoError(q.t, err)
	if compared.UpToDate() {
		q.commit()
		compared, err = q.app.CompareRemote(ctx, "", true)
		require.NoError(q.t, err)
	}
	_, err = q.app.Send(ctx, app.Outgoing{Comparison: compared}, nil)
	q.may(err)
	if err == nil {
		*q.sent++
		there := strings.Split(q.shared.Git("ls-tree", "--name-only", "topic"), "\n")
		assert.Subset(q.t, there, append(q.theirs, q.mine...))
	}
}

// check: all that a colleague pushed is there, and all that is the user's is here.
func (q *quay) check() {
	there := strings.Split(q.shared.Git("ls-tree", "--name-only", "topic"), "\n")
	here := strings.Split(q.user.Git("ls-tree", "--name-only", "topic"), "\n")
	assert.Subset(q.t, there, q.theirs, "what a colleague pushed is never lost")
	assert.Subset(q.t, here, q.mine)
	assert.Empty(q.t, q.user.Git("status", "--porcelain"))
}

// TestNobodysWorkIsLost: whatever the user and a colleague do on one branch at the same
// time, in whatever order, what the colleague pushed stays on the remote.
func TestNobodysWorkIsLost(t *testing.T) {
	fixture.FewerChecks(t, "4")
	sent := 0
	rapid.Check(t, func(t *rapid.T) {
		dir, err := os.MkdirTemp("", "bastel-quay-")
		require.NoError(t, err)
		defer os.RemoveAll(dir)
		q := newQuay(t, dir)
		q.sent = &sent
		defer q.app.Close()
		t.Repeat(map[string]func(*rapid.T){
			"":          func(*rapid.T) { q.check() },
			"commit":    func(*rapid.T) { q.commit() },
			"colleague": func(*rapid.T) { q.colleague() },
			"reorder":   func(*rapid.T) { q.reorder() },
			"take":      func(*rapid.T) { q.take() },
			"send":      func(*rapid.T) { q.send() },
			"bring":     func(*rapid.T) { q.bring() },
			"fetch": func(t *rapid.T) {
				_, err := q.app.Fetch(ctx, nil)
				require.NoError(t, err)
			},
			"take back": func(*rapid.T) {
				_, _, err := q.app.TakeBackSent(ctx, "", nil)
				q.may(err)
			},
			"forward": func(*rapid.T) {
				_, err := q.app.Forward(ctx)
				q.may(err)
			},
			"undo": func(*rapid.T) {
				_, err := q.app.Undo(ctx)
				q.may(err)
			},
		})
		q.bring()
	})
	assert.Positive(t, sent, "something was sent")
}
