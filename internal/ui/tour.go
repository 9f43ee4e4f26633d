package ui

import (
	"fmt"
	"slices"

	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/mend"
	"bastel/internal/ui/shape"
	"bastel/internal/ui/sort"
)

// tour leads through the work in a few steps that are done, not read about: on the demo, or on one's own branch. It changes
// nothing that u does not take back, and each step can be passed over.
type tour struct{ at int }

// tourStep is done by one of some actions, on a screen or on any.
type tourStep struct {
	screen string
	by     []action.ID
	says   string
}

// tourSteps are in the order of the work. Keys are named as the table has them.
func tourSteps() []tourStep {
	key := func(id action.ID) string { return action.Find(id).Key() }
	return []tourStep{
		{sort.Name, []action.ID{action.Carry, action.IntoTray, action.WholeFile}, "Put the hunk at the cursor into tray A, which is the next " +
			"commit: " + key(action.Carry) + "."},
		{"", []action.ID{action.Undo}, "Undo it: " + key(action.Undo) + ". Everything that is done here can be undone."},
		{sort.Name, []action.ID{action.NextScreen, action.GoToScreen}, "Go on to Shape, where the commits of your branch are arranged: " +
			key(action.NextScreen) + "."},
		{shape.Name, []action.ID{action.Squash, action.MoveUp, action.MoveDown, action.LeaveOut}, "Change the plan: " + key(action.Squash) +
			" squashes an entry into the one above, " + key(action.LeaveOut) + " leaves it out. Nothing moves before you apply it."},
		{shape.Name, []action.ID{action.ApplyPlan, action.Undo}, "Apply the plan: " + key(action.ApplyPlan) + ". Or take the edit back: " +
			key(action.Undo) + "."},
		{shape.Name, []action.ID{action.NextScreen, action.GoToScreen}, "Go on to Mend, where the conflicts of a plan are answered before " +
			"anything moves: " + key(action.NextScreen) + "."},
		{mend.Name, []action.ID{action.NextScreen, action.GoToScreen}, "Go on to Send, which shows what a push would do: " +
			key(action.NextScreen) + "."},
		{"", []action.ID{action.FindAction}, "Find what you look for by your own word: " + key(action.FindAction) + ", then for instance amend."},
	}
}

// beginTour begins the tour, or goes on to its next step; after the last one it ends.
func (m *Model) beginTour() {
	m.offersTour = false
	if m.tour == nil {
		m.tour = &tour{}
		return
	}
	m.nextOfTour()
}

func (m *Model) nextOfTour() {
	if m.tour.at++; m.tour.at == len(tourSteps()) {
		m.tour = nil
		m.say(kit.Notice{Text: "That was the tour. " + action.Find(action.Help).Key() + " explains each screen, and " +
			action.Find(action.Undo).Key() + " undoes what you tried."})
	}
}

// tourSees takes the offer away once something else is done, and goes on where the action that was done, on a screen, is the one that
// the tour waits for.
func (m *Model) tourSees(a kit.Action, on kit.Screen) {
	m.offersTour = m.offersTour && a.ID == action.Tour // who begins to work has passed it over
	if m.tour == nil || on == nil {
		return
	}
	step := tourSteps()[m.tour.at]
	// A key means one thing: u takes back, whatever it is called in a view.
	done := slices.ContainsFunc(step.by, func(id action.ID) bool { return id == a.ID || slices.Equal(action.Find(id).Keys, a.Keys) })
	if done && (step.screen == "" || step.screen == on.Name()) {
		m.nextOfTour()
	}
}

// keyOfScreen is the key that goes to a screen, as it is written.
func (m *Model) keyOfScreen(name string) string {
	at := slices.IndexFunc(m.screens, func(s kit.Screen) bool { return s.Name() == name })
	return action.KeyName(action.Screens[at])
}

// tourRow is the line of the tour, or the offer of it at a first start; empty where there is neither.
func (m *Model) tourRow() string {
	key := action.Find(action.Tour).Key()
	text := ""
	switch {
	case m.tour != nil:
		steps := tourSteps()
		step := steps[m.tour.at]
		if step.screen != "" && step.screen != m.screen().Name() {
			step.says = fmt.Sprintf("In %s, %s: %s", step.screen, m.keyOfScreen(step.screen), step.says)
		}
		text = fmt.Sprintf(" Tour, %d of %d: %s  (%s goes on)", m.tour.at+1, len(steps), step.says, key)
	case m.offersTour && m.opened && m.failed == nil:
		text = fmt.Sprintf(" New here? %s begins a tour of %d steps on this branch; %s undoes what you try.", key,
			len(tourSteps()), action.Find(action.Undo).Key())
	default:
		return kit.Blank(m.width)
	}
	return kit.Row(m.width, nil, kit.Seg{Text: safe.Show(text), Style: m.theme.Accent})
}
