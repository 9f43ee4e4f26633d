package app

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"golang.org/x/sync/errgroup"

	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
)

// PlanRef is the ref of a draft by the names of its working tree and itself.
func (a *App) PlanRef(name string) string {
	return a.Repo.OwnRef("PLAN_" + repo.Letters([]byte(name)))
}

// UnboundedRange is how many commits a plan takes in where no target bounds it.
const UnboundedRange = 100

// NewPlan is the plan of the branch at work as it stands. Onto, if given, is where
// the series shall go and bounds the range in the target's place; base, if given,
// is the commit before the first one.
func (a *App) NewPlan(ctx context.Context, onto, base string) (shape.Plan, error) {
	head, err := a.BranchAtWork(ctx)
	if err != nil {
		return shape.Plan{}, err
	}
	return a.PlanFor(ctx, head, onto, base)
}

// PlanFor makes the plan of a branch as it stands. Without onto and base it begins where the branch left its target.
func (a *App) PlanFor(ctx context.Context, head repo.Head, onto, base string) (shape.Plan, error) {
	var none shape.Plan
	baseID, err := a.FindBase(ctx, head, onto, base)
	if err != nil {
		return none, err
	}
	if onto == "" && base == "" {
		if baseID, err = a.afterShared(ctx, head, baseID); err != nil {
			return none, err
		}
	}
	if onto == "" && base == "" {
		if baseID, err = a.beforeMergesMade(ctx, head, baseID); err != nil {
			return none, err
		}
	}
	sources, err := a.SourcesOf(ctx, baseID, head.Commit)
	if err != nil {
		return none, err
	}
	plan := shape.New(head.Branch(), head.Commit, baseID, sources)
	plan.Onto = onto
	return a.WithMergesMade(ctx, plan)
}

// beforeMergesMade is where a series begins into which the target was merged here on purpose: before its first commit, not at what the
// merge brought, so that the merge stays what it is.
func (a *App) beforeMergesMade(ctx context.Context, head repo.Head, base repo.ID) (repo.ID, error) {
	all, there, err := a.commitsOf(ctx, base, head.Commit)
	if err != nil || !slices.ContainsFunc(there, isMerge) {
		return base, err
	}
	ids, commits, err := a.ownCommits(ctx, base, head.Commit)
	if err != nil || len(ids) == 0 || commits[0].Parent().IsZero() {
		return base, err
	}
	made := false
	for i, c := range commits {
		if isMerge(c) || i > 0 && c.Parent() != ids[i-1] {
			return base, nil // it is no line: where it begins is as good as anywhere
		}
		made = made || isMerge(there[slices.Index(all, ids[i])])
	}
	if !made {
		return base, nil
	}
	return commits[0].Parent(), nil
}

// afterShared is where a series begins that sits on commits of a remote's shared branch
// besides its target's: they are not the branch's own.
func (a *App) afterShared(ctx context.Context, head repo.Head, base repo.ID) (repo.ID, error) {
	target, err := send.FindTarget(ctx, a.Repo, head.Branch(), "")
	if err != nil && !errors.As(err, new(*send.Refusal)) {
		return base, err
	}
	shared, err := send.SharedBranches(ctx, a.Repo)
	if err != nil || len(shared) == 0 || base.IsZero() {
		return base, err
	}
	args := []string{"--topo-order", "--reverse", head.Commit.String(), "^" + base.String()}
	for _, ref := range shared {
		if ref.Name != target.Tracking { // what the branch itself has there is its own
			args = append(args, "^"+ref.ID.String())
		}
	}
	own, err := a.Repo.RevList(ctx, args...)
	if err != nil || len(own) == 0 {
		return base, err
	}
	all, err := a.Repo.Range(ctx, base, head.Commit)
	if err != nil || len(all) == len(own) {
		return base, err
	}
	first, err := a.Repo.Commit(ctx, own[0])
	if err != nil || first.Parent().IsZero() || !slices.Equal(all[len(all)-len(own):], own) {
		return base, err // they are mixed: where it begins is for the user to say
	}
	return first.Parent(), nil
}

