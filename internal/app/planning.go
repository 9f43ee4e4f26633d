package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"golang.org/x/sync/errgroup"

	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
	"bastel/internal/tray"
)

// unboundRange is how many commits a plan takes in where no target bounds it.
const unboundRange = 100

// NewPlan is the plan of the branch at work as it stands. Onto, if given, is where
// the series shall go and bounds the range in the target's place; base, if given,
// is the commit before the first one.
func (a *App) NewPlan(ctx context.Context, onto, base string) (shape.Plan, error) {
	head, err := a.branchAtWork(ctx)
	if err != nil {
		return shape.Plan{}, err
	}
	return a.newPlan(ctx, head, onto, base)
}

// NewPlanOf is the plan of another branch, which need not be checked out.
func (a *App) NewPlanOf(ctx context.Context, branch, onto, base string) (shape.Plan, error) {
	head, err := a.headOf(ctx, branch)
	if err != nil {
		return shape.Plan{}, err
	}
	return a.newPlan(ctx, head, onto, base)
}

func (a *App) newPlan(ctx context.Context, head repo.Head, onto, base string) (shape.Plan, error) {
	var none shape.Plan
	baseID, err := a.findBase(ctx, head, onto, base)
	if err != nil {
		return none, err
	}
	if onto == "" && base == "" {
		if baseID, err = a.afterShared(ctx, head, baseID); err != nil {
			return none, err
		}
		// A merge that was made on purpose stays: the series begins after it.
		ids, err := a.Repo.Range(ctx, baseID, head.Commit)
		if err != nil {
			return none, err
		}
		made, err := a.mergesMade(ctx, ids)
		if err != nil {
			return none, err
		}
		if n := len(made); n > 0 {
			baseID = made[n-1]
		}
	}
	sources, err := a.sources(ctx, baseID, head.Commit)
	if err != nil {
		return none, err
	}
	plan := shape.New(head.Branch(), head.Commit, baseID, sources)
	plan.Onto = onto
	return a.withSettled(ctx, plan)
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

// headOf stands for HEAD where another branch is meant; with no name it is the one at work.
func (a *App) headOf(ctx context.Context, branch string) (repo.Head, error) {
	if branch == "" {
		return a.branchAtWork(ctx)
	}
	head, err := a.Repo.Head(ctx)
	if err != nil || branch == head.Branch() {
		return onBranch(head, err)
	}
	other := repo.Head{Ref: "refs/heads/" + branch}
	if other.Commit, err = a.Repo.RefValue(ctx, other.Ref); err == nil && other.Commit.IsZero() {
		err = refuse("There is no branch %s here.", branch)
	}
	return other, err
}

// branchHead is the branch that is checked out, which must have a commit.
func (a *App) branchHead(ctx context.Context) (repo.Head, error) {
	return onBranch(a.Repo.Head(ctx))
}

// onBranch refuses a HEAD that is on no branch with a commit.
func onBranch(head repo.Head, err error) (repo.Head, error) {
	switch {
	case err != nil:
		return head, err
	case head.Ref == "":
		return head, &Refusal{Reason: "HEAD is on no branch, so there is no branch to work on. Make one here first: git switch -c NAME.", Err: ErrDetached}
	case head.Commit.IsZero():
		return head, refuse("The branch %s has no commit yet. Make one in Sort first.", head.Branch())
	}
	return head, nil
}

// findBase finds the commit before the branch's first own one.
func (a *App) findBase(ctx context.Context, head repo.Head, onto, base string) (repo.ID, error) {
	if base != "" {
		id, err := a.CommitNamed(ctx, base)
		if err != nil {
			return repo.ID{}, err
		}
		if below, err := a.Repo.IsAncestor(ctx, id, head.Commit); err != nil {
			return repo.ID{}, err
		} else if !below {
			return repo.ID{}, refuse("%s is not in the history of %s, so it cannot be where its commits start.", base, head.Branch())
		}
		return id, nil
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
	if err == nil && id.IsZero() && onto == "" {
		return repo.ID{}, refuse("%s and %s have no commit in common. Say where your commits start: --base COMMIT.", head.Branch(), target.Name)
	}
	return id, err
}

// CommitNamed finds a commit by its id, or by a branch's name.
func (a *App) CommitNamed(ctx context.Context, name string) (repo.ID, error) {
	id, err := a.Repo.Resolve(ctx, name)
	if err == nil && id.IsZero() {
		return repo.ID{}, refuse("%s is no commit or branch that this repository knows.", strconv.Quote(name))
	}
	return id, err
}

// unboundBase is the start of a branch that has no target: its root, or the last
// commit that is older than the range may be.
func (a *App) unboundBase(ctx context.Context, tip repo.ID) (repo.ID, error) {
	ids, err := a.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", unboundRange+1), tip.String())
	if err != nil {
		return repo.ID{}, err
	}
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return repo.ID{}, err
	}
	for i, c := range commits {
		if len(c.Parents) > 1 || i == unboundRange {
			return ids[i], nil
		}
	}
	if last := len(commits) - 1; last >= 0 && !commits[last].Parent().IsZero() {
		return ids[last], nil // a shallow clone ends here: what came before is not there to build on
	}
	return repo.ID{}, nil
}

// sources lists the commits of a range, in a straight line: merges are not among them,
// see withSettled.
func (a *App) sources(ctx context.Context, base, tip repo.ID) ([]repo.ID, error) {
	ids, err := a.Repo.Range(ctx, base, tip)
	if err != nil {
		return nil, err
	}
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return nil, err
	}
	var straight []repo.ID
	for i, c := range commits {
		if len(c.Parents) < 2 {
			straight = append(straight, ids[i])
		}
	}
	return straight, nil
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
		return none, planRefusal(err)
	}
	head, err := a.headOf(ctx, file.Branch)
	if err != nil {
		return none, err
	}
	return a.planOf(ctx, file, head)
}

