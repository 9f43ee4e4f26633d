// Package draw makes pictures for slides and papers: the seam of a rewriting, and
// which commits of a branch overlap, as SVG or PDF. The geometry is that of the
// screen. A PDF has of its fonts what is used; an SVG names fonts that have the same widths, and leaves other scripts to
// whoever shows it.
//
// Its tests promise: pictures have every thread and their texts, are small, and the same bytes each time.
package draw

import (
	"bytes"
	"errors"
	"fmt"
	"image/color"
	"io"
	"math"
	"strings"

	imagefont "golang.org/x/image/font"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/vgsvg"
)

// Format is a kind of file.
type Format string

// The formats.
const (
	SVG Format = "svg"
	PDF Format = "pdf"
)

// ErrFormat is a file name that ends in none of the formats.
var ErrFormat = errors.New("pictures are .svg or .pdf files")

// FormatOf reads the format from a file's name.
func FormatOf(name string) (Format, error) {
	for _, f := range []Format{SVG, PDF} {
		if strings.HasSuffix(strings.ToLower(name), "."+string(f)) {
			return f, nil
		}
	}
	return "", fmt.Errorf("%q: %w", name, ErrFormat)
}

// Look is a choice of colours.
type Look struct {
	Ground, Plain, Dim, Now, Next, Thread color.Color

	Hues [6]color.Color // of threads, by what they lead to
}

// The looks, which fit the screen's.
var (
	Light = Look{rgb(0xFFFFFF), rgb(0x1D2730), rgb(0x66717B), rgb(0x1B6A8C), rgb(0x8F5300), rgb(0x9AA5AE),
		[6]color.Color{rgb(0x3A7CA5), rgb(0xB07A2A), rgb(0x3F8F76), rgb(0x8A5FA8), rgb(0xA8546E), rgb(0x6B7F2E)}}
	Dark = Look{rgb(0x111418), rgb(0xE4E8EB), rgb(0x8B97A2), rgb(0x74B6D4), rgb(0xE2AA62), rgb(0x5D6973),
		[6]color.Color{rgb(0x5FA4CC), rgb(0xC9954B), rgb(0x58B596), rgb(0xA585C6), rgb(0xCB7F97), rgb(0x9BAE5C)}}
)

func rgb(n uint32) color.Color {
	return color.NRGBA{R: uint8(n >> 16), G: uint8(n >> 8), B: uint8(n), A: 0xff}
}

// Picture is something to be drawn: rows below a heading.
type Picture interface {
	heading() (title, subtitle string)
	width() vg.Length
	rows() int
	legend() []key
	// row draws what belongs to row i, of which y is the middle.
	row(p *pen, i int, y vg.Length)
	// threads draws what runs across rows; y gives the middle of a half row, counted
	// from 0, the first row being 0 and the gap below it 1.
	threads(p *pen, y func(half int) vg.Length)
}

// key explains one sign of a picture.
type key struct {
	kind stroke
	text string
}

const (
	margin    vg.Length = 28
	headRoom  vg.Length = 62
	footRoom  vg.Length = 34
	rowHeight vg.Length = 26
	pageRows            = 26 // of a PDF
)

// Write draws a picture into a file: an SVG as high as it needs, a PDF over as many
// pages as it needs. It gives the characters that no font has; they are marked in the picture.
func Write(w io.Writer, picture Picture, format Format, look Look) (missing []rune, err error) {
	fonts, err := newFonts(format == PDF)
	if err != nil {
		return nil, err
	}
	if format == SVG {
		height := headRoom + footRoom + 2*margin + vg.Length(picture.rows())*rowHeight
		c := vgsvg.NewWith(vgsvg.UseWH(picture.width(), height), vgsvg.EmbedFonts(false))
		page(&pen{surface: c, fonts: fonts, look: look, height: height}, picture, 0, picture.rows(), "")
		var out bytes.Buffer
		_, err := c.WriteTo(&out)
		if err == nil {
			_, err = w.Write(withFamilies(withoutComment(out.Bytes())))
		}
		return nil, wrote(err)
	}
	rows := min(max(picture.rows(), 1), pageRows)
	height := headRoom + footRoom + 2*margin + vg.Length(rows)*rowHeight
	c := newPDF(fonts, picture.width(), height)
	pages := max(1, (picture.rows()+pageRows-1)/pageRows)
	for n := range pages {
		c.doc.AddPage()
		count := ""
		if pages > 1 {
			count = fmt.Sprintf("page %d of %d", n+1, pages)
		}
		page(&pen{surface: c, fonts: fonts, look: look, height: height}, picture, n*pageRows, rows, count)
	}
	return fonts.missing, wrote(c.end(w))
}

