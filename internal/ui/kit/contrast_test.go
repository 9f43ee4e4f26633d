package kit_test

import (
	"fmt"
	"image/color"
	"math"
	"testing"

	"charm.land/lipgloss/v2"
	"github.com/charmbracelet/x/ansi"
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

// xterm has these for the sixteen colours that every terminal has.
var xterm = []string{"#000000", "#CD0000", "#00CD00", "#CDCD00", "#0000EE", "#CD00CD", "#00CDCD", "#E5E5E5", "#7F7F7F", "#FF0000",
	"#00FF00", "#FFFF00", "#5C5CFF", "#FF00FF", "#00FFFF", "#FFFFFF"}

// shown is a colour as the screen has it.
func shown(c color.Color) color.Color {
	if n, basic := c.(ansi.BasicColor); basic {
		return lipgloss.Color(xterm[n])
	}
	return c
}

// TestTextsCanBeRead: on every ground that a text stands on, in all themes, by the contrast ratio of WCAG 2.1: 4.5 for what is
// to be read (7 in the theme for that), 3 for what goes along. Threads are drawings, and quieter.
func TestTextsCanBeRead(t *testing.T) {
	for _, ground := range []struct {
		name, back, text string
		of               kit.Background
	}{{"dark", "#111418", "#E4E8EB", kit.Dark}, {"black", "#000000", "#FFFFFF", kit.Dark}, {"light", "#FFFFFF", "#1D2730", kit.Light},
		{"unknown, black", "#000000", "#FFFFFF", kit.Unknown}, {"unknown, white", "#FFFFFF", "#000000", kit.Unknown}} {
		for _, look := range []kit.Look{{}, {Palette: kit.Contrast}, {Palette: kit.ColourBlind}, {Sixteen: true}} {
			look.Ground = ground.of
			readable, alongside := 4.5, 3.0
			switch {
			case ground.of == kit.Unknown: // the same colours on both grounds
				readable, alongside = 2.6, 2.6
			case look.Palette == kit.Contrast:
				readable, alongside = 7, 4.5
			case look.Sixteen:
				readable = 3.9
			}
			checkContrast(t, fmt.Sprintf("%s %+v", ground.name, look), kit.NewTheme(look), ground.back, ground.text, readable, alongside)
		}
	}
}

func checkContrast(t *testing.T, name string, theme kit.Theme, back, text string, readable, alongside float64) {
	plain := kit.Style{}.Foreground(lipgloss.Color(text))
	read := map[string]kit.Style{"plain": plain, "now": theme.Now, "next": theme.Next, "accent": theme.Accent, "trouble": theme.Trouble,
		"removed": theme.Removed, "added": theme.Added, "marked": theme.Marked}
	along := map[string]kit.Style{"dim": theme.Dim}
	for kind, style := range theme.Syntax {
		along[string(rune('a'+int(kind)))] = style
	}
	grounds := map[string]kit.Style{"plain": kit.Style{}.Background(lipgloss.Color(back)), "selected": kit.Style(*theme.Selected)}
	if theme.AddedGround != nil {
		grounds["added"], grounds["removed"] = kit.Style(*theme.AddedGround), kit.Style(*theme.RemovedGround)
	}
	for on, ground := range grounds {
		if ground.Colour() != nil {
			assert.GreaterOrEqual(t, contrast(shown(ground.Colour()), shown(ground.Ground())), readable, "%s: on %s", name, on)
			continue
		}
		for what, style := range read {
			assert.GreaterOrEqual(t, contrast(shown(style.Colour()), shown(ground.Ground())), readable, "%s: %s on %s", name, what, on)
		}
		for what, style := range along {
			assert.GreaterOrEqual(t, contrast(shown(style.Colour()), shown(ground.Ground())), alongside, "%s: %s on %s", name, what, on)
		}
	}
}

// seen is a colour as eyes without one kind of cones see it, by F. Viénot, H. Brettel and J. Mollon, Digital video colourmaps for
// checking the legibility of displays by dichromats (1999), in linear light.
func seen(c color.Color, without string) [3]float64 {
	r, g, b, _ := c.RGBA()
	linear := func(v uint32) float64 { return math.Pow(float64(v)/0xffff, 2.2) }
	long := 17.8824*linear(r) + 43.5161*linear(g) + 4.11935*linear(b)
	medium := 3.45565*linear(r) + 27.1554*linear(g) + 3.86714*linear(b)
	short := 0.0299566*linear(r) + 0.184309*linear(g) + 1.46709*linear(b)
	switch without {
	case "long":
		long = 2.02344*medium - 2.52581*short
	case "medium":
		medium = 0.494207*long + 1.24827*short
	}
	return [3]float64{0.0809444479*long - 0.130504409*medium + 0.116721066*short, -0.0102485335*long + 0.0540193266*medium - 0.113614708*short,
		-0.000365296938*long - 0.00412161469*medium + 0.693511405*short}
}

// TestColoursDifferForAllEyes: in the theme for that, what is told apart by colour is so for eyes without long or medium cones
// too, by the distance in linear light after its cube root.
func TestColoursDifferForAllEyes(t *testing.T) {
	for _, ground := range []kit.Background{kit.Dark, kit.Light} {
		theme := kit.NewTheme(kit.Look{Ground: ground, Palette: kit.ColourBlind})
		styles := []kit.Style{theme.Now, theme.Next, theme.Accent, theme.Trouble}
		for _, without := range []string{"", "long", "medium"} {
			for i := range styles {
				for j := range i {
					x, y := seen(styles[i].Colour(), without), seen(styles[j].Colour(), without)
					distance := 0.0
					for k := range x {
						distance += math.Pow(math.Cbrt(x[k])-math.Cbrt(y[k]), 2)
					}
					assert.Greater(t, math.Sqrt(distance), 0.15, "%v without %q: %d and %d", ground, without, i, j)
				}
			}
		}
	}
}
