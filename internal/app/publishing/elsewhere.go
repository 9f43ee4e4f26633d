package publishing

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"bastel/internal/app"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/wording"
)

// Elsewhere is a branch as its remote has it, when it goes here, or gets another name.
type Elsewhere struct {
	send.Comparison
	Name  string       // the new one; empty: the branch goes
	Loses []app.Source // commits that no ref but these would hold, newest first
}

// Elsewhere finds where branches are on remotes, by what was last fetched, for those that go here or get another name, which
// a map gives. What others build on by rule, and what a remote does not have, is left out.
func (a *App) Elsewhere(ctx context.Context, branches []string, names map[string]string) ([]Elsewhere, error) {
	var found []Elsewhere
	for _, branch := range branches {
		c, err := a.CompareBranch(ctx, branch, "", false)
		if errors.As(err, new(*send.Refusal)) {
			continue // it is on no remote
		}
		if err != nil {
			return nil, err
		}
		if c.There.IsZero() || c.Shared {
			continue
		}
		e := Elsewhere{Comparison: c, Name: names[branch]}
		if e.Name == "" {
			if e.Loses, err = a.onlyThere(ctx, branches, c); err != nil {
				return nil, err
			}
		}
		found = append(found, e)
	}
	return found, nil
}

// onlyThere lists what only the remote's branch has, with branches that go.
func (a *App) onlyThere(ctx context.Context, branches []string, c send.Comparison) ([]app.Source, error) {
	args := []string{c.There.String(), "--not"}
	for _, branch := range branches {
		args = append(args, "--exclude="+branch)
	}
	args = append(args, "--branches", "--exclude="+strings.TrimPrefix(c.Tracking, "refs/remotes/"), "--remotes", "--tags")
	ids, err := a.Repo.RevList(ctx, args...)
	if err != nil {
		return nil, err
	}
	return a.Sources(ctx, ids)
}

// Says tells where the branch is, and what goes with it, and whose that is.
func (e Elsewhere) Says() string {
	there := strings.TrimPrefix(e.Ref, "refs/heads/") + " on " + e.Remote
	if e.Name != "" {
		return there + ", to be called " + e.Name
	}
	if len(e.Loses) == 0 {
		return there
	}
	const most = 3
	var named []string
	for _, s := range e.Loses[:min(most, len(e.Loses))] {
		named = append(named, fmt.Sprintf("%q of %s", s.Commit.Subject(), s.Commit.Writer().Name))
	}
	if more := len(e.Loses) - most; more > 0 {
		named = append(named, fmt.Sprintf("%d more", more))
	}
	return fmt.Sprintf("%s, which alone has %s (%s)", there, wording.Count(len(e.Loses), "commit"), strings.Join(named, ", "))
}

// FollowThere has remotes do with branches what was done here: they go, or get their new names, each with a lease on what
// was last fetched. It goes remote by remote; of one remote all or none.
func (a *App) FollowThere(ctx context.Context, list []Elsewhere, progress func(line string)) (Sent, error) {
	var all Sent
	for len(list) > 0 {
		remote, rest := list[0].Remote, []Elsewhere(nil)
		p := push{App: a, remote: remote, progress: progress, done: journal.Sent}
		var named []Elsewhere
		var titles []string
		for _, e := range list {
			if e.Remote != remote {
				rest = append(rest, e)
				continue
			}
			name := strings.TrimPrefix(e.Ref, "refs/heads/")
			if e.Name != "" {
				p.refs = append(p.refs, repo.PushedRef{Ref: "refs/heads/" + e.Name, ID: e.There})
				p.followers = append(p.followers, "")
				named = append(named, e)
				titles = append(titles, name+" called "+e.Name)
			} else {
				titles = append(titles, name+" deleted")
			}
			p.refs = append(p.refs, repo.PushedRef{Ref: e.Ref, Expect: e.There})
			p.followers = append(p.followers, e.Tracking)
		}
		p.title = strings.Join(titles, ", ") + " on " + remote
		sent, err := p.carryOut(ctx)
		all.Said, all.Warnings = strings.TrimSpace(all.Said+"\n"+sent.Said), append(all.Warnings, sent.Warnings...)
		if err != nil {
			return all, err
		}
		for _, e := range named {
			if err := a.Repo.SetUpstream(context.WithoutCancel(ctx), e.Name, e.Remote, "refs/heads/"+e.Name); err != nil {
				all.Warnings = append(all.Warnings, err.Error())
			}
		}
		list = rest
	}
	return all, nil
}
