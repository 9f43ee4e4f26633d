package stream

import (
	"bastel/internal/diff"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// pointerWidth is the room for the cursor and for a mark before a column.
const pointerWidth = 2

// narrowest is how wide a column is at least; below that there is one.
const narrowest = 22

// columnOf is how wide the left one of two columns is.
func columnOf(width int) int { return (width - 2*pointerWidth) / 2 }

// twoFor says whether a hunk is in two columns: of a whole file that comes or goes one would be empty.
func (m *Model) twoFor(h *tray.Hunk) bool {
	return m.two && h.Kind != tray.New && h.Kind != tray.Deleted
}

// pair is what stands in one row: a line, and in two columns the removed one beside it; -1: none.
type pair struct{ left, line int }

// first is the line that comes first in the hunk.
func (p pair) first() int {
	if p.left >= 0 {
		return p.left
	}
	return p.line
}

// lines are those of the pair, in the hunk's order.
func (p pair) lines() []int {
	if p.left >= 0 {
		return []int{p.left, p.line}
	}
	return []int{p.line}
}

// first is the line of a row that comes first in its hunk.
func (r row) first() int { return pair{int(r.left), int(r.line)}.first() }

// pairs says which lines of a hunk stand in one row. In one column each stands by itself; in two the removed lines of a
// replaced block stand beside those that came in their place, in their order.
func (m *Model) pairs(h *tray.Hunk) []pair {
	pairs, two := make([]pair, 0, len(h.Lines)), m.twoFor(h)
	for at := 0; at < len(h.Lines); {
		removed := at
		for two && removed < len(h.Lines) && h.Lines[removed].Op == diff.Remove {
			removed++
		}
		if removed == at {
			pairs = append(pairs, pair{-1, at})
			at++
			continue
		}
		added := removed
		for added < len(h.Lines) && h.Lines[added].Op == diff.Add {
			added++
		}
		both := min(removed-at, added-removed)
		for i := range both {
			pairs = append(pairs, pair{at + i, removed + i})
		}
		for i := at + both; i < removed; i++ {
			pairs = append(pairs, pair{-1, i})
		}
		for i := removed + both; i < added; i++ {
			pairs = append(pairs, pair{-1, i})
		}
		at = added
	}
	return pairs
}

// drawPair draws a row of two columns: what was, and what is. The cursor is on one of them.
func (m *Model) drawPair(width int, f *tray.File, r row, cursor bool, theme kit.Theme) string {
	h := &f.Hunks[r.hunk]
	half := columnOf(width)
	was, is := -1, int(r.line)
	switch line := h.Lines[r.line]; {
	case r.left >= 0:
		was = int(r.left)
	case line.Op == diff.Remove:
		was, is = is, -1
	case line.Op == diff.Keep:
		was = is
	}
	on := -1
	if cursor {
		on = int(m.at().line)
	}
	left := m.column(half, f, h, was, on, kit.Now, int(r.part), theme)
	right := m.column(width-2*pointerWidth-half, f, h, is, on, kit.Next, int(r.part), theme)
	if was >= 0 && is >= 0 && was != is {
		left.cell.words, right.cell.words = spans(h.Lines[was], h.Lines[is]), spans(h.Lines[is], h.Lines[was])
	}
	return m.drawColumn(f, h, left, theme) + m.drawColumn(f, h, right, theme)
}

// column is one of the two of a row.
type column struct {
	width, line, part int // line -1: nothing stands there
	pointer           kit.Seg
	backdrop          *kit.Backdrop
	cell              cell
}

func (m *Model) column(width int, f *tray.File, h *tray.Hunk, line, on int, half kit.Half, part int, theme kit.Theme) column {
	c := column{width: width, line: line, part: part}
	kept := line >= 0 && h.Lines[line].Op == diff.Keep
	c.backdrop, c.pointer = kit.Cursor(theme, line >= 0 && line == on, pointerWidth)
	if half == kit.Next && (line != on || kept || line < 0) {
		c.pointer = kit.Seg{Text: safe.Show("┊ "), Style: theme.Quiet}
	}
	if line < 0 {
		return c
	}
	c.pointer = m.pointer(h, line, c.pointer, theme)
	c.cell = m.cell(f, h, line, theme)
	if kept && half == kit.Now {
		c.cell.number = h.Lines[line].Old + 1
	}
	return c
}

func (m *Model) drawColumn(f *tray.File, h *tray.Hunk, c column, theme kit.Theme) string {
	if c.line < 0 {
		return kit.Row(pointerWidth+c.width, nil, c.pointer)
	}
	under := c.backdrop
	if under == nil {
		under = c.cell.ground
	}
	return kit.Row(pointerWidth+c.width, under, m.segs(f, h, c.cell, c.pointer, c.part, theme)...)
}
