package sorting

import (
	"context"

	"bastel/internal/app"

	"bastel/internal/tray"
)

// Discard throws loose hunks, lines or files away. The journal keeps the files as
// they were, byte for byte, before anything is touched. It gives the paths that
// changed.
func (a *App) Discard(ctx context.Context, c TrayMove) ([]string, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	ctx, unlock, err := a.HoldLock(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return nil, err
	}
	changes, err := a.Repo.Status(ctx, kept.WithFormer(c.Within)...)
	if err != nil {
		return nil, err
	}
	out, err := tray.Discards(ctx, a.Repo, changes, kept, c.View, c.Selected)
	if err != nil {
		return nil, app.SelectionRefusal(err)
	}
	paths := make([]string, len(out.Index))
	for i, e := range out.Index {
		paths[i] = e.Path
	}
	before, err := a.Repo.KeepRaw(ctx, out.Seen)
	if err != nil {
		return nil, err
	}
	entry, err := a.DiscardEntry(ctx, before, out.Index)
	if err != nil {
		return nil, err
	}
	entry.TraysOld = out.Kept.ID
	if entry.TraysNew, err = out.Kept.Store(ctx, a.Repo); err != nil {
		return nil, err
	}
	_, err = a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: app.ReflogMessage(entry.Kind, entry.Title)})
	return paths, err
}
