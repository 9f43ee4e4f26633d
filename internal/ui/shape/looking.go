package shape

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// looked is what shows in place of Next: a commit's changes, or what is different at
// the end.
type looked struct {
	id    repo.ID // zero: the end
	title string
	files []tray.File
}

// showLook shows a commit's changes in place of Next, unless the branch moved meanwhile.
func (m *Model) showLook(found looked) {
	if !found.id.IsZero() && m.sourceOf(found.id).Commit == nil {
		return
	}
	m.lookAt, m.lookTitle, m.looking = found.id, found.title, true
	m.look = stream.Model{}
	m.look.Set(found.files)
}

// FileAtHand is the file at the cursor of what is looked at.
func (m *Model) FileAtHand() (kit.FileAt, bool) {
	if !m.looking || m.lookAt.IsZero() {
		return kit.FileAt{}, false
	}
	return m.look.FileAt(m.lookAt, m.sourceOf(m.lookAt).Commit.Parent())
}

func (m *Model) lookInto() tea.Cmd {
	id, ok := m.source()
	if !ok {
		return nil
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		files, err := m.app.CommitChanges(ctx, id)
		return looked{id: id, files: files}, err
	})
}

func (m *Model) sourceOf(id repo.ID) app.Source {
	if at := slices.Index(m.plan.Sources, id); at >= 0 {
		return m.sources[at]
	}
	return m.extra[id]
}

func short(id repo.ID) string {
	if id.IsZero() {
		return "the first commit"
	}
	return id.Short()
}
