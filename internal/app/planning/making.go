package planning

import (
	"context"
	"fmt"
	"path/filepath"

	"bastel/internal/app"
	"bastel/internal/replay"

	"bastel/internal/repo"
	"bastel/internal/tray"
)

// PartsOf spreads out what a commit changes, to be sorted into parts.
func (a *App) PartsOf(ctx context.Context, id repo.ID) (*tray.CommitParts, error) {
	commit, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return nil, err
	}
	before, err := a.TreeOf(ctx, commit.Parent())
	if err != nil {
		return nil, err
	}
	return tray.NewCommitParts(ctx, a.Repo.NewOverlay(), before, commit.Tree)
}

// SplitCommit makes a commit's parts from a desk, which is used up: one from each tray
// that holds something, and one from what stayed loose. Author and date are the
// commit's.
func (a *App) SplitCommit(ctx context.Context, id repo.ID, desk *tray.CommitParts) (parts []repo.ID, messages []string, err error) {
	source, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	before, err := a.TreeOf(ctx, source.Parent())
	if err != nil {
		return nil, nil, err
	}
	overlay := a.Repo.NewOverlay()
	trees, err := desk.Trees(ctx, overlay, before)
	if err != nil {
		return nil, nil, app.SelectionRefusal(err)
	}
	if len(trees) < 2 {
		return nil, nil, app.Refuse("A split needs two parts at least. Put some hunks into a tray, and leave some loose or in another one.")
	}
	if trees[len(trees)-1] != source.Tree {
		return nil, nil, fmt.Errorf("split %s: the parts do not add up", id.Short())
	}
	parent := source.Parent()
	for n, tree := range trees {
		text := source.Text(source.Message)
		if n > 0 {
			text = fmt.Sprintf("%s, part %d\n", repo.Subject(text), n+1)
		}
		part := &repo.Commit{Tree: tree, Author: source.Author, Committer: source.Committer, Message: text}
		if !parent.IsZero() {
			part.Parents = []repo.ID{parent}
		}
		parent = overlay.Put(repo.KindCommit, part.Encode())
		parts, messages = append(parts, parent), append(messages, text)
	}
	messages[0] = ""
	return parts, messages, overlay.Flush(ctx, parent)
}

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
