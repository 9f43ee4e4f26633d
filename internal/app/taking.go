package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/shape"
)

// WithTaken adds commits from elsewhere to a plan, as entries before a place.
func (a *App) WithTaken(ctx context.Context, plan shape.Plan, at int, ids []repo.ID) (shape.Plan, error) {
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return plan, err
	}
	for i, c := range commits {
		id := ids[i]
		switch {
		case len(c.Parents) > 1:
			return plan, refuse("%s (%s) is a merge; take the commits that it brought, one by one.", id.Short(), c.Subject())
		case slices.Contains(plan.Sources, id) || slices.Contains(plan.Extra, id):
			return plan, refuse("%s (%s) is in the plan already.", id.Short(), c.Subject())
		}
		plan = plan.Insert(at+i, id)
	}
	return plan, nil
}

// WithMerge adds the merge of another branch to the end of a plan.
func (a *App) WithMerge(ctx context.Context, plan shape.Plan, name string) (shape.Plan, error) {
	id, err := a.CommitNamed(ctx, name)
	if err != nil {
		return plan, err
	}
	contained, err := a.Repo.IsAncestor(ctx, id, plan.Tip)
	switch {
	case err != nil:
		return plan, err
	case contained:
		return plan, refuse("%s has all of %s already; there is nothing to merge.", plan.Branch, name)
	case slices.Contains(plan.Extra, id):
		return plan, refuse("%s is in the plan already.", name)
	}
	base, err := a.Repo.MergeBase(ctx, id, plan.Tip)
	if err != nil {
		return plan, err
	}
	if base.IsZero() {
		return plan, refuse("%s and %s have no commit in common, so they cannot be merged.", plan.Branch, name)
	}
	last := len(plan.Next)
	plan = plan.Insert(last, id)
	return plan.Merge(last, fmt.Sprintf("Merge %s into %s\n", name, plan.Branch)), nil
}

// Takeable lists the commits of another branch that the plan's branch does not have,
// the youngest first.
func (a *App) Takeable(ctx context.Context, plan shape.Plan, name string) ([]Source, error) {
	id, err := a.CommitNamed(ctx, name)
	if err != nil {
		return nil, err
	}
	ids, err := a.Repo.RevList(ctx, "--no-merges", fmt.Sprintf("--max-count=%d", 2*unboundRange), id.String(), "^"+plan.Tip.String())
	if err != nil {
		return nil, err
	}
	return a.Sources(ctx, ids)
}

// NamedCommits finds commits by their ids or names.
func (a *App) NamedCommits(ctx context.Context, names []string) ([]repo.ID, error) {
	ids := make([]repo.ID, len(names))
	for i, name := range names {
		id, err := a.CommitNamed(ctx, strings.TrimSpace(name))
		if err != nil {
			return nil, err
		}
		ids[i] = id
	}
	return ids, nil
}