// withFamilies has an SVG's texts shown in fonts with the widths that were reckoned with, whichever of them there is.
func withFamilies(svg []byte) []byte {
	svg = bytes.ReplaceAll(svg, []byte("font-family:Liberation Sans;font-variant:normal;"),
		[]byte("font-family:'Liberation Sans',Arial,Helvetica,sans-serif;"))
	return bytes.ReplaceAll(svg, []byte("font-style:normal;"), nil)
}

// withoutComment leaves out the credit that the library writes into each file: it is
// given in the notices.
func withoutComment(svg []byte) []byte {
	before, rest, found := bytes.Cut(svg, []byte("<!--"))
	_, after, closed := bytes.Cut(rest, []byte("-->\n"))
	if !found || !closed {
		return svg
	}
	return append(before, after...)
}

func wrote(err error) error {
	if err != nil {
		return fmt.Errorf("write the picture: %w", err)
	}
	return nil
}

// page draws some of the rows, with heading and legend.
func page(p *pen, picture Picture, first, rows int, count string) {
	p.fill(0, 0, picture.width(), p.height, p.look.Ground)
	title, subtitle := picture.heading()
	p.text(margin, margin+14, p.fit(title, picture.width()-2*margin, 17, true), 17, true, p.look.Plain)
	p.text(margin, margin+32, p.fit(subtitle, picture.width()-2*margin, 10, false), 10, false, p.look.Dim)
	top := margin + headRoom
	middle := func(i int) vg.Length { return top + (vg.Length(i-first)+0.5)*rowHeight }
	p.low, p.high = top, top+vg.Length(rows)*rowHeight
	picture.threads(p, func(half int) vg.Length { return top + (vg.Length(half)/2-vg.Length(first)+0.5)*rowHeight })
	for i := first; i < min(first+rows, picture.rows()); i++ {
		picture.row(p, i, middle(i))
	}
	x, y := margin, p.height-margin+6
	for _, k := range picture.legend() {
		p.line(k.kind, x, y-3, x+26, y-3)
		p.text(x+32, y, k.text, 9, false, p.look.Dim)
		x += 46 + p.size(k.text, 9, false)
	}
	p.text(picture.width()-margin-p.size(count, 9, false), y, count, 9, false, p.look.Dim)
}

// pen draws with the origin at the top left. Threads are cut at low and high.
type pen struct {
	surface
	fonts     *fontSet
	look      Look
	height    vg.Length
	low, high vg.Length
}

// surface is what can be drawn on, the origin at the bottom left.
type surface interface {
	SetLineWidth(width vg.Length)
	SetLineDash(pattern []vg.Length, offset vg.Length)
	SetColor(c color.Color)
	Stroke(path vg.Path)
	Fill(path vg.Path)
	FillString(face font.Face, at vg.Point, text string)
}

func (p *pen) face(size vg.Length, bold bool) font.Face {
	f := font.Font{Typeface: "Liberation", Variant: "Sans", Size: size}
	if bold {
		f.Weight = imagefont.WeightBold
	}
	return font.Face{Font: f, Face: p.fonts.own(bold).font}
}

func (p *pen) size(text string, size vg.Length, bold bool) vg.Length {
	return p.fonts.size(text, size, bold)
}

