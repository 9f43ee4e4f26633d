package charting

import "context"

// GrowFast gives a part for each place that is found.
func (a *App) GrowFast(ctx context.Context, show Show, part func(Chart)) (Chart, error) {
	return a.grow(ctx, show, part, 0)
}
