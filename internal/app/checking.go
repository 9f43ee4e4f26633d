package app

import (
	"context"
	"errors"
	"os"

	"bastel/internal/repo"
	"bastel/internal/tray"
)

// ErrCheckFailed is a check that says no.
var ErrCheckFailed = errors.New("the check failed")

// CheckTray runs the user's check command on the exact content of the commit that a
// tray would make, after those before it, in a scratch folder. Output is told as it
// comes. Errors: ErrCheckFailed.
func (a *App) CheckTray(ctx context.Context, at tray.Layer, output func([]byte)) error {
	settings, err := a.Settings(ctx)
	if err != nil {
		return err
	}
	if settings.Check == "" {
		return refuse("No check command is set. Set one: git config bastel.check \"COMMAND\", or check = \"COMMAND\" in the settings.")
	}
	tree, err := a.trayTree(ctx, at)
	if err != nil {
		return pickRefusal(err)
	}
	dir, err := os.MkdirTemp("", "bastel-check-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := a.Repo.Export(ctx, tree, dir); err != nil {
		return err
	}
	err = a.Repo.RunCheck(ctx, dir, settings.Check, output)
	var failed *repo.CheckError
	if errors.As(err, &failed) {
		return &Refusal{Reason: failed.Error(), Err: ErrCheckFailed}
	}
	return err
}

// trayTree stores the tree of the commit that a tray would make.
func (a *App) trayTree(ctx context.Context, at tray.Layer) (repo.ID, error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	tree, err := a.treeOf(ctx, head.Commit)
	if err != nil {
		return repo.ID{}, err
	}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return repo.ID{}, err
	}
	var layers []tray.Layer
	for l := tray.A; l <= at; l++ {
		layers = append(layers, l)
	}
	overlay := a.Repo.NewOverlay()
	trees, _, err := tray.Settle(ctx, a.Repo, overlay, tree, changes, kept, layers)
	if err != nil {
		return repo.ID{}, err
	}
	last := trees[len(trees)-1]
	return last, overlay.Flush(ctx, last)
}
