package kit

import (
	"strings"
	"testing"

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
	const address = "https://a.example/?b=c"
	for _, style := range []Style{theme.Plain, theme.Dim, theme.Accent, theme.Next.Bold(true), theme.Added,
		theme.Removed.Underline(true), theme.Trouble.Italic(true), theme.Trouble.ColouredAs(theme.Syntax[Comment]),
		theme.Dim.Strikethrough(true), Style{}.Reverse(true), Style(*theme.AddedGround),
		theme.Now.Hyperlink(address), Style{}.Hyperlink(address)} {
		for _, text := range []string{"", " ", "a text, with spaces ", "wide 漢字 é"} {
			var b strings.Builder
			style.paint(&b, text)
			assert.Equal(t, cells(style.Lipgloss().Render(text)), cells(b.String()), "%q", text)
		}
	}
}
