package send

import (
	"context"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/ui/kit"
)

// request is the text of a request for review.
type request string

// handOver offers the forms in which the series goes to others.
func (m *Model) handOver() tea.Cmd {
	text := func(ctx context.Context) ([]byte, error) {
		text, err := m.app.Request(ctx)
		return []byte(text), err
	}
	patches := func(whole bool) func(ctx context.Context) ([]byte, error) {
		return func(ctx context.Context) ([]byte, error) {
			text, _, err := m.app.Patches(ctx, whole)
			return text, err
		}
	}
	return kit.Show(kit.Choose{Title: "Hand over", Options: []kit.Option{
		{Label: "a request for review, to the clipboard", Detail: "Markdown", Do: m.copyRequest},
		{Label: "a request for review, into a file", Detail: "Markdown", Do: func() tea.Cmd { return m.write(".md", text) }},
		{Label: "a mailbox of patches", Detail: "commit by commit", Do: func() tea.Cmd { return m.write(".mbox", patches(false)) }},
		{Label: "one difference", Detail: "unified, of the whole branch", Do: func() tea.Cmd { return m.write(".diff", patches(true)) }},
	}})
}

func (m *Model) copyRequest() tea.Cmd {
	return kit.Read(m.ctx, Name, func(ctx context.Context) (any, error) {
		text, err := m.app.Request(ctx)
		return request(text), err
	})
}

// write asks for a new file, and writes a text into it.
func (m *Model) write(ending string, text func(ctx context.Context) ([]byte, error)) tea.Cmd {
	return kit.IntoFile("Into which file?", m.series.Branch, ending, func(ctx context.Context, file string) (string, error) {
		data, err := text(ctx)
		if err != nil {
			return "", err
		}
		return m.app.WriteNew(file, data)
	})
}
