package ui

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"charm.land/bubbles/v2/help"
	"charm.land/bubbles/v2/key"
	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// bottomRows is how many rows are below the body: what failed, what is said, the line of keys.
func (m *Model) bottomRows() int {
	if _, asks := m.page.(*asker); asks || m.work != nil || m.beside != nil && m.notice.Text == "" {
		return 3
	}
	return 2 + min(len(m.noticeLines()), m.mostNoticeRows())
}

func (m *Model) bodySize() kit.Size {
	return kit.Size{Width: m.width, Height: max(1, m.height-m.topRows()-m.bottomRows()), Narrow: m.width < narrowBelow}
}

// draw draws the whole screen.
func (m *Model) draw() tea.View {
	v := tea.NewView("")
	v.AltScreen = true
	v.MouseMode = tea.MouseModeCellMotion
	v.ReportFocus = true
	v.WindowTitle = "Bastel"
	if m.width < 20 || m.height < 8 {
		v.SetContent(strings.Join(kit.Wrap("Bastel needs more room.", m.width), "\n"))
		return v
	}
	rows := m.top()
	rows = append(rows, m.body(m.bodySize())...)
	rows = append(rows, m.bottom()...)
	drawn := strings.Join(rows, "\n")
	if m.ascii {
		drawn = kit.ASCII(drawn)
	}
	v.SetContent(drawn)
	return v
}

// topRows is how many rows are above a screen: where there is little room the sentence is one, in few words.
func (m *Model) topRows() int {
	if m.width < narrowBelow {
		return 2
	}
	return 3
}

// top is the sentence that says where the user stands, and the way through the screens at the end of the second row. All of
// the sentence is in the help too.
func (m *Model) top() []string {
	sentence := ""
	if m.where.Known {
		sentence = safe.Line(m.where.Value.Sentence())
	}
	lines := append(kit.Wrap(sentence, m.width-2), "")
	if m.bodySize().Narrow && m.where.Known {
		lines = []string{kit.Fit(safe.Line(m.where.Value.Brief()), m.width-2)}
	}
	rows := make([]string, m.topRows())
	const wayRow = 1
	for i := range rows {
		text := kit.Seg{Style: m.theme.Plain}
		if i < min(len(lines), 2) {
			text.Text = safe.Show(" " + lines[i])
		}
		if i == wayRow {
			rows[i] = kit.Split(m.width, nil, []kit.Seg{text}, m.way()...)
			continue
		}
		rows[i] = kit.Row(m.width, nil, text)
	}
	return rows
}

// way draws the screens as stations of a thread, in the order of the work.
func (m *Model) way() []kit.Seg {
	var segs []kit.Seg
	for i, screen := range m.screens {
		if i > 0 {
			segs = append(segs, kit.Seg{Text: " ─── ", Style: m.theme.Quiet})
		}
		style := m.theme.Dim
		name := screen.Name()
		if i == m.at {
			style, name = m.theme.Accent, "▰ "+name
		}
		segs = append(segs, kit.Seg{Text: safe.Show(name), Style: style})
	}
	return append(segs, kit.Seg{Text: " "})
}

func (m *Model) body(size kit.Size) []string {
	switch {
	case m.page != nil && m.screen() != nil:
		return m.page.view(size, m)
	case m.failed != nil:
		what, todo := failure(m.failed)
		return kit.Empty(size.Width, size.Height, m.theme, what, safe.Text(todo))
	case m.screen() == nil:
		return kit.Pad([]string{kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  Opening " + safe.Line(m.dir) + " …"),
			Style: m.theme.Dim})}, size.Width, size.Height)
	}
	return m.drawScreen(size)
}

// leastRows and leastWidth are what a screen may count on. Where the terminal has less, the
// rest is cut off.
const (
	leastRows  = 7
	leastWidth = 20
)

func (m *Model) drawScreen(size kit.Size) []string {
	room := size
	room.Height, room.Width = max(size.Height, leastRows), max(size.Width, leastWidth)
	return m.screen().View(room, m.theme)[:size.Height]
}

func (m *Model) bottom() []string {
	return append(append([]string{m.failedRow()}, m.news()...), m.keysLine())
}

// failedRow says that what is shown could not be read anew, and why. Else it has the tour, if there is one.
func (m *Model) failedRow() string {
	failed := m.failedReading()
	if failed == nil {
		return m.tourRow()
	}
	why, _, _ := strings.Cut(app.Explain(failed), "\n")
	text := fmt.Sprintf(" Not read again, so this may be older; %s tries again. %s", action.Find(action.Refresh).Key(), safe.Line(why))
	return kit.Row(m.width, nil, kit.Seg{Text: safe.Show(text), Style: m.theme.Trouble})
}

