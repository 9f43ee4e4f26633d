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

// showLook shows a commit's changes in place of Next, unless the branch moved meanwhile.
func (m *Model) showLook(found looked) {
	if !found.id.IsZero() && m.sourceOf(found.id).Commit == nil {
		return
	}
	m.lookAt, m.lookTitle, m.looking = found.id, found.title, true
	m.lookAhead, m.lookLines, m.lookOut = found.ahead, found.lines, found.out
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
	switch {
	case m.split != nil:
		return []*stream.Model{&m.split.halves[kit.Now], &m.split.halves[kit.Next]}
	case m.grid != nil && m.grid.story != nil:
		return []*stream.Model{m.grid.story}
	case m.looking:
		return []*stream.Model{&m.look}
	}
	return nil
}
