package kit

import (
	"image/color"

	"charm.land/lipgloss/v2"
)

// Theme is the look. Now is cool and Next is warm, on every screen; one accent
// marks what is selected. Nothing is told by colour alone.
type Theme struct {
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
}

// Backdrop lies under a row. Text, if set, is the colour of all that stands on it.
type Backdrop struct{ Back, Text color.Color }

// Ground is what the terminal has for a background.
type Ground int

// The grounds. Many terminals do not say; then colours must do on both.
const (
	Unknown Ground = iota
	Dark
	Light
)

// GroundOf reads a word such as a setting has.
func GroundOf(word string) Ground {
	switch word {
	case "dark":
		return Dark
	case "light":
		return Light
	}
	return Unknown
}

// NewTheme makes the theme for a background.
func NewTheme(ground Ground) Theme {
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
	return Theme{
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
}
