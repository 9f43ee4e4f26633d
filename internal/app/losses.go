package app

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/series"
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
	c.NotYours, c.Goes, c.Replaced, c.Whose, c.Rewrote = slices.Clone(found.notYours), slices.Clone(found.goes),
		slices.Clone(found.replaced), found.whose, found.rewrote
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
			taken[pair[0]] = taken[pair[0]] || here || livesOn(entries, pair[1], c)
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

// livesOn says whether a commit, or what later rewritings made of it, is in the branch and not on the remote.
func livesOn(entries []journal.Entry, id repo.ID, c send.Comparison) bool {
	seen := map[repo.ID]bool{}
	for open := []repo.ID{id}; len(open) > 0; {
		at := open[0]
		if open = open[1:]; seen[at] {
			continue
		}
		if seen[at] = true; slices.Contains(c.Adds, at) || slices.Contains(c.Brings, at) {
			return true
		}
		for _, e := range entries {
			for _, pair := range e.Pairs {
				if pair[0] == at {
					open = append(open, pair[1])
				}
			}
		}
	}
	return false
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
	here, err := a.Sources(ctx, append(slices.Clone(c.Brings[max(0, len(c.Brings)-LongestSeries):]), c.Adds...))
	if err != nil {
		return nil, nil, err
	}
	pairs, err := a.PairSeries(ctx, there, here)
	if err != nil {
		return nil, nil, err
	}
	mine, gone := a.IsMine(ctx), map[repo.ID]bool{}
	for _, p := range pairs {
		gone[p.Old] = gone[p.Old] || p.Relation == series.Gone
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

// IsMine says of a commit whether the user made it: wrote and committed it.
func (a *App) IsMine(ctx context.Context) func(Source) bool {
	mine := a.Me(ctx).Email
	return func(s Source) bool {
		return mine != "" && strings.EqualFold(s.Commit.Writer().Email, mine) && strings.EqualFold(s.Commit.CommittedBy().Email, mine)
	}
}

// Me is the user, as people know them; without an identity nobody, to whom nothing belongs.
func (a *App) Me(ctx context.Context) repo.Person {
	who, err := a.Repo.Committer(ctx)
	if err != nil {
		return repo.Person{}
	}
	people, err := a.Repo.Mailmap(ctx)
	if err != nil {
		return repo.Person{}
	}
	return people.Person(repo.ParsePerson(who))
}

// CompareBranch compares a branch with its place on a remote, and accounts for each commit that would go there. With ask the
// remote is asked; else it is as last fetched.
func (a *App) CompareBranch(ctx context.Context, branch, remote string, ask bool) (send.Comparison, error) {
	c, err := send.Compare(ctx, a.Repo, branch, remote, ask)
	if err != nil {
		return c, err
	}
	return c, a.accountFor(ctx, &c)
}

// WereThere says which commits the remote's branch once had: by the reflog of the ref that
// follows it, and by what was pushed from here.
func (a *App) WereThere(ctx context.Context, c send.Comparison, ids []repo.ID) (map[repo.ID]bool, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	var tips []repo.ID
	if c.Tracking != "" {
		if tips, err = a.Repo.ReflogValues(ctx, c.Tracking); err != nil {
			return nil, err
		}
	}
	for _, e := range entries {
		if e.Remote == c.Remote && e.Ref == c.Ref && !e.New.IsZero() {
			tips = append(tips, e.New)
		}
	}
	were := map[repo.ID]bool{}
	if len(tips) == 0 || len(ids) == 0 {
		return were, nil
	}
	args := []string{"--topo-order", "--ignore-missing"}
	for _, id := range tips {
		args = append(args, id.String())
	}
	within, err := a.Repo.RevList(ctx, append(args, "^"+c.There.String())...)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		were[id] = slices.Contains(within, id)
	}
	return were, nil
}

// rewroteThere names who rewrote, on the remote, commits of the branch that it had; empty:
// nobody did.
func (a *App) rewroteThere(ctx context.Context, c send.Comparison, never []repo.ID) (string, error) {
	own := slices.Clone(c.Adds)
	were, err := a.WereThere(ctx, c, own)
	if err != nil || len(never) == 0 || !slices.ContainsFunc(own, func(id repo.ID) bool { return were[id] }) {
		return "", err
	}
	last, err := a.Repo.Commit(ctx, never[len(never)-1])
	if err != nil {
		return "", err
	}
	return strings.TrimSpace(last.CommittedBy().Name), nil
}
