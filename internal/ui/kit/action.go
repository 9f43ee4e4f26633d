package kit

import (
	"slices"

	tea "charm.land/bubbletea/v2"
)

// Action is something the user can do. The line of keys, the help and the finder
// all show the same actions.
type Action struct {
	Keys  []string                 // as Bubble Tea names them; the first one is shown
	Name  string                   // two or three words, for the line of keys and the finder
	Help  string                   // a sentence for the help
	Rare  bool                     // not in the line of keys
	Asks  bool                     // its command does nothing but ask the frame for something: it runs at once, before the next key
	Do    func() tea.Cmd           // nil while the action makes no sense here
	DoKey func(key string) tea.Cmd // in place of Do, where the keys mean different things of one sort
	Shown string                   // how the keys are written together, if not by the first one
}

// Find gives the action of a key that can be done now.
func Find(actions []Action, key string) (Action, bool) {
	for _, a := range actions {
		if !slices.Contains(a.Keys, key) {
			continue
		}
		if a.DoKey != nil {
			a.Do = func() tea.Cmd { return a.DoKey(key) }
		}
		if a.Do != nil {
			return a, true
		}
	}
	return Action{}, false
}

// Can says whether the action can be done now.
func (a Action) Can() bool { return a.Do != nil || a.DoKey != nil }

// Key is how the action's key is written on the screen.
func (a Action) Key() string {
	if a.Shown != "" {
		return a.Shown
	}
	return KeyName(a.Keys[0])
}

// KeyName is how a key is written on the screen.
func KeyName(key string) string {
	names := map[string]string{"up": "↑", "down": "↓", "left": "←", "right": "→", "shift+up": "⇧↑", "shift+down": "⇧↓",
		"space": "space", "pgup": "page↑", "pgdown": "page↓"}
	if name, ok := names[key]; ok {
		return name
	}
	return key
}

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
	then := func(do func()) func() tea.Cmd {
		return func() tea.Cmd { do(); return nil }
	}
	actions := []Action{
		{Keys: []string{"down", "j"}, Name: "down", Help: "Down by one.", Rare: true, Do: then(func() { n.Move(1) })},
		{Keys: []string{"up", "k"}, Name: "up", Help: "Up by one.", Rare: true, Do: then(func() { n.Move(-1) })},
		{Keys: []string{"pgdown", "ctrl+d"}, Name: "page down", Help: "Down by a page.", Rare: true, Do: then(func() { n.Page(1) })},
		{Keys: []string{"pgup", "ctrl+u"}, Name: "page up", Help: "Up by a page.", Rare: true, Do: then(func() { n.Page(-1) })},
		{Keys: []string{"home", "g"}, Name: "to the top", Help: "To the first row.", Rare: true, Do: then(func() { n.End(false) })},
		{Keys: []string{"end", "G"}, Name: "to the end", Help: "To the last row.", Rare: true, Do: then(func() { n.End(true) })},
	}
	if n.Turn == nil {
		return actions
	}
	return append(actions,
		Action{Keys: []string{"left", "h"}, Name: "to Now", Help: "To the left half, what is.", Rare: true, Do: then(func() { n.Turn(Now) })},
		Action{Keys: []string{"right", "l"}, Name: "to Next", Help: "To the right half, what will be.", Rare: true, Do: then(func() { n.Turn(Next) })},
	)
}
