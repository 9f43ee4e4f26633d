package kit_test

import (
	"image/color"
	"math"
	"testing"

	"charm.land/lipgloss/v2"
	"github.com/stretchr/testify/assert"

	"bastel/internal/ui/kit"
)

// luminance is that of WCAG 2.1, relative to white.
func luminance(c color.Color) float64 {
	r, g, b, _ := c.RGBA()
	part := func(v uint32) float64 {
		s := float64(v) / 0xffff
		if s <= 0.04045 {
			return s / 12.92
		}
		return math.Pow((s+0.055)/1.055, 2.4)
	}
	return 0.2126*part(r) + 0.7152*part(g) + 0.0722*part(b)
}

func contrast(a, b color.Color) float64 {
	x, y := luminance(a), luminance(b)
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// TestTextsCanBeRead: on every ground that a text stands on, in both themes, by the contrast ratio of WCAG 2.1: 4.5 for what is
// to be read, 3 for what goes along. Threads are drawings, and quieter.
func TestTextsCanBeRead(t *testing.T) {
	for name, theme := range map[string]struct {
		kit.Theme
		ground, text string
	}{"dark": {kit.NewTheme(kit.Dark), "#111418", "#E4E8EB"}, "black": {kit.NewTheme(kit.Dark), "#000000", "#FFFFFF"},
		"light": {kit.NewTheme(kit.Light), "#FFFFFF", "#1D2730"}} {
		grounds := map[string]color.Color{"plain": lipgloss.Color(theme.ground), "selected": theme.Selected.Back,
			"added": theme.AddedGround.Back, "removed": theme.RemovedGround.Back}
		read := map[string]lipgloss.Style{"plain": lipgloss.NewStyle().Foreground(lipgloss.Color(theme.text)), "now": theme.Now,
			"next": theme.Next, "accent": theme.Accent, "trouble": theme.Trouble, "removed": theme.Removed, "added": theme.Added,
			"marked": theme.Marked}
		along := map[string]lipgloss.Style{"dim": theme.Dim}
		for kind, style := range theme.Syntax {
			along[string(rune('a'+int(kind)))] = style
		}
		for on, ground := range grounds {
			for what, style := range read {
				assert.GreaterOrEqual(t, contrast(style.GetForeground(), ground), 4.5, "%s: %s on %s", name, what, on)
			}
			for what, style := range along {
				assert.GreaterOrEqual(t, contrast(style.GetForeground(), ground), 3.0, "%s: %s on %s", name, what, on)
			}
		}
	}
}
