package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
)

// TakeIn makes a plan take in what the remote's branch has, by what was last fetched, and
// says how. Where the remote's line can stay, the branch's own commits go on top of it, so that
// the push only adds; those of them that the remote had, and that somebody rewrote or dropped there,
// are left out by name. Where the plan's branch was rewritten itself, what others made comes to its
// end; so do the commits that are named besides, which were left out here before.
func (a *App) TakeIn(ctx context.Context, plan shape.Plan, besides []repo.ID) (shape.Plan, string, error) {
	c, err := a.compareBranch(ctx, plan.Branch, "", false)
	if err != nil {
		return plan, "", err
	}
	edited := plan.Changes()
	switch {
	case !c.Known || len(c.NotYours)+len(besides) == 0 && !(c.Shared && len(c.Replaces) > 0):
		return plan, "", refuse("%s on %s has nothing of others that could be taken in. Fetch, and look again.", c.Branch, c.Remote)
	case c.Shared && edited:
		return plan, "", refuse("%s is shared, so its commits there stay, and the plan has edits. Apply or start the plan over first.", c.Branch)
	case c.Shared, !edited && len(besides) == 0 && len(c.Replaced)+len(c.Goes) == 0:
		return a.onTop(ctx, c)
	}
	taken := slices.DeleteFunc(slices.Concat(c.NotYours, besides), func(id repo.ID) bool {
		return slices.Contains(plan.Extra, id) || slices.Contains(plan.Sources, id)
	})
	for _, id := range slices.Concat(c.NotYours, besides) {
		if slices.Contains(plan.LeftOut, id) {
			plan = plan.BringBack(id)
		}
	}
	plan, taken, err = a.inPlace(ctx, plan, c, taken)
	if err != nil {
		return plan, "", err
	}
	plan, err = a.WithTaken(ctx, plan, len(plan.Next), taken)
	return plan, fmt.Sprintf("%s of others at the end of the plan. a applies it.", Count(len(c.NotYours)+len(besides), "commit")), err
}

// inPlace puts newer versions of commits that the plan has in their places: those with the
// same change, and those of commits that the remote had. It gives what has no place.
func (a *App) inPlace(ctx context.Context, plan shape.Plan, c send.Comparison, taken []repo.ID) (shape.Plan, []repo.ID, error) {
	sent, err := a.wereThere(ctx, c, plan.Sources)
	if err != nil {
		return plan, nil, err
	}
	theirs, err := a.Sources(ctx, taken)
	if err != nil {
		return plan, nil, err
	}
	here, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return plan, nil, err
	}
	pairs, err := a.pairs(ctx, theirs, here)
	if err != nil {
		return plan, nil, err
	}
	var rest []repo.ID
	for _, id := range taken {
		at := -1
		for _, p := range pairs {
			same := p.Relation == send.Same || p.Relation == send.Moved || p.Relation == send.Reworded
			if p.Old == id && (same || p.Relation == send.Changed && sent[p.New]) {
				at = plan.Place(p.New)
			}
		}
		if at < 0 || len(plan.Next[at].From) != 1 {
			rest = append(rest, id)
			continue
		}
		if plan, err = a.WithTaken(ctx, plan, at+1, []repo.ID{id}); err != nil {
			return plan, nil, err
		}
		plan = plan.LeaveOut(at)
	}
	return plan, rest, nil
}

