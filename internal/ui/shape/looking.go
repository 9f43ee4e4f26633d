package shape

import (
	"context"
	"slices"
	"strconv"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// looked is what shows in place of Next: a commit's changes, or what is different at
// the end.
type looked struct {
	id    repo.ID // zero: the end, or what is only forecast
	title string
	ahead string   // of an entry as it will be: which one
	lines []string // what there is to say of the commit
	out   *app.ReadOut
	files []tray.File
}

// look is the view of it: in the place of Next, or where the halves are pages over all.
type look struct {
	screen *Model
	looked
	stream stream.Model
	above  int // rows above what it changes
}

// showLook shows a commit's changes in place of Next, unless the branch moved meanwhile.
func (m *Model) showLook(found looked) {
	if !found.id.IsZero() && m.sourceOf(found.id).Commit == nil {
		return
	}
	l := &look{screen: m, looked: found}
	l.stream.Set(found.files)
	m.over = l
}

// FileAtHand is the file at the cursor of what is looked at.
func (m *Model) FileAtHand() (kit.FileAt, bool) {
	l, ok := m.over.(*look)
	if !ok || l.id.IsZero() {
		return kit.FileAt{}, false
	}
	return l.stream.FileAt(l.id, m.sourceOf(l.id).Commit.Parent())
}

// Explain says what it is for.
func (l *look) Explain() (title, text string) {
	return "A difference", "What the commit at the cursor changes."
}

// Actions lists what can be done in it.
func (l *look) Actions() []kit.Action {
	back := kit.Act(action.Back, true, l.screen.close).Named("back to the series")
	moves := kit.Navigator{Move: l.stream.Move, Page: l.stream.Page, End: l.stream.End}
	several := l.out != nil
	next := kit.Act(action.NextCommit, several, func() tea.Cmd { return l.screen.onward(1) })
	previous := kit.Act(action.PreviousCommit, several, func() tea.Cmd { return l.screen.onward(-1) })
	return slices.Concat([]kit.Action{back, next, previous, kit.Copies(l.out)}, kit.Hunks(true, l.stream.Hunk, l.stream.File), moves.Actions())
}

// View draws it: a heading, what there is to say of the commit, what it changes.
func (l *look) View(size kit.Size, theme kit.Theme) []string {
	what, title, style := "what is different at the end", l.title, theme.Next
	switch {
	case !l.id.IsZero():
		what, title, style = "what "+l.id.Short()+" changes", safe.Line(l.screen.sourceOf(l.id).Commit.Subject()), theme.Now
	case l.ahead != "":
		what = "what entry " + l.ahead + " will hold"
	}
	rows := []string{
		kit.Heading(size.Width, "Look", what, true, style, theme, size.Narrow),
		kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  " + title), Style: theme.Strong}),
		kit.Blank(size.Width),
	}
	body := size.Height - len(rows)
	if len(l.lines) > 0 {
		rows = append(rows, append(kit.LookHeader(l.lines, kit.Size{Width: size.Width, Height: body}, theme), kit.Blank(size.Width))...)
	}
	l.above = len(rows)
	return append(rows, l.stream.View(size.Width, size.Height-len(rows), true, stream.Cool, theme)...)
}

// Click goes to a line.
func (l *look) Click(x, y int) { l.stream.Click(x, y-l.above) }

// Wheel scrolls.
func (l *look) Wheel(_, turns int) { l.stream.Move(3 * turns) }

// close shows the series again.
func (m *Model) close() tea.Cmd {
	m.over = nil
	return nil
}

func (m *Model) lookInto() tea.Cmd {
	if cmd := m.lookIntoEntry(); cmd != nil {
		return cmd
	}
	id, ok := m.source()
	if !ok {
		return nil
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		l, err := kit.ReadLook(ctx, m.app, id)
		return looked{id: id, lines: l.Out.Header(), out: &l.Out, files: l.Files}, err
	})
}

// onward goes to another commit or entry of the half, and looks at it.
func (m *Model) onward(by int) tea.Cmd {
	before := m.cursor[m.half]
	m.cursor[m.half] += by
	m.clamp()
	if m.cursor[m.half] == before {
		return kit.Say("There is no other commit.")
	}
	return m.lookInto()
}

