package ui

import (
	tea "charm.land/bubbletea/v2"

	"bastel/internal/repo"
	"bastel/internal/ui/stream"
)

// streamer is a screen that shows changes of code.
type streamer interface{ Streams() []*stream.Model }

// colouring reads what the colours of the code in view need, once it was drawn, and the repository has followed: until then lines have
// the colours that they have by themselves.
func (m *Model) colouring() tea.Cmd {
	if m.app == nil || m.theme.Syntax == nil || m.behind() || m.where.Pending() {
		return nil
	}
	var shown []*stream.Model
	if screen, ok := m.screen().(streamer); ok {
		shown = screen.Streams()
	}
	if e, ok := m.page.(*editor); ok && e.About != nil {
		shown = []*stream.Model{&e.changes}
	}
	var cmds []tea.Cmd
	for _, s := range shown {
		if cmd := s.Colouring(repo.Because(m.ctx, "the colours of code"), m.app.Text); cmd != nil {
			cmds = append(cmds, inBackground(cmd))
		}
	}
	return tea.Batch(cmds...)
}
