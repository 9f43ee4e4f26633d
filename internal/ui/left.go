package ui

import (
	"context"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// askLeft says which step was left half done, and offers the ways in which it ends. All that only reads works meanwhile.
func (m *Model) askLeft() tea.Cmd {
	return kit.Seek(m.seeking(), "what was left half done", func(ctx context.Context) tea.Msg {
		left, err := m.app.LeftStep(ctx)
		switch {
		case err != nil:
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		case left == "":
			return kit.Notice{Text: "No step is left half done here."}
		}
		return kit.Choose{Title: safe.Line(left) + " What becomes of it?", Question: true, Options: []kit.Option{
			{Key: "f", Label: "finish it", Detail: "do what is left; what somebody changed since stays", Do: func() tea.Cmd {
				return m.endStep("Finishing", m.app.Finish)
			}},
			{Key: "t", Label: "take it back", Detail: "all as it was before it; what somebody changed since stays", Do: func() tea.Cmd {
				return m.endStep("Taking back", m.app.TakeBack)
			}},
			{Key: "l", Label: "leave it for now", Detail: "nothing else is changed here until it is ended; all can be read",
				Do: func() tea.Cmd { return nil }},
		}}
	})
}

func (m *Model) endStep(title string, end func(context.Context) (string, error)) tea.Cmd {
	return kit.Start(kit.Work[string]{Title: title, Do: func(ctx context.Context, _ func(string)) (string, error) {
		said, err := end(ctx)
		return safe.Line(said), err
	}, Then: m.refresh()})
}
