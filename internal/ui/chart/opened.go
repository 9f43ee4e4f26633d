package chart

import (
	"fmt"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// commitRow is a commit of a branch in a row of its own.
type commitRow struct {
	number string // as the branch's row calls it
	mark   charting.Mark
}

// openRows are the rows of the commits of those branches of a side that are opened, oldest first as the line runs.
func (m *Model) openRows(s side, hangs bool) (rows []row) {
	n := s.below
	for _, segment := range s.segments {
		for _, c := range segment.Commits {
			number := markOf(c, fmt.Sprint(n+1))
			if n++; !m.open[segment.Name] {
				continue
			}
			rows = append(rows, row{hangs: hangs, commit: &commitRow{number, c}, items: []item{{kind: mark, cell: -1, branch: segment.Name,
				commit: c.ID, subject: c.Subject, author: c.Author, own: true}}})
		}
	}
	return rows
}

// segmentHere is the branch at the cursor that has commits of its own, and whether they have rows of their own.
func (m *Model) segmentHere() (branch string, isOpen, ok bool) {
	at, there := m.here()
	switch {
	case !there || at.branch == "":
		return "", false, false
	case at.own:
		return at.branch, true, true
	}
	for _, segment := range m.rows()[m.cursor.row].left.segments { // the frame asks at every key: not all branches are gone through
		for _, b := range segment.Named() {
			if b.Name == at.branch {
				return segment.Name, m.open[segment.Name], len(segment.Commits) > 0
			}
		}
	}
	return "", false, false
}

// openOrClose gives the commits of the branch at the cursor rows of their own, or puts them into the branch's row again.
func (m *Model) openOrClose() {
	branch, isOpen, ok := m.segmentHere()
	if !ok {
		return
	}
	if m.open == nil {
		m.open = map[string]bool{}
	}
	m.open[branch] = !isOpen
	m.laid = nil
	m.find()
}

// toCommit goes to the next commit of the row, or of those that have rows of their own.
func (m *Model) toCommit(by int) {
	at, _ := m.here()
	if !at.own {
		m.along(by)
		return
	}
	before := m.cursor
	m.step(by)
	if now, _ := m.here(); !now.own || now.branch != at.branch {
		m.cursor = before
	}
}

// toFork goes to the commit of the line that the row leaves; of a root of its own to the first commit.
func (m *Model) toFork() {
	rows := m.rows()
	for r := m.cursor.row; r >= 0 && r < len(rows) && rows[r].hangs; r-- {
		if rows[r].mooring != nil {
			m.cursor.row = r
			break
		}
	}
	m.cursor.item, m.cursor.wanted = 0, 0
	m.keepOn(rows)
}

// toMerge goes to the next merge commit, from row to row, and from the last one to the first.
func (m *Model) toMerge() tea.Cmd {
	merges := map[repo.ID]bool{}
	for _, s := range m.now.Value.Stacks {
		for _, segment := range s.Segments {
			for _, c := range segment.Commits {
				merges[c.ID] = !c.Merges.IsZero()
			}
		}
	}
	var places []place
	next := 0
	for r, row := range m.rows() {
		for i, it := range row.items {
			if it.kind != mark || !merges[it.commit] {
				continue
			}
			if r < m.cursor.row || r == m.cursor.row && i <= m.cursor.item {
				next++
			}
			places = append(places, place{row: r, item: i, wanted: i})
		}
	}
	if len(places) == 0 {
		return kit.Say("There is no merge commit among the rows shown.")
	}
	m.cursor = places[next%len(places)]
	m.keepOn(m.rows())
	return m.tell()
}

// drawOpened draws the row of one commit: its name in the branch's row, its subject, and who made it if that is somebody else.
func (m *Model) drawOpened(o commitRow, selected bool, width int, theme kit.Theme) string {
	backdrop, pointer := kit.Cursor(theme, selected, 2)
	style := theme.Now
	if o.mark.Unsent {
		style = style.Bold(true)
	}
	who := kit.Seg{}
	if !o.mark.Mine {
		who = kit.Seg{Text: safe.Show(safe.Line(o.mark.Author) + " "), Style: theme.Dim}
	}
	return kit.Split(width, backdrop, []kit.Seg{pointer, {Text: safe.Show(fmt.Sprintf("%4s  ", o.number)), Style: style},
		{Text: safe.Show(safe.Line(o.mark.Subject)), Style: theme.Plain}}, who)
}

// toCopy is what there is at the cursor to be put on the clipboard.
func (m *Model) toCopy() (list []kit.Copied) {
	at, _ := m.here()
	if at.kind == name && at.branch != "" {
		list = append(list, kit.Copied{Name: "the branch", Text: at.branch})
	}
	if !at.commit.IsZero() {
		list = append(list, kit.Copied{Name: "the id", Text: at.commit.String()}, kit.Copied{Name: "the short id", Text: at.commit.Short()})
	}
	if at.subject != "" {
		list = append(list, kit.Copied{Name: "the subject", Text: at.subject})
	}
	return list
}
