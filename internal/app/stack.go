package app

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"golang.org/x/sync/errgroup"

	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
	"bastel/internal/wording"
)

// Stacked is another branch that sits on one of a plan's commits.
type Stacked struct {
	Ref   string
	Name  string
	Tip   repo.ID
	At    repo.ID // the source that it sits on; without commits of its own the one that it points at
	Above int     // commits of its own on top of it
	Stays string  // why it stays where it is; empty: it comes along
}

// ErrStack is a refusal to leave a branch behind on what is rewritten.
var ErrStack = errors.New("a branch sits on these commits and cannot come along")

// stackKey is the setting of a branch that says whether it comes along where what it sits on is rewritten: "carry" or "keep".
func stackKey(name string) string { return "branch." + name + ".bastelStack" }

// ChooseStack keeps whether a branch comes along where what it sits on is rewritten.
func (a *App) ChooseStack(ctx context.Context, name string, carry bool) error {
	return a.Repo.SetConfig(ctx, stackKey(name), map[bool]string{true: "carry", false: "keep"}[carry])
}

// Stack lists the branches that sit on a plan's commits, and why those stay that do not come along. One at the very
// tip marks where the branch was, as a copy made before tidying up does; it stays unless rebase.updateRefs is set.
func (a *App) Stack(ctx context.Context, plan shape.Plan) ([]Stacked, error) {
	if len(plan.Sources) == 0 {
		return nil, nil
	}
	above, err := a.Repo.BranchesWith(ctx, plan.Sources[0])
	above = slices.DeleteFunc(above, func(ref repo.Ref) bool { return ref.Short() == plan.Branch || ref.Symref != "" })
	if err != nil || len(above) == 0 {
		return nil, err
	}
	target, err := a.FindTarget(ctx, plan.Branch)
	if err != nil {
		return nil, err
	}
	var stack []Stacked
	for _, ref := range above {
		s := Stacked{Ref: ref.Name, Name: ref.Short(), Tip: ref.ID, At: ref.ID}
		if !slices.Contains(plan.Sources, ref.ID) {
			if s.At, err = a.Repo.MergeBase(ctx, ref.ID, plan.Tip); err != nil {
				return nil, err
			}
			own, err := a.Repo.Range(ctx, s.At, ref.ID)
			if err != nil {
				return nil, err
			}
			s.Above = len(own)
		}
		if !slices.Contains(plan.Sources, s.At) {
			continue
		}
		if s.Stays, err = a.stays(ctx, plan, target, ref, s); err != nil {
			return nil, err
		}
		stack = append(stack, s)
	}
	return stack, nil
}

// stays says why a branch stays where it is; empty: it comes along.
func (a *App) stays(ctx context.Context, plan shape.Plan, target Target, ref repo.Ref, s Stacked) (string, error) {
	if ref.Worktree != "" {
		return "it is checked out in " + ref.Worktree, nil
	}
	if s.Name == target.Branch {
		return "it is the target", nil
	}
	pushed, err := send.FindTarget(ctx, a.Repo, s.Name, "")
	if errors.As(err, new(*send.Refusal)) { // it goes nowhere; its name may tell all the same
		pushed, err = send.Target{Ref: ref.Name}, nil
	}
	if err != nil {
		return "", err
	}
	shared, err := send.SharedByRule(ctx, a.Repo, pushed)
	if err != nil || shared {
		return "it is shared", err
	}
	choice, err := a.Repo.Config(ctx, stackKey(s.Name))
	if err != nil {
		return "", err
	}
	update, err := a.Repo.ConfigBool(ctx, "rebase.updateRefs")
	switch {
	case err != nil || choice == "carry" || update && choice == "":
		return "", err
	case choice == "keep":
		return "you chose so", nil
	case ref.ID == plan.Tip:
		return "it marks where the branch was", nil
	}
	return "", nil
}

