package planning

import (
	"context"

	"bastel/internal/replay"
	"bastel/internal/shape"
	"bastel/internal/suggest"
)

// Survey finds which of a plan's commits touch the same files and lines.
func (a *App) Survey(ctx context.Context, plan shape.Plan) (suggest.Matrix, error) {
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return suggest.Matrix{}, err
	}
	commits := make([]suggest.Commit, len(sources))
	for i, s := range sources {
		before, err := a.TreeOf(ctx, s.Commit.Parent())
		if err != nil {
			return suggest.Matrix{}, err
		}
		commits[i] = suggest.Commit{ID: s.ID, Message: s.Message, Before: before, Tree: s.Commit.Tree}
	}
	return suggest.Survey(ctx, a.Repo.NewOverlay(), commits)
}

// Suggest finds what could be joined or left out. The forecast, if there is one, is
// the plan's.
func (a *App) Suggest(ctx context.Context, plan shape.Plan, forecast *replay.Forecast) ([]suggest.Suggestion, error) {
	matrix, err := a.Survey(ctx, plan)
	if err != nil {
		return nil, err
	}
	return suggest.Find(matrix, plan, forecast), nil
}
