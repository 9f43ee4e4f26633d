package kit

import (
	"context"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
)

// Draw asks for a file, and writes a picture into it.
func Draw(a *app.App, branch string, what app.Drawing) tea.Cmd {
	name := strings.NewReplacer("/", "-", " ", "-").Replace(branch) + ".svg"
	return Show(Edit{Title: "Draw into which file, .svg or .pdf?", Text: name, Done: func(file string) tea.Cmd {
		return Start(Work{Title: "Drawing", Do: func(ctx context.Context, _ func(string)) (string, error) {
			written, err := a.DrawTo(ctx, what, strings.TrimSpace(file))
			return "Drawn: " + written, err
		}})
	}})
}
