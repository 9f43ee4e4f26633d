package stream

import (
	"bastel/internal/diff"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// pointerWidth is the room for the cursor's mark before all columns.
const pointerWidth = 2

// narrowest is how wide a column is at least; below that there is one.
const narrowest = 22

// columnOf is how wide the left one of two columns is.
func columnOf(width int) int { return (width - pointerWidth - 1) / 2 }

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

func (r row) lines() []int { return pair{int(r.left), int(r.line)}.lines() }

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

// drawPair draws a row of two columns: what was, and what is.
func (m *Model) drawPair(width int, f *tray.File, r row, backdrop *kit.Backdrop, pointer kit.Seg, theme kit.Theme) string {
	h := &f.Hunks[r.hunk]
	half := columnOf(width)
	left, right := -1, int(r.line)
	switch line := h.Lines[r.line]; {
	case r.left >= 0:
		left = int(r.left)
	case line.Op == diff.Remove:
		left, right = right, -1
	case line.Op == diff.Keep:
		left = right
	}
	drawn := kit.Row(pointerWidth, backdrop, m.pointer(h, r, pointer, theme))
	for side, at := range []int{left, right} {
		room := half
		if side == 1 {
			room = width - pointerWidth - 1 - half
			drawn += kit.Row(1, backdrop, kit.Seg{Text: "┊", Style: theme.Quiet})
		}
		if at < 0 {
			drawn += kit.Row(room, backdrop)
			continue
		}
		c := m.cell(f, h, at, theme)
		if h.Lines[at].Op == diff.Keep && side == 0 {
			c.number = h.Lines[at].Old + 1
		}
		if left >= 0 && right >= 0 && left != right {
			c.words = spans(h.Lines[at], h.Lines[left+right-at])
		}
		under := backdrop
		if under == nil {
			under = c.ground
		}
		drawn += kit.Row(room, under, m.segs(f, h, c, int(r.part), theme)...)
	}
	return drawn
}
