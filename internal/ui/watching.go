package ui

import (
	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// changed says what another program has changed, or Bastel itself.
type changed struct {
	app    *app.App
	topics repo.Topics
	told   <-chan repo.Topics
}

// watchOnce begins to watch the repository once something was read of it: to list what is to be watched takes time, which the
// first frame is not to wait for. What changed before the watch stands is told when it does.
func (m *Model) watchOnce() tea.Cmd {
	if m.watched == m.app {
		return nil
	}
	m.watched = m.app
	return inBackground(m.watch(m.app))
}

// watch looks again whenever something changes.
func (m *Model) watch(a *app.App) tea.Cmd {
	return func() tea.Msg {
		told, err := a.Repo.Watch(m.ctx)
		if err != nil {
			return nil // where the system cannot watch, a key and the focus do
		}
		return m.awaitChange(a, told)()
	}
}

func (m *Model) awaitChange(a *app.App, told <-chan repo.Topics) tea.Cmd {
	return func() tea.Msg {
		topics, ok := <-told
		if !ok {
			return nil
		}
		return changed{a, topics, told}
	}
}
