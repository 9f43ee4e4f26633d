package app

import (
	"context"
	"slices"
	"strconv"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// TreeOf is a commit's tree; of no commit the empty one.
func (a *App) TreeOf(ctx context.Context, id repo.ID) (repo.ID, error) {
	if id.IsZero() {
		return a.Repo.EmptyTree(), nil
	}
	commit, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return repo.ID{}, err
	}
	return commit.Tree, nil
}

// SourcesBetween reads the commits of a range, oldest first.
func (a *App) SourcesBetween(ctx context.Context, base, tip repo.ID) ([]Source, error) {
	ids, err := a.Repo.Range(ctx, base, tip)
	if err != nil {
		return nil, err
	}
	return a.Sources(ctx, ids)
}

// AnyDiffers says whether two trees differ at one of the paths.
func AnyDiffers(ctx context.Context, objects *repo.Overlay, old, new repo.ID, paths []merge.Difference) (bool, error) {
	for _, d := range paths {
		was, err := objects.Find(ctx, old, d.Path)
		if err != nil {
			return false, err
		}
		is, err := objects.Find(ctx, new, d.Path)
		if err != nil || !was.Same(is) {
			return true, err
		}
	}
	return false, nil
}

// CommitNamed finds a commit by its id, or by a branch's name.
func (a *App) CommitNamed(ctx context.Context, name string) (repo.ID, error) {
	id, err := a.Repo.Resolve(ctx, name)
	if err == nil && id.IsZero() {
		return repo.ID{}, Refuse("%s is no commit or branch that this repository knows.", strconv.Quote(name))
	}
	return id, err
}

// SourcesOf lists the commits of a range, in a straight line. A merge that was made here on purpose is one of them, and stands for
// what it brings; other merges are not, but what they bring, see WithMergesMade.
func (a *App) SourcesOf(ctx context.Context, base, tip repo.ID) ([]repo.ID, error) {
	ids, commits, err := a.ownCommits(ctx, base, tip)
	return straight(ids, commits), err
}

// ownCommits reads the commits of a range, oldest first, without what merges that were made here on purpose bring. Those merges
// come with their first parent alone.
func (a *App) ownCommits(ctx context.Context, base, tip repo.ID) ([]repo.ID, []*repo.Commit, error) {
	ids, commits, err := a.commitsOf(ctx, base, tip)
	if err != nil || !slices.ContainsFunc(commits, isMerge) {
		return ids, commits, err
	}
	made, err := a.MergesMade(ctx, ids)
	if err != nil {
		return nil, nil, err
	}
	own := map[repo.ID]bool{tip: true}
	for i, id := range slices.Backward(ids) {
		if !own[id] {
			continue
		}
		parents := commits[i].Parents
		if slices.Contains(made, id) {
			first := *commits[i]
			first.Parents, commits[i] = parents[:1], &first
			parents = first.Parents
		}
		for _, parent := range parents {
			own[parent] = true
		}
	}
	var ownIDs []repo.ID
	var ownCommits []*repo.Commit
	for i, id := range ids {
		if own[id] {
			ownIDs, ownCommits = append(ownIDs, id), append(ownCommits, commits[i])
		}
	}
	return ownIDs, ownCommits, nil
}

func isMerge(c *repo.Commit) bool { return len(c.Parents) > 1 }

// commitsOf reads the commits of a range, oldest first.
func (a *App) commitsOf(ctx context.Context, base, tip repo.ID) ([]repo.ID, []*repo.Commit, error) {
	ids, err := a.Repo.Range(ctx, base, tip)
	if err != nil {
		return nil, nil, err
	}
	commits, err := a.Repo.Commits(ctx, ids)
	return ids, commits, err
}

// straight leaves merges out.
func straight(ids []repo.ID, commits []*repo.Commit) (list []repo.ID) {
	for i, c := range commits {
		if !isMerge(c) {
			list = append(list, ids[i])
		}
	}
	return list
}

// Source is a commit that a plan speaks of, with what a decision needs.
type Source struct {
	ID      repo.ID
	Commit  *repo.Commit
	Message string // in UTF-8
}

// Sources reads the commits of a plan.
func (a *App) Sources(ctx context.Context, ids []repo.ID) ([]Source, error) {
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return nil, err
	}
	sources := make([]Source, len(ids))
	for i, c := range commits {
		sources[i] = Source{ids[i], c, c.Text(c.Message)}
	}
	return sources, nil
}

// CommitChanges lists what a commit changes against its first parent, a renamed file as one.
func (a *App) CommitChanges(ctx context.Context, id repo.ID) ([]tray.File, error) {
	c, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return nil, err
	}
	before := a.Repo.EmptyTree()
	if parent := c.Parent(); !parent.IsZero() {
		p, err := a.Repo.Commit(ctx, parent)
		if err != nil {
			return nil, err
		}
		before = p.Tree
	}
	return tray.BetweenFollowed(ctx, a.Engine.Objects(), before, c.Tree)
}

// WriteBlob writes one text as a blob.
func (a *App) WriteBlob(ctx context.Context, data []byte) (repo.ID, error) {
	ids, err := a.Repo.WriteBlobs(ctx, [][]byte{data})
	if err != nil {
		return repo.ID{}, err
	}
	return ids[0], nil
}
