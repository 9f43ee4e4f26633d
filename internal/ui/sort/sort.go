// Package sort is the screen where changes are sorted: Now is the stream of loose
// hunks, Next are the trays, the commits being drafted. Tray A's content is the
// index. While hunks are sent home, Now is the hunks and Next the branch's commits.
//
// Its tests promise: words about files, hunks and commits say what is so; its keys are pressed by the tests
// of ui and test/tmux.
package sort

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

// Name is the screen's name.
const Name = "Sort"

// Model is the screen.
type Model struct {
	ctx     context.Context
	app     *app.App
	sorting *sorting.App
	half    kit.Half
	halves  [2]stream.Model // by kit.Half: loose, trays
	changes []repo.Change
	older   bool // the changes are those of before a step that is shown
	board   tray.Listing
	current tray.Layer       // the tray that enter puts things into
	sweep   []tray.Selection // the leftovers among the loose changes
	found   int              // how many lines they are
	view    tray.View        // as it is wanted
	shown   tray.View        // of the board: ids of hunks depend on it
	spaces  bool             // changes of white space are hidden
	lost    string           // what was said last of things that trays held
	some    bool             // only the first changes are read yet
	head    repo.Head
	work    repo.Head // the branch at work, most often the same
	size    kit.Size
	home    *home // the view of homing home; nil: the trays

	reading kit.Reading[reading]
	texts   kit.Reading[app.Writing] // what helps to write a message
	behind  int                      // how many steps that are shown the repository has not followed yet
	before  []*step                  // what undo goes back to
	after   []*step                  // what redo goes on to
}

// New makes the screen, with so many unchanged lines around a change.
func New(ctx context.Context, a *app.App, context int) *Model {
	return &Model{ctx: ctx, app: a, sorting: sorting.Of(a), current: tray.A, view: tray.View{Context: context, Load: map[string]bool{}}}
}

// Name gives the screen's name.
func (m *Model) Name() string { return Name }

// reading is what the screen shows.
type reading struct {
	some     bool // only the first changes; the rest follows
	board    tray.Listing
	sweep    []tray.Selection
	found    int
	leftover tray.LinesOfHunks
	view     tray.View
}

// Shows are the topics that the screen is about.
func (m *Model) Shows() repo.Topics { return repo.AllTopics }

// Situated reads the changes that the situation speaks of.
func (m *Model) Situated(s app.BranchStatus) tea.Cmd {
	if s.Head.Commit != m.head.Commit {
		m.before, m.after = nil, nil // they are about what is a commit's now
	}
	m.head, m.work, m.changes, m.older = s.Head, s.Work, s.Changes, false
	if !m.reading.Known && len(s.Changes) > 2*firstShown {
		return m.readSome(s.Changes[:firstShown]) // and then all
	}
	return tea.Batch(m.read(), m.help())
}

// firstShown is how many of very many changes are shown before all are read: enough to fill a large terminal.
const firstShown = 20

// readSome reads the first ones of the changes, so that there is something to look at.
func (m *Model) readSome(changes []repo.Change) tea.Cmd {
	view := m.view
	return m.reading.Begin(m.ctx, Name, func(ctx context.Context) (reading, error) {
		board, err := m.sorting.Listing(ctx, changes, view)
		board.Lost = nil // it knows of some paths only
		return reading{board: board, view: view, some: true}, err
	})
}

func (m *Model) help() tea.Cmd { return m.texts.Begin(m.ctx, Name, m.app.Writing) }

// Failed is why not all could be read anew.
func (m *Model) Failed() error { return cmp.Or(m.reading.Err, m.texts.Err) }

// read reads what the screen shows. While the repository is behind what is shown, or the changes are not known anew
// yet, that would be older: it is read once both are.
func (m *Model) read() tea.Cmd {
	if m.behind > 0 || m.older {
		return nil
	}
	changes, view := m.changes, m.view
	return m.reading.Begin(m.ctx, Name, func(ctx context.Context) (reading, error) {
		board, err := m.sorting.Listing(ctx, changes, view)
		if err != nil {
			return reading{}, err
		}
		r := reading{board: board, view: view}
		found, leftovers, err := m.app.Leftovers(ctx, board.Loose)
		if err != nil {
			return r, err
		}
		r.sweep, r.found = leftovers, len(found)
		all := slices.Clone(board.Loose) // a sweep takes loose ones; those in trays keep their mark
		for _, t := range board.Trays {
			all = append(all, t.Files...)
		}
		if r.leftover, err = m.app.LeftoverLines(ctx, all); err != nil {
			return r, err
		}
		return r, nil
	})
}

