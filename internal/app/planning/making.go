package planning

import (
	"context"
	"fmt"
	"path/filepath"

	"bastel/internal/app"
	"bastel/internal/replay"

	"bastel/internal/repo"
)

// EmptyCommit makes a commit that changes nothing, after another one, for a plan.
func (a *App) EmptyCommit(ctx context.Context, after repo.ID, message string) (repo.ID, error) {
	tree, err := a.TreeOf(ctx, after)
	if err != nil {
		return repo.ID{}, err
	}
	return a.extraCommit(ctx, tree, after, message)
}

func (a *App) extraCommit(ctx context.Context, tree, parent repo.ID, message string) (repo.ID, error) {
	committer, err := a.Repo.Committer(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	c := &repo.Commit{Tree: tree, Author: committer, Committer: committer, Message: app.CleanMessage(message)}
	if !parent.IsZero() {
		c.Parents = []repo.ID{parent}
	}
	return a.Repo.WriteCommit(ctx, c)
}

// Scratch is an entry's exact content, laid out in a folder to be changed there.
type Scratch struct {
	Dir    string
	commit repo.ID // whose content it is
	tree   repo.ID
}

// LayOut writes what an entry of a forecast will hold into a new folder.
func (a *App) LayOut(ctx context.Context, f *replay.Forecast, at int, dir string) (Scratch, error) {
	step := f.Steps[at]
	if err := f.Objects().Flush(ctx, step.Commit); err != nil {
		return Scratch{}, err
	}
	return Scratch{dir, step.Commit, step.Tree}, a.Repo.Export(ctx, step.Tree, dir)
}

// TakeBack makes a commit of what was changed in the folder; zero if nothing was.
func (a *App) TakeBack(ctx context.Context, s Scratch) (repo.ID, error) {
	tree, err := a.Repo.Import(ctx, s.tree, s.Dir)
	if err != nil || tree == s.tree {
		return repo.ID{}, err
	}
	return a.extraCommit(ctx, tree, s.commit, "Changed content\n")
}

// LayOutConflict writes a conflict's file into a new folder, among all that lies around
// it: a tree, or without one what HEAD has. It gives the file's name.
func (a *App) LayOutConflict(ctx context.Context, objects *repo.Overlay, tree repo.ID, dir, path string, text []byte) (Scratch, string,
	error) {
	var err error
	if tree.IsZero() {
		head, err := a.Repo.Head(ctx)
		if err != nil {
			return Scratch{}, "", err
		}
		if tree, err = a.TreeOf(ctx, head.Commit); err != nil {
			return Scratch{}, "", err
		}
	} else if err = objects.Flush(ctx, tree); err != nil {
		return Scratch{}, "", err
	}
	if err = a.Repo.Export(ctx, tree, dir); err != nil {
		return Scratch{}, "", err
	}
	folder, err := repo.OpenFolder(dir)
	if err != nil {
		return Scratch{}, "", err
	}
	defer folder.Close()
	if err = folder.Remove(path); err == nil {
		err = folder.Write(path, text)
	}
	if err != nil {
		return Scratch{}, "", fmt.Errorf("lay %q out: %w", path, err)
	}
	return Scratch{Dir: dir, tree: tree}, filepath.Join(dir, path), nil
}