// planOf holds a plan file against the branch that it is for.
func (a *App) planOf(ctx context.Context, file shape.File, head repo.Head) (shape.Plan, error) {
	var none shape.Plan
	var err error
	switch {
	case file.Branch != head.Branch():
		return none, refuse("The plan is for the branch %s, and you are on %s. Switch to it first.", file.Branch, head.Branch())
	case file.Tip != head.Commit:
		return none, refuse("%s has moved since the plan was made: from %s to %s. Make a new plan.", file.Branch, file.Tip.Short(), head.Commit.Short())
	}
	base := repo.ID{}
	if !file.BaseIsRoot() {
		if base, err = a.findBase(ctx, head, file.Onto, file.Base); err != nil {
			return none, err
		}
	}
	sources, err := a.sources(ctx, base, head.Commit)
	if err != nil {
		return none, err
	}
	messageOf, err := a.Messages(ctx, sources)
	if err != nil {
		return none, err
	}
	plan, err := file.Plan(base, sources, messageOf)
	if err != nil {
		return none, planRefusal(err)
	}
	return plan, a.checkMade(ctx, plan)
}

func planRefusal(err error) error {
	if errors.Is(err, shape.ErrBadPlan) {
		return &Refusal{Reason: err.Error(), Err: err}
	}
	return err
}

// Forecast carries a plan out in memory.
func (a *App) Forecast(ctx context.Context, plan shape.Plan, progress replay.Progress) (*replay.Forecast, error) {
	return a.forecast(ctx, a.engine, plan, progress)
}

func (a *App) forecast(ctx context.Context, engine *replay.Engine, plan shape.Plan, progress replay.Progress) (*replay.Forecast, error) {
	if err := plan.Check(); err != nil {
		return nil, planRefusal(err)
	}
	onto := plan.Base
	if plan.Onto != "" {
		id, err := a.CommitNamed(ctx, plan.Onto)
		if err != nil {
			return nil, err
		}
		onto = id
	}
	var committer string
	group, both := errgroup.WithContext(ctx)
	group.Go(func() error { return a.ontoMakesSense(both, plan, onto) })
	group.Go(func() (err error) {
		if committer, err = a.Repo.Committer(both); err != nil {
			err = refuse("The repository does not know who you are. Tell it with git config user.name and user.email. It says: %v", err)
		}
		return err
	})
	if err := group.Wait(); err != nil {
		return nil, err
	}
	memory, err := a.memory()
	if err != nil {
		return nil, err
	}
	engine.Remember(memory)
	f, err := engine.Run(ctx, plan, onto, committer, progress)
	if err != nil {
		return nil, err
	}
	return f, a.keepsSignatures(ctx, f)
}

func (a *App) ontoMakesSense(ctx context.Context, plan shape.Plan, onto repo.ID) error {
	if onto == plan.Base {
		return nil
	}
	if slices.Contains(plan.Sources, onto) {
		return refuse("%s is a commit of %s itself. A branch cannot go onto its own commits; choose where it starts with --base.", onto.Short(), plan.Branch)
	}
	if onto.IsZero() {
		return nil
	}
	contained, err := a.Repo.IsAncestor(ctx, plan.Tip, onto)
	if err == nil && contained {
		return refuse("%s has all of %s already, so there is nothing to put onto it. Move the branch forward instead.", plan.Onto, plan.Branch)
	}
	return err
}

// Source is a commit that a plan speaks of, with what a decision needs.
type Source struct {
	ID      repo.ID
	Commit  *repo.Commit
	Message string // in UTF-8
}

// Sources reads the commits of a plan.
func (a *App) Sources(ctx context.Context, ids []repo.ID) ([]Source, error) {
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return nil, err
	}
	sources := make([]Source, len(ids))
	for i, c := range commits {
		sources[i] = Source{ids[i], c, c.Text(c.Message)}
	}
	return sources, nil
}

// CommitChanges lists what a commit changes against its first parent, a renamed file as one.
func (a *App) CommitChanges(ctx context.Context, id repo.ID) ([]tray.File, error) {
	c, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return nil, err
	}
	before := a.Repo.EmptyTree()
	if parent := c.Parent(); !parent.IsZero() {
		p, err := a.Repo.Commit(ctx, parent)
		if err != nil {
			return nil, err
		}
		before = p.Tree
	}
	return tray.BetweenFollowed(ctx, a.engine.Objects(), before, c.Tree)
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