// Update takes what was read.
func (m *Model) Update(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case kit.Read[reading]:
		if m.reading.Take(msg) {
			return m.haveRead(msg.Value)
		}
	case kit.Read[app.Writing]:
		m.texts.Take(msg)
	case kit.Refused:
		m.reading.Supersede()
		m.behind, m.before, m.after = 0, nil, nil
	case kit.Followed:
		m.behind--
	case homesFound:
		m.home = newHome(m, msg.homes, msg.published)
	case previewed:
		if m.home != nil {
			m.home.havePreview(msg)
		}
	case leaveHome:
		m.home = nil
	case carried:
		msg.from.Unmark()
		m.before, m.after = nil, nil
		if msg.step != nil {
			m.before = append(m.before, msg.step)
		}
	}
	return nil
}

// carried says that what was marked has gone where it should, by a step that can be taken back
// here, or that the journal has.
type carried struct {
	from *stream.Model
	step *step
}

func (m *Model) haveRead(r reading) tea.Cmd {
	m.some = r.some
	m.board, m.shown, m.sweep, m.found = r.board, r.view, r.sweep, r.found
	m.halves[kit.Now].Set(r.board.Loose)
	m.halves[kit.Now].SetLeftovers(r.leftover)
	m.halves[kit.Next].SetLeftovers(r.leftover)
	m.halves[kit.Now].SetAlso(spread(r.board))
	m.showTrays()
	if r.some {
		return tea.Batch(m.read(), m.help())
	}
	lost := strings.Join(r.board.Lost, ", ")
	if lost == m.lost {
		return nil
	}
	m.lost = lost
	if lost == "" {
		return nil
	}
	return kit.Say("Part of what a tray held of " + safe.Line(lost) + " is gone. What is left of it is loose.")
}

// spread says of each file in which trays a part of it is.
func spread(board tray.Listing) map[string]string {
	also := map[string]string{}
	for _, t := range board.Trays {
		for _, f := range t.Files {
			if also[f.Path] == "" {
				also[f.Path] = "partly in "
			}
			also[f.Path] += t.Layer.String()
		}
	}
	return also
}

// showTrays lists the trays; the current one is there even while it is empty.
func (m *Model) showTrays() {
	var sections []stream.Section
	seen := false
	for _, t := range m.board.Trays {
		if t.Layer > m.current && !seen {
			sections = append(sections, m.section(tray.Tray{Layer: m.current}))
		}
		seen = seen || t.Layer >= m.current
		sections = append(sections, m.section(t))
	}
	if !seen {
		sections = append(sections, m.section(tray.Tray{Layer: m.current}))
	}
	m.halves[kit.Next].SetSections(sections)
}

func (m *Model) section(t tray.Tray) stream.Section {
	s := stream.Section{Layer: t.Layer, Files: t.Files, Heading: true, Name: t.Layer.String(), Current: t.Layer == m.current}
	if s.Title = repo.Subject(t.Message); s.Title == "" {
		s.Title, s.Untitled = "no message yet: m writes it", true
	}
	hunks := 0
	for _, f := range t.Files {
		hunks += len(f.Hunks)
	}
	if s.Note = "empty"; hunks > 0 {
		s.Note = wording.Count(hunks, "hunk") + " in " + wording.Count(len(t.Files), "file")
	}
	if t.Author != "" { // of a commit that it was
		writer := repo.ParsePerson(t.Author)
		s.Note += ", by " + safe.Line(writer.Name) + " on " + writer.When.Format("2 Jan 2006")
	}
	return s
}

func (m *Model) stream() *stream.Model { return &m.halves[m.half] }

// here is the layer that the cursor is in.
func (m *Model) here() tray.Layer {
	if m.half == kit.Now {
		return tray.Loose
	}
	return m.halves[kit.Next].Layer()
}

// trayHere is the tray that the cursor is in, or, in Now, the current one.
func (m *Model) trayHere() tray.Layer {
	if l := m.here(); l != tray.Loose {
		return l
	}
	return m.current
}

