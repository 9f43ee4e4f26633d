package kit

// littleHeight is from how many rows on commits have two each on a terminal that shows one half at a time.
const littleHeight = 22

// Entries lays out commits, two rows each; where there is little room one, and two of that at the cursor.
type Entries struct {
	compact bool
	cursor  int
	height  int
}

// EntriesIn lays them out in some rows of a screen.
func EntriesIn(size Size, height, cursor int) Entries {
	return Entries{size.Narrow && size.Height < littleHeight, cursor, height}
}

// Fit is how many of them there is room for, whichever the cursor is on.
func (e Entries) Fit() int {
	if e.compact {
		return max(1, e.height-1)
	}
	return e.height / 2
}

// Rows are those of the two that there is room for.
func (e Entries) Rows(i int, two []string) []string {
	if e.compact && i != e.cursor {
		return two[:1]
	}
	return two
}

// At is the one at a row, the first one shown being top.
func (e Entries) At(top, row int) int {
	switch {
	case !e.compact:
		return top + row/2
	case top+row > e.cursor && e.cursor >= top:
		return top + row - 1
	}
	return top + row
}
