package chart

import (
	"cmp"
	"fmt"
	"iter"
	"strings"
	"unicode"
	"unicode/utf8"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"bastel/internal/app/charting"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
)

// kind says what an item of a row is.
type kind int

// The kinds of items.
const (
	line kind = iota // a commit of the target's line
	mark             // a commit of a branch
	name             // a branch's name
)

// item is something in a row that the cursor can be on.
type item struct {
	kind    kind
	cell    int // its place among the row's cells; -1: it is on the line
	branch  string
	commit  repo.ID
	subject string
	author  string
	own     bool // the commit has a row of its own
}

// row is one of the chart's: a place of the line, what hangs from it on the left, and what will on the right.
type row struct {
	mooring *charting.Mooring // nil: below the line, or a further row of the same place
	hangs   bool              // it belongs to a place of the line
	comes   bool              // the place comes with a landing
	left    side
	right   side
	items   []item
	others  bool       // the counted row of the branches that are not on show
	commit  *commitRow // a commit that has this row of its own
}

// side is what a row has on one side of the line, from the line outward.
type side struct {
	cells    []lanes.ChartCell
	segments []charting.Segment
	there    []charting.Branch // branches that are just there
	on       string            // the branch that it leaves from, if that is in another row
	below    int               // how many commits are between it and the line
}

func (s side) empty() bool { return len(s.cells) == 0 && len(s.there) == 0 }

// widths shares the room out: Now, the line, Next.
func (m *Model) widths() (now, middle, next int) {
	width := m.size.Width
	if m.size.Narrow {
		middle = min(30, width/2)
		return width - middle, middle, width - middle
	}
	now, next = width*58/142, width*44/142
	return now, width - now - next, next
}

// rows are the chart's, laid out once for what was read and for the room.
func (m *Model) rows() []row {
	if m.laid == nil || m.laidFor != m.size {
		m.laid, m.laidFor = m.layRows(), m.size
	}
	return m.laid
}

// layRows lays the rows out, the oldest place of the line first; those with a root of their own come last.
func (m *Model) layRows() []row {
	nowWidth, _, nextWidth := m.widths()
	c := m.now.Value
	left := stacksBy(c, nowWidth, func(n int) string { return fmt.Sprint(n + 1) })
	var right map[int][]side
	if m.next.Known {
		right = stacksBy(m.next.Value.chart, nextWidth, shape.Letter)
	}
	var rows []row
	if c.Others > 0 {
		rows = append(rows, row{others: true})
	}
	for _, place := range m.places() {
		ls, rs := left[place.At], right[place.At]
		for n := range max(1, len(ls), len(rs)) {
			r := row{hangs: true, comes: place.At < 0}
			if n == 0 {
				r.mooring = &place
				r.items = []item{{kind: line, cell: -1, commit: place.ID, subject: place.Subject}}
			}
			if n < len(ls) {
				r.left = ls[n]
			}
			if n < len(rs) {
				r.right = rs[n]
			}
			r.items = append(r.items, r.left.items()...)
			rows = append(append(rows, r), m.openRows(r.left, true)...)
		}
	}
	for n := range max(len(left[charting.OwnRoot]), len(right[charting.OwnRoot])) {
		r := row{}
		if n < len(left[charting.OwnRoot]) {
			r.left = left[charting.OwnRoot][n]
		}
		if n < len(right[charting.OwnRoot]) {
			r.right = right[charting.OwnRoot][n]
		}
		r.items = r.left.items()
		rows = append(append(rows, r), m.openRows(r.left, false)...)
	}
	return rows
}

// places are those of the line that something hangs from, now or then.
func (m *Model) places() []charting.Mooring {
	if !m.next.Known {
		return m.now.Value.Line
	}
	return charting.Places(m.now.Value.Line, m.next.Value.chart.Line)
}