// fit cuts text that is too long with an ellipsis.
func (p *pen) fit(text string, width, size vg.Length, bold bool) string {
	if p.size(text, size, bold) <= width {
		return text
	}
	runes := []rune(text)
	low, high := 0, len(runes)
	for low < high {
		middle := (low + high + 1) / 2
		if p.size(string(runes[:middle])+"…", size, bold) <= width {
			low = middle
		} else {
			high = middle - 1
		}
	}
	return strings.TrimRight(string(runes[:low]), " ") + "…"
}

func (p *pen) text(x, y vg.Length, text string, size vg.Length, bold bool, c color.Color) {
	if text == "" {
		return
	}
	p.SetColor(c)
	p.FillString(p.face(size, bold), vg.Point{X: x, Y: p.height - y}, text)
}

func (p *pen) fill(x, y, width, height vg.Length, c color.Color) {
	p.SetColor(c)
	var path vg.Path
	path.Move(vg.Point{X: x, Y: p.height - y})
	path.Line(vg.Point{X: x + width, Y: p.height - y})
	path.Line(vg.Point{X: x + width, Y: p.height - y - height})
	path.Line(vg.Point{X: x, Y: p.height - y - height})
	path.Close()
	p.Fill(path)
}

// stroke is a kind of line.
type stroke int

const (
	thread stroke = iota
	strong
	ending
)

func (p *pen) prepare(kind stroke) {
	p.SetLineDash(nil, 0)
	p.SetLineWidth(1.4)
	p.SetColor(p.look.Thread)
	switch kind {
	case strong:
		p.SetLineWidth(2.6)
		p.SetColor(p.look.Next)
	case ending:
		p.SetLineDash([]vg.Length{2, 3}, 0)
	}
}

func (p *pen) line(kind stroke, x1, y1, x2, y2 vg.Length) {
	p.path(kind, []vg.Point{{X: x1, Y: y1}, {X: x2, Y: y2}})
}

// bend is the radius of the corners of threads.
const bend vg.Length = 7

// path draws a line through points with round corners. Points count from the top.
func (p *pen) path(kind stroke, points []vg.Point) {
	p.prepare(kind)
	p.trace(points)
}

// hued draws a thread of a colour; what lies below leaves a gap, if that is the ground's.
func (p *pen) hued(points []vg.Point, width vg.Length, c color.Color) {
	p.SetLineDash(nil, 0)
	p.SetLineWidth(width)
	p.SetColor(c)
	p.trace(points)
}

func (p *pen) trace(points []vg.Point) {
	up := func(pt vg.Point) vg.Point { return vg.Point{X: pt.X, Y: p.height - pt.Y} }
	var path vg.Path
	path.Move(up(points[0]))
	for i := 1; i < len(points)-1; i++ {
		into, out := towards(points[i], points[i-1]), towards(points[i], points[i+1])
		path.Line(up(into))
		path.QuadTo(up(points[i]), up(out))
	}
	path.Line(up(points[len(points)-1]))
	p.Stroke(path)
}

// towards goes from a corner a bend's length, or half the way, to another point.
func towards(from, to vg.Point) vg.Point {
	dx, dy := to.X-from.X, to.Y-from.Y
	length := max(abs(dx), abs(dy)) // the lines run along the axes
	if length == 0 {
		return from
	}
	part := min(bend, length/2) / length
	return vg.Point{X: from.X + dx*part, Y: from.Y + dy*part}
}

func abs[N vg.Length | int](n N) N { return max(n, -n) }

// dot draws a knot.
func (p *pen) dot(x, y, radius vg.Length, c color.Color) {
	p.SetColor(c)
	var path vg.Path
	path.Move(vg.Point{X: x + radius, Y: p.height - y})
	for _, start := range []float64{0, math.Pi} { // in halves: an SVG cannot say a whole one
		path.Arc(vg.Point{X: x, Y: p.height - y}, radius, start, math.Pi)
	}
	path.Close()
	p.Fill(path)
}
