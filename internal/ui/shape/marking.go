package shape

import (
	"fmt"
	"slices"
	"strings"
	"unicode"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// markMany offers what can be marked at once.
func (m *Model) markMany() tea.Cmd {
	choose := kit.Choose{Title: "Mark which entries?"}
	offer := func(key, label string, fits func(at int, e shape.Entry) bool) {
		n := 0
		for at, e := range m.plan.Next {
			if fits(at, e) {
				n++
			}
		}
		choose.Options = append(choose.Options, kit.Option{Key: key, Label: label, Detail: wording.Count(n, "entry"),
			Do: func() tea.Cmd { return m.markAll(fits) }})
	}
	if at := m.entry(); at >= 0 {
		e := m.plan.Next[at]
		by := m.sourceOf(e.From[0]).Commit.Writer()
		family, files := familyOf(m.subject(e)), m.filesOf(e)
		offer("y", "the family “"+safe.Line(family)+"…”", func(_ int, o shape.Entry) bool { return familyOf(m.subject(o)) == family })
		offer("w", "those written by "+safe.Line(by.Name), func(_ int, o shape.Entry) bool {
			return m.sourceOf(o.From[0]).Commit.Writer().Email == by.Email
		})
		offer("f", "those that touch a file of this one", func(_ int, o shape.Entry) bool {
			return slices.ContainsFunc(m.filesOf(o), func(path string) bool { return slices.Contains(files, path) })
		})
		offer("d", "this one and all after it", func(o int, _ shape.Entry) bool { return o >= at })
	}
	choose.Options = append(choose.Options, kit.Option{Key: "t", Label: "those with a text", Detail: "in the subject or in the body",
		Do: m.markByText})
	marked := m.markedPlaces()
	offer("r", "the rest: those that are not marked", func(at int, _ shape.Entry) bool { return !slices.Contains(marked, at) })
	offer("a", "all", func(int, shape.Entry) bool { return true })
	offer("n", "none", func(int, shape.Entry) bool { return false })
	return kit.Show(choose)
}

// markAll marks just the entries that fit, and says what the next key does with them.
func (m *Model) markAll(fits func(at int, e shape.Entry) bool) tea.Cmd {
	m.unmark()
	n := 0
	for at, e := range m.plan.Next {
		if fits(at, e) {
			m.marked[e.From[0]] = true
			n++
		}
	}
	if n == 0 {
		return kit.Say("Nothing is marked.")
	}
	key := func(id action.ID) string { return action.Find(id).Key() }
	return kit.Say(fmt.Sprintf("%s marked: %s joins them, %s leaves them out, %s moves them.", wording.Count(n, "entry"), key(action.Squash),
		key(action.LeaveOut), key(action.MoveTo)))
}

// markByText asks for a text, and marks the entries whose messages have it, whatever its case.
func (m *Model) markByText() tea.Cmd {
	return kit.Show(kit.Edit{Title: "Mark the entries that have which text?", OneLine: true, Done: func(text string) tea.Cmd {
		wanted := strings.ToLower(strings.TrimSpace(text))
		return m.markAll(func(_ int, e shape.Entry) bool {
			message := e.Message
			if message == "" {
				message = m.sourceOf(e.From[0]).Message
			}
			return wanted != "" && strings.Contains(strings.ToLower(message), wanted)
		})
	}})
}

// filesOf are the files that an entry's commits touch.
func (m *Model) filesOf(e shape.Entry) (paths []string) {
	for _, row := range m.matrix.Rows {
		touches := func(n int) bool { return slices.Contains(e.From, m.matrix.Commits[n].ID) }
		for _, cell := range row.Cells {
			if touches(cell.Commit) {
				paths = append(paths, row.Path)
				break
			}
		}
	}
	return paths
}

// familyOf is the beginning that subjects of one kind share: what stands before a colon, or before a number at the end; else the first
// word.
func familyOf(subject string) string {
	if before, _, ok := strings.Cut(subject, ":"); ok {
		return before
	}
	if trimmed := strings.TrimRightFunc(subject, func(r rune) bool { return unicode.IsDigit(r) || unicode.IsSpace(r) }); trimmed != "" &&
		trimmed != strings.TrimSpace(subject) {
		return trimmed
	}
	word, _, _ := strings.Cut(subject, " ")
	return word
}
