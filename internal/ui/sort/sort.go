// Package sort is the screen where loose changes are sorted: Now is the stream of
// loose hunks, Next is tray A, the commit being drafted, whose content is the
// index.
package sort

import (
	"context"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// Name is the screen's name.
const Name = "Sort"

// Model is the screen.
type Model struct {
	ctx     context.Context
	app     *app.App
	half    kit.Half
	halves  [2]stream.Model // by kit.Half: loose, staged
	message string          // the draft for tray A
	loaded  bool
	head    repo.Head
	size    kit.Size
}

// New makes the screen.
func New(ctx context.Context, a *app.App) *Model { return &Model{ctx: ctx, app: a} }

// Name gives the screen's name.
func (m *Model) Name() string { return Name }

type changes struct {
	loose, staged []tray.File
	draft         string
}

// Situated reads the changes that the situation speaks of.
func (m *Model) Situated(s app.Situation) tea.Cmd {
	m.head = s.Head
	return kit.Read(m.ctx, Name, func(ctx context.Context) (any, error) {
		loose, staged, err := m.app.ChangesOf(ctx, s.Changes)
		return changes{loose, staged, m.app.DraftMessage()}, err
	})
}

// Update takes what was read.
func (m *Model) Update(msg tea.Msg) tea.Cmd {
	if _, ok := msg.(committed); ok {
		return m.setMessage("") // it has become a commit's
	}
	if reading, ok := msg.(kit.Reading); ok {
		if reading.Err != nil {
			return kit.Show(kit.Notice{Text: reading.Err.Error(), Trouble: true})
		}
		read := reading.Value.(changes)
		m.halves[kit.Now].Set(read.loose)
		m.halves[kit.Next].Set(read.staged)
		if !m.loaded {
			m.message, m.loaded = read.draft, true
		}
	}
	return nil
}

func (m *Model) stream() *stream.Model { return &m.halves[m.half] }

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	s := m.stream()
	some, staged := !s.Empty(), !m.halves[kit.Next].Empty()
	then := func(do func()) func() tea.Cmd {
		return kit.When(some, func() tea.Cmd { do(); return nil })
	}
	verb, what := "into tray A", "Into tray A: "
	if m.half == kit.Next {
		verb, what = "take back", "Back to the loose changes: "
	}
	anywhere := func() []string { return nil }
	actions := []kit.Action{
		{Keys: []string{"enter"}, Name: verb, Help: what + "the marked lines, else the hunk at the cursor, or the file on its heading.", Do: kit.When(some, m.carry(s.Picked, s.PickedPaths))},
		{Keys: []string{"space"}, Name: "mark line", Help: "Mark the line at the cursor, so that enter takes the marked lines only.", Do: kit.When(some, m.mark)},
		{Keys: []string{"f"}, Name: "whole file", Help: what + "all hunks of the file at the cursor.", Do: kit.When(some, m.carry(s.PickedFile, s.PickedPaths))},
		{Keys: []string{"e"}, Name: "everything", Help: what + "everything.", Do: kit.When(some, m.carry(s.All, anywhere))},
		{Keys: []string{"m"}, Asks: true, Name: "message", Help: "Write the message of tray A's commit.", Do: m.editMessage},
		{Keys: []string{"a"}, Asks: true, Name: "apply: commit", Help: "Make the commit from tray A.", Do: kit.When(staged, m.commit)},
		{Keys: []string{"x"}, Asks: true, Name: "discard", Help: "Throw the marked lines away, else the hunk at the cursor, or the file on its heading. It asks first, and u brings them back.", Do: kit.When(some && m.half == kit.Now, m.discard)},
		{Keys: []string{"v"}, Name: "read", Help: "Note the hunk at the cursor as read: it folds, and the cursor goes on to the next unread one. Once more takes the note back.", Rare: true, Do: then(s.Read)},
		{Keys: []string{"-"}, Name: "fold", Help: "Fold the hunk at the cursor, or the file on its heading, or bring it back.", Rare: true, Do: then(s.Fold)},
		{Keys: []string{"/"}, Asks: true, Name: "search", Help: "Find a text in the changes and go there.", Rare: true, Do: kit.When(some, m.search)},
		{Keys: []string{"n"}, Name: "next hunk", Help: "Go to the next hunk.", Rare: true, Do: then(func() { s.Hunk(1) })},
		{Keys: []string{"p"}, Name: "hunk before", Help: "Go to the hunk before.", Rare: true, Do: then(func() { s.Hunk(-1) })},
		{Keys: []string{"N"}, Name: "next file", Help: "Go to the next file.", Rare: true, Do: then(func() { s.File(1) })},
		{Keys: []string{"P"}, Name: "file before", Help: "Go to the file before.", Rare: true, Do: then(func() { s.File(-1) })},
		{Keys: []string{"c"}, Name: "clear marks", Help: "Take all marks away.", Rare: true, Do: then(s.Unmark)},
	}
	moves := kit.Navigator{Move: s.Move, Page: s.Page, End: s.End, Turn: func(half kit.Half) { m.half = half }}
	return append(actions, moves.Actions()...)
}