// onTop puts a branch's own commits on top of what the remote has.
func (a *App) onTop(ctx context.Context, c send.Comparison) (shape.Plan, string, error) {
	head, err := a.headOf(ctx, c.Branch)
	if err != nil {
		return shape.Plan{}, "", err
	}
	base, err := a.Repo.MergeBase(ctx, c.Here, c.There)
	if err != nil {
		return shape.Plan{}, "", err
	}
	if base == c.Here {
		return shape.Plan{}, "", refuse("%s has no commits of its own beyond what %s has. Move it forward (ctrl+f, or bastel fetch --forward).", c.Branch, c.Remote)
	}
	if base.IsZero() {
		return shape.Plan{}, "", refuse("%s here and on %s have no commit in common, so one cannot go on top of the other.", c.Branch, c.Remote)
	}
	onto := c.There.String()
	if c.Tracking != "" {
		onto = repo.Ref{Name: c.Tracking}.Short()
	}
	plan, err := a.newPlan(ctx, head, onto, base.String())
	if err != nil {
		return plan, "", err
	}
	left, err := a.supersededThere(ctx, c, plan.Sources, base)
	if err != nil {
		return plan, "", err
	}
	for _, id := range left {
		if at := plan.Place(id); at >= 0 {
			plan = plan.LeaveOut(at)
		}
	}
	said := fmt.Sprintf("Your commits go on top of %s.", onto)
	if len(left) > 0 {
		said += fmt.Sprintf(" Left out: %s that was rewritten or dropped there.", Count(len(left), "commit"))
	}
	return plan, said + " a applies it.", nil
}

// supersededThere are those commits of a branch which the remote had, and that somebody
// rewrote there, or others made and dropped; on a shared branch those also that were rewritten
// here and are there with the same change. The user's own that have no successor there stay.
func (a *App) supersededThere(ctx context.Context, c send.Comparison, ids []repo.ID, base repo.ID) ([]repo.ID, error) {
	sent, err := a.wereThere(ctx, c, ids)
	if err != nil {
		return nil, err
	}
	here, err := a.Sources(ctx, ids)
	if err != nil {
		return nil, err
	}
	there, err := a.rangeSources(ctx, c.There, base)
	if err != nil {
		return nil, err
	}
	pairs, err := a.pairs(ctx, here, there)
	if err != nil {
		return nil, err
	}
	mine := a.isMine(ctx)
	var left []repo.ID
	for _, s := range here {
		relations := map[send.Relation]bool{}
		for _, p := range pairs {
			if p.Old == s.ID {
				relations[p.Relation] = true
			}
		}
		same := relations[send.Same] || relations[send.Moved] || relations[send.Reworded]
		if same || sent[s.ID] && (!relations[send.Gone] || !mine(s)) {
			left = append(left, s.ID)
		}
	}
	return left, nil
}

// wereThere says which commits the remote's branch once had: by the reflog of the ref that
// follows it, and by what was pushed from here.
func (a *App) wereThere(ctx context.Context, c send.Comparison, ids []repo.ID) (map[repo.ID]bool, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	var tips []repo.ID
	if c.Tracking != "" {
		if tips, err = a.Repo.FormerValues(ctx, c.Tracking); err != nil {
			return nil, err
		}
	}
	for _, e := range entries {
		if e.Remote == c.Remote && e.Ref == c.Ref && !e.New.IsZero() {
			tips = append(tips, e.New)
		}
	}
	were := map[repo.ID]bool{}
	if len(tips) == 0 || len(ids) == 0 {
		return were, nil
	}
	args := []string{"--topo-order", "--ignore-missing"}
	for _, id := range tips {
		args = append(args, id.String())
	}
	within, err := a.Repo.RevList(ctx, append(args, "^"+c.There.String())...)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		were[id] = slices.Contains(within, id)
	}
	return were, nil
}

// rewroteThere names who rewrote, on the remote, commits of the branch that it had; empty:
// nobody did.
func (a *App) rewroteThere(ctx context.Context, c send.Comparison, never []repo.ID) (string, error) {
	own := slices.Clone(c.Adds)
	were, err := a.wereThere(ctx, c, own)
	if err != nil || len(never) == 0 || !slices.ContainsFunc(own, func(id repo.ID) bool { return were[id] }) {
		return "", err
	}
	last, err := a.Repo.Commit(ctx, never[len(never)-1])
	if err != nil {
		return "", err
	}
	return strings.TrimSpace(repo.ParsePerson(last.Committer).Name), nil
}
