package draw

import (
	"fmt"
	"image/color"

	"gonum.org/v1/plot/vg"
)

// Hung is what stands in a row of the chart on one side of the line, from the line outward.
type Hung struct {
	Pieces []HungPiece
	Loose  bool // the thread is a dashed one: a branch that only stands there, or leaves from another row
}

// HungPiece is a mark, a count, a bracket or a name.
type HungPiece struct {
	Text   string
	Name   bool
	Strong bool // of the branch at work
}

// ChartRow is a row of the chart.
type ChartRow struct {
	Line        bool   // the target's line runs through it
	Title       string // of the line's commit there; empty: there is none
	Hidden      int    // commits of the line before it that are not drawn
	Comes       bool   // it comes with a landing
	Left, Right Hung
}

// Chart is the branches, moored to their target's line: on the left as they are, on the right as they will be.
type Chart struct {
	Title, Subtitle string
	Rows            []ChartRow
}

const (
	chartWidth vg.Length = 980
	chartLine            = chartWidth * 58 / 142 // where the line is
	chartRight           = chartWidth * 98 / 142 // where what will be begins
	markSize             = 11
	markGap    vg.Length = 9
)

func (c Chart) heading() (string, string) { return c.Title, c.Subtitle }
func (c Chart) width() vg.Length          { return chartWidth }
func (c Chart) rows() int                 { return len(c.Rows) }
func (c Chart) legend() []key {
	return []key{{thread, "a branch, hanging from where it left; [ ] no remote has it"},
		{ending, "only stands there, or leaves from another branch"}}
}

func (c Chart) row(p *pen, i int, y vg.Length) {
	r := c.Rows[i]
	title := p.look.Plain
	switch {
	case r.Comes:
		title = p.look.Next
		p.fill(chartLine, y-rowHeight/4, 2, rowHeight/2, p.look.Next)
		if r.Title != "" {
			p.text(chartLine+24, y+4, "+", 12, false, title)
		}
	case r.Line:
		p.fill(chartLine, y-rowHeight/2, 2, rowHeight, p.look.Thread)
	}
	if r.Title != "" {
		if r.Hidden > 0 {
			hidden := fmt.Sprint(r.Hidden)
			p.text(chartLine+32-p.size(hidden, 9, false), y+4, hidden, 9, false, p.look.Dim)
		}
		p.text(chartLine+40, y+4, p.fit(r.Title, chartRight-chartLine-60, 12, false), 12, false, title)
	}
	r.Left.draw(p, chartLine, y, -1, p.look.Now)
	r.Right.draw(p, chartRight, y, 1, p.look.Next)
}

// draw draws the pieces outward, with a piece of the thread before each mark.
func (h Hung) draw(p *pen, x, y, outward vg.Length, accent color.Color) {
	kind := thread
	if h.Loose {
		kind = ending
	}
	for i, piece := range h.Pieces {
		gap := markGap
		if i == 0 {
			gap = 2 * markGap
		}
		if bracket := piece.Text == "[" || piece.Text == "]"; bracket {
			gap = 2
		} else {
			p.line(kind, x, y, x+outward*gap, y)
		}
		style := accent
		if piece.Name {
			style = p.look.Plain
		}
		width := p.size(piece.Text, markSize, piece.Strong)
		at := x + outward*(gap+2)
		if outward < 0 {
			at -= width
		}
		p.text(at, y+4, piece.Text, markSize, piece.Strong, style)
		x += outward * (gap + width + 4)
	}
}

func (c Chart) threads(*pen, func(half int) vg.Length) {}
