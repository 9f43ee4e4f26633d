package app

import (
	"bytes"
	"context"
	"errors"

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
