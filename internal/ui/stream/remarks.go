package stream

import (
	"slices"
	"strings"

	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// Remark is a remark that shows below a line.
type Remark struct {
	Number  int
	Head    string // who, and when
	Text    string
	Settled bool
}

// RemarksByLine are remarks by the hunk's id, and by the place of the line in it.
type RemarksByLine map[string]map[int][]Remark

// SetRemarks shows remarks, by hunk id and line. A hunk with an open one is not hidden.
func (m *Model) SetRemarks(remarks RemarksByLine) {
	m.remarks = remarks
	for id, lines := range remarks {
		for _, list := range lines {
			if slices.ContainsFunc(list, func(n Remark) bool { return !n.Settled }) {
				delete(m.hidden, id)
			}
		}
	}
	m.relayout()
}

// SetRead says which hunks were looked through, by hunk id; those are hidden.
func (m *Model) SetRead(read map[string]bool) {
	m.read = read
	m.hidden = map[string]bool{}
	for id, done := range read {
		m.hidden[id] = done
	}
	m.relayout()
}

// remarkLine is one row of a remark.
type remarkLine struct {
	number  int
	text    string
	head    bool
	settled bool
}

func (l remarkLine) style(theme kit.Theme) kit.Style {
	switch {
	case l.settled:
		return theme.Dim
	case l.head:
		return theme.Accent
	}
	return theme.Plain
}

// remarkLines lays the remarks on a line out in rows.
func (m *Model) remarkLines(hunk string, line int) []remarkLine {
	var rows []remarkLine
	for _, n := range m.remarks[hunk][line] {
		rows = append(rows, remarkLine{n.Number, safe.Line(n.Head), true, n.Settled})
		if n.Settled {
			continue
		}
		for part := range strings.SplitSeq(safe.Text(n.Text), "\n") {
			for _, row := range kit.Wrap(kit.Expand(part), max(10, m.width-gutter)) {
				rows = append(rows, remarkLine{n.Number, row, false, false})
			}
		}
	}
	return rows
}

// RemarkAtCursor gives the number of the remark at the cursor, or of the first one on its
// line; 0 where there is none.
func (m *Model) RemarkAtCursor() int {
	r := m.at()
	if r.hunk < 0 || r.line < 0 {
		return 0
	}
	rows := m.remarkLines(m.files[r.file].Hunks[r.hunk].ID, int(r.line))
	switch {
	case len(rows) == 0:
		return 0
	case r.kind == remarkRow:
		return rows[r.part].number
	}
	return rows[0].number
}

// PlaceAtCursor gives the indexes of file, hunk and line at the cursor; -1 for what it is
// on none of.
func (m *Model) PlaceAtCursor() (file, hunk, line int) {
	r := m.at()
	return int(r.file), int(r.hunk), int(r.line)
}

// GoToLine takes the cursor to a line, even if it is hidden.
func (m *Model) GoToLine(file, hunk, line int) {
	m.GoTo(Hit{file: file, hunk: hunk, line: line})
}

// HunksAtCursor gives the hunks that the cursor means: one, or all of a file on its heading.
func (m *Model) HunksAtCursor() []tray.Hunk { return m.atCursor() }

// WasRead says whether a hunk was looked through.
func (m *Model) WasRead(id string) bool { return m.read[id] }
