package planning

import (
	"context"
	"fmt"

	"bastel/internal/app"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// StepChanges is what the commit of a forecast's step will change, and that commit, which nothing has written yet.
func (a *App) StepChanges(ctx context.Context, f *replay.Forecast, step replay.Step) ([]tray.File, app.ReadOut, error) {
	objects := f.Objects()
	commit, err := commitIn(ctx, objects, step.Commit)
	if err != nil {
		return nil, app.ReadOut{}, err
	}
	before := a.Repo.EmptyTree()
	if parent := commit.Parent(); !parent.IsZero() {
		p, err := commitIn(ctx, objects, parent)
		if err != nil {
			return nil, app.ReadOut{}, err
		}
		before = p.Tree
	}
	files, err := tray.BetweenFollowed(ctx, objects, before, commit.Tree)
	return files, app.ReadOutOf(step.Commit, commit, files), err
}

func commitIn(ctx context.Context, objects *repo.Overlay, id repo.ID) (*repo.Commit, error) {
	object, err := objects.Object(ctx, id)
	if err != nil {
		return nil, fmt.Errorf("look at the forecast's commit %s: %w", id.Short(), err)
	}
	return repo.ParseCommit(object.Data)
}
