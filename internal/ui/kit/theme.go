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
	Selected color.Color    // background of the row under the cursor
	Marked   lipgloss.Style
}

// NewTheme makes the theme for a dark or a light background.
func NewTheme(dark bool) Theme {
	pick := lipgloss.LightDark(dark)
	colour := func(light, dark string) color.Color { return pick(lipgloss.Color(light), lipgloss.Color(dark)) }
	style := lipgloss.NewStyle()
	cool, warm := colour("#1B6A8C", "#74B6D4"), colour("#8F5300", "#E2AA62")
	accent := colour("#00745A", "#62DDB8")
	return Theme{
		Plain:    style,
		Strong:   style.Bold(true),
		Dim:      style.Foreground(colour("#66717B", "#7C8894")),
		Now:      style.Foreground(cool),
		Next:     style.Foreground(warm),
		Accent:   style.Foreground(accent).Bold(true),
		Trouble:  style.Foreground(colour("#A3245C", "#F08BB4")).Bold(true),
		Removed:  style.Foreground(cool),
		Added:    style.Foreground(warm).Bold(true),
		Quiet:    style.Foreground(colour("#9AA5AE", "#4D5964")),
		Selected: colour("#DDE9EE", "#22303A"),
		Marked:   style.Foreground(accent).Bold(true),
	}
}
