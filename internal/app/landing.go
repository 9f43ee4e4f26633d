package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
)

// LandingStep makes a step of the local part of a landing. What the remote has stays there:
// others may build on it.
func (a *App) LandingStep(ctx context.Context, op *Operation, entry journal.Entry) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	for _, move := range append(slices.Clone(op.Entry.Others), journal.RefMove{Ref: entry.Ref, Old: op.Entry.Old, New: op.Entry.New}) {
		now, err := a.Repo.RefValue(ctx, move.Ref)
		if err != nil {
			return err
		}
		if now != move.Old {
			return &Refusal{Reason: fmt.Sprintf("%s has moved since it landed. Nothing was done.", strings.TrimPrefix(move.Ref, "refs/heads/")),
				Err: repo.ErrMoved}
		}
	}
	if !entry.New.IsZero() || entry.Away {
		return nil
	}
	op.Head = [2]string{entry.Ref, entry.Others[0].Ref}
	if op.Entry.Kind == journal.Undo {
		op.Head = [2]string{op.Head[1], op.Head[0]}
	}
	if head.Ref != op.Head[0] {
		return Refuse("The last step (%s) left you on %s, and you are elsewhere. Switch there first.", entry.Title,
			strings.TrimPrefix(op.Head[0], "refs/heads/"))
	}
	return nil
}
