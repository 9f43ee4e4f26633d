package planning

import (
	"context"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/repo"
)

// switchBack is the switch to where HEAD was before one, or to where it went; loose changes are carried as they lie now.
func (a *App) switchBack(ctx context.Context, kind journal.Kind, entry journal.Entry) (*app.Operation, error) {
	from, to := entry.Head[1], entry.Head[0]
	if kind == journal.Redo {
		from, to = to, from
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	if head.Ref != from {
		return nil, app.Refuse("The last step (%s) left you elsewhere than you are now. Nothing was done.", entry.Title)
	}
	if to == "" {
		return nil, app.Refuse("The last step (%s) left a commit that no branch names, %s. Make a branch there to go back: bastel switch NAME "+
			"--new "+
			"--from %s.", entry.Title, entry.Old.Short(), entry.Old.Short())
	}
	record := journal.Entry{Kind: kind, Of: entry.Number, Title: entry.Title, Others: entry.Others, Renamed: renamedBack(kind, entry)}
	if kind == journal.Undo {
		record.Others = app.MovesBack(entry.Others)
	}
	if len(entry.Aside)+len(entry.Back) > 0 { // its files go back as they lay
		record.Files, record.Index, record.Raw = entry.Files, entry.Index, true
		if kind == journal.Undo {
			record.Files, record.Index = app.FilesBack(entry.Files), app.FilesBack(entry.Index)
		}
	}
	for _, move := range record.Others {
		if move.Ref == to { // it was made by the step, and is made again
			return a.SwitchStep(ctx, record, repo.Head{Ref: to, Commit: move.New})
		}
	}
	there, err := a.HeadOf(ctx, strings.TrimPrefix(to, "refs/heads/"))
	if err != nil {
		return nil, err
	}
	return a.SwitchStep(ctx, record, there)
}

// branchesBack has branches that were made, renamed or deleted go the other way, unless one has moved since, or is checked
// out and would go.
func (a *App) branchesBack(ctx context.Context, op *app.Operation, entry journal.Entry) error {
	if err := a.stillThere(ctx, op.Entry); err != nil {
		return err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads")
	if err != nil {
		return err
	}
	called := map[string]string{} // names that are taken back, by those that they got
	for i := 0; i+1 < len(op.Entry.Renamed); i += 2 {
		called[op.Entry.Renamed[i]] = op.Entry.Renamed[i+1]
	}
	for _, move := range append([]journal.RefMove{{Ref: op.Entry.Ref, Old: op.Entry.Old, New: op.Entry.New}}, op.Entry.Others...) {
		name := strings.TrimPrefix(move.Ref, "refs/heads/")
		if !move.New.IsZero() || move.Old.IsZero() {
			continue
		}
		if after := called[name]; move.Ref == head.Ref && after != "" {
			op.Head = [2]string{head.Ref, "refs/heads/" + after}
			continue
		}
		for _, ref := range refs {
			if ref.Name == move.Ref && ref.Worktree != "" {
				return app.Refuse("%s is checked out in %s, so it cannot go. Switch there first.", name, repo.Ref{Name: ref.Worktree}.Name)
			}
		}
	}
	return nil
}

// renamedBack are the names that an entry gave, the one way or the other: pairs of what a branch is called and will be.
func renamedBack(kind journal.Kind, entry journal.Entry) []string {
	names := slices.Clone(entry.Renamed)
	if kind == journal.Undo {
		slices.Reverse(names)
	}
	return names
}
