package planning

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/app"

	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/tray"
)

// History lists the last commits of a line, the youngest first.
func (a *App) History(ctx context.Context, tip repo.ID) ([]app.Source, error) {
	ids, err := a.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", 2*app.UnboundedRange), tip.String())
	if err != nil {
		return nil, err
	}
	return a.Sources(ctx, ids)
}

// EndChange is a path in which the content at the end of a plan is not the branch's,
// and what brings that.
type EndChange struct {
	Path    string
	How     string    // new, gone or changed
	LeftOut []repo.ID // pieces that touch the path and are left out
	Entries []int     // entries with a conflict there, or a change that is none of the branch's
	Target  bool      // the commits that the series goes onto touch it
}

// EndChanges compares the end of a forecast with the branch as it is.
func (a *App) EndChanges(ctx context.Context, plan shape.Plan, f *replay.Forecast) ([]EndChange, error) {
	tip, err := a.TreeOf(ctx, plan.Tip)
	if err != nil {
		return nil, err
	}
	objects := f.Objects()
	list, err := merge.Compare(ctx, objects, tip, f.Tree)
	if err != nil {
		return nil, err
	}
	changes := make([]EndChange, len(list))
	for i, d := range list {
		changes[i] = EndChange{Path: d.Path, How: "changed"}
		switch {
		case d.Old.IsZero():
			changes[i].How = "new"
		case d.New.IsZero():
			changes[i].How = "gone"
		}
		if err := a.blame(ctx, objects, plan, f, &changes[i]); err != nil {
			return nil, err
		}
	}
	return changes, nil
}

// blame finds what brings a change at the end.
func (a *App) blame(ctx context.Context, objects *repo.Overlay, plan shape.Plan, f *replay.Forecast, c *EndChange) error {
	touches := func(id repo.ID) (bool, error) {
		commit, err := a.Repo.Commit(ctx, id)
		if err != nil {
			return false, err
		}
		before, err := a.TreeOf(ctx, commit.Parent())
		if err != nil {
			return false, err
		}
		return app.AnyDiffers(ctx, objects, before, commit.Tree, []merge.Difference{{Path: c.Path}})
	}
	for _, id := range plan.LeftOut {
		if does, err := touches(id); err != nil {
			return err
		} else if does {
			c.LeftOut = append(c.LeftOut, id)
		}
	}
	for at, e := range plan.Next {
		brings := at < len(f.Steps) && slices.Contains(f.Steps[at].Paths(), c.Path)
		for _, id := range e.From {
			if source, _ := plan.Origin(id); !source.IsZero() || brings {
				continue
			}
			var err error
			if brings, err = touches(id); err != nil {
				return err
			}
		}
		if brings {
			c.Entries = append(c.Entries, at)
		}
	}
	if plan.Onto == "" {
		return nil
	}
	onto, err := a.CommitNamed(ctx, plan.Onto)
	if err != nil {
		return err
	}
	base, err := a.TreeOf(ctx, plan.Base)
	if err != nil {
		return err
	}
	there, err := a.TreeOf(ctx, onto)
	if err != nil {
		return err
	}
	c.Target, err = app.AnyDiffers(ctx, objects, base, there, []merge.Difference{{Path: c.Path}})
	return err
}

// EndLines compares a file at the end of a forecast with the branch's, line by line.
func (a *App) EndLines(ctx context.Context, plan shape.Plan, f *replay.Forecast, path string) ([]tray.File, error) {
	tip, err := a.TreeOf(ctx, plan.Tip)
	if err != nil {
		return nil, err
	}
	files, err := tray.Between(ctx, f.Objects(), tip, f.Tree)
	return slices.DeleteFunc(files, func(file tray.File) bool { return file.Path != path && file.From != path }), err
}
