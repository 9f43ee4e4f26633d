package publishing_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/send"
	"bastel/test/fixture"
)

// quay is a shared repository and a fork of it, in which three people do what they like, on two
// branches. Each commit adds a file of its own, named after who made it.
type quay struct {
	t       *rapid.T
	remotes map[string]*fixture.Repo
	people  []*person
	files   int
	brought map[string]string          // by remote and file: whose Bastel sent it there last
	before  map[string]map[string]bool // what was there before the action under way
	sent    *int                       // pushes that were carried out, in all runs
	asked   *int                       // questions that named a commit of somebody else
}

// person is one of them. Some use Bastel, one the repository's own commands.
type person struct {
	name string
	*fixture.Repo
	app *app.App // nil: none
}

func newQuay(t *rapid.T, dir string) *quay {
	q := &quay{t: t, remotes: map[string]*fixture.Repo{}, brought: map[string]string{}}
	for _, name := range []string{"origin", "fork"} {
		q.remotes[name] = fixture.At(t, filepath.Join(dir, name), "--bare")
	}
	for _, name := range []string{"ines", "mira", "oskar"} {
		p := &person{name: name, Repo: fixture.At(t, filepath.Join(dir, name))}
		p.Git("config", "user.name", name)
		p.Git("config", "user.email", name+"@quay.example")
		for remote, r := range q.remotes {
			p.Git("remote", "add", remote, r.Dir)
		}
		if name == "ines" {
			p.Commit("base", "base", "1\n")
			p.Git("push", "--quiet", "origin", "main")
			p.Git("push", "--quiet", "fork", "main")
			for _, branch := range []string{"topic", "other"} {
				p.Git("switch", "--quiet", "-c", branch, "main")
				q.commit(p)
				p.Git("push", "--quiet", "--set-upstream", "origin", branch)
			}
		} else {
			p.Git("fetch", "--quiet", "--all")
			for _, branch := range []string{"main", "topic", "other"} {
				p.Git("switch", "--quiet", "--force-create", branch, "--track", "origin/"+branch)
			}
		}
		if name == "mira" {
			p.Git("config", "remote.pushDefault", "fork")
		}
		if name != "oskar" {
			a, _, err := app.Open(ctx, p.Dir)
			require.NoError(t, err)
			p.app = a
		}
		q.people = append(q.people, p)
	}
	return q
}

func (q *quay) close() {
	for _, p := range q.people {
		if p.app != nil {
			p.app.Close()
		}
	}
}

func (q *quay) commit(p *person) {
	q.files++
	name := fmt.Sprint(p.name, q.files)
	p.Commit("Add "+name, name, name+"\n")
}

// there lists the files that any branch of a remote has.
func (q *quay) there() map[string]map[string]bool {
	all := map[string]map[string]bool{}
	for remote, r := range q.remotes {
		all[remote] = map[string]bool{}
		for ref := range strings.FieldsSeq(r.Git("for-each-ref", "--format=%(refname)")) {
			for file := range strings.FieldsSeq(r.Git("ls-tree", "--name-only", ref)) {
				all[remote][file] = true
			}
		}
	}
	return all
}

// watched does something by one's Bastel, and holds that no work of others goes from a remote
// by that, but what was named in a question before. Refusals are answers.
func (q *quay) watched(p *person, what string, do func() (named []string, err error)) {
	q.before = q.there()
	named, err := do()
	var refusal *app.Refusal
	var notSent *send.Refusal
	if err != nil && !errors.As(err, &refusal) && !errors.As(err, &notSent) {
		require.NoError(q.t, err, "%s of %s", what, p.name)
	}
	after := q.there()
	for remote, files := range q.before {
		for file := range files {
			landed := what == "landing" && after["origin"][file] // its branch is deleted by that, where it was pushed to
			own := what == "taking back" && q.brought[remote+file] == p.name
			if !after[remote][file] && !landed && !own && !strings.HasPrefix(file, p.name) {
				assert.Contains(q.t, named, "Add "+file, "%s of %s took it from %s", what, p.name, remote)
			}
		}
	}
	for remote, files := range after {
		for file := range files {
			if !q.before[remote][file] {
				q.brought[remote+file] = p.name
			}
		}
	}
	p.Git("fsck", "--strict")
}

func (q *quay) user(t *rapid.T) *person { return q.people[rapid.IntRange(0, 1).Draw(t, "who")] }

