package kit

import (
	"image/color"
	"strings"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"

	"bastel/internal/safe"
)

// Style is how a piece of a row looks; its zero value is plain text. Rows have neither borders nor margins, which a
// lipgloss.Style carries along with everything else in 648 bytes: to copy those, piece by piece, was half of what a frame
// allocated. It is a value like that one: each method gives another style. Two styles that look the same are equal.
type Style struct {
	fore, back ink
	attributes attribute
	link       string
}

// ink is a colour, with what tells a terminal to take it.
type ink struct {
	colour color.Color // nil: the terminal's own
	code   string
}

func inkOf(c color.Color, choose func(ansi.Style, ansi.Color) ansi.Style) ink {
	if _, none := c.(lipgloss.NoColor); none || c == nil {
		return ink{}
	}
	code := strings.TrimPrefix(choose(ansi.Style{}, c).String(), "\x1b[")
	return ink{c, strings.TrimSuffix(code, "m")}
}

// attribute is a set of what a style has besides its colours.
type attribute uint8

const (
	bold attribute = 1 << iota
	italic
	underline
	reverse
	strikethrough
)

// codes are the attributes' parameters for a terminal (ECMA-48, select graphic rendition), in their order.
var codes = [...]string{"1", "3", "4", "7", "9"}

// Foreground gives the style with a colour of the text.
func (s Style) Foreground(c color.Color) Style {
	s.fore = inkOf(c, ansi.Style.ForegroundColor)
	return s
}

// Background gives the style with a colour under the text.
func (s Style) Background(c color.Color) Style {
	s.back = inkOf(c, ansi.Style.BackgroundColor)
	return s
}

// Bold gives the style with or without weight.
func (s Style) Bold(on bool) Style { return s.with(bold, on) }

// Italic gives the style with or without a slant.
func (s Style) Italic(on bool) Style { return s.with(italic, on) }

// Underline gives the style with or without a line under it.
func (s Style) Underline(on bool) Style { return s.with(underline, on) }

// Reverse gives the style with its colours exchanged, or not.
func (s Style) Reverse(on bool) Style { return s.with(reverse, on) }

// Strikethrough gives the style with or without a line through it.
func (s Style) Strikethrough(on bool) Style { return s.with(strikethrough, on) }

func (s Style) with(a attribute, on bool) Style {
	if s.attributes &^= a; on {
		s.attributes |= a
	}
	return s
}

// Hyperlink gives the style with an address that the text leads to, where the terminal follows such.
func (s Style) Hyperlink(address safe.Shown) Style {
	s.link = string(address)
	return s
}

// ColouredAs gives the style with the colour and the slant of another one; weight and all else stay.
func (s Style) ColouredAs(other Style) Style {
	s.fore = other.fore
	return s.Italic(other.attributes&italic != 0)
}

// Lipgloss is the style as components from elsewhere take it.
func (s Style) Lipgloss() lipgloss.Style {
	style := lipgloss.NewStyle().Bold(s.attributes&bold != 0).Italic(s.attributes&italic != 0).
		Underline(s.attributes&underline != 0).Reverse(s.attributes&reverse != 0).Strikethrough(s.attributes&strikethrough != 0)
	if s.fore.colour != nil {
		style = style.Foreground(s.fore.colour)
	}
	if s.back.colour != nil {
		style = style.Background(s.back.colour)
	}
	return style.Hyperlink(s.link)
}

// paint writes text of one line in the style.
func (s Style) paint(b *strings.Builder, text string) {
	if text == "" || s == (Style{}) {
		b.WriteString(text)
		return
	}
	if s.link != "" {
		b.WriteString(ansi.SetHyperlink(s.link))
		defer b.WriteString(ansi.ResetHyperlink())
	}
	before := "\x1b["
	add := func(code string) {
		if code != "" {
			b.WriteString(before)
			b.WriteString(code)
			before = ";"
		}
	}
	for i, code := range codes {
		if s.attributes&(1<<i) != 0 {
			add(code)
		}
	}
	add(s.fore.code)
	add(s.back.code)
	if before != ";" { // it is the link only
		b.WriteString(text)
		return
	}
	b.WriteString("m")
	b.WriteString(text)
	b.WriteString(ansi.ResetStyle)
}
