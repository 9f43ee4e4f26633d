package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/send"
)

// Target is where a branch lands one day.
type Target struct {
	Name   string  // as people say it: origin/main
	ID     repo.ID // zero: there is none, or what was chosen is not there
	Kept   bool    // it was chosen, and is kept
	Remote string  // empty: it is a branch here
	Branch string  // its name there, or here
}

// targetKey is the setting of a branch that keeps its target.
func targetKey(branch string) string { return "branch." + branch + ".bastelTarget" }

// FindTarget works out where a branch lands: what was chosen, else the default branch of
// the shared remote, else the local default branch; never the branch itself. What is chosen
// and not there has no commit.
func (a *App) FindTarget(ctx context.Context, branch string) (Target, error) {
	chosen, err := a.Repo.Config(ctx, targetKey(branch))
	if err != nil {
		return Target{}, err
	}
	if chosen != "" {
		ref, err := a.BranchNamed(ctx, chosen)
		if err != nil {
			return Target{}, err
		}
		target, err := a.TargetOf(ctx, ref)
		target.Name, target.Kept = chosen, true
		return target, err
	}
	remotes, err := a.SharedRemotes(ctx, branch)
	if err != nil {
		return Target{}, err
	}
	local := []string{"main", "master"}
	if name, err := a.Repo.Config(ctx, "init.defaultBranch"); err != nil {
		return Target{}, err
	} else if name != "" {
		local = slices.Insert(local, 0, name)
	}
	var wanted []string
	for _, remote := range remotes {
		there := "refs/remotes/" + remote + "/"
		wanted = append(wanted, there+"HEAD", there+"main", there+"master")
	}
	for _, name := range local {
		wanted = append(wanted, "refs/heads/"+name)
	}
	refs, err := a.Repo.Refs(ctx, wanted...)
	if err != nil {
		return Target{}, err
	}
	for _, name := range wanted {
		at := slices.IndexFunc(refs, func(ref repo.Ref) bool { return ref.Name == name })
		if at < 0 || name == "refs/heads/"+branch {
			continue
		}
		ref := refs[at]
		if ref.Symref != "" {
			ref.Name = ref.Symref
		}
		if !ref.ID.IsZero() {
			return a.TargetOf(ctx, ref)
		}
	}
	return Target{}, nil
}

// TargetOf makes a branch, here or of a remote, a target.
func (a *App) TargetOf(ctx context.Context, ref repo.Ref) (Target, error) {
	target := Target{Name: ref.Short(), ID: ref.ID, Branch: ref.Short()}
	if strings.HasPrefix(ref.Name, "refs/heads/") {
		return target, nil
	}
	remotes, err := a.Repo.Remotes(ctx)
	if err != nil {
		return target, err
	}
	for _, remote := range remotes {
		if name, ok := strings.CutPrefix(ref.Name, "refs/remotes/"+remote+"/"); ok {
			target.Remote, target.Branch = remote, name
		}
	}
	return target, nil
}

// SharedRemotes lists the remotes whose default branch a branch may land on, the likeliest
// first. Where one pushes to a copy of one's own, it is not that one: the branch follows
// another remote than it is pushed to, another is called upstream, or the local default
// branch follows another.
func (a *App) SharedRemotes(ctx context.Context, branch string) ([]string, error) {
	known, err := a.Repo.Remotes(ctx)
	if err != nil || len(known) == 0 {
		return nil, err
	}
	pushed, err := send.FindTarget(ctx, a.Repo, branch, "")
	if err != nil && !errors.As(err, new(*send.Refusal)) {
		return nil, err
	}
	var order []string
	add := func(remote string) {
		if slices.Contains(known, remote) && !slices.Contains(order, remote) {
			order = append(order, remote)
		}
	}
	for i, follower := range []string{branch, "main", "master"} {
		remote, err := a.Repo.Config(ctx, "branch."+follower+".remote")
		if err != nil {
			return nil, err
		}
		if remote != pushed.Remote {
			add(remote)
		}
		if i == 0 {
			add("upstream")
		}
	}
	if pushed.Remote != "" {
		own, err := a.ownCopy(ctx, branch)
		if err != nil {
			return nil, err
		}
		if own == pushed.Remote {
			add("origin")
		}
		add(pushed.Remote)
	}
	add("origin")
	for _, remote := range known {
		add(remote)
	}
	return order, nil
}

// ownCopy is the remote that the settings name for pushing alone; empty: none.
func (a *App) ownCopy(ctx context.Context, branch string) (string, error) {
	own, err := a.Repo.Config(ctx, "branch."+branch+".pushRemote")
	if err != nil || own != "" {
		return own, err
	}
	return a.Repo.Config(ctx, "remote.pushDefault")
}

// BranchNamed finds a branch by the name that people use: of a remote, or here.
func (a *App) BranchNamed(ctx context.Context, name string) (repo.Ref, error) {
	for _, prefix := range []string{"refs/remotes/", "refs/heads/"} {
		id, err := a.Repo.RefValue(ctx, prefix+name)
		if err != nil || !id.IsZero() {
			return repo.Ref{Name: prefix + name, ID: id}, err
		}
	}
	return repo.Ref{}, nil
}

// SetTarget keeps where the branch at work lands; with no name what Bastel finds counts
// again.
func (a *App) SetTarget(ctx context.Context, name string) (Target, error) {
	head, err := a.AtWork(ctx)
	if err != nil {
		return Target{}, err
	}
	branch := head.Branch()
	if branch == "" {
		return Target{}, &Refusal{Reason: "HEAD is on no branch, so there is none whose target could be set.", Err: ErrDetached}
	}
	if name == "" {
		if err := a.Repo.UnsetConfig(ctx, targetKey(branch)); err != nil {
			return Target{}, err
		}
		return a.FindTarget(ctx, branch)
	}
	ref, err := a.BranchNamed(ctx, name)
	switch {
	case err != nil:
		return Target{}, err
	case ref.ID.IsZero():
		return Target{}, Refuse("There is no branch %s, here or on a remote as last fetched. The target stays as it was.", name)
	case ref.Name == head.Ref:
		return Target{}, Refuse("%s cannot land on itself. The target stays as it was.", branch)
	}
	if err := a.Repo.SetConfig(ctx, targetKey(branch), name); err != nil {
		return Target{}, err
	}
	return a.FindTarget(ctx, branch)
}

// mostBelow is among how many commits of a branch another one is looked for on which it sits.
const mostBelow = 1000

// sitsOn finds the branch on which another one sits: the nearest local one that points at
// one of its commits beyond the target, its tip excepted. Empty: none.
func (a *App) sitsOn(ctx context.Context, head repo.Head, target Target) (string, error) {
	if target.ID.IsZero() {
		return "", nil
	}
	ids, err := a.Repo.RevList(ctx, "--topo-order", fmt.Sprintf("--max-count=%d", mostBelow), head.Commit.String(), "^"+target.ID.String())
	if err != nil || len(ids) < 2 {
		return "", err
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads")
	if err != nil {
		return "", err
	}
	best, name := len(ids), ""
	for _, ref := range refs {
		if at := slices.Index(ids, ref.ID); at > 0 && at < best && ref.Symref == "" {
			best, name = at, ref.Short()
		}
	}
	return name, nil
}