// stacksBy lays the rows of a chart out, by how many commits of the line came after their mooring.
func stacksBy(c charting.Chart, width int, named func(n int) string) map[int][]side {
	by := map[int][]side{}
	for _, s := range c.Stacks {
		at := charting.OwnRoot
		if s.Mooring >= 0 {
			at = c.Line[s.Mooring].At
		}
		by[at] = append(by[at], layOut(s, width, named))
	}
	for _, p := range c.Line {
		for _, b := range p.Branches {
			by[p.At] = append(by[p.At], side{there: []charting.Branch{b}})
		}
	}
	return by
}

func layOut(s charting.Stack, width int, named func(n int) string) side {
	var branches []lanes.ChartBranch
	below := s.Below
	for _, segment := range s.Segments {
		b := lanes.ChartBranch{NameWidth: ansi.StringWidth(title(segment))}
		for _, c := range segment.Commits {
			b.Marks, b.Open = append(b.Marks, markOf(c, named(below))), append(b.Open, c.Unsent)
			below++
		}
		branches = append(branches, b)
	}
	if s.On != "" {
		width -= ansi.StringWidth(onText(s.On))
	}
	return side{cells: lanes.ChartRow(branches, width-1), segments: s.Segments, on: s.On, below: s.Below}
}

// onText says from which branch a row leaves that is drawn in another one.
func onText(branch string) string { return " on " + ansi.Truncate(safe.Line(branch), 16, "…") + " " }

// title is a branch's name as it stands at its tip, with others at the same one.
func title(s charting.Segment) string {
	var names []string
	for _, b := range s.Named() {
		text := safe.Line(b.Name)
		switch {
		case b.Here:
			text = "▸" + text
		case b.Worktree != "":
			text += " (elsewhere)"
		}
		if b.Aside > 0 {
			text += fmt.Sprintf(" ~%d", b.Aside)
		}
		names = append(names, text)
	}
	return strings.Join(names, ", ")
}

// markOf is a commit as the chart has it: a number or a letter of what is mine, an initial of what others made; what brings
// another branch in has a sign.
func markOf(c charting.Mark, number string) string {
	text := number
	if first, _ := utf8.DecodeRuneInString(c.Author); !c.Mine && unicode.IsLetter(first) && ansi.StringWidth(string(first)) == 1 {
		text = string(unicode.ToLower(first))
	}
	if !c.Merges.IsZero() {
		text += "+"
	}
	return text
}

// items are what the cursor can be on, from the line outward.
func (s side) items() (items []item) {
	for _, b := range s.there {
		items = append(items, item{kind: name, cell: -1, branch: b.Name, commit: b.Tip, subject: b.Subject, author: b.Author})
	}
	for at, cell := range s.cells {
		if cell.Branch < 0 {
			continue
		}
		segment := s.segments[cell.Branch]
		switch cell.Piece {
		case lanes.Dot, lanes.Stretch:
			for _, c := range segment.Commits[cell.First : cell.Last+1] {
				items = append(items, item{kind: mark, cell: at, branch: segment.Name, commit: c.ID, subject: c.Subject, author: c.Author})
			}
		case lanes.Name:
			for _, b := range segment.Named() {
				items = append(items, item{kind: name, cell: at, branch: b.Name, commit: b.Tip, subject: b.Subject, author: b.Author})
			}
		}
	}
	return items
}

// here is what the cursor is on.
func (m *Model) here() (item, bool) {
	rows := m.rows()
	if m.cursor.row < 0 || m.cursor.row >= len(rows) {
		return item{}, false
	}
	items := rows[m.cursor.row].items
	if m.cursor.item >= len(items) {
		return item{}, false
	}
	return items[m.cursor.item], true
}

func (m *Model) commitHere() repo.ID {
	at, _ := m.here()
	return at.commit
}

// branchAt is the branch that the cursor means: by its name, or by one of its commits.
func (m *Model) branchAt() (charting.Branch, bool) {
	at, ok := m.here()
	if !ok || at.branch == "" {
		return charting.Branch{}, false
	}
	for b := range m.branches() {
		if b.Name == at.branch {
			return b, true
		}
	}
	return charting.Branch{}, false
}

