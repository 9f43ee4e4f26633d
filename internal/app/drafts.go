package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/shape"
)

// planFile holds the draft of a plan that was not applied yet.
const planFile = "plan.toml"

// planRef keeps the commits that were made for a working tree's draft from being pruned.
func (a *App) planRef() string { return "refs/bastel/plan/" + a.Repo.WorktreeName() }

// KeepPlan keeps a draft for the next time; a plan that changes nothing is none.
func (a *App) KeepPlan(ctx context.Context, plan shape.Plan) error {
	if err := a.keepMade(ctx, plan); err != nil {
		return err
	}
	if !plan.Changes() {
		return a.writeState(planFile, "")
	}
	text, err := plan.File(func(repo.ID) string { return "" }).Encode()
	if err != nil {
		return err
	}
	return a.writeState(planFile, string(text))
}

// keepMade lets the ref point at a commit that has the made ones as parents.
func (a *App) keepMade(ctx context.Context, plan shape.Plan) error {
	made := slices.Clone(plan.Extra)
	for _, s := range plan.Splits {
		made = append(made, s.Parts...)
	}
	old, err := a.Repo.RefValue(ctx, a.planRef())
	if err != nil || len(made) == 0 && old.IsZero() {
		return err
	}
	var id repo.ID
	if len(made) > 0 {
		keeper := &repo.Commit{Tree: a.Repo.EmptyTree(), Parents: made, Author: "Bastel <bastel@localhost> 0 +0000", Committer: "Bastel <bastel@localhost> 0 +0000", Message: "made for a plan\n"}
		overlay := a.Repo.NewOverlay()
		overlay.PutTree(nil)
		if err := overlay.Flush(ctx, keeper.Tree); err != nil {
			return err
		}
		if id, err = a.Repo.WriteCommit(ctx, keeper); err != nil {
			return err
		}
	}
	if id == old {
		return nil
	}
	return a.Repo.UpdateRefs(ctx, "plan", repo.RefUpdate{Ref: a.planRef(), New: id, Old: old})
}

// PlanDraft is the plan to go on with, and what is to be said of it.
type PlanDraft struct {
	Plan shape.Plan
	Note string
}

// DraftPlan is the draft that was left, with the commits that the branch has got
// since; where it does not fit the branch any more it is the plan that changes
// nothing.
func (a *App) DraftPlan(ctx context.Context) (PlanDraft, error) {
	text := a.readState(planFile)
	if text != "" {
		draft, err := a.leftPlan(ctx, text)
		if err == nil {
			return draft, nil
		}
		var refusal *Refusal
		if !errors.As(err, &refusal) {
			return PlanDraft{}, err
		}
	}
	plan, err := a.NewPlan(ctx, "", "")
	return PlanDraft{Plan: plan}, err
}

func (a *App) leftPlan(ctx context.Context, text string) (PlanDraft, error) {
	file, err := shape.Decode([]byte(text))
	if err != nil {
		return PlanDraft{}, planRefusal(err)
	}
	head, err := a.branchHead(ctx)
	if err != nil {
		return PlanDraft{}, err
	}
	if file.Tip == head.Commit {
		plan, err := a.planOf(ctx, file, head)
		return PlanDraft{Plan: plan}, err
	}
	grown, err := a.Repo.IsAncestor(ctx, file.Tip, head.Commit)
	if err != nil || !grown || file.Branch != head.Branch() {
		if err == nil {
			err = refuse("The draft is for another state of the branch.")
		}
		return PlanDraft{}, err
	}
	more, err := a.sources(ctx, file.Tip, head.Commit)
	if err != nil {
		return PlanDraft{}, err
	}
	before := head
	before.Commit = file.Tip
	plan, err := a.planOf(ctx, file, before)
	if err != nil {
		return PlanDraft{}, err
	}
	names, err := a.Sources(ctx, more)
	if err != nil {
		return PlanDraft{}, err
	}
	var subjects []string
	for _, s := range names {
		subjects = append(subjects, s.Commit.Subject())
	}
	return PlanDraft{plan.Grow(head.Commit, more), "The branch has grown since the draft: " + strings.Join(subjects, ", ") + " came to its end."}, nil
}

// checkMade holds the commits that a plan uses besides the branch's against the
// repository: parts must lead from their source's parent to its content.
func (a *App) checkMade(ctx context.Context, plan shape.Plan) error {
	for _, id := range plan.Extra {
		if _, err := a.madeCommit(ctx, id, "extra"); err != nil {
			return err
		}
	}
	for _, split := range plan.Splits {
		source, err := a.Repo.Commit(ctx, split.Of)
		if err != nil {
			return err
		}
		parent, tree := source.Parent(), repo.ID{}
		for n, id := range split.Parts {
			part, err := a.madeCommit(ctx, id, "the split of "+split.Of.Short())
			if err != nil {
				return err
			}
			if part.Parent() != parent {
				return planRefusal(fmt.Errorf("%w: part %d of the split of %s does not follow the one before", shape.ErrBadPlan, n+1, split.Of.Short()))
			}
			parent, tree = id, part.Tree
		}
		if tree != source.Tree {
			return planRefusal(fmt.Errorf("%w: the parts of %s do not add up to what it holds", shape.ErrBadPlan, split.Of.Short()))
		}
	}
	return nil
}

func (a *App) madeCommit(ctx context.Context, id repo.ID, where string) (*repo.Commit, error) {
	found, err := a.Repo.Resolve(ctx, id.String())
	if err != nil {
		return nil, err
	}
	if found.IsZero() {
		return nil, planRefusal(fmt.Errorf("%w: %s names %s, which the repository does not have", shape.ErrBadPlan, where, id.Short()))
	}
	return a.Repo.Commit(ctx, id)
}
