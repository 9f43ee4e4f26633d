package kit

import (
	"bastel/internal/replay"
	"bastel/internal/shape"
)

// Forecasted tells the screen that mends of the plan and its latest forecast.
type Forecasted struct {
	Plan     shape.Plan
	Forecast *replay.Forecast
	Err      error // why it could not be forecast, other than by a no
}

// PlanStep asks it to take an edit back, to do it again, or to apply the plan.
type PlanStep int

// The steps.
const (
	UndoEdit PlanStep = iota
	RedoEdit
	ApplyPlan
)

// Go asks the frame for another screen.
type Go struct{ Screen string }
