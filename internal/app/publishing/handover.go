package publishing

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"

	"bastel/internal/app"
	"bastel/internal/series"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/send"
)

// Patches writes the branch's commits as a mailbox, or its whole difference. It gives how
// many commits there are.
func (a *App) Patches(ctx context.Context, whole bool) ([]byte, int, error) {
	plan, err := a.NewPlan(ctx, "", "")
	if err != nil {
		return nil, 0, err
	}
	if len(plan.Sources) == 0 {
		return nil, 0, app.Refuse("%s has no commits of its own.", plan.Branch)
	}
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return nil, 0, err
	}
	objects := a.Repo.NewOverlay()
	var patches []series.Patched
	for _, s := range sources {
		before, err := a.TreeOf(ctx, s.Commit.Parent())
		if err != nil {
			return nil, 0, err
		}
		writer := s.Commit.SignedBy()
		patches = append(patches, series.Patched{ID: s.ID, Name: writer.Name, Email: writer.Email, When: writer.When, Message: s.Message,
			Before: before, Tree: s.Commit.Tree})
	}
	if !whole {
		text, err := series.Mailbox(ctx, objects, patches)
		return text, len(patches), err
	}
	var b bytes.Buffer
	err = series.Unified(ctx, objects, &b, patches[0].Before, patches[len(patches)-1].Tree)
	return b.Bytes(), len(patches), err
}

// Request writes the text of a request for review of the current branch.
func (a *App) Request(ctx context.Context) (string, error) {
	plan, err := a.NewPlan(ctx, "", "")
	if err != nil {
		return "", err
	}
	if len(plan.Sources) == 0 {
		return "", app.Refuse("%s has no commits of its own.", plan.Branch)
	}
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return "", err
	}
	described := make([]series.Described, len(sources))
	for i, source := range sources {
		files, err := a.CommitChanges(ctx, source.ID)
		if err != nil {
			return "", err
		}
		described[i] = series.Described{ID: source.ID, Message: source.Message, Files: len(files)}
		for _, f := range files {
			added, removed := f.Counts()
			described[i].Added += added
			described[i].Removed += removed
		}
	}
	var since []series.Pairing
	switch s, err := a.SendSeries(ctx, "", false); {
	case errors.As(err, new(*send.Refusal)): // no remote: nothing was sent before
	case err != nil:
		return "", err
	case !s.There.IsZero():
		since = s.Pairs
	}
	return series.Request(plan.Branch, described, since), nil
}

// LastSent is the last push of the current branch that a remote took, if the remote still
// has exactly that. With no name it is the one that the branch goes to.
func (a *App) LastSent(ctx context.Context, remote string) (journal.Entry, send.Comparison, error) {
	c, err := a.CompareRemote(ctx, remote, true)
	if err != nil {
		return journal.Entry{}, c, err
	}
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return journal.Entry{}, c, err
	}
	sent := map[int]bool{}
	for _, e := range entries {
		if e.Kind == journal.Pushed && e.Outcome == journal.Sent {
			sent[e.Of] = true
		}
	}
	for _, e := range entries { // the youngest first
		if e.Kind != journal.Push || !sent[e.Number] || e.Ref != c.Ref || e.Remote != c.Remote {
			continue
		}
		switch {
		case c.Shared:
			return e, c, app.Refuse("%s is shared: others may build on what was sent. It is not taken back; send a commit that undoes it.", c.Branch)
		case e.New != c.There:
			return e, c, app.Refuse("%s on %s is no longer at what you sent last: somebody built on it, or it was sent again. Nothing was "+
				"changed.", c.Branch, c.Remote)
		}
		return e, c, nil
	}
	return journal.Entry{}, c, app.Refuse("Nothing was sent from here that could be taken back.")
}

// TakingBack is what taking the last push back would do.
type TakingBack struct {
	Push    journal.Entry
	There   send.Comparison
	Says    string   // what becomes of the branch there
	BuiltOn []string // other branches there that have what was sent, as last fetched
}

