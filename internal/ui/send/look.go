package send

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/series"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

type looked struct {
	title string
	out   *app.ReadOut // of the commit; nil: it is between two
	files []tray.File
}

// look shows what a commit changes, or what differs from its counterpart.
type look struct {
	screen *Model
	title  string
	out    *app.ReadOut
	stream stream.Model
	above  int // rows above the stream
}

func newLook(m *Model, of looked) *look {
	l := &look{screen: m, title: of.title, out: of.out}
	l.stream.Set(of.files)
	return l
}

// lookInto shows the commit at the cursor, or what differs from its counterpart.
func (m *Model) lookInto() tea.Cmd {
	s := m.rows(m.half)[m.cursor[m.half]]
	for _, p := range m.series.Pairs {
		if (p.Old == s.ID || p.New == s.ID) && p.Relation == series.Changed {
			return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
				files, err := m.publishing.PairChanges(ctx, p.Old, p.New)
				return looked{title: "what differs between the changes of " + p.Old.Short() + " and " + p.New.Short(), files: files}, err
			})
		}
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		l, err := kit.ReadLook(ctx, m.app, s.ID)
		return looked{l.Title(), &l.Out, l.Files}, err
	})
}

// onward goes to another commit of the half, and looks at it.
func (m *Model) onward(by int) tea.Cmd {
	at := m.cursor[m.half] + by
	if at < 0 || at >= len(m.rows(m.half)) {
		return kit.Say("There is no other commit.")
	}
	m.cursor[m.half] = at
	return m.lookInto()
}

// FileAtHand is the file at the cursor of the commit that is looked at, or read through.
func (m *Model) FileAtHand() (kit.FileAt, bool) {
	switch over := m.over.(type) {
	case *look:
		if over.out != nil {
			return over.stream.FileAt(over.out.ID, repo.ID{})
		}
	case *reading:
		if at := over.source(); at >= 0 {
			return over.text.FileAt(over.data.Sources[at].ID, repo.ID{})
		}
	}
	return kit.FileAt{}, false
}

func (l *look) Explain() (title, text string) {
	return "A difference", "What a commit changes; of one whose content is different on the remote and here, what differs between the two " +
		"changes."
}

func (l *look) Actions() []kit.Action {
	back := kit.Act(action.Back, true, l.screen.close).Named("back to the branch")
	moves := kit.Navigator{Move: l.stream.Move, Page: l.stream.Page, End: l.stream.End}
	next := kit.Act(action.NextCommit, true, func() tea.Cmd { return l.screen.onward(1) })
	previous := kit.Act(action.PreviousCommit, true, func() tea.Cmd { return l.screen.onward(-1) })
	return slices.Concat([]kit.Action{back, next, previous, kit.Copies(l.out)}, kit.Hunks(true, l.stream.Hunk, l.stream.File), moves.Actions())
}

func (l *look) View(size kit.Size, theme kit.Theme) []string {
	head := append(l.head(size, theme), kit.Blank(size.Width))
	return append(head, l.stream.View(size.Width, size.Height-len(head), true, stream.Cool, theme)...)
}

// head names what is looked at, and tells of the commit.
func (l *look) head(size kit.Size, theme kit.Theme) []string {
	rows := []string{kit.Heading(size.Width, "Look", l.title, true, theme.Now, theme, false)}
	if l.out != nil {
		rows = append(rows, kit.LookHeader(l.out.Header(), size, theme)...)
	}
	l.above = len(rows) + 1
	return rows
}

func (l *look) Click(x, y int) { l.stream.Click(x, y-l.above) }

func (l *look) Wheel(_, turns int) { l.stream.Move(3 * turns) }

// Streams are those on show.
func (m *Model) Streams() []*stream.Model {
	switch over := m.over.(type) {
	case *look:
		return []*stream.Model{&over.stream}
	case *reading:
		return []*stream.Model{&over.text}
	}
	return nil
}
