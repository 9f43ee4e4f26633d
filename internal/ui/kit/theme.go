package kit

import (
	"image/color"

	"charm.land/lipgloss/v2"
)

// Theme is the look. Now is cool and Next is warm, on every screen; one accent
// marks what is selected. Nothing is told by colour alone.
type Theme struct {
	Look
	Plain    lipgloss.Style
	Strong   lipgloss.Style
	Dim      lipgloss.Style
	Now      lipgloss.Style // the half of what is
	Next     lipgloss.Style // the half of what will be
	Accent   lipgloss.Style
	Trouble  lipgloss.Style
	Removed  lipgloss.Style
	Added    lipgloss.Style
	Quiet    lipgloss.Style // threads that are not selected
	Selected *Backdrop      // of the row under the cursor
	Marked   lipgloss.Style

	// Of lines of code: grounds under what was added and removed, and colours of the
	// parts of speech. All are nil where the terminal does not say what its own
	// background is.
	AddedGround, RemovedGround *Backdrop
	Syntax                     map[TokenKind]lipgloss.Style

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

// Backdrop lies under a row. Text, if set, is the colour of all that stands on it.
type Backdrop struct{ Back, Text color.Color }

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
	style := lipgloss.NewStyle()
	theme := Theme{
		Look:     look,
		Plain:    style,
		Strong:   style.Bold(true),
		Dim:      style.Foreground(lipgloss.Color(c.dim)),
		Now:      style.Foreground(lipgloss.Color(c.cool)),
		Next:     style.Foreground(lipgloss.Color(c.warm)),
		Accent:   style.Foreground(lipgloss.Color(c.accent)).Bold(true),
		Trouble:  style.Foreground(lipgloss.Color(c.trouble)).Bold(true),
		Removed:  style.Foreground(lipgloss.Color(c.cool)),
		Added:    style.Foreground(lipgloss.Color(c.warm)).Bold(true),
		Quiet:    style.Foreground(lipgloss.Color(c.quiet)),
		Selected: &Backdrop{Back: lipgloss.Color(c.selected)},
		Marked:   style.Foreground(lipgloss.Color(c.accent)).Bold(true),
	}
	if c.onSelected != "" {
		theme.Selected.Text = lipgloss.Color(c.onSelected)
	}
	if c.added == "" {
		return theme
	}
	theme.AddedGround, theme.RemovedGround = &Backdrop{Back: lipgloss.Color(c.added)}, &Backdrop{Back: lipgloss.Color(c.removed)}
	theme.Syntax = map[TokenKind]lipgloss.Style{
		Keyword: style.Foreground(lipgloss.Color(c.keyword)),
		Text:    style.Foreground(lipgloss.Color(c.text)),
		Number:  style.Foreground(lipgloss.Color(c.number)),
		Comment: style.Foreground(lipgloss.Color(c.dim)).Italic(true),
		Named:   style.Foreground(lipgloss.Color(c.named)),
	}
	return theme
}
