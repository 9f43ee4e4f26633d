package kit

import (
	"image/color"

	"charm.land/lipgloss/v2"
)

// Theme is the look. Now is cool and Next is warm, on every screen; one accent
// marks what is selected. Nothing is told by colour alone.
type Theme struct {
	Ground   Background // what the colours are for
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

// NewTheme makes the theme for a background.
func NewTheme(ground Background) Theme {
	colour := func(light, dark, unknown string) color.Color {
		return lipgloss.Color([]string{Unknown: unknown, Dark: dark, Light: light}[ground])
	}
	style := lipgloss.NewStyle()
	cool, warm := colour("#1B6A8C", "#74B6D4", "#4595B8"), colour("#8F5300", "#E2AA62", "#BE7F22")
	accent := colour("#00745A", "#62DDB8", "#21A884")
	selected := &Backdrop{Back: colour("#DDE9EE", "#22303A", "#34495A")}
	if ground == Unknown {
		selected.Text = lipgloss.Color("#F1F5F7")
	}
	theme := Theme{
		Ground:   ground,
		Plain:    style,
		Strong:   style.Bold(true),
		Dim:      style.Foreground(colour("#66717B", "#7C8894", "#77838E")),
		Now:      style.Foreground(cool),
		Next:     style.Foreground(warm),
		Accent:   style.Foreground(accent).Bold(true),
		Trouble:  style.Foreground(colour("#A3245C", "#F08BB4", "#CF5588")).Bold(true),
		Removed:  style.Foreground(cool),
		Added:    style.Foreground(warm).Bold(true),
		Quiet:    style.Foreground(colour("#9AA5AE", "#4D5964", "#77838E")),
		Selected: selected,
		Marked:   style.Foreground(accent).Bold(true),
	}
	if ground == Unknown {
		return theme
	}
	theme.AddedGround = &Backdrop{Back: colour("#FAF0DF", "#2A2319", "")}
	theme.RemovedGround = &Backdrop{Back: colour("#E3EEF3", "#16242D", "")}
	theme.Syntax = map[TokenKind]lipgloss.Style{
		Keyword: style.Foreground(colour("#6E4A8E", "#B9A2D8", "")),
		Text:    style.Foreground(colour("#4F6B2A", "#A8BC84", "")),
		Number:  style.Foreground(colour("#93501F", "#D5A583", "")),
		Comment: style.Foreground(colour("#66717B", "#84909B", "")).Italic(true),
		Named:   style.Foreground(colour("#20567F", "#93B9D6", "")),
	}
	return theme
}
