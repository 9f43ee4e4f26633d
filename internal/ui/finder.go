package ui

import (
	"cmp"
	"fmt"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// openFinder lists every action: those of here, those of the other screens by way of
// going there, and for words of what is not here what to do instead.
func (m *Model) openFinder() tea.Cmd {
	return m.openChooser(kit.Choose{Title: "Find an action", Find: m.findActions}, nil)
}

// findActions gives what fits the typed words: by names first, then by everyday words,
// then by sentences.
func (m *Model) findActions(typed string) []kit.Option {
	type hit struct {
		fits   int
		option kit.Option
	}
	var hits []hit
	add := func(fits int, option kit.Option) {
		if fits > 0 {
			hits = append(hits, hit{fits, option})
		}
	}
	for _, a := range m.actions() {
		if a.Do != nil {
			add(a.Fits(typed), kit.Option{Label: a.Name, Key: a.Key(), Detail: a.Help, Do: func() tea.Cmd { return m.do(a) }})
		}
	}
	for i, screen := range m.screens {
		if i == m.at {
			continue
		}
		for _, a := range screen.Actions() {
			if slices.Contains(a.In, action.Everywhere) {
				continue
			}
			add(a.Fits(typed), kit.Option{Label: screen.Name() + ": " + a.Name, Key: a.Key(),
				Detail: "Goes to " + screen.Name() + ". " + a.Help, Do: func() tea.Cmd { return m.show(i) }})
		}
	}
	if typed != "" {
		for _, way := range action.Instead {
			add(way.Fits(typed), kit.Option{Label: way.Name, Detail: way.Says, Do: func() tea.Cmd { return kit.Say(way.Says) }})
		}
	}
	slices.SortStableFunc(hits, func(a, b hit) int { return cmp.Compare(b.fits, a.fits) })
	options := make([]kit.Option, len(hits))
	for i, h := range hits {
		options[i] = h.option
	}
	return options
}

// menu lists below the screen what can be done with what is at its cursor and has no key
// of its own. A digit chooses.
type menu struct {
	actions []kit.Action
	cursor  int
}

func (l *menu) update(msg tea.Msg, m *Model) tea.Cmd {
	key := keyOf(msg)
	if digit := slices.Index(action.Digits, key); digit >= 0 && digit < len(l.actions) {
		l.cursor, key = digit, "enter"
	}
	switch {
	case key == "":
	case action.Is(action.Up, key):
		l.scroll(-1)
	case action.Is(action.Down, key):
		l.scroll(1)
	case action.Is(action.Choose, key):
		m.closePage()
		return m.do(l.actions[l.cursor])
	default:
		m.closePage()
	}
	return nil
}

func (l *menu) scroll(turns int) { l.cursor = max(0, min(l.cursor+turns, len(l.actions)-1)) }

func (l *menu) view(size kit.Size, m *Model) []string {
	above := size
	above.Height = max(1, size.Height-len(l.actions)-1)
	rows := append(m.drawScreen(above), kit.Blank(size.Width))
	for i, a := range l.actions {
		backdrop, pointer := kit.Cursor(m.theme, i == l.cursor, 2)
		rows = append(rows, kit.Row(size.Width, backdrop, pointer,
			kit.Seg{Text: safe.Show(fmt.Sprintf("%d  ", i+1)), Style: m.theme.Next},
			kit.Seg{Text: safe.Show(kit.Fit(a.Name, 22) + "  "), Style: m.theme.Plain},
			kit.Seg{Text: safe.Show(a.Help), Style: m.theme.Dim}))
	}
	return kit.Pad(rows, size.Width, size.Height)
}

func (l *menu) keys() string { return "1 to 9, or ↑ ↓ and enter, choose   any other key closes" }
