package send

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/series"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

type looked struct {
	title string
	id    repo.ID // of the commit; zero: it is between two
	files []tray.File
}

// look shows what a commit changes, or what differs from its counterpart.
type look struct {
	screen *Model
	id     repo.ID // of the commit; zero: it is between two
	title  string
	stream stream.Model
}

func newLook(m *Model, of looked) *look {
	l := &look{screen: m, title: of.title, id: of.id}
	l.stream.Set(of.files)
	return l
}

// lookInto shows the commit at the cursor, or what differs from its counterpart.
func (m *Model) lookInto() tea.Cmd {
	s := m.rows(m.half)[m.cursor[m.half]]
	title := s.ID.Short() + "  " + safe.Line(s.Commit.Subject())
	for _, p := range m.series.Pairs {
		if (p.Old == s.ID || p.New == s.ID) && p.Relation == series.Changed {
			return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
				files, err := m.publishing.PairChanges(ctx, p.Old, p.New)
				return looked{title: "what differs between the changes of " + p.Old.Short() + " and " + p.New.Short(), files: files}, err
			})
		}
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		files, err := m.app.CommitChanges(ctx, s.ID)
		return looked{title, s.ID, files}, err
	})
}

// FileAtHand is the file at the cursor of the commit that is looked at, or read through.
func (m *Model) FileAtHand() (kit.FileAt, bool) {
	switch over := m.over.(type) {
	case *look:
		if !over.id.IsZero() {
			return over.stream.FileAt(over.id, repo.ID{})
		}
	case *reading:
		if at := over.source(); at >= 0 {
			return over.text.FileAt(over.data.Sources[at].ID, repo.ID{})
		}
	}
	return kit.FileAt{}, false
}

func (l *look) explain() (title, text string) {
	return "A difference", "What a commit changes; of one whose content is different on the remote and here, what differs between the two " +
		"changes."
}

func (l *look) actions() []kit.Action {
	back := kit.Act(action.Back, true, l.screen.close).Named("back to the branch")
	moves := kit.Navigator{Move: l.stream.Move, Page: l.stream.Page, End: l.stream.End}
	return slices.Concat([]kit.Action{back}, kit.Hunks(true, l.stream.Hunk, l.stream.File), moves.Actions())
}

func (l *look) view(size kit.Size, theme kit.Theme) []string {
	head := []string{kit.Heading(size.Width, "Look", l.title, true, theme.Now, theme, false), kit.Blank(size.Width)}
	return append(head, l.stream.View(size.Width, size.Height-len(head), true, stream.Cool, theme)...)
}

func (l *look) click(_, y int) { l.stream.Click(y - 2) }

func (l *look) wheel(_, turns int) { l.stream.Move(3 * turns) }