// branches are those on show, as they are now.
func (m *Model) branches() iter.Seq[charting.Branch] {
	return func(yield func(charting.Branch) bool) {
		for _, s := range m.now.Value.Stacks {
			for _, segment := range s.Segments {
				for _, b := range segment.Named() {
					if !yield(b) {
						return
					}
				}
			}
		}
		for _, p := range m.now.Value.Line {
			for _, b := range p.Branches {
				if !yield(b) {
					return
				}
			}
		}
	}
}

// find takes the cursor to where what it was on is now; at first to the branch at work.
func (m *Model) find() {
	rows := m.rows()
	best := place{}
	score := 0
	for r, row := range rows {
		for i, it := range row.items {
			fits := 0
			switch {
			case m.sought != "" && it.kind == name && it.branch == m.sought:
				fits = 7
			case m.cursor.row < 0 && it.kind == name && it.branch == cmp.Or(m.status.Work.Branch(), "HEAD"):
				fits = 3
			case m.cursor.row < 0:
			case it.branch == m.cursor.branch && it.commit == m.cursor.commit && (it.kind == name) == m.cursor.named:
				fits = 5
				if it.own == m.cursor.own {
					fits = 6
				}
			case m.cursor.named && it.branch == m.cursor.branch && it.kind == name:
				fits = 4 // the branch has moved
			case it.commit == m.cursor.commit:
				fits = 3
			case it.branch == m.cursor.branch && it.kind == name && it.branch != "":
				fits = 2
			}
			if fits > score {
				score, best = fits, place{row: r, item: i}
			}
		}
	}
	if score == 7 {
		m.sought = ""
	}
	if score == 0 {
		best = place{row: min(max(0, m.cursor.row), len(rows)-1), item: m.cursor.item}
	}
	best.wanted = best.item
	if score > 0 && m.cursor.row >= 0 && best.item == m.cursor.item {
		best.wanted = m.cursor.wanted
	}
	m.cursor = best
	m.keepOn(rows)
}

// keepOn keeps the cursor on something that is there, and notes what that is.
func (m *Model) keepOn(rows []row) {
	if len(rows) == 0 {
		m.cursor = place{row: -1}
		return
	}
	m.cursor.row = max(0, min(m.cursor.row, len(rows)-1))
	items := rows[m.cursor.row].items
	m.cursor.item = max(0, min(m.cursor.item, len(items)-1))
	m.cursor.branch, m.cursor.commit, m.cursor.named, m.cursor.own = "", repo.ID{}, false, false
	if len(items) > 0 {
		on := items[m.cursor.item]
		m.cursor.branch, m.cursor.commit, m.cursor.named, m.cursor.own = on.branch, on.commit, on.kind == name, on.own
	}
}

// step goes to another row, about as far from the line.
func (m *Model) step(by int) {
	m.cursor.row += by
	m.cursor.item = m.cursor.wanted
	m.keepOn(m.rows())
}

// onward goes to the next commit of the row, and shows what that changes.
func (m *Model) onward(by int) tea.Cmd {
	before := m.cursor
	for {
		at := m.cursor
		m.toCommit(by)
		if m.cursor == at {
			m.cursor = before
			return kit.Say("There is no other commit in this row.")
		}
		if here, _ := m.here(); here.kind != name {
			return tea.Batch(m.tell(), m.lookInto())
		}
	}
}

// left goes outward, or back from Next where that is a page of its own.
func (m *Model) left() {
	if m.half == kit.Next {
		m.half = kit.Now
		return
	}
	if at, _ := m.here(); at.own {
		m.openOrClose()
		return
	}
	m.along(1)
}

// right opens the commits of the branch at whose name it is, else goes towards the line, and from there to Next where that is a
// page of its own.
func (m *Model) right() {
	at, _ := m.here()
	if _, isOpen, opens := m.segmentHere(); opens && !isOpen && at.kind == name {
		m.openOrClose()
		return
	}
	if m.size.Narrow && m.cursor.item == 0 {
		m.half = kit.Next
		return
	}
	m.along(-1)
}

// along goes outward in the row, or towards the line.
func (m *Model) along(by int) {
	m.cursor.item += by
	m.keepOn(m.rows())
	m.cursor.wanted = m.cursor.item
}