// rewrite moves, rewords, joins or leaves out commits, whosever they are. What goes of others from the branch was named, and only then
// does saying yes let it go.
func (q *quay) rewrite(p *person, t *rapid.T) error {
	plan, err := p.app.NewPlan(ctx, "", "")
	if err != nil || len(plan.Next) == 0 {
		return err
	}
	at := rapid.IntRange(0, len(plan.Next)-1).Draw(t, "at")
	switch rapid.IntRange(0, 4).Draw(t, "edit") {
	case 0:
		plan = plan.Move(at, rapid.IntRange(0, len(plan.Next)-1).Draw(t, "to"))
	case 1:
		plan = plan.Reword(at, fmt.Sprintf("Say it anew, %d\n", q.files))
	case 2:
		if at > 0 {
			plan = plan.Join(at-1, at)
		}
	default:
		if len(plan.Next) > 1 {
			plan = plan.LeaveOut(at)
		}
	}
	tip := "refs/heads/" + plan.Branch
	wrote := func(what string) map[string]bool { // by others than this one, on the branch
		found := map[string]bool{}
		for word := range strings.FieldsSeq(p.Git("log", "--format="+what, "--perl-regexp", "--author=^(?!"+p.name+")", tip)) {
			found[word] = true
		}
		return found
	}
	files, commits := strings.Fields(p.Git("ls-tree", "--name-only", tip)), wrote("%an:%at")
	named := ""
	_, err = planning.Of(p.app).Apply(ctx, plan, app.OwnOnly, nil)
	if errors.Is(err, app.ErrOthers) {
		if named = err.Error(); rapid.Bool().Draw(t, "others") {
			_, err = planning.Of(p.app).Apply(ctx, plan, app.Others, nil)
		}
	}
	now, still := strings.Fields(p.Git("ls-tree", "--name-only", tip)), wrote("%an:%at")
	for _, file := range files {
		if !slices.Contains(now, file) && !strings.HasPrefix(file, p.name) {
			assert.Contains(t, named, "Add "+file, "%s let it go from %s", p.name, plan.Branch)
		}
	}
	for commit := range commits {
		if name, _, _ := strings.Cut(commit, ":"); !still[commit] {
			assert.Contains(t, named, name, "%s let a commit go from %s", p.name, plan.Branch)
		}
	}
	return err
}

func takeIn(p *person) error {
	plan, err := p.app.NewPlan(ctx, "", "")
	if err != nil {
		return err
	}
	plan, _, err = publishing.Of(p.app).TakeIn(ctx, plan, nil)
	if err == nil {
		_, err = planning.Of(p.app).Apply(ctx, plan, app.OwnOnly, nil)
	}
	return err
}

// push sends, by the answers that somebody gives who may or may not mean it; between the look
// and the push others may do something.
func (q *quay) push(p *person, t *rapid.T) (named []string, err error) {
	c, err := publishing.Of(p.app).CompareRemote(ctx, "", rapid.Bool().Draw(t, "ask"))
	if err != nil {
		return nil, err
	}
	out := publishing.Outgoing{Comparison: c}
	var refusal *send.Refusal
	for range 2 {
		if !errors.As(out.Verdict(), &refusal) || refusal.Question == "" || !rapid.Bool().Draw(t, "consent") {
			break
		}
		out.Consent.BringBack = out.Consent.BringBack || refusal.Cause == send.WentThere
		if refusal.Cause == send.RemovesOthers {
			*q.asked++
			for _, lost := range c.Removes() {
				named = append(named, lost.Subject)
				out.Consent.Remove = append(out.Consent.Remove, lost.ID)
			}
		}
	}
	if rapid.IntRange(0, 3).Draw(t, "between") == 0 {
		q.byCommand(t)
		q.before = q.there()
	}
	_, err = publishing.Of(p.app).Send(ctx, out, nil)
	if err == nil && !c.UpToDate() {
		*q.sent++
		assert.Equal(q.t, p.Git("rev-parse", c.Branch), q.remotes[c.Remote].Git("rev-parse", strings.TrimPrefix(c.Ref, "refs/heads/")),
			"what was sent is there")
	}
	return named, err
}

// byCommand does what somebody does who uses no Bastel, however rude.
func (q *quay) byCommand(t *rapid.T) {
	p := q.people[2]
	branch := rapid.SampledFrom([]string{"topic", "other"}).Draw(t, "branch")
	remote := rapid.SampledFrom([]string{"origin", "origin", "fork"}).Draw(t, "remote")
	p.Git("fetch", "--quiet", "--prune", "--all")
	p.Git("switch", "--quiet", "--detach", "origin/main")
	if _, err := p.Run("rev-parse", "--verify", "--quiet", remote+"/"+branch); err == nil {
		p.Git("switch", "--quiet", "--detach", remote+"/"+branch)
	}
	switch rapid.IntRange(0, 5).Draw(t, "command") {
	case 0, 1:
		q.commit(p)
		p.Git("push", "--quiet", remote, "HEAD:refs/heads/"+branch)
	case 2: // rewritten
		p.Git("commit", "--quiet", "--amend", "-m", fmt.Sprint("Oskar's words, ", q.files))
		p.Git("push", "--quiet", "--force", remote, "HEAD:refs/heads/"+branch)
	case 3: // moved back
		if _, err := p.Run("rev-parse", "--verify", "--quiet", "HEAD~1"); err == nil {
			p.Git("push", "--quiet", "--force", remote, "HEAD~1:refs/heads/"+branch)
		}
	case 4: // deleted
		_, _ = p.Run("push", "--quiet", remote, ":refs/heads/"+branch)
	case 5: // landed
		_, _ = p.Run("push", "--quiet", "origin", "HEAD:refs/heads/main")
	}
}

// check: nothing of one's own is lost here, and nothing is left half done.
func (q *quay) check() {
	for _, p := range q.people[:2] {
		assert.Empty(q.t, p.Git("status", "--porcelain"))
	}
}

