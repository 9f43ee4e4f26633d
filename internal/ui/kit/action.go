package kit

import (
	"slices"
	"strings"

	"charm.land/bubbles/v2/key"
	tea "charm.land/bubbletea/v2"

	"bastel/internal/ui/action"
)

// Action is a row of the table of actions with what it does on a screen just now.
type Action struct {
	action.Action
	AtOnce   bool                     // it acts on what is in memory, so it need not wait for steps that the repository follows with
	OnlyAsks bool                     // its command does nothing but ask the frame for something: it runs at once, before the next key
	Do       func() tea.Cmd           // nil while the action makes no sense here
	DoKey    func(key string) tea.Cmd // in place of Do, where each key of the action chooses something
}

// Act binds what a row of the table does, if it can be done now.
func Act(id action.ID, possible bool, do func() tea.Cmd) Action {
	return Action{Action: action.Find(id), Do: When(possible, do)}
}

// Asking binds what does nothing but ask the frame for something.
func Asking(id action.ID, possible bool, do func() tea.Cmd) Action {
	a := Act(id, possible, do)
	a.OnlyAsks = true
	return a
}

// Choosing binds an action of which each key chooses something.
func Choosing(id action.ID, possible bool, do func(key string) tea.Cmd) Action {
	a := Action{Action: action.Find(id)}
	if possible {
		a.DoKey = do
	}
	return a
}

// InMemory says that the action acts on what is in memory only, or has the repository follow.
func (a Action) InMemory() Action {
	a.AtOnce = true
	return a
}

// inMemory says so of all of them.
func inMemory(actions []Action) []Action {
	for i := range actions {
		actions[i].AtOnce = true
	}
	return actions
}

// Named gives the action with the name that it has just now.
func (a Action) Named(name string) Action {
	a.Name = name
	return a
}

// Binding binds the action's keys where it can be done now.
func (a Action) Binding() key.Binding {
	binding := a.Action.Binding()
	binding.SetEnabled(a.Can())
	return binding
}

// FindKey gives the action of a key that can be done now.
func FindKey(actions []Action, pressed string) (Action, bool) {
	for _, a := range actions {
		if !key.Matches(action.Pressed(pressed), a.Binding()) {
			continue
		}
		if a.DoKey != nil {
			a.Do = func() tea.Cmd { return a.DoKey(pressed) }
		}
		return a, true
	}
	return Action{}, false
}

// WhyNot says of a key that could not be taken what it means here, or where it means something: no key of the table is silent, but
// for the one that closes and stops, where nothing is open and nothing under way.
func WhyNot(actions []Action, pressed string) tea.Cmd {
	for _, a := range actions {
		if slices.Contains(a.Keys, pressed) {
			return Say(action.KeyName(pressed) + ", " + a.Name + ", has nothing to act on here just now. " + a.Help)
		}
	}
	elsewhere := action.Elsewhere(pressed)
	if len(elsewhere) == 0 || action.Is(action.Back, pressed) {
		return nil
	}
	return Say(action.KeyName(pressed) + " does nothing here. " + strings.Join(elsewhere, "; ") + ".")
}

// Can says whether the action can be done now.
func (a Action) Can() bool { return a.Do != nil || a.DoKey != nil }

// Just makes an action of what has no command.
func Just(do func()) func() tea.Cmd { return func() tea.Cmd { do(); return nil } }

// When gives what an action does if it can be done now, else nil.
func When(possible bool, do func() tea.Cmd) func() tea.Cmd {
	if !possible {
		return nil
	}
	return do
}

// Navigator is what the keys that move do on a screen.
type Navigator struct {
	Move func(rows int)
	Page func(pages int)
	End  func(last bool)
	Turn func(half Half) // take the cursor to the other half; nil where there is none
}

// Actions lists the actions that move, the same on every screen.
func (n Navigator) Actions() []Action {
	return inMemory([]Action{
		Act(action.Down, true, Just(func() { n.Move(1) })),
		Act(action.Up, true, Just(func() { n.Move(-1) })),
		Act(action.PageDown, true, Just(func() { n.Page(1) })),
		Act(action.PageUp, true, Just(func() { n.Page(-1) })),
		Act(action.Top, true, Just(func() { n.End(false) })),
		Act(action.End, true, Just(func() { n.End(true) })),
		Act(action.ToNow, n.Turn != nil, Just(func() { n.Turn(Now) })),
		Act(action.ToNext, n.Turn != nil, Just(func() { n.Turn(Next) })),
	})
}

// Hunks are the actions that go from hunk to hunk, and from file to file.
func Hunks(possible bool, hunk, file func(by int)) []Action {
	return inMemory([]Action{
		Act(action.NextHunk, possible, Just(func() { hunk(1) })),
		Act(action.PreviousHunk, possible, Just(func() { hunk(-1) })),
		Act(action.NextFile, possible, Just(func() { file(1) })),
		Act(action.PreviousFile, possible, Just(func() { file(-1) })),
	})
}
