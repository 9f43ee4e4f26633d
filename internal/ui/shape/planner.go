package shape

import (
	tea "charm.land/bubbletea/v2"

	"bastel/internal/shape"
	"bastel/internal/ui/kit"
)

// Plan is the plan as it is edited now.
func (m *Model) Plan() shape.Plan { return m.plan }

// Edit edits the plan for another screen.
func (m *Model) Edit(edit func(shape.Plan) shape.Plan) tea.Cmd {
	if plan := edit(m.plan); !plan.Equal(m.plan) {
		return m.set(plan)
	}
	return nil
}

// Can says whether a step is there to be done.
func (m *Model) Can(step kit.PlanStep) bool {
	switch step {
	case kit.UndoEdit:
		return len(m.before) > 0
	case kit.RedoEdit:
		return len(m.after) > 0
	}
	return m.plan.Changes()
}

// Step does for another screen what keys do here.
func (m *Model) Step(step kit.PlanStep) tea.Cmd {
	switch {
	case !m.Can(step):
		return nil
	case step == kit.UndoEdit:
		return m.undo()
	case step == kit.RedoEdit:
		return m.redo()
	}
	return m.apply()
}
