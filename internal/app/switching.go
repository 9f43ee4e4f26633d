package app

import (
	"context"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
)

// SwitchStep is the operation that goes to another branch: HEAD, the index and the working files, with loose and staged
// changes carried. It moves no branch. Where a change is in the way it is refused, and the file named. What the entry says
// of files and of the index is done as it says.
func (a *App) SwitchStep(ctx context.Context, entry journal.Entry, to repo.Head) (*Operation, error) {
	from, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	trees := treeStep{a.Repo.EmptyTree(), a.Repo.EmptyTree()}
	for i, at := range []repo.ID{from.Commit, to.Commit} {
		if !at.IsZero() {
			if trees[i], err = a.TreeOf(ctx, at); err != nil {
				return nil, err
			}
		}
	}
	entry.Ref, entry.Old, entry.New = from.Ref, from.Commit, from.Commit
	if entry.Ref == "" {
		entry.Ref = "HEAD"
	}
	entry.Head = []string{from.Ref, to.Ref}
	op := &Operation{Entry: entry, Head: [2]string{from.Ref, to.Ref}, trees: trees, content: a.Engine.Objects(),
		Reflog: ReflogMessage(entry.Kind, entry.Title)}
	if err := a.leaveAlone(ctx, op, a.Engine.Objects()); err != nil {
		return nil, err
	}
	if err := a.carryAlong(ctx, op, a.Engine.Objects()); err != nil {
		return nil, err
	}
	op.Seen = func(ctx context.Context) error {
		now, err := a.Repo.Head(ctx)
		if err != nil {
			return err
		}
		if now != from {
			return &Refusal{Reason: "HEAD has moved meanwhile. Nothing was changed. Look again, then repeat.", Err: repo.ErrMoved}
		}
		expected := to.Commit
		for _, move := range entry.Others {
			if move.Ref == to.Ref {
				expected = move.Old // it is made, or moved, in the same step
			}
		}
		if there, err := a.Repo.RefValue(ctx, to.Ref); err != nil || there != expected {
			if err == nil {
				err = &Refusal{Reason: to.Branch() + " has moved meanwhile. Nothing was changed. Look again, then repeat.", Err: repo.ErrMoved}
			}
			return err
		}
		return nil
	}
	op.Hooks = func(ctx context.Context) error {
		return a.Repo.RunHook(ctx, "post-checkout", a.hex(from.Commit), a.hex(to.Commit), "1")
	}
	return op, nil
}

// leaveAlone has the trees' step leave those files alone that the entry itself is about.
func (a *App) leaveAlone(ctx context.Context, op *Operation, objects *repo.Overlay) error {
	var stays []repo.IndexEntry
	for _, f := range append(slices.Clone(op.Entry.Files), op.Entry.Index...) {
		here, err := repo.Find(ctx, objects, op.trees[0], string(f.Path))
		if err != nil {
			return err
		}
		if here.Mode == repo.ModeTree { // its files are paths of their own
			here = repo.Entry{}
		}
		stays = append(stays, repo.IndexEntry{Path: string(f.Path), Mode: here.Mode, ID: here.ID})
	}
	return op.keepPaths(ctx, objects, stays)
}

// hex writes an id, also that of nothing.
func (a *App) hex(id repo.ID) string {
	if id.IsZero() {
		return strings.Repeat("0", len(a.Repo.EmptyTree().String()))
	}
	return id.String()
}