// FileAtHand is the file at the cursor as HEAD has it. Where parts of it are in trays the line's number is none of HEAD's.
func (m *Model) FileAtHand() (kit.FileAt, bool) {
	path, line, ok := m.stream().BaseAt()
	if spread(m.board)[path] != "" {
		line = 0
	}
	return kit.FileAt{Point: "HEAD", Path: path, Line: line}, ok && m.home == nil
}

// chooseTray makes a tray the one that enter puts things into: it is open, and of the
// others only the headings show.
func (m *Model) chooseTray(at tray.Layer) {
	m.current = at
	m.showTrays()
	next := &m.halves[kit.Next]
	next.SetClosed(func(l tray.Layer) bool { return l != at })
	next.Section(at)
}

// discard asks once, saying what goes.
func (m *Model) discard() tea.Cmd {
	s := &m.halves[kit.Now]
	c := sorting.TrayMove{Selected: s.Picked(), Within: s.PickedPaths(), View: m.shown}
	if len(c.Selected) == 0 {
		return nil
	}
	what := wording.Count(len(c.Selected), "hunk")
	if n := s.Marked(); n > 0 {
		what = wording.Count(n, "line")
	}
	return m.askDiscard(c, what+" of "+safe.Line(strings.Join(c.Within, ", ")))
}

func (m *Model) askDiscard(c sorting.TrayMove, what string) tea.Cmd {
	s := &m.halves[kit.Now]
	return kit.Show(kit.Ask{
		Question: fmt.Sprintf("Throw %s away? y does; u brings it back.", what),
		Key:      "y",
		Yes: kit.Start(kit.Work[string]{
			Title: "Discarding",
			Do: func(ctx context.Context, _ func(string)) (string, error) {
				_, err := m.sorting.Discard(ctx, c)
				return "Thrown away: " + what + ". u brings it back.", err
			},
			Then: func() tea.Msg { return kit.ForScreen{Screen: Name, Msg: carried{from: s}} },
		}),
	})
}

func (m *Model) sweepLoose() tea.Cmd {
	return m.askDiscard(sorting.TrayMove{Selected: m.sweep, View: m.shown}, wording.Count(m.found, "leftover line"))
}

// rewrite edits the text of the hunk at the cursor before it goes into a tray; of one
// that lies in a tray it stays there.
func (m *Model) rewrite() tea.Cmd {
	s := m.stream()
	h, ok := s.HunkAtCursor()
	if !ok || !h.HasLines() {
		return kit.Say("Only a hunk with lines can be edited. Put the cursor on one.")
	}
	c := sorting.TrayMove{From: m.here(), To: m.trayHere(), Selected: tray.Select(h.ID), Within: []string{s.CursorPath()}, View: m.shown}
	var text strings.Builder
	var all [][]byte
	for _, line := range h.Lines {
		if all = append(all, line.Text); line.Op != '-' {
			text.Write(line.Text)
		}
	}
	return kit.Show(kit.Edit{
		Title:  fmt.Sprintf("The text for tray %[2]s at this place in %[1]s. The working file stays as it is.", safe.Line(s.CursorPath()), c.To),
		Text:   text.String(),
		Suffix: suffixOf(s.CursorPath()),
		CRLF:   kit.AllCRLF(all),
		Done: func(edited string) tea.Cmd {
			return kit.Start(kit.Work[sorting.Sorted]{
				Title: "Editing the hunk",
				Do: func(ctx context.Context, _ func(string)) (sorting.Sorted, error) {
					return m.sorting.Rewrite(ctx, c, []byte(edited+"\n"))
				},
				Done: func(sorted sorting.Sorted) kit.Got {
					return kit.Got{Note: fmt.Sprintf("Edited, and in tray %s.", c.To), Msg: sortedBy(s, sorted)}
				},
			})
		},
	})
}

func suffixOf(path string) string {
	name := path[strings.LastIndexByte(path, '/')+1:]
	if at := strings.LastIndexByte(name, '.'); at > 0 {
		return name[at:]
	}
	return ""
}

