package app

import (
	"context"
	"slices"

	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// Stacked is another branch that sits on one of a plan's commits.
type Stacked struct {
	Ref      string
	Name     string
	At       repo.ID // the source that it points at
	Worktree string  // where it is checked out; then it stays where it is
}

// Stack lists the branches that sit on a plan's commits, and are carried along.
func (a *App) Stack(ctx context.Context, plan shape.Plan) ([]Stacked, error) {
	refs, err := a.Repo.Refs(ctx, "refs/heads")
	if err != nil {
		return nil, err
	}
	var stack []Stacked
	for _, ref := range refs {
		if ref.Short() != plan.Branch && ref.Symref == "" && slices.Contains(plan.Sources, ref.ID) {
			stack = append(stack, Stacked{ref.Name, ref.Short(), ref.ID, ref.Worktree})
		}
	}
	return stack, nil
}

// stackMoves says where each branch of the stack goes: to what its commit has become,
// or the last one before it of which something is left.
func (a *App) stackMoves(ctx context.Context, plan shape.Plan, f *replay.Forecast) ([]journal.RefMove, error) {
	stack, err := a.Stack(ctx, plan)
	if err != nil {
		return nil, err
	}
	became := map[repo.ID]repo.ID{}
	for _, step := range f.Steps {
		for _, id := range step.Sources {
			if !step.Commit.IsZero() {
				became[id] = step.Commit
			}
		}
	}
	var moves []journal.RefMove
	for _, s := range stack {
		if s.Worktree != "" {
			continue
		}
		for at := slices.Index(plan.Sources, s.At); at >= 0; at-- {
			if to, ok := became[plan.Sources[at]]; ok {
				if to != s.At {
					moves = append(moves, journal.RefMove{Ref: s.Ref, Old: s.At, New: to})
				}
				break
			}
		}
	}
	return moves, nil
}

// along works out what moves with a rewriting, whichever way it was made: the stack, whose
// branches are counted, and notes. What others may
// build on is rewritten only with consent.
func (a *App) along(ctx context.Context, plan shape.Plan, f *replay.Forecast, consent Consent) (moves []journal.RefMove, carried int, err error) {
	if err := a.guardShared(ctx, plan, f, consent); err != nil {
		return nil, 0, err
	}
	stack, err := a.stackMoves(ctx, plan, f)
	if err != nil {
		return nil, 0, err
	}
	notes, err := a.noteMoves(ctx, f.Pairs())
	return append(stack, notes...), len(stack), err
}

// rangePlan stands for commits of a branch that are rewritten without a plan.
func rangePlan(head repo.Head, sources []Source) shape.Plan {
	plan := shape.Plan{Branch: head.Branch(), Tip: head.Commit, Base: sources[0].Commit.Parent()}
	for _, s := range sources {
		plan.Sources = append(plan.Sources, s.ID)
	}
	return plan
}

func updatesOf(moves []journal.RefMove) []repo.RefUpdate {
	updates := make([]repo.RefUpdate, len(moves))
	for i, m := range moves {
		updates[i] = repo.RefUpdate{Ref: m.Ref, New: m.New, Old: m.Old}
	}
	return updates
}

// turnedBack are the moves the other way round.
func turnedBack(moves []journal.RefMove) []journal.RefMove {
	back := make([]journal.RefMove, len(moves))
	for i, m := range moves {
		back[i] = journal.RefMove{Ref: m.Ref, Old: m.New, New: m.Old}
	}
	return back
}
