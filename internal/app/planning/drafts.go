package planning

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"bastel/internal/app"

	"bastel/internal/repo"
	"bastel/internal/shape"
)

// KeepPlan keeps a draft for the next time; a plan that changes nothing is none.
func (a *App) KeepPlan(ctx context.Context, plan shape.Plan) error {
	if err := a.keepMade(ctx, plan); err != nil {
		return err
	}
	if !plan.Changes() {
		return a.WriteState(app.PlanFile(plan.Branch), "")
	}
	text, err := plan.File(func(repo.ID) string { return "" }).Encode()
	if err != nil {
		return err
	}
	return a.WriteState(app.PlanFile(plan.Branch), string(text))
}

// ForgetPlan forgets the draft of a branch.
func (a *App) ForgetPlan(ctx context.Context, branch string) error {
	return a.KeepPlan(ctx, shape.Plan{Branch: branch})
}

// keepMade lets the ref point at a commit that has the made ones as parents.
func (a *App) keepMade(ctx context.Context, plan shape.Plan) error {
	made := slices.Clone(plan.Extra)
	for _, s := range plan.Splits {
		made = append(made, s.Parts...)
	}
	old, err := a.Repo.RefValue(ctx, a.DraftRef(plan.Branch))
	if err != nil || len(made) == 0 && old.IsZero() {
		return err
	}
	var id repo.ID
	if len(made) > 0 {
		keeper := &repo.Commit{Tree: a.Repo.EmptyTree(), Parents: made, Author: "Bastel <bastel@localhost> 0 +0000",
			Committer: "Bastel <bastel@localhost> 0 +0000", Message: "made for a plan\n"}
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
	return a.Repo.UpdateRefs(ctx, "plan", repo.RefUpdate{Ref: a.DraftRef(plan.Branch), New: id, Old: old})
}

// PlanDraft is the plan to go on with, and what is to be said of it.
type PlanDraft struct {
	Plan shape.Plan
	Note string
}

// DraftPlan is the draft that was left of a branch, or of the current one, with the
// commits that the branch has got since, and carried over where the branch was rewritten. A draft
// that does not fit any more is put aside and named; then it is the plan that changes nothing.
func (a *App) DraftPlan(ctx context.Context, branch string) (PlanDraft, error) {
	head, err := a.HeadOf(ctx, branch)
	if err != nil {
		return PlanDraft{}, err
	}
	note := ""
	if text := a.ReadState(app.PlanFile(head.Branch())); text != "" {
		draft, err := a.leftPlan(ctx, head, text)
		if err == nil {
			return draft, nil
		}
		var refusal *app.Refusal
		if !errors.As(err, &refusal) {
			return PlanDraft{}, err
		}
		if note, err = a.putAside(head.Branch(), text, err); err != nil {
			return PlanDraft{}, err
		}
	}
	plan, err := a.NewPlanOf(ctx, branch, "", "")
	return PlanDraft{Plan: plan, Note: note}, err
}

// putAside keeps a draft that does not fit its branch any more, and says where.
func (a *App) putAside(branch, text string, why error) (note string, err error) {
	sum := sha256.Sum256([]byte(text))
	name := "plan-" + app.DraftName(branch) + "-aside-" + hex.EncodeToString(sum[:4]) + ".toml"
	dir, err := a.Repo.StateDir()
	if err != nil {
		return "", err
	}
	if err := a.WriteState(name, text); err != nil {
		return "", err
	}
	return fmt.Sprintf("The draft of an earlier plan does not fit %s any more (%s). It is kept in %s.", branch,
		strings.TrimSuffix(app.FirstLine(why.Error()), "."), filepath.Join(dir, name)), a.WriteState(app.PlanFile(branch), "")
}

func (a *App) leftPlan(ctx context.Context, head repo.Head, text string) (PlanDraft, error) {
	file, err := shape.Decode([]byte(text))
	if err != nil {
		return PlanDraft{}, app.PlanRefusal(err)
	}
	if file.Tip == head.Commit {
		plan, err := a.planOf(ctx, file, head)
		return PlanDraft{Plan: plan}, err
	}
	grown, err := a.Repo.IsAncestor(ctx, file.Tip, head.Commit)
	if err != nil {
		return PlanDraft{}, err
	}
	if !grown {
		return a.mappedPlan(ctx, head, file)
	}
	more, err := a.SourcesOf(ctx, file.Tip, head.Commit)
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
	return PlanDraft{plan.Grow(head.Commit, more), "The branch has grown since the draft: " + strings.Join(subjects, ", ") +
		" came to its end."}, nil
}

// mappedPlan carries a draft over to a branch that was rewritten since, by what the journal knows of it and
// else by what the commits change.
func (a *App) mappedPlan(ctx context.Context, head repo.Head, file shape.File) (PlanDraft, error) {
	var none PlanDraft
	if found, err := a.Repo.Has(ctx, file.Tip); err != nil || !found {
		return none, errors.Join(err, app.Refuse("the commits that it speaks of are gone"))
	}
	before := head
	before.Commit = file.Tip
	old, err := a.planOf(ctx, file, before)
	if err != nil {
		return none, err
	}
	fresh, err := a.NewPlanOf(ctx, head.Branch(), "", "")
	if err != nil {
		return none, err
	}
	base := old.Base
	if below, err := a.isBelow(ctx, base, head.Commit); err != nil {
		return none, err
	} else if !below {
		base = fresh.Base
	}
	ids, err := a.SourcesOf(ctx, base, head.Commit)
	if err != nil {
		return none, err
	}
	olds, err := a.Sources(ctx, old.Sources)
	if err != nil {
		return none, err
	}
	news, err := a.Sources(ctx, ids)
	if err != nil {
		return none, err
	}
	pairs, err := a.PairSeries(ctx, olds, news)
	if err != nil {
		return none, err
	}
	became := map[repo.ID][]repo.ID{}
	for _, p := range pairs {
		if !p.Old.IsZero() && !p.New.IsZero() {
			became[p.Old] = append(became[p.Old], p.New)
		}
	}
	if len(became) == 0 {
		return none, app.Refuse("nothing of it is on the branch")
	}
	// What came under the series, as where it was put onto a target that moved on, is not its own.
	if under := slices.Index(ids, fresh.Base); under >= 0 && !anyOf(ids[:under+1], became) {
		base, ids = fresh.Base, ids[under+1:]
	}
	plan, lost := old.Mapped(head.Commit, base, ids, became)
	if err := plan.Check(); err != nil {
		return none, app.PlanRefusal(err)
	}
	note := "The branch was rewritten since the draft, which was carried over."
	for _, s := range olds {
		if slices.Contains(lost, s.ID) {
			note += " Not there any more: " + s.Commit.Subject() + "."
		}
	}
	return PlanDraft{plan, note}, nil
}

// anyOf says that some of the commits are what others became.
func anyOf(ids []repo.ID, became map[repo.ID][]repo.ID) bool {
	for _, now := range became {
		if slices.ContainsFunc(now, func(id repo.ID) bool { return slices.Contains(ids, id) }) {
			return true
		}
	}
	return false
}

// isBelow says that a commit, or the start of all history, is before another one.
func (a *App) isBelow(ctx context.Context, below, id repo.ID) (bool, error) {
	if below.IsZero() {
		return true, nil
	}
	return a.Repo.IsAncestor(ctx, below, id)
}

// planText is a plan as an entry of the journal keeps it.
func planText(plan shape.Plan) (string, error) {
	text, err := plan.File(func(repo.ID) string { return "" }).Encode()
	return string(text), err
}

// planBack brings the draft back that there was before an apply, or when the apply was undone.
func (a *App) planBack(ctx context.Context, branch, text string) error {
	if text == "" {
		return a.ForgetPlan(ctx, branch)
	}
	head, err := a.HeadOf(ctx, branch)
	if err != nil {
		return err
	}
	draft, err := a.leftPlan(ctx, head, text)
	if err != nil {
		return err
	}
	return a.KeepPlan(ctx, draft.Plan)
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
				return app.PlanRefusal(fmt.Errorf("%w: part %d of the split of %s does not follow the one before", shape.ErrBadPlan, n+1,
					split.Of.Short()))
			}
			parent, tree = id, part.Tree
		}
		if tree != source.Tree {
			return app.PlanRefusal(fmt.Errorf("%w: the parts of %s do not add up to what it holds", shape.ErrBadPlan, split.Of.Short()))
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
		return nil, app.PlanRefusal(fmt.Errorf("%w: %s names %s, which the repository does not have", shape.ErrBadPlan, where, id.Short()))
	}
	return a.Repo.Commit(ctx, id)
}
