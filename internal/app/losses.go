package app

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/send"
)

// lossCache keeps the last answers to what a push would lose: they follow from the two
// tips and the journal alone.
type lossCache struct {
	mu    sync.Mutex
	known map[lossKey]accounted
}

type lossKey struct {
	branch      string
	here, there repo.ID
	journal     repo.ID
}

// accounted is what became of commits that a push would replace.
type accounted struct {
	notYours []repo.ID
	replaced []send.Theirs
	goes     []send.Theirs
	whose    string
	rewrote  string
}

// mostLosses is how many answers are kept.
const mostLosses = 64

// accountFor says of each commit that a push would replace whether it is the user's to
// replace, and whether something here stands for it.
func (a *App) accountFor(ctx context.Context, c *send.Comparison) error {
	if len(c.Replaces) == 0 || !c.Known {
		return nil
	}
	at, err := a.Repo.RefValue(ctx, journal.Ref(a.Repo))
	if err != nil {
		return err
	}
	key := lossKey{c.Branch, c.Here, c.There, at}
	a.losses.mu.Lock()
	found, ok := a.losses.known[key]
	a.losses.mu.Unlock()
	if !ok {
		if found, err = a.account(ctx, *c); err != nil {
			return err
		}
		a.losses.mu.Lock()
		if len(a.losses.known) >= mostLosses || a.losses.known == nil {
			a.losses.known = map[lossKey]accounted{}
		}
		a.losses.known[key] = found
		a.losses.mu.Unlock()
	}
	c.NotYours, c.Goes, c.Replaced, c.Whose, c.Rewrote = slices.Clone(found.notYours), slices.Clone(found.goes), slices.Clone(found.replaced), found.whose, found.rewrote
	return nil
}

func (a *App) account(ctx context.Context, c send.Comparison) (out accounted, err error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return out, err
	}
	if out.notYours, err = a.neverHere(ctx, c, entries); err != nil {
		return out, err
	}
	within := slices.DeleteFunc(slices.Clone(c.Replaces), func(id repo.ID) bool { return slices.Contains(out.notYours, id) })
	if out.replaced, out.goes, err = a.unaccounted(ctx, c, within); err != nil || len(out.notYours) == 0 {
		return out, err
	}
	last, err := a.Repo.Commit(ctx, out.notYours[len(out.notYours)-1])
	if err != nil {
		return out, err
	}
	out.whose = fmt.Sprintf(", %q of %s", last.Subject(), last.Writer().Name)
	out.rewrote, err = a.rewroteThere(ctx, c, out.notYours)
	return out, err
}

// neverHere leaves of what by the reflog never was in the branch that which was by the
// journal: since a branch was deleted and brought back its reflog knows less; or what was
// taken into the branch from elsewhere.
func (a *App) neverHere(ctx context.Context, c send.Comparison, entries []journal.Entry) ([]repo.ID, error) {
	ref := "refs/heads/" + c.Branch
	var args []string
	taken := map[repo.ID]bool{}
	for _, e := range entries {
		if e.Kind == journal.Push || e.Kind == journal.Pushed {
			continue
		}
		for _, move := range append([]journal.RefMove{{Ref: e.Ref, Old: e.Old, New: e.New}}, e.Others...) {
			if move.Ref != ref {
				continue
			}
			for _, id := range []repo.ID{move.Old, move.New} {
				if !id.IsZero() {
					args = append(args, "^"+id.String())
				}
			}
		}
		if len(e.Taken) == 0 {
			continue
		}
		here, err := a.Repo.IsAncestor(ctx, e.New, c.Here)
		if err != nil {
			return nil, err
		}
		for _, pair := range e.Taken {
			taken[pair[0]] = taken[pair[0]] || here
		}
	}
	never := c.NotYours
	if len(args) > 0 && len(never) > 0 {
		known, err := a.Repo.RevList(ctx, append([]string{"--topo-order", "--reverse", c.There.String(), "^" + c.Here.String()}, args...)...)
		if err != nil {
			return nil, err
		}
		never = slices.DeleteFunc(slices.Clone(never), func(id repo.ID) bool { return !slices.Contains(known, id) })
	}
	return slices.DeleteFunc(slices.Clone(never), func(id repo.ID) bool { return taken[id] }), nil
}

// unaccounted parts commits into those that are replaced, and those for which nothing here
// stands: no commit with their change, or that they were joined to. Such a one was left out,
// or came and was undone.
func (a *App) unaccounted(ctx context.Context, c send.Comparison, within []repo.ID) (replaced, goes []send.Theirs, err error) {
	if len(within) == 0 {
		return nil, nil, nil
	}
	there, err := a.Sources(ctx, within)
	if err != nil {
		return nil, nil, err
	}
	here, err := a.Sources(ctx, append(slices.Clone(c.Brings[max(0, len(c.Brings)-seriesLimit):]), c.Adds...))
	if err != nil {
		return nil, nil, err
	}
	pairs, err := a.pairs(ctx, there, here)
	if err != nil {
		return nil, nil, err
	}
	mine, gone := a.isMine(ctx), map[repo.ID]bool{}
	for _, p := range pairs {
		gone[p.Old] = gone[p.Old] || p.Relation == send.Gone
	}
	for _, s := range there {
		commit := send.Theirs{ID: s.ID, By: s.Commit.Writer().Name, Subject: s.Commit.Subject(), Mine: mine(s)}
		if gone[s.ID] {
			goes = append(goes, commit)
		} else {
			replaced = append(replaced, commit)
		}
	}
	return replaced, goes, nil
}

// isMine says of a commit whether the user made it: wrote and committed it.
func (a *App) isMine(ctx context.Context) func(Source) bool {
	who, err := a.Repo.Committer(ctx)
	if err != nil {
		who = "" // without an identity nothing is the user's
	}
	mine := repo.ParsePerson(who).Email
	return func(s Source) bool {
		return s.Commit.Writer().Email == mine && repo.ParsePerson(s.Commit.Committer).Email == mine
	}
}
