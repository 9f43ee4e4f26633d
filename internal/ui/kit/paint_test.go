package kit

import (
	"strings"
	"testing"

	"charm.land/lipgloss/v2"
	uv "github.com/charmbracelet/ultraviolet"
	"github.com/stretchr/testify/assert"
)

// TestPaintIsWhatStylesRender: cell by cell, a painted text is the one that the style itself renders.
func TestPaintIsWhatStylesRender(t *testing.T) {
	theme := NewTheme(Look{Ground: Dark})
	cells := func(text string) string {
		buffer := uv.NewScreenBuffer(40, 1)
		uv.NewStyledString(text).Draw(buffer, buffer.Bounds())
		return buffer.Render()
	}
	for _, style := range []lipgloss.Style{theme.Plain, theme.Dim, theme.Accent, theme.Next.Bold(true), theme.Added,
		theme.Removed.Underline(true), theme.Trouble.Italic(true),
		theme.Dim.Strikethrough(true), lipgloss.NewStyle().Reverse(true).Faint(true), lipgloss.NewStyle().Background(theme.AddedGround.Back)} {
		for _, text := range []string{"", " ", "a text, with spaces ", "wide 漢字 é"} {
			var b strings.Builder
			paint(&b, style, text)
			assert.Equal(t, cells(style.Render(text)), cells(b.String()), "%q", text)
		}
	}
}
