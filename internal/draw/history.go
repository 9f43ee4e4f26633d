package draw

import (
	"gonum.org/v1/plot/vg"

	"bastel/internal/lanes"
)

// Knot is a commit of a history.
type Knot struct {
	Title string
	Note  string // its id, or the names of what is there
	Own   bool   // of the branch, not of its target
}

// Line is a history with its commits, the newest first.
type Line struct {
	Heading string
	Knots   []Knot
	Graph   lanes.Graph
}

// History is how a branch and its target lay before, and how they lie after.
type History struct {
	Title, Subtitle string
	Before, After   Line
}

const (
	halfSize   vg.Length = 440
	historyGap vg.Length = 44
	laneStep   vg.Length = 18
	knotSize   vg.Length = 4.2
)

func (h History) heading() (string, string) { return h.Title, h.Subtitle }
func (h History) width() vg.Length          { return 2*margin + 2*halfSize + historyGap }

// rows are the headings, and the commits below them.
func (h History) rows() int { return 1 + max(len(h.Before.Knots), len(h.After.Knots)) }
func (h History) legend() []key {
	return []key{{thread, "a commit and its parents, the newest at the top"}}
}

// left is where a half begins.
func (h History) left(after bool) vg.Length {
	if after {
		return margin + halfSize + historyGap
	}
	return margin
}

func (h History) row(p *pen, i int, y vg.Length) {
	for _, after := range []bool{false, true} {
		line, accent := h.Before, p.look.Now
		if after {
			line, accent = h.After, p.look.Next
		}
		left := h.left(after)
		if i == 0 {
			p.text(left, y+4, line.Heading, 12, true, accent)
			continue
		}
		if i > len(line.Knots) {
			continue
		}
		knot := line.Knots[i-1]
		colour, title := p.look.Dim, p.look.Dim
		if knot.Own {
			colour, title = accent, p.look.Plain
		}
		p.dot(h.x(after, line.Graph.Lanes[i-1]), y, knotSize, colour)
		text := left + vg.Length(line.Graph.Width)*laneStep + 6
		note := p.size(knot.Note, 9, false)
		p.text(text, y+4, p.fit(knot.Title, left+halfSize-text-note-12, 12, false), 12, false, title)
		p.text(left+halfSize-note, y+4, knot.Note, 9, false, p.look.Dim)
	}
}

func (h History) x(after bool, lane int) vg.Length {
	return h.left(after) + (vg.Length(lane)+0.5)*laneStep
}

func (h History) threads(p *pen, y func(half int) vg.Length) {
	for _, after := range []bool{false, true} {
		graph := h.Before.Graph
		if after {
			graph = h.After.Graph
		}
		for _, e := range graph.Edges {
			var points []vg.Point
			for _, pt := range e.Points {
				points = append(points, vg.Point{X: h.x(after, pt.X), Y: y(pt.Y + 2)}) // below the headings
			}
			for _, piece := range within(points, p.low, p.high) {
				kind := thread
				if e.To == lanes.Ends {
					kind = ending
				}
				p.path(kind, piece)
			}
		}
	}
}