func (m *Model) mark() tea.Cmd {
	if m.stream().Mark() {
		return nil
	}
	return kit.Say("Only added and removed lines can be marked.")
}

// carry takes what is picked across the seam. The paths narrow down where the
// words are looked up.
func (m *Model) carry(picked, paths func() []string) func() tea.Cmd {
	return func() tea.Cmd {
		words, within := picked(), paths()
		if len(words) == 0 {
			return nil
		}
		half, s := m.half, m.stream()
		return kit.Start(kit.Work{
			Title: "Moving changes",
			Do: func(ctx context.Context, _ func(string)) (string, error) {
				if half == kit.Now {
					_, err := m.app.Stage(ctx, words, within...)
					return "", err
				}
				_, err := m.app.Unstage(ctx, words, within...)
				return "", err
			},
			Then: func() tea.Msg { s.Unmark(); return nil },
		})
	}
}

// searchLimit is how many lines a search shows.
const searchLimit = 500

func (m *Model) search() tea.Cmd {
	s := m.stream()
	find := func(typed string) []kit.Option {
		var options []kit.Option
		for _, hit := range s.Search(typed, searchLimit) {
			options = append(options, kit.Option{
				Key:    string(hit.Line.Op),
				Label:  kit.Expand(safe.Line(strings.TrimSpace(string(hit.Line.Text)))),
				Detail: safe.Line(hit.Path),
				Do:     func() tea.Cmd { s.GoTo(hit); return nil },
			})
		}
		return options
	}
	return kit.Show(kit.Choose{Title: "Find in the changes", Find: find})
}

// discard asks once, saying what goes.
func (m *Model) discard() tea.Cmd {
	s := &m.halves[kit.Now]
	words, within := s.Picked(), s.PickedPaths()
	what := app.Count(len(words), "hunk")
	if n := s.Marked(); n > 0 {
		what = app.Count(n, "line")
	}
	return kit.Show(kit.Ask{
		Question: fmt.Sprintf("Throw %s of %s away? y does; u brings it back.", what, safe.Line(strings.Join(within, ", "))),
		Key:      "y",
		Yes: kit.Start(kit.Work{
			Title: "Discarding",
			Do: func(ctx context.Context, _ func(string)) (string, error) {
				_, err := m.app.Discard(ctx, words, within...)
				return "Thrown away: " + what + ". u brings it back.", err
			},
			Then: func() tea.Msg { s.Unmark(); return nil },
		}),
	})
}

func (m *Model) editMessage() tea.Cmd {
	return kit.Show(kit.Edit{Title: "Message of tray A", Text: m.message, Done: func(text string) tea.Cmd {
		return m.setMessage(text)
	}})
}

// setMessage keeps the draft, also over the end of the program.
func (m *Model) setMessage(text string) tea.Cmd {
	m.message = text
	return func() tea.Msg {
		if err := m.app.KeepDraftMessage(text); err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		return nil
	}
}

type committed struct{}

func (m *Model) commit() tea.Cmd {
	if app.CleanMessage(m.message) == "" {
		return m.editMessage()
	}
	message, seen := m.message, m.halves[kit.Next].All()
	return kit.Start(kit.Work{
		Title: "Making the commit",
		Do: func(ctx context.Context, _ func(string)) (string, error) {
			id, warning, err := m.app.Commit(ctx, message, seen)
			if err != nil {
				return "", err
			}
			note := fmt.Sprintf("Made commit %s, %s. u takes it back.", id.Short(), repo.Subject(message))
			if warning != "" {
				note += " But " + warning
			}
			return note, nil
		},
		Then: func() tea.Msg { return kit.ForScreen{Screen: Name, Msg: committed{}} },
	})
}

// Click goes to a row.
func (m *Model) Click(x, y int) tea.Cmd {
	m.half = kit.HalfAt(m.size, seamWidth, x, m.half)
	m.stream().Click(y - headRows)
	return nil
}

// Wheel scrolls the half under the mouse.
func (m *Model) Wheel(x, _, turns int) {
	m.halves[kit.HalfAt(m.size, seamWidth, x, m.half)].Move(3 * turns)
}

