package kit

import (
	"context"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
)

// IntoFile asks for a new file, with a name after a branch, and has something written into
// it. Write gives the file's name.
func IntoFile(title, branch, ending string, write func(ctx context.Context, file string) (string, error)) tea.Cmd {
	name := strings.NewReplacer("/", "-", " ", "-").Replace(branch) + ending
	return Show(Edit{Title: title, Text: name, Done: func(file string) tea.Cmd {
		return Start(Work[string]{Title: "Writing", Do: func(ctx context.Context, _ func(string)) (string, error) {
			written, err := write(ctx, strings.TrimSpace(file))
			return "Written: " + written, err
		}})
	}})
}

// Draw asks for a file, and writes a picture into it.
func Draw(a *app.App, branch string, what app.Drawing) tea.Cmd {
	return IntoFile("Draw into which file, .svg or .pdf?", branch, ".svg", func(ctx context.Context, file string) (string, error) {
		return a.DrawTo(ctx, what, file)
	})
}