// HeadOf stands for HEAD where another branch is meant; with no name it is the one at work.
func (a *App) HeadOf(ctx context.Context, branch string) (repo.Head, error) {
	if branch == "" {
		return a.BranchAtWork(ctx)
	}
	head, err := a.Repo.Head(ctx)
	if err != nil || branch == head.Branch() {
		return onBranch(head, err)
	}
	other := repo.Head{Ref: "refs/heads/" + branch}
	if other.Commit, err = a.Repo.RefValue(ctx, other.Ref); err == nil && other.Commit.IsZero() {
		err = Refuse("There is no branch %s here.", branch)
	}
	return other, err
}

// BranchHead is the branch that is checked out, which must have a commit.
func (a *App) BranchHead(ctx context.Context) (repo.Head, error) {
	return onBranch(a.Repo.Head(ctx))
}

// onBranch refuses a HEAD that is on no branch with a commit.
func onBranch(head repo.Head, err error) (repo.Head, error) {
	switch {
	case err != nil:
		return head, err
	case head.Ref == "":
		return head, &Refusal{Reason: "HEAD is on no branch, so there is no branch to work on. Make one here first: git switch -c NAME.",
			Err: ErrDetached}
	case head.Commit.IsZero():
		return head, Refuse("The branch %s has no commit yet. Make one in Sort first.", head.Branch())
	}
	return head, nil
}

// FindBase finds the commit before the branch's first own one.
func (a *App) FindBase(ctx context.Context, head repo.Head, onto, base string) (repo.ID, error) {
	if base == shape.FromRoot {
		return repo.ID{}, nil
	}
	if base != "" {
		id, err := a.CommitNamed(ctx, base)
		if err != nil {
			return repo.ID{}, err
		}
		return id, a.startsAt(ctx, head, base, id)
	}
	target := Target{Name: onto}
	var err error
	if onto != "" {
		target.ID, err = a.CommitNamed(ctx, onto)
	} else {
		target, err = a.FindTarget(ctx, head.Branch())
	}
	if err != nil {
		return repo.ID{}, err
	}
	if target.ID.IsZero() {
		return a.unboundBase(ctx, head.Commit)
	}
	id, err := a.Repo.MergeBase(ctx, target.ID, head.Commit)
	if err == nil && !id.IsZero() && (target.Name != "" && target.Name != target.ID.String()) {
		// What was once the target's is not the branch's own, though the target was
		// rewritten since.
		fork, err := a.Repo.ForkPoint(ctx, target.Name, head.Commit)
		if err != nil || !fork.IsZero() {
			return fork, err
		}
	}
	if err == nil && id.IsZero() && onto == "" { // a history of its own, beside the target's
		return a.unboundBase(ctx, head.Commit)
	}
	return id, err
}

// startsAt refuses a base that is not in a branch's history.
func (a *App) startsAt(ctx context.Context, head repo.Head, base string, id repo.ID) error {
	below, err := a.Repo.IsAncestor(ctx, id, head.Commit)
	if err == nil && !below {
		err = Refuse("%s is not in the history of %s, so it cannot be where its commits start.", base, head.Branch())
	}
	return err
}

// SourcesAfter lists the commits of a branch after a base that is named.
func (a *App) SourcesAfter(ctx context.Context, head repo.Head, name string) (base repo.ID, sources []repo.ID, err error) {
	if name != shape.FromRoot {
		if base, err = a.CommitNamed(ctx, name); err != nil {
			return base, nil, err
		}
	}
	ids, commits, err := a.ownCommits(ctx, base, head.Commit)
	if err != nil {
		return base, nil, err
	}
	onBase := base.IsZero() || slices.ContainsFunc(commits, func(c *repo.Commit) bool { return slices.Contains(c.Parents, base) })
	if !onBase && base != head.Commit {
		err = a.startsAt(ctx, head, name, base)
	}
	return base, straight(ids, commits), err
}