func (m *Model) editMessage() tea.Cmd {
	at := m.trayHere()
	help := m.texts.Value
	about := kit.About{Title: "what tray " + at.String() + " will commit", Files: m.board.Files(at)}
	if len(about.Files) == 0 {
		about.Lines = []string{"Nothing is in it yet."}
	}
	return kit.Show(kit.Edit{Title: "Message of tray " + at.String(), Text: m.board.Message(at), Message: &help, Suffix: "COMMIT_EDITMSG",
		Begun: m.board.Message(at) != "",
		About: func(context.Context) (kit.About, error) { return about, nil },
		Done: func(text string) tea.Cmd {
			return m.setMessage(at, text)
		}})
}

// setMessage shows a tray's message at once, and keeps it.
func (m *Model) setMessage(at tray.Layer, text string) tea.Cmd {
	m.ahead()
	m.putMessage(at, text)
	m.showTrays()
	return kit.Show(kit.Follow{Screen: Name, Title: "Keeping a message", Do: func(ctx context.Context) error {
		return m.sorting.KeepMessage(ctx, at, text)
	}})
}

func (m *Model) putMessage(at tray.Layer, text string) {
	place, found := slices.BinarySearchFunc(m.board.Trays, at, func(t tray.Tray, at tray.Layer) int { return int(t.Layer) - int(at) })
	trays := slices.Clone(m.board.Trays)
	if !found {
		trays = slices.Insert(trays, place, tray.Tray{Layer: at})
	}
	trays[place].Message = text
	m.board.Trays = trays
}

// drafts are the trays that hold something, or only one of them.
func (m *Model) drafts(only tray.Layer) []sorting.Draft {
	var drafts []sorting.Draft
	for _, t := range m.board.Trays {
		if len(t.Files) > 0 && (only == tray.Head || only == t.Layer) {
			drafts = append(drafts, sorting.Draft{Tray: t.Layer, Message: t.Message, Seen: tray.IDs(t.Files), View: m.shown})
		}
	}
	return drafts
}

// loosen asks from which commit on, and into what.
func (m *Model) loosen() tea.Cmd {
	return kit.Seek(m.ctx, "the last commits", func(ctx context.Context) tea.Msg {
		commits, err := m.sorting.LastCommits(ctx)
		if err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		choose := kit.Choose{Title: "Loosen commits, from which one on?"}
		for i, c := range slices.Backward(commits) {
			n := len(commits) - i
			choose.Options = append(choose.Options, kit.Option{Key: c.ID.Short(), Label: safe.Line(c.Commit.Subject()),
				Detail: wording.Count(n, "commit"),
				Do:     func() tea.Cmd { return m.loosenInto(c, n) }, Look: kit.LookAt(m.app, c.ID)})
		}
		return choose
	})
}

func (m *Model) loosenInto(from app.Source, n int) tea.Cmd {
	take := func(intoTrays bool) func() tea.Cmd {
		return func() tea.Cmd {
			return kit.Start(kit.Work[string]{Title: "Loosening commits", Do: func(ctx context.Context, _ func(string)) (string, error) {
				loosened, err := m.sorting.Loosen(ctx, from.ID, intoTrays)
				return strings.TrimSpace(wording.Count(loosened.Commits, "commit") + " loosened. u undoes it. " + loosened.StaysStaged()), err
			}})
		}
	}
	return kit.Show(kit.Choose{Title: "What becomes of " + wording.Count(n, "commit") + "?", Options: []kit.Option{
		{Label: "Loose changes", Detail: "Together with those that are loose already. Their messages are discarded.", Do: take(false)},
		{Label: "Trays, one for each", Detail: "With their messages, to be sorted again.", Do: take(true)},
	}})
}

// check runs the user's command on a tray's exact content, beside all other work.
func (m *Model) check() tea.Cmd {
	at := m.trayHere()
	return kit.Start(kit.Work[kit.Got]{
		Title:      fmt.Sprintf("Checking what tray %s would commit", at),
		Background: true,
		Do: func(ctx context.Context, report func(string)) (kit.Got, error) {
			err := m.sorting.CheckTray(ctx, at, func(p []byte) { report(string(p)) })
			if errors.Is(err, app.ErrNotAllowed) {
				return kit.Got{Msg: kit.AskAllow(app.QuestionOf(err), m.app.AllowHere, m.check())}, nil
			}
			return kit.Got{Note: fmt.Sprintf("The check passed on what tray %s would commit.", at)}, err
		},
	})
}
