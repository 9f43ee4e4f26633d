package shape

import (
	"context"
	"fmt"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

// split is the view in which one commit is sorted into parts: Now is what it changes,
// Next the trays. What stays in Now becomes the last part.
type split struct {
	screen  *Model
	id      repo.ID
	desk    *tray.CommitParts
	half    kit.Half
	halves  [2]stream.Model
	current tray.Layer
	size    kit.Size
	undone  []tray.PartMove // the last one undone stands last
}

// divided is a commit spread out.
type divided struct {
	id   repo.ID
	desk *tray.CommitParts
}

// divide opens the view for the entry at the cursor.
func (m *Model) divide() tea.Cmd {
	e := m.plan.Next[m.entry()]
	if source, part := m.plan.Origin(e.From[0]); len(e.From) > 1 || part > 0 || source.IsZero() {
		return kit.Say("Only an entry of one whole commit can be divided. Take this one apart first, or start over.")
	}
	id := e.From[0]
	if len(m.sourceOf(id).Commit.Parents) > 1 {
		return kit.Say("A merge is not divided. x leaves it out; what it brings stays on its own branch.")
	}
	return kit.Start(kit.Work[kit.Got]{
		Title: "Opening the commit",
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			desk, err := m.planning.PartsOf(ctx, id)
			return kit.ToScreen(Name, divided{id, desk}), err
		},
	})
}

func newSplit(m *Model, d divided) *split {
	s := &split{screen: m, id: d.id, desk: d.desk, current: tray.A}
	if moves := s.desk.Moves(); len(moves) > 0 && moves[len(moves)-1].To != tray.Loose {
		s.current = moves[len(moves)-1].To
	}
	s.show()
	return s
}

// show lists what the desk holds now.
func (s *split) show() {
	board := s.desk.Listing()
	s.halves[kit.Now].Set(board.Loose)
	var sections []stream.Section
	for l := tray.A; l <= tray.Last; l++ {
		files := board.Files(l)
		if len(files) == 0 && l != s.current {
			continue
		}
		section := stream.Section{Layer: l, Files: files, Heading: true, Name: l.String(), Current: l == s.current,
			Title: fmt.Sprintf("part %d", len(sections)+1), Untitled: true, Note: "empty"}
		if n := len(tray.IDs(files)); n > 0 {
			section.Note = wording.Count(n, "hunk") + " in " + wording.Count(len(files), "file")
		}
		sections = append(sections, section)
	}
	s.halves[kit.Next].SetSections(sections)
}

func (s *split) stream() *stream.Model { return &s.halves[s.half] }

// carry takes what is picked to a layer. It is all in memory, and done at once.
func (s *split) carry(to tray.Layer, selected []tray.Selection) tea.Cmd {
	from := tray.Loose
	if s.half == kit.Next {
		from = s.stream().Layer()
	}
	if len(selected) == 0 || from == to {
		return nil
	}
	if err := s.desk.Move(from, to, selected); err != nil {
		return kit.Show(kit.Notice{Text: err.Error(), Trouble: true})
	}
	if to != tray.Loose {
		s.current = to
	}
	s.undone = nil
	s.stream().Unmark()
	s.show()
	return s.keep()
}

// keep keeps how the commit is sorted: leaving the view, or the application, loses nothing of it.
func (s *split) keep() tea.Cmd {
	id, moves := s.id, s.desk.Moves()
	return s.screen.keeper.Command(func() error { return s.screen.planning.KeepParts(id, moves) })
}

func (s *split) undo() tea.Cmd {
	moves := s.desk.Moves()
	last := len(moves) - 1
	return s.sortBy(moves[:last], append(s.undone, moves[last]))
}

func (s *split) redo() tea.Cmd {
	last := len(s.undone) - 1
	return s.sortBy(append(slices.Clone(s.desk.Moves()), s.undone[last]), s.undone[:last])
}

func (s *split) sortBy(moves, undone []tray.PartMove) tea.Cmd {
	if err := s.desk.Sort(moves); err != nil {
		return kit.Show(kit.Notice{Text: err.Error(), Trouble: true})
	}
	s.undone = undone
	s.show()
	return s.keep()
}

