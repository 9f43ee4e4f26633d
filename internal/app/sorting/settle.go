package sorting

import (
	"context"

	"bastel/internal/app"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// carryOutSorting moves the current branch to a commit, with the index and the trays, and
// leaves the working tree as it is: what the commits hold or give back is there
// already. It is before or after, never between.
func (a *App) carryOutSorting(ctx context.Context, entry journal.Entry, reflog string, out tray.Outcome,
	hooks func(context.Context) error) (warning string, err error) {
	index, err := a.IndexSteps(ctx, out.Index)
	if err != nil {
		return "", err
	}
	trays, err := out.Kept.Store(ctx, a.Repo)
	if err != nil {
		return "", err
	}
	entry.Index, entry.TraysOld, entry.TraysNew = index, out.Kept.ID, trays
	return a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: reflog, Hooks: hooks,
		Seen: func(ctx context.Context) error { return a.headSeen(ctx, entry) }})
}

// headSeen refuses where HEAD is not where it was: the index would be another branch's.
func (a *App) headSeen(ctx context.Context, entry journal.Entry) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	if app.BranchRef(head) != entry.Ref || head.Commit != entry.Old {
		return &app.Refusal{Reason: "Another commit or branch is checked out than when this was worked out. Nothing was changed. Look again, " +
			"then repeat.", Err: repo.ErrMoved}
	}
	return nil
}
