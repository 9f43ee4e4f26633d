package draw

import (
	"image/color"

	"gonum.org/v1/plot/vg"

	"bastel/internal/lanes"
)

// Knot is a commit of a line.
type Knot struct {
	Mark  string // its number or letter
	Title string
	Note  string // its id, or the names of what is there
	Own   bool   // of the branch, not of its target
}

// Line is a history with its commits, oldest first.
type Line struct {
	Heading string
	Knots   []Knot
}

// History is a branch before and after: two lines of commits, with a thread from each
// commit to what it became.
type History struct {
	Title, Subtitle string
	Before, After   Line
	Threads         []lanes.Thread
}

func (h History) heading() (string, string) { return h.Title, h.Subtitle }
func (h History) width() vg.Length          { return seamWidth }

// rows are the headings, and the commits below them.
func (h History) rows() int { return 1 + max(len(h.Before.Knots), len(h.After.Knots)) }
func (h History) legend() []key {
	return []key{{thread, "a commit, and what it became; the oldest at the top"}, {ending, "left out, or emptied"}}
}

func (h History) row(p *pen, i int, y vg.Length) {
	h.Before.row(p, i, margin, y, p.look.Now)
	h.After.row(p, i, seamWidth-margin-columnSize, y, p.look.Next)
}

// row draws the heading, or a commit with its piece of the line at its mark.
func (l Line) row(p *pen, i int, x, y vg.Length, accent color.Color) {
	if i == 0 {
		p.text(x, y+4, l.Heading, 12, true, accent)
		return
	}
	if i > len(l.Knots) {
		return
	}
	knot := l.Knots[i-1]
	mark, title := p.look.Dim, p.look.Dim
	if knot.Own {
		mark, title = accent, p.look.Plain
	}
	note := p.size(knot.Note, 9, false)
	p.text(x, y+4, knot.Mark, 11, true, mark)
	p.fill(x+26, y-rowHeight/2, 2, rowHeight, mark)
	p.text(x+38, y+4, p.fit(knot.Title, columnSize-38-note-12, 12, false), 12, false, title)
	p.text(x+columnSize-note, y+4, knot.Note, 9, false, p.look.Dim)
}

// threads draws the seam between the lines, below the headings.
func (h History) threads(p *pen, y func(half int) vg.Length) {
	drawThreads(p, h.Threads, func(half int) vg.Length { return y(half + 2) })
}
