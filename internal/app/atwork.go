package app

import (
	"context"

	"bastel/internal/repo"
)

// WorkOn makes a branch the one at work: the one that is shaped, sent and landed. It need
// not be checked out. With no name, or that of the branch that is checked out, the one at
// work follows HEAD.
func (a *App) WorkOn(ctx context.Context, branch string) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	if branch == head.Branch() {
		branch = ""
	}
	if branch != "" {
		if _, err := a.HeadOf(ctx, branch); err != nil {
			return err
		}
	}
	a.atWork.Store(&branch)
	return nil
}

// AtWork gives the branch at work, as HEAD would be on it. One that is gone gives way to
// what is checked out.
func (a *App) AtWork(ctx context.Context) (repo.Head, error) {
	head, err := a.Repo.Head(ctx)
	name := a.atWork.Load()
	if err != nil || name == nil || *name == "" || *name == head.Branch() {
		return head, err
	}
	other := repo.Head{Ref: "refs/heads/" + *name}
	if other.Commit, err = a.Repo.RefValue(ctx, other.Ref); err != nil || !other.Commit.IsZero() {
		return other, err
	}
	return head, nil
}

// BranchAtWork is the branch at work, which must have a commit.
func (a *App) BranchAtWork(ctx context.Context) (repo.Head, error) {
	return onBranch(a.AtWork(ctx))
}
