package kit

import (
	"strings"

	"github.com/charmbracelet/x/ansi"

	"bastel/internal/safe"
)

// Seg is a piece of a row in one style. The text must be free of tabs: see Expand.
type Seg struct {
	Text  safe.Shown
	Style Style

	ordered bool // its characters are in the order in which they stand, whichever way they are read
}

// longestCodes is about how much the codes of one style take, in bytes.
const longestCodes = 48

// Row puts segments together to exactly width cells: what is too long ends in an
// ellipsis, what is too short is filled. A backdrop, if given, lies under all.
func Row(width int, backdrop *Backdrop, segs ...Seg) string {
	var b strings.Builder
	b.Grow(width + len(segs)*longestCodes)
	left := width
	for _, seg := range segs {
		if left <= 0 {
			break
		}
		text := string(seg.Text)
		size := ansi.StringWidth(text)
		if size > left {
			text = ansi.Truncate(text, left, "…")
			size = ansi.StringWidth(text)
		}
		left -= size
		if !seg.ordered {
			text = safe.Visual(text)
		}
		backdrop.under(seg.Style).paint(&b, text)
	}
	if left > 0 {
		backdrop.under(Style{}).paint(&b, Blank(left))
	}
	return b.String()
}

// Fit cuts or fills text to exactly width cells.
func Fit(text string, width int) string {
	if ansi.StringWidth(text) > width {
		text = ansi.Truncate(text, width, "…")
	}
	return text + Blank(width-ansi.StringWidth(text))
}

// Split is a row with one part at the left and one near the right edge. The right
// part is dropped where there is no room for it.
func Split(width int, backdrop *Backdrop, left []Seg, right ...Seg) string {
	size := 0
	for _, seg := range right {
		size += ansi.StringWidth(string(seg.Text))
	}
	if size == 0 || size+12 > width {
		return Row(width, backdrop, left...)
	}
	return Row(width-size-2, backdrop, left...) + Row(size+2, backdrop, append([]Seg{{Text: " "}}, right...)...)
}

// TabWidth is how far apart tab stops are on the screen, unless the user has said so otherwise.
const TabWidth = 4

// Expand turns tabs into spaces up to the next tab stop, wide characters counted.
func Expand(text string) string {
	text, _ = ExpandAt(text, 0, TabWidth)
	return text
}

// ExpandAt does so for text that begins at a column, with tab stops of a width, and gives the column behind it.
func ExpandAt(text string, column, tab int) (string, int) {
	if !strings.Contains(text, "\t") {
		return text, column + ansi.StringWidth(text)
	}
	var b strings.Builder
	for i, part := range strings.Split(text, "\t") {
		if i > 0 {
			gap := tab - column%tab
			b.WriteString(strings.Repeat(" ", gap))
			column += gap
		}
		b.WriteString(part)
		column += ansi.StringWidth(part)
	}
	return b.String(), column
}

// Blank is an empty row.
func Blank(width int) string { return strings.Repeat(" ", max(width, 0)) }

// Pad cuts or fills rows to exactly height.
func Pad(rows []string, width, height int) []string {
	if len(rows) > height {
		return rows[:max(height, 0)]
	}
	for len(rows) < height {
		rows = append(rows, Blank(width))
	}
	return rows
}

// Wrap breaks text into lines of at most width cells.
func Wrap(text string, width int) []string {
	return strings.Split(ansi.Wrap(text, max(width, 1), ""), "\n")
}

// Ends puts what is drawn already at both ends of a row: the right one stays where there is no room for all of the left.
func Ends(width int, left, right string) string {
	right = ansi.Truncate(right, width, "")
	left = ansi.Truncate(left, width-ansi.StringWidth(right), "")
	return left + Blank(width-ansi.StringWidth(left)-ansi.StringWidth(right)) + right
}

// Scroll gives the first visible item so that the cursor is in view, with some
// room around it, and the view does not move more than it has to.
func Scroll(top, cursor, height, total int) int {
	margin := min(3, max(0, height/4))
	if cursor < top+margin {
		top = cursor - margin
	}
	if cursor >= top+height-margin {
		top = cursor - height + margin + 1
	}
	return max(0, min(top, total-height))
}
