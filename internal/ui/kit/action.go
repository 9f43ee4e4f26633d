package kit

import (
	"slices"

	tea "charm.land/bubbletea/v2"
)

// Action is something the user can do. The line of keys, the help and the finder
// all show the same actions.
type Action struct {
	Keys []string       // as Bubble Tea names them; the first one is shown
	Name string         // two or three words, for the line of keys and the finder
	Help string         // a sentence for the help
	Rare bool           // not in the line of keys
	Asks bool           // its command does nothing but ask the frame for something: it runs at once, before the next key
	Do   func() tea.Cmd // nil while the action makes no sense here
}

// Find gives the action of a key that can be done now.
func Find(actions []Action, key string) (Action, bool) {
	for _, a := range actions {
		if a.Do != nil && slices.Contains(a.Keys, key) {
			return a, true
		}
	}
	return Action{}, false
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