// LookTakingBack looks at what taking the last push back would do.
func (a *App) LookTakingBack(ctx context.Context, remote string) (TakingBack, error) {
	last, c, err := a.LastSent(ctx, remote)
	look := TakingBack{Push: last, There: c}
	if err != nil {
		return look, err
	}
	name := strings.TrimPrefix(last.Ref, "refs/heads/")
	switch {
	case last.Old.IsZero():
		look.Says = fmt.Sprintf("%s is deleted on %s, where your last push made it.", name, c.Remote)
	case last.New.IsZero():
		look.Says = fmt.Sprintf("%s is made anew on %s, at %s, where it was before you deleted it.", name, c.Remote, last.Old.Short())
	default:
		look.Says = fmt.Sprintf("%s on %s goes back from %s to %s.", name, c.Remote, last.New.Short(), last.Old.Short())
	}
	if n := len(last.Others); n > 0 {
		look.Says += fmt.Sprintf(" So do the %s that went along.", wording.Count(n, "branch"))
	}
	if last.New.IsZero() {
		return look, nil
	}
	with, err := a.Repo.RemotesWith(ctx, last.New)
	for _, ref := range with {
		short := repo.Ref{Name: ref}.Short()
		if strings.HasPrefix(short, c.Remote+"/") && short != (repo.Ref{Name: c.Tracking}).Short() && !strings.HasSuffix(ref, "/HEAD") {
			look.BuiltOn = append(look.BuiltOn, short)
		}
	}
	return look, err
}

// PushedLast is the last push, if nothing was done here since that undo takes back.
func (a *App) PushedLast(ctx context.Context) (journal.Entry, bool, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return journal.Entry{}, false, err
	}
	done := journal.StateOf(entries, a.Repo.WorktreeName()).Done
	last := 0
	if len(done) > 0 {
		last = done[len(done)-1].Number
	}
	for _, e := range entries {
		if e.Number <= last || e.Kind == journal.Undo || e.Kind == journal.Pushed && e.Outcome == journal.TakenBack {
			break
		}
		if e.Kind == journal.Pushed && e.Outcome == journal.Sent && e.Worktree == a.Repo.WorktreeName() {
			return e, true, nil
		}
	}
	return journal.Entry{}, false, nil
}

// bringBack makes a branch anew that was deleted on a remote, where it was, unless it is there again.
func (a *App) bringBack(ctx context.Context, gone journal.Entry, progress func(line string)) (said string, warnings []string, err error) {
	name := strings.TrimPrefix(gone.Ref, "refs/heads/")
	if there, err := a.Repo.Has(ctx, gone.Old); err != nil || !there || gone.Old.IsZero() {
		return "", nil, cmp.Or[error](err, app.Refuse("What %s had on %s is not here, so it cannot be brought back. Nothing was changed.", name,
			gone.Remote))
	}
	p := push{App: a, remote: gone.Remote, progress: progress, done: journal.TakenBack, title: name + " brought back on " + gone.Remote,
		refs: []repo.PushedRef{{Ref: gone.Ref, ID: gone.Old}}}
	sent, err := p.carryOut(ctx)
	if err != nil {
		return "", nil, err
	}
	return fmt.Sprintf("%s is on %s again, at %s.", name, gone.Remote, gone.Old.Short()), sent.Warnings, nil
}

// TakeBackSent puts the remote's branch back to where it was before the last push, with a
// lease on what was sent; a branch that was new there goes. It says so in a sentence.
func (a *App) TakeBackSent(ctx context.Context, remote string, progress func(line string)) (said string, warnings []string, err error) {
	if err := a.RefuseUnfinished(); err != nil {
		return "", nil, err
	}
	if gone, last, err := a.PushedLast(ctx); err != nil || last && gone.New.IsZero() {
		if err != nil {
			return "", nil, err
		}
		return a.bringBack(ctx, gone, progress)
	}
	last, c, err := a.LastSent(ctx, remote)
	if err != nil {
		return "", nil, err
	}
	p := push{App: a, remote: c.Remote, progress: progress, done: journal.TakenBack, title: c.Branch + " on " + c.Remote + " taken back"}
	for _, move := range append([]journal.RefMove{{Ref: last.Ref, Old: last.Old, New: last.New}}, last.Others...) {
		p.refs = append(p.refs, repo.PushedRef{Ref: move.Ref, ID: move.Old, Expect: move.New})
	}
	sent, err := p.carryOut(ctx)
	if err != nil {
		return "", nil, err
	}
	where := "is at " + last.Old.Short() + " again"
	if last.Old.IsZero() {
		where = "is gone again"
	}
	return fmt.Sprintf("%s on %s %s. Whoever fetched meanwhile still has what was sent.", c.Branch, c.Remote, where), sent.Warnings, nil
}
