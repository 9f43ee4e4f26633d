package kit

import "charm.land/lipgloss/v2"

// Theme is the look. Now is cool and Next is warm, on every screen; one accent
// marks what is selected. Nothing is told by colour alone.
type Theme struct {
	Look
	Plain    Style
	Strong   Style
	Dim      Style
	Now      Style // the half of what is
	Next     Style // the half of what will be
	Accent   Style
	Trouble  Style
	Removed  Style
	Added    Style
	Quiet    Style     // threads that are not selected
	Selected *Backdrop // of the row under the cursor
	Marked   Style

	// Of lines of code: grounds under what was added and removed, and colours of the
	// parts of speech. All are nil where the terminal does not say what its own
	// background is.
	AddedGround, RemovedGround *Backdrop
	Syntax                     map[TokenKind]Style

	TwoColumns bool // differences show old and new beside each other
}

// TokenKind is a part of a program's text that has a colour of its own.
type TokenKind int

// The parts.
const (
	Keyword TokenKind = iota + 1
	Text              // strings and the like
	Number
	Comment
	Named // names of functions and types
)

// Backdrop lies under a row: the colour under it is its own, and that of the text, if set, is all text's that stands on it.
type Backdrop Style

// under gives a style with the backdrop under it; without one it stays as it is.
func (b *Backdrop) under(style Style) Style {
	if b == nil {
		return style
	}
	if b.fore.colour != nil {
		style.fore = b.fore
	}
	style.back = b.back
	return style
}

// Background is what the terminal has for a background.
type Background int

// The grounds. Many terminals do not say; then colours must do on both.
const (
	Unknown Background = iota
	Dark
	Light
)

// GroundOf reads a word such as a setting has.
func GroundOf(word string) Background {
	switch word {
	case "dark":
		return Dark
	case "light":
		return Light
	}
	return Unknown
}

// Look is what a theme is made for: what is known of the terminal, and what the user has chosen.
type Look struct {
	Ground  Background
	Palette Palette
	Sixteen bool // the terminal has no more colours than that
	Tab     int  // how far apart tab stops are; 0: TabWidth
}

// NewTheme makes the theme for a look.
func NewTheme(look Look) Theme {
	c := look.colours()
	style := func(colour string) Style { return Style{}.Foreground(lipgloss.Color(colour)) }
	ground := func(colour string) *Backdrop {
		under := Backdrop(Style{}.Background(lipgloss.Color(colour)))
		return &under
	}
	theme := Theme{
		Look:     look,
		Plain:    Style{},
		Strong:   Style{}.Bold(true),
		Dim:      style(c.dim),
		Now:      style(c.cool),
		Next:     style(c.warm),
		Accent:   style(c.accent).Bold(true),
		Trouble:  style(c.trouble).Bold(true),
		Removed:  style(c.cool),
		Added:    style(c.warm).Bold(true),
		Quiet:    style(c.quiet),
		Selected: ground(c.selected),
		Marked:   style(c.accent).Bold(true),
	}
	if c.onSelected != "" {
		theme.Selected.fore = style(c.onSelected).fore
	}
	if c.added == "" {
		return theme
	}
	theme.AddedGround, theme.RemovedGround = ground(c.added), ground(c.removed)
	theme.Syntax = map[TokenKind]Style{
		Keyword: style(c.keyword),
		Text:    style(c.text),
		Number:  style(c.number),
		Comment: style(c.dim).Italic(true),
		Named:   style(c.named),
	}
	return theme
}
