package publishing

import (
	"context"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/repo"
)

// LandedBranch is a branch with what came of its landing.
type LandedBranch struct {
	Branch string
	Landed
}

// LandInOrder lands branches one after the other, by one push: all of them or none. None of them need be checked out. Where the target
// moves forward to each, each sits on the one before it; merges need not, if they go together. Nothing here moves before the remote
// has taken it.
func (a *App) LandInOrder(ctx context.Context, names []string, how Landing, progress func(line string)) ([]LandedBranch, error) {
	if err := a.RefuseUnfinished(); err != nil {
		return nil, err
	}
	if len(names) > 1 && how.Message != "" {
		return nil, app.Refuse("One message cannot be that of several merges. Each gets its own without it.")
	}
	list, err := a.landings(ctx, names, how, progress)
	if err != nil {
		return nil, err
	}
	for _, l := range list {
		if err := l.ask(ctx); err != nil {
			return nil, err
		}
		if err := l.makeTip(ctx); err != nil {
			return nil, err
		}
	}
	if err := a.pushLandings(ctx, list); err != nil {
		return nil, err
	}
	landed := make([]LandedBranch, len(list))
	for i, l := range list { // they have landed: what fails from here on is told, and does not undo that
		if err := l.follow(ctx); err != nil {
			l.done.Warnings = append(l.done.Warnings, "it landed on the remote, and then failed here: "+err.Error())
		}
		landed[i] = LandedBranch{l.head.Branch(), l.done}
	}
	return landed, nil
}

// landings finds the branches, and refuses what can be told without the remote.
func (a *App) landings(ctx context.Context, names []string, how Landing, progress func(line string)) (list []*landing, err error) {
	for _, name := range names {
		l := &landing{App: a, how: how, progress: progress}
		l.how.Branch = name
		if err := l.find(ctx, list); err != nil {
			return nil, err
		}
		if seen, shown := how.Seen[name]; shown && seen != l.head.Commit {
			return nil, app.Refuse("%s was changed since it was shown. Nothing was changed. Look at it again.", name)
		}
		if err := a.blocked(ctx, l.head.Branch()); err != nil {
			return nil, err
		}
		if list = append(list, l); l.remote != list[0].remote {
			return nil, app.Refuse("%s lands on %s and %s on %s: no push is to both. Land them one after the other.", list[0].head.Branch(),
				list[0].remote, l.head.Branch(), l.remote)
		}
	}
	return list, nil
}

// pushLandings moves the targets on their remote, all of them or none, each from where it is there to where the last landing on it leads.
func (a *App) pushLandings(ctx context.Context, list []*landing) error {
	var refs []repo.PushedRef
	var titles []string
	for _, l := range list {
		at := slices.IndexFunc(refs, func(ref repo.PushedRef) bool { return ref.Ref == l.ref })
		if at < 0 {
			refs = append(refs, repo.PushedRef{Ref: l.ref, Expect: l.there})
			titles, at = append(titles, strings.TrimPrefix(l.ref, "refs/heads/")), len(refs)-1
		}
		refs[at].ID = l.tip
	}
	refs = slices.DeleteFunc(refs, func(ref repo.PushedRef) bool { return ref.ID == ref.Expect })
	if len(refs) == 0 {
		return nil
	}
	first := list[0]
	p := push{App: a, remote: first.remote, refs: refs, progress: first.progress, title: strings.Join(titles, ", ") + " to " + first.remote,
		done: journal.Sent}
	sent, err := p.carryOut(ctx)
	if sent.Said != "" {
		first.done.Notes = append(first.done.Notes, sent.Said)
	}
	first.done.Warnings = append(first.done.Warnings, sent.Warnings...)
	return err
}
