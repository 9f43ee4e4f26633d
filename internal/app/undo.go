package app

import (
	"context"
	"fmt"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
)

// Undo takes the last step back that Bastel made in this working tree. It gives
// the entry that was taken back.
func (a *App) Undo(ctx context.Context) (journal.Entry, error) {
	return a.step(ctx, journal.Undo)
}

// Redo does the last step again that was taken back.
func (a *App) Redo(ctx context.Context) (journal.Entry, error) {
	return a.step(ctx, journal.Redo)
}

func (a *App) step(ctx context.Context, kind journal.Kind) (journal.Entry, error) {
	var none journal.Entry
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return none, err
	}
	state := journal.StateOf(entries, a.Repo.GitDir())
	list, nothing := state.Done, "There is nothing to undo."
	if kind == journal.Redo {
		list, nothing = state.Undone, "There is nothing to redo."
	}
	if len(list) == 0 {
		return none, refuse("%s", nothing)
	}
	entry := list[len(list)-1]
	if entry.Kind == journal.Mend {
		return entry, a.stepMend(ctx, kind, entry)
	}
	if err := a.free(); err != nil {
		return none, err
	}
	if entry.Kind == journal.Land {
		return entry, a.stepLand(ctx, kind, entry)
	}
	from, to := entry.New, entry.Old
	if kind == journal.Redo {
		from, to = entry.Old, entry.New
	}
	if entry.Kind == journal.Discard || entry.Kind == journal.Take {
		return entry, a.stepDiscard(ctx, kind, entry)
	}
	elsewhere := false
	if entry.Kind == journal.Apply || entry.Kind == journal.Forward {
		if elsewhere, err = a.stillElsewhere(ctx, entry, from); err != nil {
			return none, err
		}
	}
	if !elsewhere {
		if err := a.stillAt(ctx, entry, from); err != nil {
			return none, err
		}
	}
	record := journal.Entry{Kind: kind, Ref: entry.Ref, Old: from, New: to, Of: entry.Number, Title: entry.Title}
	record.Others = entry.Others
	if kind == journal.Undo {
		record.Others = turnedBack(entry.Others)
	}
	reflog := fmt.Sprintf("%s: %s", kind, entry.Title)
	switch entry.Kind {
	case journal.Commit, journal.Loosen, journal.Home, journal.Sort:
		// The working tree, and of tray A by itself the index too, keep what the
		// commit held: it is staged again.
		a.sorting.Lock()
		defer a.sorting.Unlock()
		return entry, a.stepSettled(ctx, record, entry)
	}
	if elsewhere {
		return entry, a.moveElsewhere(ctx, record, reflog, a.engine)
	}
	target, err := a.Repo.Commit(ctx, to)
	if err != nil {
		return entry, err
	}
	return entry, a.moveBranch(ctx, record, reflog, target.Tree, a.engine)
}

// stillElsewhere says whether an entry's branch is checked out nowhere and is where the
// entry left it: then its ref moves alone.
func (a *App) stillElsewhere(ctx context.Context, entry journal.Entry, want repo.ID) (bool, error) {
	refs, err := a.Repo.Refs(ctx, entry.Ref)
	if err != nil {
		return false, err
	}
	for _, ref := range refs {
		if ref.Name == entry.Ref {
			return ref.Worktree == "" && ref.ID == want, nil
		}
	}
	return false, nil
}

// stillAt refuses where the world has moved on since the entry.
func (a *App) stillAt(ctx context.Context, entry journal.Entry, want repo.ID) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	branch := strings.TrimPrefix(entry.Ref, "refs/heads/")
	current := head.Ref
	if current == "" {
		current = "HEAD"
	}
	if current != entry.Ref {
		return refuse("The last step (%s) was on %s, and you are elsewhere. Switch there first.", entry.Title, branch)
	}
	if head.Commit != want {
		return &Refusal{Reason: fmt.Sprintf("%s has moved on since the last step (%s): it is at %s, not at %s. Nothing was changed.",
			branch, entry.Title, orNone(head.Commit), orNone(want)), Err: repo.ErrMoved}
	}
	return nil
}

func orNone(id repo.ID) string {
	if id.IsZero() {
		return "no commit"
	}
	return id.Short()
}
