package publishing

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/app"
	"bastel/internal/series"
	"bastel/internal/wording"

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
	c, err := a.CompareBranch(ctx, plan.Branch, "", false)
	if err != nil {
		return plan, "", err
	}
	edited := plan.Changes()
	switch {
	case !c.Known || len(c.NotYours)+len(besides) == 0 && !(c.Shared && len(c.Replaces) > 0):
		return plan, "", app.Refuse("%s on %s has nothing of others that could be taken in. Fetch, and look again.", c.Branch, c.Remote)
	case c.Shared && edited:
		return plan, "", app.Refuse("%s is shared, so its commits there stay, and the plan has edits. Apply or start the plan over first.",
			c.Branch)
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
	return plan, fmt.Sprintf("%s of others at the end of the plan. a applies it.", wording.Count(len(c.NotYours)+len(besides), "commit")), err
}

// inPlace puts newer versions of commits that the plan has in their places: those with the
// same change, and those of commits that the remote had. It gives what has no place.
func (a *App) inPlace(ctx context.Context, plan shape.Plan, c send.Comparison, taken []repo.ID) (shape.Plan, []repo.ID, error) {
	sent, err := a.WereThere(ctx, c, plan.Sources)
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
	pairs, err := a.PairSeries(ctx, theirs, here)
	if err != nil {
		return plan, nil, err
	}
	var rest []repo.ID
	for _, id := range taken {
		at := -1
		for _, p := range pairs {
			same := p.Relation == series.Same || p.Relation == series.Moved || p.Relation == series.Reworded
			if p.Old == id && (same || p.Relation == series.Changed && sent[p.New]) {
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
	head, err := a.HeadOf(ctx, c.Branch)
	if err != nil {
		return shape.Plan{}, "", err
	}
	base, err := a.Repo.MergeBase(ctx, c.Here, c.There)
	if err != nil {
		return shape.Plan{}, "", err
	}
	if base == c.Here {
		return shape.Plan{}, "", app.Refuse("%s has no commits of its own beyond what %s has. Move it forward (ctrl+f, or bastel fetch "+
			"--forward).", c.Branch, c.Remote)
	}
	if base.IsZero() {
		return shape.Plan{}, "", app.Refuse("%s here and on %s have no commit in common, so one cannot go on top of the other.", c.Branch,
			c.Remote)
	}
	onto := c.There.String()
	if c.Tracking != "" {
		onto = repo.Ref{Name: c.Tracking}.Short()
	}
	plan, err := a.PlanFor(ctx, head, onto, base.String())
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
		said += fmt.Sprintf(" Left out: %s that was rewritten or dropped there.", wording.Count(len(left), "commit"))
	}
	return plan, said + " a applies it.", nil
}

// supersededThere are those commits of a branch which the remote had, and that somebody
// rewrote there, or others made and dropped; on a shared branch those also that were rewritten
// here and are there with the same change. The user's own that have no successor there stay.
func (a *App) supersededThere(ctx context.Context, c send.Comparison, ids []repo.ID, base repo.ID) ([]repo.ID, error) {
	sent, err := a.WereThere(ctx, c, ids)
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
	pairs, err := a.PairSeries(ctx, here, there)
	if err != nil {
		return nil, err
	}
	mine := a.IsMine(ctx)
	var left []repo.ID
	for _, s := range here {
		relations := map[series.Relation]bool{}
		for _, p := range pairs {
			if p.Old == s.ID {
				relations[p.Relation] = true
			}
		}
		same := relations[series.Same] || relations[series.Moved] || relations[series.Reworded]
		if same || sent[s.ID] && (!relations[series.Gone] || !mine(s)) {
			left = append(left, s.ID)
		}
	}
	return left, nil
}