// unboundBase is the start of a branch that has no target: its root, or the last
// commit that is older than the range may be.
func (a *App) unboundBase(ctx context.Context, tip repo.ID) (repo.ID, error) {
	ids, err := a.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", UnboundedRange+1), tip.String())
	if err != nil {
		return repo.ID{}, err
	}
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return repo.ID{}, err
	}
	for i, c := range commits {
		if len(c.Parents) > 1 || i == UnboundedRange {
			return ids[i], nil
		}
	}
	if last := len(commits) - 1; last >= 0 && !commits[last].Parent().IsZero() {
		return ids[last], nil // a shallow clone ends here: what came before is not there to build on
	}
	return repo.ID{}, nil
}

// PlanRefusal makes what is wrong with a plan a refusal; other errors stay what they are.
func PlanRefusal(err error) error {
	if errors.Is(err, shape.ErrBadPlan) {
		return &Refusal{Reason: err.Error(), Err: err}
	}
	return err
}

// ForecastBy carries a plan out in the memory of an engine; nothing is written.
func (a *App) ForecastBy(ctx context.Context, engine *replay.Engine, plan shape.Plan, progress replay.Progress) (*replay.Forecast, error) {
	if err := plan.Check(); err != nil {
		return nil, PlanRefusal(err)
	}
	onto := plan.Base
	if plan.Onto != "" {
		id, err := a.CommitNamed(ctx, plan.Onto)
		if err != nil {
			return nil, err
		}
		onto = id
	}
	committer, err := a.Repo.Committer(ctx)
	if err != nil {
		return nil, Refuse("The repository does not know who you are. Tell it with git config user.name and user.email. It says: %v", err)
	}
	memory, err := a.RememberedAnswers()
	if err != nil {
		return nil, err
	}
	engine.Remember(memory)
	var f *replay.Forecast
	group, both := errgroup.WithContext(ctx)
	group.Go(func() error { return a.ontoMakesSense(both, plan, onto) })
	group.Go(func() (err error) {
		f, err = engine.Run(both, plan, onto, committer, progress)
		return err
	})
	if err := group.Wait(); err != nil {
		return nil, err
	}
	return f, a.KeepsSignatures(ctx, f)
}

func (a *App) ontoMakesSense(ctx context.Context, plan shape.Plan, onto repo.ID) error {
	if onto == plan.Base {
		return nil
	}
	if slices.Contains(plan.Sources, onto) {
		return Refuse("%s is a commit of %s itself. A branch cannot go onto its own commits; choose where it starts with --base.",
			onto.Short(), plan.Branch)
	}
	if onto.IsZero() {
		return nil
	}
	contained, err := a.Repo.IsAncestor(ctx, plan.Tip, onto)
	if err == nil && contained {
		return Refuse("%s has all of %s already, so there is nothing to put onto it. Move the branch forward instead.", plan.Onto, plan.Branch)
	}
	return err
}

// RangePlan stands for commits of a branch that are rewritten without a plan.
func RangePlan(head repo.Head, sources []Source) shape.Plan {
	plan := shape.Plan{Branch: head.Branch(), Tip: head.Commit, Base: sources[0].Commit.Parent()}
	for _, s := range sources {
		plan.Sources = append(plan.Sources, s.ID)
	}
	return plan
}

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
			return plan, Refuse("%s (%s) is a merge; take the commits that it brought, one by one.", id.Short(), c.Subject())
		case slices.Contains(plan.Sources, id) || slices.Contains(plan.Extra, id):
			return plan, Refuse("%s (%s) is in the plan already.", id.Short(), c.Subject())
		}
		plan = plan.Insert(at+i, id)
	}
	return plan, nil
}
