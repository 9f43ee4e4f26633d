package sorting

import (
	"context"
	"errors"

	"bastel/internal/app"

	"bastel/internal/tray"
)

// Filling is what a commit could be made of at once: a tray, or all that is loose.
type Filling struct {
	Tray  tray.Layer
	Files []tray.File
}

// Fillings lists the trays that hold something, and what is loose.
func (a *App) Fillings(ctx context.Context) ([]Filling, error) {
	board, err := a.Look(ctx)
	if err != nil {
		return nil, err
	}
	var found []Filling
	for _, t := range board.Trays {
		if len(t.Files) > 0 {
			found = append(found, Filling{t.Layer, t.Files})
		}
	}
	if len(board.Loose) > 0 {
		found = append(found, Filling{tray.Loose, board.Loose})
	}
	return found, nil
}

// CommitFrom makes a commit of a tray, or of all that is loose, which goes through a
// tray that is free. If the commit is refused, that stays loose.
func (a *App) CommitFrom(ctx context.Context, from tray.Layer, message string) (app.Made, error) {
	if from != tray.Loose {
		return a.CommitTrays(ctx, []Draft{{Tray: from, Message: message}})
	}
	if app.CleanMessage(message) == "" {
		return app.Made{}, app.Refuse("A commit needs a message that says what changes.")
	}
	board, err := a.Look(ctx)
	if err != nil {
		return app.Made{}, err
	}
	free := tray.A
	for free <= tray.Last && len(board.Files(free)) > 0 {
		free++
	}
	if free > tray.Last {
		return app.Made{}, app.Refuse("All trays are in use. Commit one of them first.")
	}
	var paths []string
	for _, f := range board.Loose {
		paths = append(paths, f.Path)
	}
	if len(paths) == 0 {
		return app.Made{}, app.Refuse("Nothing is loose.")
	}
	if _, err := a.Move(ctx, TrayMove{From: tray.Loose, To: free, Selected: tray.SelectFiles(paths...), View: tray.Plain}); err != nil {
		return app.Made{}, err
	}
	made, err := a.CommitTrays(ctx, []Draft{{Tray: free, Message: message}})
	if err != nil {
		_, back := a.Move(context.WithoutCancel(ctx), TrayMove{From: free, To: tray.Loose, Selected: tray.SelectFiles(paths...),
			View: tray.Plain})
		return app.Made{}, errors.Join(err, back)
	}
	return made, nil
}
