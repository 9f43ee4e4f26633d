package charting

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/wording"
)

// ErrOnlyThere is a step that takes the last name away from commits.
var ErrOnlyThere = errors.New("nothing else holds these commits")

// branch finds a local branch.
func (a *App) branch(ctx context.Context, name string) (repo.Ref, error) {
	refs, err := a.Repo.Refs(ctx, "refs/heads/"+name)
	if err != nil {
		return repo.Ref{}, err
	}
	for _, ref := range refs {
		if ref.Short() == name && name != "" {
			return ref, nil
		}
	}
	return repo.Ref{}, app.Refuse("There is no branch %q here. bastel branches lists them.", name)
}

// Merged lists the local branches that the target of the branch at work has all of, or those of another line: the ones that
// can go. What is at work, checked out anywhere, or the target of a branch stays.
func (a *App) Merged(ctx context.Context, line string) ([]string, error) {
	target, err := a.lineOf(ctx, Show{Line: line})
	if err != nil {
		return nil, err
	}
	if target.ID.IsZero() {
		return nil, app.Refuse("There is no target that could have them. Choose one: bastel target NAME.")
	}
	work, err := a.AtWork(ctx)
	if err != nil {
		return nil, err
	}
	within, err := a.Repo.Within(ctx, target.ID)
	if err != nil {
		return nil, err
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads")
	if err != nil {
		return nil, err
	}
	stays := map[string]bool{work.Branch(): true, line: true, target.Branch: true}
	for _, ref := range refs {
		of, err := a.FindTarget(ctx, ref.Short())
		if err != nil {
			return nil, err
		}
		stays[of.Branch], stays[of.Name] = true, true
		stays[ref.Short()] = stays[ref.Short()] || ref.Worktree != ""
	}
	var merged []string
	for _, name := range within {
		if name = (repo.Ref{Name: name}).Short(); !stays[name] {
			merged = append(merged, name)
		}
	}
	return merged, nil
}

// free refuses a name that no branch can get.
func (a *App) free(ctx context.Context, name string) error {
	if err := a.Repo.CheckBranchName(ctx, name); err != nil {
		return &app.Refusal{Reason: fmt.Sprintf("%q cannot be the name of a branch. Use letters, digits, and - or / between them.", name),
			Err: err}
	}
	_, err := a.branch(ctx, name)
	if err == nil {
		return app.Refuse("There is a branch %s already.", name)
	}
	if !errors.As(err, new(*app.Refusal)) {
		return err
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads")
	if err != nil {
		return err
	}
	for _, ref := range refs {
		if strings.HasPrefix(ref.Short(), name+"/") || strings.HasPrefix(name, ref.Short()+"/") {
			return app.Refuse("%s is in the way: a branch's name cannot go on where another one ends.", ref.Short())
		}
	}
	return nil
}

// point is the commit of a name that people use, and the remote's branch that it is, if it is one. Without a name it is
// that of HEAD.
func (a *App) point(ctx context.Context, name string) (app.Target, repo.ID, error) {
	if name == "" {
		name = "HEAD"
	}
	ref, err := a.BranchNamed(ctx, name)
	if err != nil {
		return app.Target{}, repo.ID{}, err
	}
	if strings.HasPrefix(ref.Name, "refs/remotes/") {
		target, err := a.TargetOf(ctx, ref)
		return target, ref.ID, err
	}
	id, err := a.CommitNamed(ctx, name)
	return app.Target{}, id, err
}

// follow sets the upstream of a branch.
func (a *App) follow(ctx context.Context, name string, upstream app.Target) error {
	return errors.Join(a.Repo.SetConfig(ctx, "branch."+name+".remote", upstream.Remote),
		a.Repo.SetConfig(ctx, "branch."+name+".merge", "refs/heads/"+upstream.Branch))
}

// leaves refuses to leave a commit that no ref names.
func (a *App) leaves(ctx context.Context, head repo.Head) error {
	if head.Ref != "" || head.Commit.IsZero() {
		return nil
	}
	only, err := a.Repo.RevList(ctx, head.Commit.String(), "--not", "--branches", "--remotes", "--tags")
	if err != nil || len(only) == 0 {
		return err
	}
	return app.Refuse("HEAD is on no branch, and nothing else holds %s of it, up to %s. Make a branch there first: bastel branch new NAME %s.",
		wording.Count(len(only), "commit"), head.Commit.Short(), head.Commit.Short())
}

// onlyIn lists the commits that no ref holds any more once refs have moved.
func (a *App) onlyIn(ctx context.Context, moves []journal.RefMove) ([]app.Source, error) {
	refs, err := a.Repo.Refs(ctx, "refs/heads", "refs/remotes", "refs/tags")
	if err != nil {
		return nil, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	var args []string
	for _, move := range moves {
		if !move.Old.IsZero() {
			args = append(args, move.Old.String())
		}
		if !move.New.IsZero() {
			args = append(args, "^"+move.New.String())
		}
	}
	if head.Ref == "" && !head.Commit.IsZero() {
		args = append(args, "^"+head.Commit.String())
	}
	for _, ref := range refs {
		if !slices.ContainsFunc(moves, func(move journal.RefMove) bool { return move.Ref == ref.Name }) {
			args = append(args, "^"+ref.ID.String())
		}
	}
	if !slices.ContainsFunc(moves, func(move journal.RefMove) bool { return !move.Old.IsZero() }) {
		return nil, nil
	}
	found, err := a.Repo.WalkParents(ctx, args...)
	if err != nil {
		return nil, err
	}
	ids := make([]repo.ID, len(found))
	for i, c := range found {
		ids[i] = c.ID
	}
	return a.Sources(ctx, ids)
}

// listed names some commits.
func listed(commits []app.Source) string {
	const shown = 3
	var names []string
	for _, c := range commits[:min(len(commits), shown)] {
		names = append(names, fmt.Sprintf("%s %q", c.ID.Short(), c.Commit.Subject()))
	}
	if more := len(commits) - shown; more > 0 {
		names = append(names, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(names, ", ")
}
