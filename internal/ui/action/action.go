// Package action is the one table of what the user can do: each action with its key, its
// name, a sentence, the everyday words for it and its command. The line of keys, the
// help, the finder, the menu and docs/keys.md are made from it. What an action does is
// bound to its row by the screens.
//
// Its tests promise: a key has one meaning, and the documentation is the table.
package action

import (
	"fmt"
	"slices"
	"strings"

	"charm.land/bubbles/v2/key"
)

// ID names a row of the table.
type ID string

// Place is a view in which actions can be done.
type Place string

// The places, in the order in which the documentation lists them.
const (
	Everywhere Place = "everywhere"
	Map        Place = "Map"
	Sort       Place = "Sort"
	Homes      Place = "the hunks' way home"
	Shape      Place = "Shape"
	Parts      Place = "a divided commit"
	Overlaps   Place = "overlaps"
	Mend       Place = "Mend"
	Listing    Place = "the list of conflicts"
	Send       Place = "Send"
	Reading    Place = "reading through"
	Preflight  Place = "the preflight"
	Landing    Place = "landing"
	Handing    Place = "handing over"
	Look       Place = "a difference"
	Telling    Place = "a file's story"
	Choosing   Place = "a list"
	Writing    Place = "writing a text"
	Output     Place = "a page of text"
	Nowhere    Place = "no repository"
)

// Action is one thing that the user can do.
type Action struct {
	ID      ID
	In      []Place
	Name    string   // two or three words
	Help    string   // a sentence
	Words   string   // everyday words for it, which the finder knows
	Command string   // of the command line that does the same
	Listed  bool     // shown in the line of keys
	Keys    []string // as Bubble Tea names them, the first is shown; absent: those of its row; none: it is in the menu and the finder only
	Shown   string   // how the keys are written together, if not by the first one
}

// Key is a key and its one meaning, with the actions that are this meaning in a place.
type Key struct {
	Keys    []string
	Shown   string
	Means   string
	Except  string // why the key does something else in one place
	Actions []Action
}

// Elsewhere says of a key what it does in which places: "In Shape: squash".
func Elsewhere(pressed string) (does []string) {
	for _, key := range Table {
		for _, a := range key.Actions {
			if !slices.Contains(byID[a.ID].Keys, pressed) || slices.Contains(a.In, Everywhere) || slices.Contains(a.In, Nowhere) {
				continue
			}
			places := make([]string, len(a.In))
			for i, place := range a.In {
				places[i] = string(place)
			}
			word := "In "
			if len(does) > 0 {
				word = "in "
			}
			does = append(does, word+strings.Join(places, ", ")+": "+a.Name)
		}
	}
	return does
}

// Find gives a row.
func Find(id ID) Action {
	row, ok := byID[id]
	if !ok {
		panic(fmt.Sprintf("no action is called %q", id))
	}
	return row
}

var byID = index()

func index() map[ID]Action {
	rows := map[ID]Action{}
	for _, key := range Table {
		for _, a := range key.Actions {
			if a.Keys == nil {
				a.Keys, a.Shown = key.Keys, key.Shown
			}
			rows[a.ID] = a
		}
	}
	return rows
}

// Pressed is a key by the name that Bubble Tea gives it.
type Pressed string

// String gives the name.
func (p Pressed) String() string { return string(p) }

// Is says whether a key, as Bubble Tea names it, is one of an action's.
func Is(id ID, pressed string) bool { return key.Matches(Pressed(pressed), Find(id).Binding()) }

// Binding binds the action's keys, with the help that the line of keys gives.
func (a Action) Binding() key.Binding {
	return key.NewBinding(key.WithKeys(a.Keys...), key.WithHelp(a.Key(), a.Name))
}

// Key is how the action's key is written on the screen; empty if it has none.
func (a Action) Key() string {
	switch {
	case a.Shown != "":
		return a.Shown
	case len(a.Keys) == 0:
		return ""
	}
	return KeyName(a.Keys[0])
}

// AllKeys is how all of the action's keys are written.
func (a Action) AllKeys() string {
	if a.Shown != "" {
		return a.Shown
	}
	names := make([]string, len(a.Keys))
	for i, key := range a.Keys {
		names[i] = KeyName(key)
	}
	return strings.Join(names, "  ")
}

// Fits says how well the action answers to typed words: 0 not at all, then by its
// sentence, by an everyday word, by its name.
func (a Action) Fits(typed string) int { return fits(typed, a.Name, a.Words, a.Help) }

// fits gives the rank of the last text, best first, that is needed for all words.
func fits(typed string, texts ...string) int {
	for i := range texts {
		all := strings.ToLower(strings.Join(texts[:i+1], " "))
		found := true
		for word := range strings.FieldsSeq(strings.ToLower(typed)) {
			found = found && strings.Contains(all, word)
		}
		if found {
			return len(texts) - i
		}
	}
	return 0
}

// keyNames are the keys that are not written as they are called.
var keyNames = map[string]string{"up": "↑", "down": "↓", "left": "←", "right": "→", "shift+up": "⇧↑", "shift+down": "⇧↓",
	"shift+tab": "⇧tab", "pgup": "page↑", "pgdown": "page↓", "ctrl+up": "ctrl+↑", "ctrl+down": "ctrl+↓",
	"alt+up": "alt+↑", "alt+down": "alt+↓", "f2": "F2", "f3": "F3", "f4": "F4", "f5": "F5",
	"f6": "F6"}

// KeyName is how a key is written on the screen.
func KeyName(key string) string {
	if name, ok := keyNames[key]; ok {
		return name
	}
	return key
}
