package sorting

import (
	"context"

	"bastel/internal/app"

	"bastel/internal/repo"
	"bastel/internal/tray"
)

// CheckTray runs the user's check command on the exact content of the commit that a
// tray would make, after those before it, in a scratch folder. Output is told as it
// comes. Errors: ErrCheckFailed.
func (a *App) CheckTray(ctx context.Context, at tray.Layer, output func([]byte)) error {
	settings, err := a.Settings(ctx)
	if err != nil {
		return err
	}
	if settings.Check == "" {
		if err := a.UnallowedRefusal(ctx, "bastel.check"); err != nil {
			return err
		}
		return app.Refuse("No check command is set. Set one: git config bastel.check \"COMMAND\", or check = \"COMMAND\" in the settings.")
	}
	tree, err := a.trayTree(ctx, at)
	if err != nil {
		return app.SelectionRefusal(err)
	}
	return a.CheckTree(ctx, tree, settings.Check, output)
}

// trayTree stores the tree of the commit that a tray would make.
func (a *App) trayTree(ctx context.Context, at tray.Layer) (repo.ID, error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	tree, err := a.TreeOf(ctx, head.Commit)
	if err != nil {
		return repo.ID{}, err
	}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	var layers []tray.Layer
	for l := tray.A; l <= at; l++ {
		layers = append(layers, l)
	}
	overlay := a.Repo.NewOverlay()
	trees, _, err := tray.CommitLayers(ctx, a.Repo, overlay, tree, changes, kept, layers)
	if err != nil {
		return repo.ID{}, err
	}
	last := trees[len(trees)-1]
	return last, overlay.Flush(ctx, last)
}
