package send

import (
	"context"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	sending "bastel/internal/send"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

type looked struct {
	title string
	files []tray.File
}

// look shows what a commit changes, or what differs from its counterpart.
type look struct {
	screen *Model
	title  string
	stream stream.Model
}

func newLook(m *Model, of looked) *look {
	l := &look{screen: m, title: of.title}
	l.stream.Set(of.files)
	return l
}

// lookInto shows the commit at the cursor, or what differs from its counterpart.
func (m *Model) lookInto() tea.Cmd {
	s := m.rows(m.half)[m.cursor[m.half]]
	title := s.ID.Short() + "  " + safe.Line(s.Commit.Subject())
	for _, p := range m.series.Pairs {
		if (p.Old == s.ID || p.New == s.ID) && p.Relation == sending.Changed {
			return kit.Read(m.ctx, Name, func(ctx context.Context) (any, error) {
				files, err := m.app.PairChanges(ctx, p.Old, p.New)
				return looked{"what differs between the changes of " + p.Old.Short() + " and " + p.New.Short(), files}, err
			})
		}
	}
	return kit.Read(m.ctx, Name, func(ctx context.Context) (any, error) {
		files, err := m.app.CommitChanges(ctx, s.ID)
		return looked{title, files}, err
	})
}

func (l *look) explain() string {
	return "What a commit changes; of one whose content is different on the remote and here, what differs between the two changes."
}

func (l *look) actions() []kit.Action {
	then := func(do func()) func() tea.Cmd { return func() tea.Cmd { do(); return nil } }
	return append([]kit.Action{
		{Keys: []string{"enter", "esc"}, Name: "back to the branch", Help: "Show the branch again.", Do: l.screen.close},
		{Keys: []string{"n"}, Name: "next hunk", Help: "Go to the next hunk.", Do: then(func() { l.stream.Hunk(1) })},
		{Keys: []string{"p"}, Name: "hunk before", Help: "Go to the hunk before.", Do: then(func() { l.stream.Hunk(-1) })},
	}, kit.Navigator{Move: l.stream.Move, Page: l.stream.Page, End: l.stream.End}.Actions()...)
}

func (l *look) view(size kit.Size, theme kit.Theme) []string {
	head := []string{kit.Heading(size.Width, "Look", l.title, true, theme.Now, theme, false), kit.Blank(size.Width)}
	return append(head, l.stream.View(size.Width, size.Height-len(head), true, stream.Cool, theme)...)
}

func (l *look) click(_, y int) { l.stream.Click(y - 2) }

func (l *look) wheel(_, turns int) { l.stream.Move(3 * turns) }