// news are the rows of work under way, of a question, or of what happened last.
func (m *Model) news() []string {
	row := func(text string) []string {
		return []string{kit.Row(m.width, nil, kit.Seg{Text: safe.Show(" " + text), Style: m.theme.Accent})}
	}
	if a, ok := m.page.(*asker); ok {
		lines := a.lines(m.width)
		return row(lines[len(lines)-1])
	}
	switch {
	case m.work != nil:
		return row(m.work.says())
	case m.beside != nil && m.notice.Text == "":
		return row(m.beside.says())
	}
	return m.noticeRows()
}

// failedReading is why what is shown could not be read anew; nil: it was.
func (m *Model) failedReading() error {
	if m.where.Err != nil || m.screen() == nil {
		return m.where.Err
	}
	return m.screen().Failed()
}

// says tells how far work is.
func (r *running) says() string {
	text := r.Title
	if progress := r.progress.Load(); progress != nil && (!r.Background || r.Quiet) {
		text += ": " + safe.Line(*progress)
	}
	if r.stopping {
		return text + " (stopping)"
	}
	if time.Since(r.since) > time.Second {
		text += fmt.Sprintf("   %d s, esc stops it", int(time.Since(r.since).Seconds()))
	}
	return text
}

// keysLine says what the keys do here: as many as there is room for, the ones of
// every screen at the end.
func (m *Model) keysLine() string {
	if m.page != nil {
		return kit.Row(m.width, nil, kit.Seg{Text: safe.Show(" " + m.page.keys()), Style: m.theme.Dim})
	}
	ends := []action.ID{action.Help, action.FindAction}
	actions := m.actions()
	if m.bodySize().Narrow {
		actions = applyFirst(actions)
	} else {
		ends = append(ends, action.Leave, action.Menu)
	}
	var first, last []key.Binding
	for _, a := range m.advised(actions) {
		switch {
		case slices.Contains(ends, a.ID):
			last = append(last, a.Binding())
		case a.Listed:
			first = append(first, a.Binding())
		}
	}
	line := keysHelp(m.theme)
	right := line.ShortHelpView(last) + "  "
	room := m.width - 1 - lipgloss.Width(right) - len(line.ShortSeparator)
	return kit.Ends(m.width, " "+line.ShortHelpView(fitting(first, room, len(line.ShortSeparator))), right)
}

// fitting are the bindings, of those that are enabled, that have room in a line; the component cuts the last one.
func fitting(bindings []key.Binding, room, between int) []key.Binding {
	for i, b := range bindings {
		if !b.Enabled() {
			continue
		}
		if room -= ansi.StringWidth(b.Help().Key+" "+b.Help().Desc) + between; room < -between {
			return bindings[:i]
		}
	}
	return bindings
}

// keysHelp draws keys and what they do in a line.
func keysHelp(theme kit.Theme) help.Model {
	line := help.New()
	line.ShortSeparator, line.Ellipsis = "   ", ""
	dim := theme.Dim.Lipgloss()
	line.Styles.ShortKey, line.Styles.ShortDesc, line.Styles.ShortSeparator = theme.Next.Bold(true).Lipgloss(), dim, dim
	return line
}

// applyFirst puts what applies first, so that it has room on a line that has little.
func applyFirst(actions []kit.Action) []kit.Action {
	at := slices.IndexFunc(actions, func(a kit.Action) bool { return a.Can() && a.Listed && slices.Contains(a.Keys, "a") })
	if at < 0 {
		return actions
	}
	return append([]kit.Action{actions[at]}, slices.Delete(slices.Clone(actions), at, at+1)...)
}

// adviser is a screen that knows which key helps now.
type adviser interface{ Advice() action.ID }

// advised puts the action first that the screen says helps.
func (m *Model) advised(actions []kit.Action) []kit.Action {
	advised, ok := m.screen().(adviser)
	if !ok {
		return actions
	}
	id := advised.Advice()
	at := slices.IndexFunc(actions, func(a kit.Action) bool { return a.ID == id && a.Can() })
	if id == "" || at < 0 {
		return actions
	}
	first := actions[at]
	first.Listed = true
	return append([]kit.Action{first}, slices.Delete(slices.Clone(actions), at, at+1)...)
}