// TestNobodysWorkIsLost: whatever three people do on two branches of two remotes, by Bastel or
// by the repository's own commands, at any moment: nothing that one of them has on a remote goes from
// all of its branches by another's Bastel, unless a question named it.
func TestNobodysWorkIsLost(t *testing.T) {
	fixture.FewerChecks(t, "4")
	for _, name := range []string{"GIT_AUTHOR_NAME", "GIT_AUTHOR_EMAIL", "GIT_COMMITTER_NAME", "GIT_COMMITTER_EMAIL"} {
		t.Setenv(name, "") // and restored afterwards: each of them is who the configuration says
		require.NoError(t, os.Unsetenv(name))
	}
	sent, asked := 0, 0
	rapid.Check(t, func(t *rapid.T) {
		dir, err := os.MkdirTemp("", "bastel-quay-")
		require.NoError(t, err)
		defer os.RemoveAll(dir)
		q := newQuay(t, dir)
		q.sent, q.asked = &sent, &asked
		defer q.close()
		quietly := func(what string, do func(p *person, t *rapid.T) error) func(*rapid.T) {
			return func(t *rapid.T) {
				p := q.user(t)
				q.watched(p, what, func() ([]string, error) { return nil, do(p, t) })
			}
		}
		t.Repeat(map[string]func(*rapid.T){
			"":        func(*rapid.T) { q.check() },
			"commit":  func(t *rapid.T) { q.commit(q.user(t)) },
			"command": q.byCommand,
			"switch": func(t *rapid.T) {
				p, to := q.user(t), rapid.SampledFrom([]string{"topic", "other"}).Draw(t, "to")
				if _, err := p.Run("switch", "--quiet", "--no-guess", to); err != nil { // it has landed, and is begun anew
					p.Git("switch", "--quiet", "--no-track", "-c", to, "origin/main")
				}
			},
			"rewrite": quietly("rewriting", q.rewrite),
			"take in": quietly("taking in", func(p *person, _ *rapid.T) error { return takeIn(p) }),
			"send": func(t *rapid.T) {
				p := q.user(t)
				q.watched(p, "sending", func() ([]string, error) { return q.push(p, t) })
			},
			"fetch":   quietly("fetching", func(p *person, _ *rapid.T) error { _, err := publishing.Of(p.app).Fetch(ctx, nil); return err }),
			"forward": quietly("moving forward", func(p *person, _ *rapid.T) error { _, err := planning.Of(p.app).Forward(ctx); return err }),
			"undo":    quietly("undoing", func(p *person, _ *rapid.T) error { _, err := planning.Of(p.app).Undo(ctx); return err }),
			"take back": quietly("taking back", func(p *person, _ *rapid.T) error {
				_, _, err := publishing.Of(p.app).TakeBackSent(ctx, "", nil)
				return err
			}),
			"land": quietly("landing", func(p *person, t *rapid.T) error {
				_, err := publishing.Of(p.app).Land(ctx, publishing.Landing{Delete: rapid.Bool().Draw(t, "delete")}, nil)
				return err
			}),
			"bring": func(t *rapid.T) {
				p := q.user(t)
				q.watched(p, "following the advice", func() ([]string, error) { return nil, q.bring(p) })
			},
		})
		q.commit(q.people[0])
		q.watched(q.people[0], "following the advice", func() ([]string, error) { return nil, q.bring(q.people[0]) })
	})
	assert.Positive(t, sent, "something was sent")
	t.Logf("sent %d times, asked about others' work %d times", sent, asked)
}

// bring does what the advice says, with nobody in between: fetch, take in or move forward, send.
// It ends, and the remote then has what is here.
func (q *quay) bring(p *person) error {
	if _, err := publishing.Of(p.app).Fetch(ctx, nil); err != nil {
		return err
	}
	var steps []string
	for range 4 {
		c, err := publishing.Of(p.app).CompareRemote(ctx, "", true)
		if err != nil || c.UpToDate() {
			return err
		}
		var refusal *send.Refusal
		err = c.Verdict(send.Consent{})
		switch {
		case err == nil:
			if _, err = publishing.Of(p.app).Send(ctx, publishing.Outgoing{Comparison: c}, nil); err == nil {
				*q.sent++
			}
			return err
		case !errors.As(err, &refusal):
			return err
		case refusal.Cause == send.Behind && c.Tracking == upstreamOf(p, c.Branch):
			_, err = planning.Of(p.app).Forward(ctx)
		case refusal.Cause == send.Behind, refusal.Cause == send.RemovesOthers, refusal.Cause == send.WentThere:
			return nil // it is for the user to say
		default:
			err = takeIn(p)
		}
		steps = append(steps, string(refusal.Cause))
		if err != nil {
			return err // a conflict with oneself, say
		}
	}
	return fmt.Errorf("the advice leads in a circle: %s", slices.Compact(steps))
}

func upstreamOf(p *person, branch string) string {
	name, err := p.Run("rev-parse", "--symbolic-full-name", branch+"@{upstream}")
	if err != nil {
		return ""
	}
	return strings.TrimSpace(name)
}
