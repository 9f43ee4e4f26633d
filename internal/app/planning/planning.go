package planning

import (
	"context"
	"sync"

	"bastel/internal/app"

	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
)

// NewPlanOf is the plan of another branch, which need not be checked out.
func (a *App) NewPlanOf(ctx context.Context, branch, onto, base string) (shape.Plan, error) {
	head, err := a.HeadOf(ctx, branch)
	if err != nil {
		return shape.Plan{}, err
	}
	return a.PlanFor(ctx, head, onto, base)
}

// StartOver is the plan as it began: it changes nothing, and what was settled in merges has its entries.
func (a *App) StartOver(ctx context.Context, plan shape.Plan) (shape.Plan, error) {
	return a.WithMergesMade(ctx, shape.New(plan.Branch, plan.Tip, plan.Base, plan.Sources))
}

// Beneath says how many commits of a remote's shared branch a plan's series sits on, beyond its
// target: they are shut. An empty name: none.
func (a *App) Beneath(ctx context.Context, plan shape.Plan) (n int, on string, err error) {
	target, err := a.FindTarget(ctx, plan.Branch)
	if err != nil || target.ID.IsZero() || plan.Base.IsZero() {
		return 0, "", err
	}
	ids, err := a.Repo.RevList(ctx, "--topo-order", plan.Base.String(), "^"+target.ID.String())
	if err != nil || len(ids) == 0 {
		return 0, "", err
	}
	shared, err := send.SharedBranches(ctx, a.Repo)
	if err != nil {
		return 0, "", err
	}
	for _, ref := range shared {
		if has, err := a.Repo.IsAncestor(ctx, plan.Base, ref.ID); err != nil || has {
			return len(ids), ref.Short(), err
		}
	}
	return 0, "", nil
}

// Messages gives the messages of commits in UTF-8, for plan files and editors.
func (a *App) Messages(ctx context.Context, ids []repo.ID) (func(repo.ID) string, error) {
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return nil, err
	}
	messages := make(map[repo.ID]string, len(ids))
	for i, c := range commits {
		messages[ids[i]] = c.Text(c.Message)
	}
	return func(id repo.ID) string { return messages[id] }, nil
}

// ReadPlan reads a plan file and holds it against the repository.
func (a *App) ReadPlan(ctx context.Context, data []byte) (shape.Plan, error) {
	var none shape.Plan
	file, err := shape.Decode(data)
	if err != nil {
		return none, app.PlanRefusal(err)
	}
	head, err := a.HeadOf(ctx, file.Branch)
	if err != nil {
		return none, err
	}
	var meanwhile sync.WaitGroup
	// A plan that was read is carried out next. What cannot be had is asked for once more then, and said.
	meanwhile.Go(func() { _, _ = a.Repo.Committer(ctx) })
	meanwhile.Go(func() { _, _ = a.Repo.Commits(ctx, file.Used()) })
	defer meanwhile.Wait()
	return a.planOf(ctx, file, head)
}

// planOf holds a plan file against the branch that it is for.
func (a *App) planOf(ctx context.Context, file shape.File, head repo.Head) (shape.Plan, error) {
	var none shape.Plan
	switch {
	case file.Branch != head.Branch():
		return none, app.Refuse("The plan is for the branch %s, and you are on %s. Switch to it first.", file.Branch, head.Branch())
	case file.Tip != head.Commit:
		return none, app.Refuse("%s has moved since the plan was made: from %s to %s. Make a new plan.", file.Branch, file.Tip.Short(),
			head.Commit.Short())
	}
	base, sources, err := a.rangeOf(ctx, file, head)
	if err != nil {
		return none, err
	}
	messageOf, err := a.Messages(ctx, sources)
	if err != nil {
		return none, err
	}
	plan, err := file.Plan(base, sources, messageOf)
	if err != nil {
		return none, app.PlanRefusal(err)
	}
	return plan, a.checkMade(ctx, plan)
}

// rangeOf is where the commits of a plan file begin, and which they are.
func (a *App) rangeOf(ctx context.Context, file shape.File, head repo.Head) (base repo.ID, sources []repo.ID, err error) {
	switch {
	case file.Base != "" && !file.BaseIsRoot():
		return a.SourcesAfter(ctx, head, file.Base)
	case !file.BaseIsRoot():
		if base, err = a.FindBase(ctx, head, file.Onto, ""); err != nil {
			return base, nil, err
		}
	}
	sources, err = a.SourcesOf(ctx, base, head.Commit)
	return base, sources, err
}

// Forecast carries a plan out in memory.
func (a *App) Forecast(ctx context.Context, plan shape.Plan, progress replay.Progress) (*replay.Forecast, error) {
	return a.ForecastBy(ctx, a.Engine, plan, progress)
}

// Ontos lists the branches that a plan can be put onto, the target first.
func (a *App) Ontos(ctx context.Context, branch string) ([]string, error) {
	target, err := a.FindTarget(ctx, branch)
	if err != nil {
		return nil, err
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads", "refs/remotes")
	if err != nil {
		return nil, err
	}
	var names []string
	if target.Name != "" {
		names = append(names, target.Name)
	}
	for _, ref := range refs {
		if ref.Symref == "" && ref.Short() != branch && ref.Short() != target.Name {
			names = append(names, ref.Short())
		}
	}
	return names, nil
}
