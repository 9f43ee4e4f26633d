package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
)

// guardShared refuses to rewrite what others may build on, without consent.
func (a *App) guardShared(ctx context.Context, plan shape.Plan, f *replay.Forecast, consent Consent) error {
	if consent&Shared != 0 {
		return nil
	}
	others, own, err := a.othersRefs(ctx, plan.Branch)
	if err != nil {
		return err
	}
	if !own.IsZero() {
		at, err := a.rewrittenOf(ctx, plan, f, []repo.ID{own})
		if err != nil {
			return err
		}
		if at != nil {
			question := fmt.Sprintf("%s is shared, and the remote has the commit %s (%s). It is never pushed with force, so what comes out can "+
				"only be sent under another name; and whoever builds on it would get it twice.",
				plan.Branch, at.ID.Short(), at.Commit.Subject())
			return &Refusal{Reason: question + " Nothing was changed. Make a new commit instead, or confirm it: bastel apply --unlock " +
				plan.Branch + ".", Question: question, Err: ErrSharedBranch}
		}
	}
	if consent&Published != 0 || len(others) == 0 {
		return nil
	}
	at, err := a.rewrittenOf(ctx, plan, f, others)
	if err != nil || at == nil {
		return err
	}
	names, err := a.Repo.RemotesWith(ctx, at.ID)
	if err != nil {
		return err
	}
	question := fmt.Sprintf("%s has the commit %s (%s) too. Whoever builds on it would get it twice.", strings.Join(names, ", "),
		at.ID.Short(), at.Commit.Subject())
	return &Refusal{Reason: question + " Nothing was changed. Make a new commit instead, or rewrite it by a plan and confirm it: bastel " +
		"apply --though-published.", Question: question, Err: ErrPublished}
}

// rewrittenOf gives the youngest commit of what some refs have that a plan rewrites; nil
// where there is none.
func (a *App) rewrittenOf(ctx context.Context, plan shape.Plan, f *replay.Forecast, refs []repo.ID) (*Source, error) {
	args := []string{plan.Tip.String()}
	for _, id := range append(slices.Clone(refs), plan.Base) {
		if !id.IsZero() {
			args = append(args, "^"+id.String())
		}
	}
	alone, err := a.Repo.RevList(ctx, args...)
	if err != nil {
		return nil, err
	}
	for _, step := range slices.Backward(f.Steps) {
		for _, id := range step.Sources {
			if !step.Kept && !slices.Contains(alone, id) {
				sources, err := a.Sources(ctx, []repo.ID{id})
				if err != nil {
					return nil, err
				}
				return &sources[0], nil
			}
		}
	}
	return nil, nil
}

// othersRefs lists where the remotes' branches stand, other than the branch's own ones; and
// where the branch itself is on its remote, if it is shared by rule.
func (a *App) othersRefs(ctx context.Context, branch string) (others []repo.ID, own repo.ID, err error) {
	refs, err := a.Repo.Refs(ctx, "refs/remotes", "refs/heads/"+branch)
	if err != nil {
		return nil, own, err
	}
	target, err := send.FindTarget(ctx, a.Repo, branch, "")
	if err != nil && !errors.As(err, new(*send.Refusal)) {
		return nil, own, err
	}
	if err == nil && target.Tracking != "" {
		shared, err := send.SharedByRule(ctx, a.Repo, target)
		if err != nil {
			return nil, own, err
		}
		if shared {
			if own, err = a.Repo.RefValue(ctx, target.Tracking); err != nil {
				return nil, own, err
			}
		}
	}
	upstream := ""
	for _, ref := range refs {
		if ref.Name == "refs/heads/"+branch {
			upstream = ref.Upstream
		}
	}
	for _, ref := range refs {
		_, short, _ := strings.Cut(ref.Short(), "/")
		if strings.HasPrefix(ref.Name, "refs/remotes/") && ref.Symref == "" && ref.Name != upstream && short != branch {
			others = append(others, ref.ID)
		}
	}
	return others, own, nil
}

// inTheWay says which files keep the working tree from following.
func inTheWay(err error) error {
	if !errors.Is(err, repo.ErrInTheWay) {
		return err
	}
	var failed *repo.CommandError
	errors.As(err, &failed)
	return &Refusal{Reason: "Loose or staged changes are in the way of the new content, so nothing was changed. Commit them, or put them " +
		"aside:\n" + strings.TrimSpace(failed.Stderr), Err: err}
}
