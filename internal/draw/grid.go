package draw

import (
	"fmt"

	"gonum.org/v1/plot/vg"
)

// GridRow is a file with the commits that touch it, by their places, and the pairs of
// them that touch the same lines.
type GridRow struct {
	Name   string
	Knots  []int
	Strong [][2]int
}

// Grid is files by commits: what overlaps.
type Grid struct {
	Title, Subtitle string
	Columns         []string // the commits' subjects
	Files           []GridRow
}

const (
	nameSize vg.Length = 230
	gridStep vg.Length = 26
)

func (g Grid) heading() (string, string) { return g.Title, g.Subtitle }
func (g Grid) width() vg.Length {
	return max(620, 2*margin+nameSize+vg.Length(len(g.Columns)+1)*gridStep)
}

// rows are a row of numbers, the files, and the commits' subjects below.
func (g Grid) rows() int { return 1 + len(g.Files) + 1 + len(g.Columns) }
func (g Grid) legend() []key {
	return []key{{thread, "the same file"}, {strong, "the same lines: they cannot move past each other"}}
}

func (g Grid) x(column int) vg.Length { return margin + nameSize + (vg.Length(column)+0.5)*gridStep }

func (g Grid) row(p *pen, i int, y vg.Length) {
	switch {
	case i == 0:
		for c := range g.Columns {
			label := fmt.Sprint(c + 1)
			p.text(g.x(c)-p.size(label, 10, true)/2, y+4, label, 10, true, p.look.Now)
		}
	case i <= len(g.Files):
		f := g.Files[i-1]
		p.text(margin, y+4, p.fit(f.Name, nameSize-16, 11, false), 11, false, p.look.Plain)
		if len(f.Knots) > 1 {
			p.line(thread, g.x(f.Knots[0]), y, g.x(f.Knots[len(f.Knots)-1]), y)
		}
		for _, pair := range f.Strong {
			p.line(strong, g.x(pair[0]), y, g.x(pair[1]), y)
		}
		for _, knot := range f.Knots {
			p.dot(g.x(knot), y, 4.6, p.look.Now)
		}
	case i > len(g.Files)+1:
		c := i - len(g.Files) - 2
		p.text(margin, y+4, fmt.Sprint(c+1), 10, true, p.look.Now)
		p.text(margin+34, y+4, p.fit(g.Columns[c], g.width()-2*margin-34, 11, false), 11, false, p.look.Plain)
	}
}

func (g Grid) threads(*pen, func(int) vg.Length) {}
