package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/wording"
)

// RevertMessage is a message for taking commits back, with room for why.
func (a *App) RevertMessage(ctx context.Context, ids []repo.ID) (string, error) {
	sources, err := a.Sources(ctx, ids)
	if err != nil {
		return "", err
	}
	subject := "Revert " + wording.Count(len(ids), "commit")
	if len(ids) == 1 {
		subject = fmt.Sprintf("Revert %q", sources[0].Commit.Subject())
	}
	var body strings.Builder
	for _, s := range sources {
		fmt.Fprintf(&body, "This reverts commit %s,\n%q, of %s.\n", s.ID, s.Commit.Subject(), s.Commit.Writer().Name)
	}
	return subject + "\n\n" + body.String(), nil
}

// WithRevert adds an entry to the end of a plan that takes commits back, all of them in one, the latest first whatever
// their order in the list. Each is a commit on top of the one that is taken back, with the content before it: replayed like
// any other entry it conflicts, and is answered, like one. Of a merge it is what came from its further parents.
func (a *App) WithRevert(ctx context.Context, plan shape.Plan, ids []repo.ID, message string) (shape.Plan, error) {
	if app.CleanMessage(message) == "" {
		return plan, app.Refuse("A commit that takes others back needs a message that says why.")
	}
	order, err := a.latestFirst(ctx, plan, ids)
	if err != nil {
		return plan, err
	}
	last := len(plan.Next)
	for i, id := range order {
		c, err := a.Repo.Commit(ctx, id)
		if err != nil {
			return plan, err
		}
		before := a.Repo.EmptyTree()
		if !c.Parent().IsZero() {
			if before, err = a.TreeOf(ctx, c.Parent()); err != nil {
				return plan, err
			}
		}
		back, err := a.extraCommit(ctx, before, id, message)
		switch {
		case err != nil:
			return plan, err
		case slices.Contains(plan.Extra, back):
			return plan, app.Refuse("The plan takes %s back already.", id.Short())
		case i == 0:
			plan = plan.Insert(last, back).Reword(last, app.CleanMessage(message))
		default:
			plan = plan.Amend(last, back)
		}
	}
	return plan, nil
}

// latestFirst orders commits of the plan's branch so that each is taken back before those that it may build on.
func (a *App) latestFirst(ctx context.Context, plan shape.Plan, ids []repo.ID) ([]repo.ID, error) {
	for _, id := range ids {
		within, err := a.Repo.IsAncestor(ctx, id, plan.Tip)
		if err != nil {
			return nil, err
		}
		if !within {
			return nil, app.Refuse("%s is not in %s, so there is nothing to revert.", id.Short(), plan.Branch)
		}
	}
	if len(ids) == 1 {
		return ids, nil
	}
	args := []string{"--topo-order"}
	for _, id := range ids {
		args = append(args, id.String())
	}
	all, err := a.Repo.RevList(ctx, args...)
	return slices.DeleteFunc(all, func(id repo.ID) bool { return !slices.Contains(ids, id) }), err
}

// Reverts makes commits on a branch that take others back, one each or one for all, or refuses and changes nothing. The
// branch need not be checked out, and need have no series of its own: what is there stays as it is.
func (a *App) Reverts(ctx context.Context, branch string, ids []repo.ID, one bool, why string) (app.Applied, error) {
	head, err := a.HeadOf(ctx, branch)
	if err != nil {
		return app.Applied{}, err
	}
	plan := shape.New(head.Branch(), head.Commit, head.Commit, nil)
	if ids, err = a.latestFirst(ctx, plan, ids); err != nil {
		return app.Applied{}, err
	}
	groups := [][]repo.ID{ids}
	if !one {
		groups = slices.Collect(slices.Chunk(ids, 1))
	}
	for _, group := range groups {
		message, err := a.RevertMessage(ctx, group)
		if err != nil {
			return app.Applied{}, err
		}
		if why != "" {
			message += "\n" + why + "\n"
		}
		if message, err = a.PrepareMessage(ctx, message, "message"); err != nil {
			return app.Applied{}, err
		}
		if plan, err = a.WithRevert(ctx, plan, group, message); err != nil {
			return app.Applied{}, err
		}
	}
	return a.Apply(ctx, plan, 0, nil)
}
