package ui

import (
	"time"

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

// firstFrames is how long what nobody waits for is put off, once something was read: to list what is to be watched takes time, which
// the first frame with content is not to wait for. What changed before the watch stands is told when it does.
const firstFrames = 100 * time.Millisecond

// startLater begins, once for a repository, what goes on beside: to watch it, and to tidy up.
func (m *Model) startLater() tea.Cmd {
	if m.watched == m.app {
		return nil
	}
	m.watched = m.app
	watch, tidy := m.watch(m.app), m.tidyUp(m.app)
	return inBackground(tea.Tick(firstFrames, func(time.Time) tea.Msg {
		return tea.BatchMsg{inBackground(watch), inBackground(tidy)}
	}))
}

// watch looks again whenever something changes.
func (m *Model) watch(a *app.App) tea.Cmd {
	return func() tea.Msg {
		told, err := a.Repo.Watch(repo.Because(m.ctx, "watching for changes"))
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
