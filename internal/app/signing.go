package app

import (
	"context"
	"errors"
	"strings"

	"bastel/internal/replay"
	"bastel/internal/repo"
)

// KeepsSignatures corrects a forecast where rewritten commits are signed anew: then none
// gets lost.
func (a *App) KeepsSignatures(ctx context.Context, f *replay.Forecast) error {
	signs, err := a.Repo.Signs(ctx)
	if err == nil && signs {
		f.Signatures = 0
	}
	return err
}

// SignCommits signs what a forecast makes, where the configuration asks for it. What cannot be
// signed as it is goes without, and is counted as a signature that gets lost.
func (a *App) SignCommits(ctx context.Context, f *replay.Forecast, progress replay.Progress) error {
	signs, err := a.Repo.Signs(ctx)
	if err != nil || !signs {
		return err
	}
	f.Signatures = 0
	err = f.Sign(ctx, func(ctx context.Context, c *repo.Commit) (repo.ID, error) {
		id, err := a.Repo.SignCommit(ctx, c)
		if errors.Is(err, repo.ErrNotSignable) {
			f.Signatures++
			return a.Repo.WriteCommit(ctx, c)
		}
		return id, err
	}, progress)
	var failed *repo.CommandError
	if errors.As(err, &failed) {
		return &Refusal{Reason: "A commit could not be signed, and nothing was changed. The repository said:\n" +
			strings.TrimSpace(failed.Stderr), Err: err}
	}
	return err
}

// SignerRefusal says what a signer had to say, word for word.
func SignerRefusal(err error) error {
	var failed *repo.CommandError
	if !errors.As(err, &failed) {
		return err
	}
	return &Refusal{Reason: "The commit could not be made, and nothing was changed. Message and trays are kept. The repository said:\n" +
		strings.TrimSpace(failed.Stderr), Err: err}
}