const (
	headRows  = 3 // above the streams
	seamWidth = 8
)

// View draws the screen.
func (m *Model) View(size kit.Size, theme kit.Theme) []string {
	m.size = size
	now, seam, next := kit.Columns(size, seamWidth)
	body := size.Height - headRows
	if size.Narrow {
		if m.half == kit.Now {
			return append(m.nowHead(size.Width, theme), m.nowBody(size.Width, body, theme)...)
		}
		return append(m.nextHead(size.Width, theme), m.nextBody(size.Width, body, theme)...)
	}
	left := append(m.nowHead(now, theme), m.nowBody(now, body, theme)...)
	right := append(m.nextHead(next, theme), m.nextBody(next, body, theme)...)
	return kit.Beside(left, append(kit.Pad(nil, seam, headRows), m.seam(seam, body, theme)...), right)
}

func (m *Model) nowHead(width int, theme kit.Theme) []string {
	tally := ""
	if unread, all := m.halves[kit.Now].Unread(); unread < all {
		tally = fmt.Sprintf("%d of %s unread", unread, app.Count(all, "hunk"))
	}
	count := ""
	if n := m.halves[kit.Now].Marked(); n > 0 {
		count = app.Count(n, "line") + " marked"
	}
	return []string{
		kit.Heading(width, "Now", "loose changes", m.half == kit.Now, theme.Now, theme, m.size.Narrow),
		kit.Split(width, nil, []kit.Seg{{Text: "  " + count, Style: theme.Marked}}, kit.Seg{Text: tally, Style: theme.Dim}),
		kit.Blank(width),
	}
}

func (m *Model) nowBody(width, height int, theme kit.Theme) []string {
	s := &m.halves[kit.Now]
	switch {
	case !m.loaded:
		return kit.Pad(nil, width, height)
	case s.Empty():
		return kit.Empty(width, height, theme, "No loose changes.", "What you change in the working tree shows up here; r looks again.")
	}
	return s.View(width, height, m.half == kit.Now, stream.Cool, theme)
}

func (m *Model) nextHead(width int, theme kit.Theme) []string {
	subject, style := "no message yet: m writes it", theme.Dim
	if text := repo.Subject(m.message); text != "" {
		subject, style = safe.Line(text), theme.Strong
	}
	files := m.halves[kit.Next].Files()
	hunks := 0
	for _, f := range files {
		hunks += len(f.Hunks)
	}
	size := "empty"
	if hunks > 0 {
		size = app.Count(hunks, "hunk") + " in " + app.Count(len(files), "file")
	}
	where := "tray A, the next commit"
	if branch := m.head.Branch(); branch != "" {
		where += " on " + safe.Line(branch)
	}
	return []string{
		kit.Heading(width, "Next", where, m.half == kit.Next, theme.Next, theme, m.size.Narrow),
		kit.Split(width, nil, []kit.Seg{{Text: "  "}, {Text: subject, Style: style}}, kit.Seg{Text: size, Style: theme.Dim}),
		kit.Blank(width),
	}
}

func (m *Model) nextBody(width, height int, theme kit.Theme) []string {
	s := &m.halves[kit.Next]
	switch {
	case !m.loaded:
		return kit.Pad(nil, width, height)
	case s.Empty():
		return kit.Empty(width, height, theme, "Tray A is empty.", "enter puts the hunk at the cursor here.")
	}
	return s.View(width, height, m.half == kit.Next, stream.Warm, theme)
}

// seam ties a file whose hunks are on both sides, so that a partly staged file
// shows, and points from the cursor to the tray.
func (m *Model) seam(width, height int, theme kit.Theme) []string {
	nowRows, nextRows := m.halves[kit.Now].FileRows(), m.halves[kit.Next].FileRows()
	path := m.stream().CursorPath()
	var strands []kit.Strand
	for name, from := range nowRows {
		if to, ok := nextRows[name]; ok {
			strands = append(strands, kit.Strand{Thread: lanes.Thread{From: from, To: to}, Bright: name == path})
		}
	}
	kit.SortStrands(strands)
	return kit.Seam(strands, width, height, 1, 0, theme)
}

// Explain says in the help what this screen is for.
func (m *Model) Explain() string {
	return strings.Join([]string{
		"Now holds what you changed and did not stage yet, all files in one stream.",
		"Next is tray A: the commit being drafted. Its content is the index, so other tools see the same.",
		"A thread in the seam ties the two parts of a file that is only partly in the tray.",
	}, " ")
}
