package ui

import (
	"fmt"
	"strings"

	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"

	tea "charm.land/bubbletea/v2"
)

// A notice says what happened, in the rows above the line of keys: as many as it needs, and there is room for, the most important
// first. It never takes a key: the next one acts on the screen, and takes the notice away.

// notices are what is said now, and what was said last, wrapped to the width that it was drawn in.
type notices struct {
	kit.Notice
	last  string
	lines []string // of Text, for width
	width int
}

// say shows a notice.
func (m *Model) say(n kit.Notice) {
	n.Text = safe.Text(strings.TrimSpace(n.Text))
	m.notice = notices{Notice: n, last: n.Text}
}

// hush takes it away. What it said can still be read.
func (m *Model) hush() { m.notice = notices{last: m.notice.last} }

// mostNoticeRows is how many rows a notice may take of a screen.
func (m *Model) mostNoticeRows() int { return max(1, min(10, m.height/4)) }

// noticeRows draws the notice. Where it has no room for all the last row says so, and how the rest is read.
func (m *Model) noticeRows() []string {
	style := m.theme.Accent
	if m.notice.Trouble {
		style = m.theme.Trouble
	}
	lines, most := m.noticeLines(), m.mostNoticeRows()
	left := 0
	if len(lines) > most {
		left, lines = len(lines)-most+1, lines[:most-1]
	}
	head, _, _ := strings.Cut(m.notice.Text, "\n")
	first := len(wrapAll([]string{head}, m.width-2)) // the rows of what matters most: the details stand back
	var rows []string
	for i, line := range lines {
		if i == first {
			style = m.theme.Plain
		}
		rows = append(rows, kit.Row(m.width, nil, kit.Seg{Text: safe.Show(" " + line), Style: style}))
	}
	if left > 0 {
		more := fmt.Sprintf(" … %s more: %s reads all", wording.Count(left, "line"), action.Find(action.ReadNotice).Key())
		rows = append(rows, kit.Row(m.width, nil, kit.Seg{Text: safe.Show(more), Style: m.theme.Next}))
	}
	return rows
}

func (m *Model) noticeLines() []string {
	if m.notice.width != m.width || m.notice.lines == nil {
		m.notice.width = m.width
		m.notice.lines = wrapAll(strings.Split(m.notice.Text, "\n"), m.width-2)
	}
	return m.notice.lines
}

// readNotice opens all of what was said last.
func (m *Model) readNotice() tea.Cmd {
	if m.notice.last == "" {
		return kit.Say("Nothing was said yet.")
	}
	head, rest, _ := strings.Cut(m.notice.last, "\n")
	if rest == "" {
		head, rest = "What was said last", head
	}
	return m.openPage(&text{heading: head, lines: strings.Split(rest, "\n")})
}
