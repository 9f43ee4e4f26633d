package kit

import (
	"slices"
	"strings"

	"bastel/internal/safe"
)

// Columns shares the width out among Now, the seam and Next.
func Columns(size Size, seam int) (now, between, next int) {
	if size.Narrow {
		return size.Width, 0, size.Width
	}
	now = (size.Width - seam) / 2
	return now, seam, size.Width - seam - now
}

// lookGap is the room between a half and what is looked at beside it.
const lookGap = 2

// Beside shares the width out between a half and a look at what its cursor is on, which takes the place of the other half.
func Beside(size Size) (half int, look Size) {
	half = min(58, size.Width*2/5)
	return half, Size{Width: size.Width - half - lookGap, Height: size.Height}
}

// JoinLook puts a half and a look together; where the cursor is in Next, that stays at the right.
func JoinLook(at Half, half, look []string) []string {
	between := Pad(nil, lookGap, len(half))
	if at == Next {
		return Join(look, between, half)
	}
	return Join(half, between, look)
}

// LookAtColumn gives the column within a look, which stands beside a half; ok is false for one outside of it.
func LookAtColumn(at Half, size Size, x int) (column int, ok bool) {
	if size.Narrow {
		return x, true
	}
	half, look := Beside(size)
	if at == Now {
		x -= half + lookGap
	}
	return x, x >= 0 && x < look.Width
}

// HalfAt says which half lies at a column; where the halves are pages, the one shown.
func HalfAt(size Size, seam, x int, shown Half) Half {
	if size.Narrow {
		return shown
	}
	if now, between, _ := Columns(size, seam); x < now+between/2 {
		return Now
	}
	return Next
}

// SeamWidth is the room for a seam with crossing threads, given the whole width.
func SeamWidth(width int) int { return min(26, width/5) }

// Cursor gives the backdrop of a row and the mark at its beginning, which takes
// width cells, for a row with or without the cursor.
func Cursor(theme Theme, here bool, width int) (*Backdrop, Seg) {
	if !here {
		return nil, Seg{Text: safe.Show(strings.Repeat(" ", width))}
	}
	return theme.Selected, Seg{Text: safe.Show("▌" + strings.Repeat(" ", width-1)), Style: theme.Accent}
}

// Join puts the halves and the seam together row by row.
func Join(left, between, right []string) []string {
	rows := make([]string, len(left))
	for i := range rows {
		rows[i] = left[i] + between[i] + right[i]
	}
	return rows
}

// Heading is the first row of a half. The half with the cursor is marked. Where
// the halves are pages, the other one is named at the edge.
func Heading(width int, half, what string, active bool, style Style, theme Theme, narrow bool) string {
	mark := "  "
	if active {
		mark = "▰ "
	}
	other := Seg{}
	if narrow {
		other = Seg{Text: "Next →", Style: theme.Dim}
		if half == "Next" {
			other.Text = "← Now"
		}
	}
	segs := []Seg{{Text: safe.Show(mark), Style: style}, {Text: safe.Show(half), Style: style.Bold(true)},
		{Text: safe.Show("  " + what), Style: theme.Dim}}
	if narrow {
		return Split(width, nil, segs, other)
	}
	return Row(width, nil, segs...)
}

// Empty says in a half why there is nothing in it, and what to do.
func Empty(width, height int, theme Theme, what, todo string) []string {
	var rows []string
	for _, line := range Wrap(what, width-4) {
		rows = append(rows, Row(width, nil, Seg{Text: safe.Show("  " + line), Style: theme.Plain}))
	}
	for _, line := range Wrap(todo, width-4) {
		rows = append(rows, Row(width, nil, Seg{Text: safe.Show("  " + line), Style: theme.Dim}))
	}
	return Pad(rows, width, height)
}

// SortStrands brings strands that come from a map into the order of their rows.
func SortStrands(strands []Strand) {
	slices.SortFunc(strands, func(a, b Strand) int { return a.From - b.From })
}