// lookIntoEntry shows what the entry at the cursor will hold, once that is known: joined, moved, edited, answered. One that
// stays the commit that it is, or conflicts, is looked at as that commit.
func (m *Model) lookIntoEntry() tea.Cmd {
	at := m.entry()
	if m.half != kit.Next || at < 0 || m.forecast == nil || at >= len(m.forecast.Steps) {
		return nil
	}
	forecast, step, from := m.forecast, m.forecast.Steps[at], m.fromOf(at)
	if step.Commit.IsZero() || step.Kept {
		return nil
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		files, out, err := m.planning.StepChanges(ctx, forecast, step)
		lines := append([]string{from}, out.Header()...)
		return looked{title: safe.Line(out.Subject), ahead: shape.Letter(at), lines: lines, out: &out, files: files}, err
	})
}

// fromOf says which sources an entry is made of.
func (m *Model) fromOf(at int) string {
	var from []string
	for _, id := range m.plan.Next[at].From {
		from = append(from, m.numberOf(id))
	}
	return "from " + strings.Join(from, ", ")
}

// aboutEntry reads what an entry's message is for: its sources with their messages, and what it will change; what its first source
// changes where that is not known yet.
func (m *Model) aboutEntry(at int) func(ctx context.Context) (kit.About, error) {
	about := kit.About{Title: "what entry " + shape.Letter(at) + " is made of"}
	entry := m.plan.Next[at]
	for _, id := range entry.From {
		source := m.sourceOf(id)
		about.Lines = append(about.Lines, m.numberOf(id)+"  "+safe.Line(repo.Subject(source.Message)))
		_, body, _ := strings.Cut(strings.TrimSpace(source.Message), "\n\n")
		if len(entry.From) < 2 || body == "" {
			continue // it is in the text
		}
		for line := range strings.SplitSeq(body, "\n") {
			about.Lines = append(about.Lines, "   "+safe.Line(line))
		}
	}
	forecast, ahead := m.forecast, m.forecast != nil && at < len(m.forecast.Steps)
	if ahead {
		ahead = !m.forecast.Steps[at].Commit.IsZero() && !m.forecast.Steps[at].Kept
	}
	return func(ctx context.Context) (_ kit.About, err error) {
		if ahead {
			about.Files, _, err = m.planning.StepChanges(ctx, forecast, forecast.Steps[at])
		} else {
			about.Files, err = m.app.CommitChanges(ctx, entry.From[0])
		}
		return about, err
	}
}

// numberOf is a source as Now counts it; of a commit from elsewhere its id.
func (m *Model) numberOf(id repo.ID) string {
	if at := slices.Index(m.plan.Sources, id); at >= 0 {
		return strconv.Itoa(at + 1)
	}
	return id.Short()
}

func (m *Model) sourceOf(id repo.ID) app.Source { return m.known[id] }

func short(id repo.ID) string {
	if id.IsZero() {
		return "the first commit"
	}
	return id.Short()
}

// toCopy is what there is at the cursor to be put on the clipboard: of an entry its first source, and its message as it will be.
func (m *Model) toCopy() (list []kit.Copied) {
	id, ok := m.source()
	if !ok {
		return nil
	}
	message := m.sourceOf(id).Message
	if at := m.entry(); m.half == kit.Next && at >= 0 && m.plan.Next[at].Message != "" {
		message = m.plan.Next[at].Message
	}
	return []kit.Copied{{Name: "the id", Text: id.String()}, {Name: "the short id", Text: id.Short()},
		{Name: "the subject", Text: repo.Subject(message)}, {Name: "the message", Text: message}, {Name: "the branch", Text: m.plan.Branch}}
}

// Streams are those on show.
func (m *Model) Streams() []*stream.Model {
	switch over := m.over.(type) {
	case *split:
		return []*stream.Model{&over.halves[kit.Now], &over.halves[kit.Next]}
	case *grid:
		if over.story != nil {
			return []*stream.Model{over.story}
		}
	case *look:
		return []*stream.Model{&over.stream}
	}
	return nil
}
