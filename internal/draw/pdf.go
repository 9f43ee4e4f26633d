package draw

import (
	"image/color"
	"io"
	"math"
	"time"

	"bastel/internal/safe"

	"codeberg.org/go-pdf/fpdf"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
)

// pdf draws on pages, with texts that can be found and copied: of each font what is used comes along. The library's own canvas
// for pictures writes the bytes of texts as if they were Latin letters.
type pdf struct {
	doc    *fpdf.Fpdf
	fonts  *fontSet
	added  map[*typeface]bool
	height vg.Length
}

func newPDF(fonts *fontSet, width, height vg.Length) *pdf {
	size := fpdf.SizeType{Wd: width.Points(), Ht: height.Points()}
	doc := fpdf.NewCustom(&fpdf.InitType{UnitStr: "pt", Size: size})
	doc.SetMargins(0, 0, 0)
	doc.SetAutoPageBreak(false, 0)
	doc.SetCreationDate(time.Unix(0, 0).UTC()) // the same picture is the same bytes
	doc.SetModificationDate(time.Unix(0, 0).UTC())
	doc.SetCatalogSort(true)
	doc.SetProducer("Bastel", true)
	return &pdf{doc: doc, fonts: fonts, added: map[*typeface]bool{}, height: height}
}

func (p *pdf) y(y vg.Length) float64 { return (p.height - y).Points() }

// SetLineWidth sets the width of the lines that are drawn next.
func (p *pdf) SetLineWidth(width vg.Length) { p.doc.SetLineWidth(width.Points()) }

// SetLineDash sets the lengths of line and gap in turn; none: the line is whole.
func (p *pdf) SetLineDash(pattern []vg.Length, offset vg.Length) {
	dashes := make([]float64, len(pattern))
	for i, length := range pattern {
		dashes[i] = length.Points()
	}
	p.doc.SetDashPattern(dashes, offset.Points())
}

// SetColor sets the colour of lines, areas and texts.
func (p *pdf) SetColor(c color.Color) {
	r, g, b, _ := c.RGBA()
	red, green, blue := int(r>>8), int(g>>8), int(b>>8)
	p.doc.SetDrawColor(red, green, blue)
	p.doc.SetFillColor(red, green, blue)
	p.doc.SetTextColor(red, green, blue)
}

// Stroke draws a line, Fill an area.
func (p *pdf) Stroke(path vg.Path) { p.draw(path, "D") }

// Fill fills an area.
func (p *pdf) Fill(path vg.Path) { p.draw(path, "F") }

func (p *pdf) draw(path vg.Path, style string) {
	for _, part := range path {
		x, y := part.Pos.X.Points(), p.y(part.Pos.Y)
		switch part.Type {
		case vg.MoveComp:
			p.doc.MoveTo(x, y)
		case vg.LineComp:
			p.doc.LineTo(x, y)
		case vg.CurveComp:
			control := part.Control[0]
			p.doc.CurveTo(control.X.Points(), p.y(control.Y), x, y)
		case vg.ArcComp:
			degrees := func(angle float64) float64 { return angle * 180 / math.Pi }
			radius := part.Radius.Points()
			p.doc.ArcTo(x, y, radius, radius, 0, degrees(part.Start), degrees(part.Start+part.Angle))
		case vg.CloseComp:
			p.doc.ClosePath()
		}
	}
	p.doc.DrawPath(style)
}

// missingMark stands for what no font has.
const missingMark = '?'

// FillString writes a text, each part of it in a font that has it.
func (p *pdf) FillString(face font.Face, at vg.Point, text string) {
	isBold := face.Font.Weight > 0
	x := at.X
	var part []rune
	var in *typeface
	flush := func() {
		if len(part) == 0 {
			return
		}
		p.use(in, face.Font.Size)
		p.doc.Text(x.Points(), p.y(at.Y), string(part))
		for _, r := range part {
			x += in.advance(r, face.Font.Size)
		}
		part = part[:0]
	}
	for _, r := range safe.Visual(text) { // the format puts glyphs where they are written
		of := p.fonts.of(r, isBold)
		if of == nil {
			of, r = p.fonts.own(isBold), missingMark
		}
		if of != in {
			flush()
			in = of
		}
		part = append(part, r)
	}
	flush()
}

func (p *pdf) use(face *typeface, size vg.Length) {
	if !p.added[face] {
		p.doc.AddUTF8FontFromBytes(face.name, "", face.bytes)
		p.added[face] = true
	}
	p.doc.SetFont(face.name, "", size.Points())
}

// end ends the document and writes it.
func (p *pdf) end(w io.Writer) error { return p.doc.Output(w) }
