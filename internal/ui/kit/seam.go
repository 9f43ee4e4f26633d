package kit

import (
	"bastel/internal/lanes"
	"bastel/internal/safe"
)

// Strand is a thread with how it is drawn.
type Strand struct {
	lanes.Thread
	Bright bool
	Faded  bool // ends: nothing becomes of it
}

// directions of a cell's lines.
const (
	up = 1 << iota
	down
	left
	right
)

// glyphs draws a cell by its directions.
var glyphs = [16]rune{
	' ', '╵', '╷', '│', '╴', '╯', '╮', '┤', '╶', '╰', '╭', '├', '─', '┴', '┬', '┼',
}

type cell struct {
	lines  int
	to     int
	bright bool
	faded  bool
}

// Seam draws strands as height lines of width cells. Each row of the strands takes
// pitch lines of the screen, 1 or 2; the first line shown is line top of them. The
// outermost columns stay free, so that threads do not touch text.
func Seam(strands []Strand, width, height, pitch, top int, theme Theme) []string {
	width -= 2
	grid := make([][]cell, height)
	for y := range grid {
		grid[y] = make([]cell, width)
	}
	tracks := max(1, (width-3)/2)
	threads := make([]lanes.Thread, len(strands))
	for i, s := range strands {
		threads[i] = s.Thread
	}
	layout := lanes.Seam(threads, tracks)
	line := func(y int) int { return y*pitch/2 - top }
	column := func(x int) int {
		if x >= layout.Width {
			return width - 1
		}
		return min(2*x, width-1)
	}
	for _, bright := range []bool{false, true} { // the bright ones last, on top
		for i, path := range layout.Paths {
			if strands[i].Bright != bright {
				continue
			}
			if path.To == lanes.Ends {
				put(grid, strands[i], 0, line(path.Points[0].Y), left|right)
				put(grid, strands[i], 1, line(path.Points[0].Y), left|right)
				continue
			}
			for n := 1; n < len(path.Points); n++ {
				a, b := path.Points[n-1], path.Points[n]
				drawLine(grid, strands[i], column(a.X), line(a.Y), column(b.X), line(b.Y))
			}
			first, last := path.Points[0], path.Points[len(path.Points)-1]
			put(grid, strands[i], column(first.X), line(first.Y), left)
			put(grid, strands[i], column(last.X), line(last.Y), right)
		}
	}
	lines := make([]string, height)
	for y := range grid {
		lines[y] = " " + drawCells(grid[y], theme) + " "
	}
	return lines
}

func drawLine(grid [][]cell, s Strand, x1, y1, x2, y2 int) {
	for x := min(x1, x2); x < max(x1, x2); x++ {
		put(grid, s, x, y1, right)
		put(grid, s, x+1, y1, left)
	}
	for y := min(y1, y2); y < max(y1, y2); y++ {
		put(grid, s, x2, y, down)
		put(grid, s, x2, y+1, up)
	}
}

// put adds a line to a cell. Where two bundles cross, the one that is drawn later
// and bright lies on top; among equals the upright one does.
func put(grid [][]cell, s Strand, x, y, line int) {
	if y < 0 || y >= len(grid) || x < 0 || x >= len(grid[y]) {
		return
	}
	c := &grid[y][x]
	same := c.lines != 0 && c.to == s.To && s.To != lanes.Ends
	switch {
	case same:
		c.lines |= line
		c.bright = c.bright || s.Bright
	case c.lines == 0 || s.Bright || line&(up|down) != 0 && !c.bright:
		*c = cell{lines: line, to: s.To, bright: s.Bright, faded: s.Faded}
	}
}

func drawCells(cells []cell, theme Theme) string {
	var segs []Seg
	for _, c := range cells {
		glyph := string(glyphs[c.lines])
		style := theme.Quiet
		if c.faded {
			glyph = "╌"
			if c.lines == 0 {
				glyph = " "
			}
		}
		if c.bright {
			style = theme.Accent
			if c.lines == left|right && !c.faded {
				glyph = "━"
			}
		}
		if n := len(segs); n > 0 && segs[n-1].Style == style {
			segs[n-1].Text += safe.Show(glyph)
			continue
		}
		segs = append(segs, Seg{Text: safe.Show(glyph), Style: style})
	}
	return Row(len(cells), nil, segs...)
}
