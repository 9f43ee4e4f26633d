package app

import (
	"context"
	"errors"
	"strings"

	"bastel/internal/replay"
	"bastel/internal/repo"
)

// keepsSignatures corrects a forecast where rewritten commits are signed anew: then none
// gets lost.
func (a *App) keepsSignatures(ctx context.Context, f *replay.Forecast) error {
	signs, err := a.Repo.Signs(ctx)
	if err == nil && signs {
		f.Signatures = 0
	}
	return err
}

// sign signs what a forecast makes, where the configuration asks for it. What cannot be
// signed as it is goes without, and is counted as a signature that gets lost.
func (a *App) sign(ctx context.Context, engine *replay.Engine, f *replay.Forecast, progress replay.Progress) error {
	signs, err := a.Repo.Signs(ctx)
	if err != nil || !signs {
		return err
	}
	f.Signatures = 0
	err = engine.Sign(ctx, f, func(ctx context.Context, c *repo.Commit) (repo.ID, error) {
		id, err := a.Repo.SignCommit(ctx, c)
		if errors.Is(err, repo.ErrNotSignable) {
			f.Signatures++
			return a.Repo.WriteCommit(ctx, c)
		}
		return id, err
	}, progress)
	var failed *repo.CommandError
	if errors.As(err, &failed) {
		return &Refusal{Reason: "A commit could not be signed, and nothing was changed. The repository said:\n" + strings.TrimSpace(failed.Stderr), Err: err}
	}
	return err
}
