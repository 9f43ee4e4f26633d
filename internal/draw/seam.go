package draw

import (
	"image/color"
	"maps"
	"slices"

	"gonum.org/v1/plot/vg"

	"bastel/internal/lanes"
)

// Row is a commit at one side of a seam.
type Row struct {
	Mark  string // its number or letter
	Title string
	Note  string // its id, or what becomes of it
	Faded bool   // left out
}

// Seam is what a series was and what becomes of it, with a thread for each source.
type Seam struct {
	Title, Subtitle string
	Now, Next       string // what the sides are
	Left, Right     []Row
	Threads         []lanes.Thread
}

const (
	seamWidth  vg.Length = 980
	columnSize vg.Length = 370
)

func (s Seam) heading() (string, string) { return s.Title, s.Subtitle }
func (s Seam) width() vg.Length          { return seamWidth }
func (s Seam) rows() int                 { return max(len(s.Left), len(s.Right)) }
func (s Seam) legend() []key {
	return []key{{thread, "a commit, and what it becomes"}, {ending, "left out, or emptied"}}
}

func (s Seam) row(p *pen, i int, y vg.Length) {
	if i < len(s.Left) {
		s.side(p, s.Left[i], margin, y, true)
	}
	if i < len(s.Right) {
		s.side(p, s.Right[i], seamWidth-margin-columnSize, y, false)
	}
}

func (s Seam) side(p *pen, r Row, x, y vg.Length, left bool) {
	mark := p.look.Next
	if left {
		mark = p.look.Now
	}
	title := p.look.Plain
	if r.Faded {
		mark, title = p.look.Dim, p.look.Dim
	}
	note := p.size(r.Note, 9, false)
	p.text(x, y+4, r.Mark, 11, true, mark)
	p.text(x+34, y+4, p.fit(r.Title, columnSize-34-note-12, 12, false), 12, false, title)
	p.text(x+columnSize-note, y+4, r.Note, 9, false, p.look.Dim)
	if r.Faded {
		p.line(thread, x+34, y, x+34+p.size(p.fit(r.Title, columnSize-34-note-12, 12, false), 12, false), y)
	}
}

// threads draws the seam as the screen lays it out, below what the sides are.
func (s Seam) threads(p *pen, y func(half int) vg.Length) {
	p.text(margin, p.low-4, p.fit(s.Now, columnSize, 10, true), 10, true, p.look.Now)
	p.text(seamWidth-margin-columnSize, p.low-4, p.fit(s.Next, columnSize, 10, true), 10, true, p.look.Next)
	drawThreads(p, s.Threads, y)
}

func drawThreads(p *pen, threads []lanes.Thread, y func(half int) vg.Length) {
	from, to := margin+columnSize+10, seamWidth-margin-columnSize-10
	const tracks = 12
	layout := lanes.Seam(threads, tracks)
	x := func(at int) vg.Length { return from + (to-from)*vg.Length(at)/vg.Length(layout.Width) }
	byResult := map[int][][]vg.Point{}
	for _, path := range layout.Paths {
		if path.To == lanes.Ends {
			at := y(path.Points[0].Y)
			if at >= p.low && at <= p.high {
				p.line(ending, from, at, from+24, at)
			}
			continue
		}
		var points []vg.Point
		for _, pt := range path.Points {
			points = append(points, vg.Point{X: x(pt.X), Y: y(pt.Y)})
		}
		byResult[path.To] = append(byResult[path.To], within(points, p.low, p.high)...)
	}
	for _, result := range slices.Sorted(maps.Keys(byResult)) {
		drawBundle(p, byResult[result], p.look.Hues[abs(result)%len(p.look.Hues)])
	}
}

// drawBundle draws the threads of one result in one hue, over a wider line of the ground: threads of other results that they cross
// have a gap there, so that nobody takes a crossing for a joint.
func drawBundle(p *pen, threads [][]vg.Point, hue color.Color) {
	const thick, gap vg.Length = 1.6, 5.5
	for _, points := range threads {
		p.hued(points, gap, p.look.Ground)
	}
	for _, points := range threads {
		p.hued(points, thick, hue)
	}
}

// within cuts a path at two heights: what lies between them, in pieces.
func within(points []vg.Point, low, high vg.Length) [][]vg.Point {
	var pieces [][]vg.Point
	var piece []vg.Point
	end := func() {
		if len(piece) > 1 {
			pieces = append(pieces, piece)
		}
		piece = nil
	}
	inside := func(pt vg.Point) bool { return pt.Y >= low && pt.Y <= high }
	clamp := func(pt vg.Point) vg.Point { return vg.Point{X: pt.X, Y: min(max(pt.Y, low), high)} }
	for i, pt := range points {
		if i > 0 && inside(points[i-1]) != inside(pt) || i > 0 && !inside(pt) && (points[i-1].Y < low) != (pt.Y < low) {
			// The line between crosses a border; it runs upright there.
			if len(piece) == 0 {
				piece = append(piece, clamp(points[i-1]))
			}
			piece = append(piece, clamp(pt))
			if !inside(pt) {
				end()
			}
			continue
		}
		if !inside(pt) {
			end()
			continue
		}
		piece = append(piece, pt)
	}
	end()
	return pieces
}