// Actions lists what can be done in it.
func (s *split) Actions() []kit.Action {
	cur := s.stream()
	some := !cur.Empty()
	verb, to := "into part "+s.current.String(), s.current
	if s.half == kit.Next {
		verb, to = "take out", tray.Loose
	}
	actions := []kit.Action{
		kit.Act(action.CarryPart, some, func() tea.Cmd { return s.carry(to, cur.Picked()) }).Named(verb),
		kit.Choosing(action.IntoPart, some, func(key string) tea.Cmd {
			return s.carry(tray.A+tray.Layer(slices.Index(action.Digits, key)), cur.Picked())
		}),
		kit.Act(action.LineOfPart, some, kit.Just(func() { cur.Mark() })),
		kit.Act(action.ClearOfPart, some, kit.Just(cur.Unmark)),
		kit.Act(action.FileOfPart, some, func() tea.Cmd { return s.carry(to, cur.PickedFile()) }),
		kit.Act(action.UndoPart, len(s.desk.Moves()) > 0, s.undo),
		kit.Act(action.RedoPart, len(s.undone) > 0, s.redo),
		kit.Act(action.TakeParts, true, s.take),
		kit.Act(action.DividePart, some, kit.Just(func() { cur.Cut() })),
		kit.Act(action.Back, true, s.screen.close).Named("back to the plan"),
	}
	moves := kit.Navigator{Move: cur.Move, Page: cur.Page, End: cur.End, Turn: func(half kit.Half) { s.half = half }}
	return slices.Concat(actions, kit.Hunks(some, cur.Hunk, cur.File), moves.Actions())
}

// take puts the parts into the plan.
func (s *split) take() tea.Cmd {
	m, id, desk := s.screen, s.id, s.desk
	board := desk.Listing()
	parts := 0
	for _, t := range board.Trays {
		if len(t.Files) > 0 {
			parts++
		}
	}
	if len(board.Loose) > 0 {
		parts++
	}
	if parts < 2 {
		return kit.Say("A split needs two parts at least: put something into a tray, and leave something in Now or put it into another tray.")
	}
	m.over = nil
	plan := m.plan
	return m.make("Making the parts", func(ctx context.Context) (shape.Plan, error) {
		parts, messages, err := m.planning.SplitCommit(ctx, id, desk)
		if err != nil {
			return plan, err
		}
		if err := m.planning.KeepParts(id, nil); err != nil {
			return plan, err
		}
		at := plan.Place(id)
		messages[0] = plan.Next[at].Message
		return plan.Divide(at, parts, messages), nil
	})
}

const splitSeam = 8

// View draws both halves.
func (s *split) View(size kit.Size, theme kit.Theme) []string {
	s.size = size
	now, seam, next := kit.Columns(size, splitSeam)
	subject := safe.Line(s.screen.sourceOf(s.id).Commit.Subject())
	half := func(at kit.Half, width int) []string {
		name, what, style, lines := "Now", subject, theme.Now, stream.Cool
		if at == kit.Next {
			name, what, style, lines = "Next", "its parts, in order", theme.Next, stream.Warm
		}
		rows := []string{kit.Heading(width, name, what, s.half == at, style, theme, size.Narrow), kit.Blank(width), kit.Blank(width)}
		body := size.Height - headRows
		if at == kit.Now && s.halves[at].Empty() {
			return append(rows, kit.Empty(width, body, theme, "Everything is in a part.", "a puts the parts into the plan.")...)
		}
		return append(rows, s.halves[at].View(width, body, s.half == at, lines, theme)...)
	}
	if size.Narrow {
		return half(s.half, size.Width)
	}
	return kit.Join(half(kit.Now, now), kit.Pad(nil, seam, size.Height), half(kit.Next, next))
}

// Explain says what it is for.
func (s *split) Explain() (title, text string) {
	return "A divided commit", "Now is what the commit changes, Next its parts, in order. Put hunks and lines into part A, B and so on; " +
		"whatever remains in Now becomes the last part. Nothing is rewritten: the parts take the commit's place in the plan."
}

// Click goes to a line.
func (s *split) Click(x, y int) {
	s.half = kit.HalfAt(s.size, splitSeam, x, s.half)
	s.stream().ClickIn(s.half, s.size, x, y-headRows)
}

// Wheel scrolls the half at hand.
func (s *split) Wheel(_, turns int) { s.stream().Move(3 * turns) }