// stackMoves says where each branch of the stack goes: to what its commit has become, or the last one before it of
// which something is left, with its own commits put onto that. Those are written. A branch that conflicts there is refused,
// unless it may be left behind.
func (a *App) stackMoves(ctx context.Context, plan shape.Plan, stack []Stacked, f *replay.Forecast,
	consent Consent) (moves []journal.RefMove, pairs []repo.Mapping, err error) {
	became := map[repo.ID]repo.ID{}
	for _, step := range f.Steps {
		for _, id := range step.Sources {
			if !step.Commit.IsZero() {
				became[id] = step.Commit
			}
		}
	}
	// The lower ones first: what sits on one of them goes onto what it became.
	slices.SortStableFunc(stack, func(x, y Stacked) int { return x.Above - y.Above })
	for _, s := range stack {
		to := repo.ID{}
		for at := slices.Index(plan.Sources, s.At); at >= 0 && to.IsZero(); at-- {
			to = became[plan.Sources[at]]
		}
		if s.Stays != "" || to.IsZero() || to == s.At {
			continue
		}
		if s.Above > 0 {
			moved, made, err := a.putUpon(ctx, s, to, f, became)
			if errors.Is(err, ErrStack) && consent&LeaveStack != 0 {
				continue
			}
			if err != nil {
				return nil, nil, err
			}
			to, pairs = moved, append(pairs, made...)
			for _, pair := range made {
				became[pair[0]] = pair[1]
			}
		}
		moves = append(moves, journal.RefMove{Ref: s.Ref, Old: s.Tip, New: to})
	}
	return moves, pairs, nil
}

// putUpon replays a branch's own commits onto what the one that it sits on became. Errors: ErrStack.
func (a *App) putUpon(ctx context.Context, s Stacked, onto repo.ID, below *replay.Forecast,
	became map[repo.ID]repo.ID) (repo.ID, []repo.Mapping, error) {
	left := func(why string) error {
		reason := fmt.Sprintf("%s sits on these commits with %s of its own, which cannot come along: %s.", s.Name,
			wording.Count(s.Above, "commit"), why)
		return &Refusal{Question: reason + " It would stay on the old ones.",
			Reason: reason + " Nothing was changed. Leave it on the old ones with --leave-stack, or choose that it stays: bastel stack --keep " +
				s.Name + ".", Err: ErrStack}
	}
	if err := below.Store(ctx); err != nil { // they are built on
		return repo.ID{}, nil, err
	}
	ids, err := a.Repo.Range(ctx, s.At, s.Tip)
	if err != nil {
		return repo.ID{}, nil, err
	}
	for i, id := range slices.Backward(ids) {
		if now, ok := became[id]; ok {
			s.At, onto, ids = id, now, ids[i+1:]
			break
		}
	}
	if len(ids) == 0 {
		return onto, nil, nil
	}
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return repo.ID{}, nil, err
	}
	for _, c := range commits {
		if len(c.Parents) > 1 {
			return repo.ID{}, nil, left("there is a merge among them")
		}
	}
	plan := shape.New(s.Name, s.Tip, s.At, ids)
	plan.Onto = onto.String()
	f, err := a.ForecastBy(ctx, replay.New(a.Repo), plan, nil)
	if err != nil {
		return repo.ID{}, nil, err
	}
	if f.Conflicts() > 0 {
		return repo.ID{}, nil, left("they conflict with what comes out")
	}
	if err := a.SignCommits(ctx, f, nil); err != nil {
		return repo.ID{}, nil, err
	}
	if f.Tip.IsZero() { // all of it is there already
		return onto, f.Pairs(), nil
	}
	return f.Tip, f.Pairs(), f.Store(ctx)
}

// StackMovesWith works out what moves with a rewriting, whichever way it was made: the stack, whose branches are counted,
// and notes. What others may build on is rewritten only with consent.
func (a *App) StackMovesWith(ctx context.Context, plan shape.Plan, f *replay.Forecast, consent Consent) (moves []journal.RefMove,
	carried int, err error) {
	var stack []Stacked
	group, both := errgroup.WithContext(ctx)
	group.Go(func() error { return a.guardShared(both, plan, f, consent) })
	group.Go(func() (err error) {
		stack, err = a.Stack(both, plan)
		return err
	})
	if err := group.Wait(); err != nil {
		return nil, 0, err
	}
	moves, pairs, err := a.stackMoves(ctx, plan, stack, f, consent)
	if err != nil {
		return nil, 0, err
	}
	carried = len(moves)
	notes, err := a.noteMoves(ctx, append(f.Pairs(), pairs...))
	return append(moves, notes...), carried, err
}

func updatesOf(moves []journal.RefMove) []repo.RefUpdate {
	updates := make([]repo.RefUpdate, len(moves))
	for i, m := range moves {
		updates[i] = repo.RefUpdate{Ref: m.Ref, New: m.New, Old: m.Old}
	}
	return updates
}

// MovesBack are the moves the other way round.
func MovesBack(moves []journal.RefMove) []journal.RefMove {
	back := make([]journal.RefMove, len(moves))
	for i, m := range moves {
		back[i] = journal.RefMove{Ref: m.Ref, Old: m.New, New: m.Old}
	}
	return back
}
