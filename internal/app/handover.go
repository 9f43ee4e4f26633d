package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"

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
		return nil, 0, refuse("%s has no commits of its own.", plan.Branch)
	}
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return nil, 0, err
	}
	objects := a.Repo.NewOverlay()
	var series []send.Patched
	for _, s := range sources {
		before, err := a.treeOf(ctx, s.Commit.Parent())
		if err != nil {
			return nil, 0, err
		}
		writer := s.Commit.Writer()
		series = append(series, send.Patched{ID: s.ID, Name: writer.Name, Email: writer.Email, When: writer.When, Message: s.Message, Before: before, Tree: s.Commit.Tree})
	}
	if !whole {
		text, err := send.Mailbox(ctx, objects, series)
		return text, len(series), err
	}
	var b bytes.Buffer
	err = send.Unified(ctx, objects, &b, series[0].Before, series[len(series)-1].Tree)
	return b.Bytes(), len(series), err
}

// Request writes the text of a request for review of the current branch.
func (a *App) Request(ctx context.Context) (string, error) {
	plan, err := a.NewPlan(ctx, "", "")
	if err != nil {
		return "", err
	}
	if len(plan.Sources) == 0 {
		return "", refuse("%s has no commits of its own.", plan.Branch)
	}
	matrix, err := a.Survey(ctx, plan)
	if err != nil {
		return "", err
	}
	series := make([]send.Described, len(matrix.Commits))
	for i, c := range matrix.Commits {
		series[i] = send.Described{ID: c.ID, Message: c.Message}
	}
	for _, row := range matrix.Rows {
		for _, cell := range row.Cells {
			d := &series[cell.Commit]
			d.Files++
			d.Added += cell.Added
			d.Removed += cell.Removed
		}
	}
	var since []send.Pairing
	switch s, err := a.SendSeries(ctx, false); {
	case errors.As(err, new(*send.Refusal)): // no remote: nothing was sent before
	case err != nil:
		return "", err
	case !s.There.IsZero():
		since = s.Pairs
	}
	return send.Request(plan.Branch, series, since), nil
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
			return e, c, refuse("%s is shared: others may build on what was sent. It is not taken back; send a commit that undoes it.", c.Branch)
		case e.New != c.There:
			return e, c, refuse("%s on %s is no longer at what you sent last: somebody built on it, or it was sent again. Nothing was changed.", c.Branch, c.Remote)
		}
		return e, c, nil
	}
	return journal.Entry{}, c, refuse("Nothing was sent from here that could be taken back.")
}

// TakeBackSent puts the remote's branch back to where it was before the last push, with a
// lease on what was sent; a branch that was new there goes. It says so in a sentence.
func (a *App) TakeBackSent(ctx context.Context, remote string, progress func(line string)) (said string, warnings []string, err error) {
	if err := a.free(); err != nil {
		return "", nil, err
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
