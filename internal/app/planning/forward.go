package planning

import (
	"context"
	"fmt"

	"bastel/internal/app"

	"bastel/internal/journal"
	"bastel/internal/repo"
)

// Forward moves local branches up to what was fetched: the current one, with its loose
// changes carried, and the one of the target's name, without a switch. A branch with
// commits of its own stays as it is. It says in a sentence for each what was done, and
// refuses where nothing could be.
func (a *App) Forward(ctx context.Context) (string, error) {
	if err := a.RefuseUnfinished(); err != nil {
		return "", err
	}
	head, err := a.BranchHead(ctx)
	if err != nil {
		return "", err
	}
	own, err := a.forwardCurrent(ctx, head)
	if err != nil {
		return "", err
	}
	target, err := a.forwardTarget(ctx, head)
	if own != "" {
		if err != nil || target == "" {
			return own, nil // the target has a reason of its own to stay
		}
		return own + " " + target, nil
	}
	if err == nil && target == "" {
		err = app.Refuse("There is nothing to move forward: the branch has no upstream that is ahead, and the target is on no remote.")
	}
	return target, err
}

// forwardCurrent moves the current branch up to its upstream; empty where that is not
// ahead of it.
func (a *App) forwardCurrent(ctx context.Context, head repo.Head) (string, error) {
	refs, err := a.Repo.Refs(ctx, head.Ref)
	if err != nil {
		return "", err
	}
	upstream := ""
	for _, ref := range refs {
		if ref.Name == head.Ref {
			if upstream, err = a.UpstreamOf(ctx, ref); err != nil {
				return "", err
			}
		}
	}
	if upstream == "" || head.Commit.IsZero() {
		return "", nil
	}
	to, err := a.Repo.RefValue(ctx, upstream)
	if err != nil || to.IsZero() || to == head.Commit {
		return "", err
	}
	below, err := a.Repo.IsAncestor(ctx, head.Commit, to)
	if err != nil || !below {
		return "", err
	}
	tree, err := a.TreeOf(ctx, to)
	if err != nil {
		return "", err
	}
	name := repo.Ref{Name: upstream}.Short()
	entry := journal.Entry{Kind: journal.Forward, Ref: head.Ref, Old: head.Commit, New: to, Title: head.Branch() + " to " + name}
	op, err := a.BranchMove(ctx, entry, "forward: to "+name, tree, a.Engine.Objects())
	if err != nil {
		return "", err
	}
	if _, err := a.CarryOut(ctx, op); err != nil {
		return "", err
	}
	return fmt.Sprintf("%s is where %s is now; loose changes were carried.", head.Branch(), name), nil
}

// forwardTarget moves the local branch of the target's name; empty where the target is on
// no remote.
func (a *App) forwardTarget(ctx context.Context, head repo.Head) (string, error) {
	aim, err := a.FindTarget(ctx, head.Branch())
	if err != nil {
		return "", err
	}
	name := aim.Branch
	if aim.Remote == "" {
		return "", nil
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads/"+name)
	if err != nil {
		return "", err
	}
	for _, ref := range refs {
		if ref.Short() != name {
			continue
		}
		below, err := a.Repo.IsAncestor(ctx, ref.ID, aim.ID)
		switch {
		case err != nil:
			return "", err
		case ref.ID == aim.ID:
			return fmt.Sprintf("%s is up to date.", name), nil
		case !below:
			return "", app.Refuse("%s has commits of its own that %s does not have. Nothing was changed.", name, aim.Name)
		case ref.Worktree != "":
			return "", app.Refuse("%s is checked out in %s. Move it forward there.", name, ref.Worktree)
		}
		entry := journal.Entry{Kind: journal.Forward, Ref: ref.Name, Old: ref.ID, New: aim.ID, Title: name + " to " + aim.Name}
		_, err = a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: "forward: to " + aim.Name})
		return fmt.Sprintf("%s is where %s is now.", name, aim.Name), err
	}
	return "", app.Refuse("There is no local branch %s to move.", name)
}
