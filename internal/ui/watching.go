package ui

import (
	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
)

type changed struct {
	app  *app.App
	told <-chan struct{}
}

// watch looks again whenever something changes in the working tree.
func (m *Model) watch(a *app.App) tea.Cmd {
	return func() tea.Msg {
		told, err := a.Repo.Watch(m.ctx)
		if err != nil {
			return nil // where the system cannot watch, a key and the focus do
		}
		return m.awaitChange(a, told)()
	}
}

func (m *Model) awaitChange(a *app.App, told <-chan struct{}) tea.Cmd {
	return func() tea.Msg {
		if _, ok := <-told; !ok {
			return nil
		}
		return changed{a, told}
	}
}
