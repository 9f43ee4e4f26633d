package sort

import (
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	if m.home != nil {
		return m.home.actions()
	}
	s := m.stream()
	some, now := !s.Empty(), m.half == kit.Now
	staged := len(m.drafts(tray.Head)) > 0
	then := func(do func()) func() tea.Cmd {
		return kit.When(some, func() tea.Cmd { do(); return nil })
	}
	verb, what, to := "into tray "+m.current.String(), "Into the tray with the full mark: ", m.current
	if !now {
		verb, what, to = "take back", "Back to the loose changes: ", tray.Loose
	}
	anywhere := func() []string { return nil }
	actions := []kit.Action{
		{Keys: []string{"enter"}, Name: verb, Help: what + "the marked lines, else the hunk at the cursor, or the file or tray on its heading.", Do: kit.When(some, m.carry(to, s.Picked, s.PickedPaths))},
		{Keys: trayKeys, Shown: "1–9", Name: "into A–I", Help: "The same into tray A with 1, B with 2, and so on, from the loose changes or from another tray.", DoKey: m.carryByKey(some)},
		{Keys: []string{"space"}, Name: "mark line", Help: "Mark the line at the cursor, so that only marked lines are meant.", Do: kit.When(some, m.mark)},
		{Keys: []string{"f"}, Name: "whole file", Help: what + "all hunks of the file at the cursor.", Do: kit.When(some, m.carry(to, s.PickedFile, s.PickedPaths))},
		{Keys: []string{"m"}, Asks: true, Name: "message", Help: "Write the message of the tray at the cursor, or of the one with the full mark.", Do: m.editMessage},
		{Keys: []string{"a"}, Asks: true, Name: "apply: commit", Help: "Make the commits from all trays that hold something, in order, in one step.", Do: kit.When(staged, func() tea.Cmd { return m.commit(m.drafts(tray.Head)) })},
		{Keys: []string{"H"}, Name: "fold home", Help: "Find the commit of the branch that each loose hunk belongs to, and join them; in Next those of the tray.", Do: kit.When(some, m.findHomes)},
		{Keys: []string{"x"}, Asks: true, Name: "discard", Help: "Throw the marked lines away, else the hunk at the cursor, or the file on its heading. It asks first, and u brings them back.", Do: kit.When(some && now, m.discard)},
		{Keys: []string{"L"}, Asks: true, Name: "sweep", Help: "Throw all lines with a × away: debug prints and other leftovers. It asks first, and u brings them back.", Do: kit.When(m.found > 0, m.sweepLoose)},
		{Keys: []string{"e"}, Name: "everything", Help: what + "everything.", Rare: true, Do: kit.When(some, m.carry(to, s.PickedSection, anywhere))},
		{Keys: []string{"t"}, Asks: true, Name: "choose tray", Help: "Choose the tray that enter puts things into, or open a new one.", Rare: true, Do: m.chooseFromTrays},
		{Keys: []string{"o"}, Asks: true, Name: "commit one", Help: "Make a commit from the tray at the cursor only.", Rare: true, Do: kit.When(len(m.drafts(m.trayHere())) > 0, func() tea.Cmd { return m.commit(m.drafts(m.trayHere())) })},
		{Keys: []string{"M"}, Asks: true, Name: "amend", Help: "Change the last commit: tray A joins it, or its message or author becomes another.", Rare: true, Do: kit.When(!m.head.Commit.IsZero(), m.amend)},
		{Keys: []string{"b"}, Name: "take commits back", Help: "Make the last commits loose changes again, or trays.", Rare: true, Do: kit.When(!m.head.Commit.IsZero(), m.uncommit)},
		{Keys: []string{"T"}, Name: "check", Help: "Run your check command on the exact content that the tray would commit, in a scratch folder.", Rare: true, Do: kit.When(staged, m.check)},
		{Keys: []string{"i"}, Asks: true, Name: "edit hunk", Help: "Edit the text of the hunk at the cursor as it goes into the tray. The working file stays as it is.", Rare: true, Do: kit.When(some, m.rewrite)},
		{Keys: []string{"E"}, Asks: true, Name: "open file", Help: "Open the working file at the cursor's line in your editor.", Rare: true, Do: kit.When(some && s.CursorPath() != "", func() tea.Cmd { return kit.Show(kit.Launch{Path: s.CursorPath(), Line: s.CursorLine()}) })},
		{Keys: []string{"d"}, Name: "cut hunk", Help: "Divide the hunk in two before the line at the cursor, or make it one again.", Rare: true, Do: kit.When(some, m.cut)},
		{Keys: []string{"v"}, Name: "read", Help: "Note the hunk at the cursor as read: it folds, and the cursor goes on to the next unread one. Once more takes the note back.", Rare: true, Do: then(s.Read)},
		{Keys: []string{"-"}, Name: "fold", Help: "Fold the hunk at the cursor, or the file or tray on its heading, or bring it back.", Rare: true, Do: kit.When(some || !now, func() tea.Cmd { s.Fold(); return nil })},
		{Keys: []string{">"}, Name: "more context", Help: "Show more unchanged lines around the changes.", Rare: true, Do: kit.When(m.view.Context < 48, func() tea.Cmd { return m.widen(max(1, 2*m.view.Context)) })},
		{Keys: []string{"<"}, Name: "less context", Help: "Show fewer unchanged lines around the changes.", Rare: true, Do: kit.When(m.view.Context > 0, func() tea.Cmd { return m.widen(m.view.Context / 2) })},
		{Keys: []string{"s"}, Name: "hide white space", Help: "Hide changes of white space, or show them again. Only what is shown changes.", Rare: true, Do: m.hideSpaces},
		{Keys: []string{"y"}, Name: "load", Help: "Show a file line by line that is too large to be read unasked.", Rare: true, Do: kit.When(m.canLoad(), m.load)},
		{Keys: []string{"I"}, Name: "ignored files", Help: "List the files that are ignored.", Rare: true, Do: m.showIgnored},
		{Keys: []string{"/"}, Asks: true, Name: "search", Help: "Find a text in the changes and go there.", Rare: true, Do: kit.When(some, m.search)},
		{Keys: []string{"n"}, Name: "next hunk", Help: "Go to the next hunk.", Rare: true, Do: then(func() { s.Hunk(1) })},
		{Keys: []string{"p"}, Name: "hunk before", Help: "Go to the hunk before.", Rare: true, Do: then(func() { s.Hunk(-1) })},
		{Keys: []string{"N"}, Name: "next file", Help: "Go to the next file.", Rare: true, Do: then(func() { s.File(1) })},
		{Keys: []string{"P"}, Name: "file before", Help: "Go to the file before.", Rare: true, Do: then(func() { s.File(-1) })},
		{Keys: []string{"c"}, Name: "clear marks", Help: "Take all marks and cuts away.", Rare: true, Do: then(s.Unmark)},
	}
	moves := kit.Navigator{Move: s.Move, Page: s.Page, End: s.End, Turn: func(half kit.Half) { m.half = half }}
	return append(actions, moves.Actions()...)
}

// trayKeys are the keys of the first trays.
var trayKeys = []string{"1", "2", "3", "4", "5", "6", "7", "8", "9"}

func (m *Model) carryByKey(possible bool) func(key string) tea.Cmd {
	if !possible {
		return nil
	}
	s := m.stream()
	return func(key string) tea.Cmd {
		return m.carry(tray.A+tray.Layer(slices.Index(trayKeys, key)), s.Picked, s.PickedPaths)()
	}
}

func (m *Model) mark() tea.Cmd {
	if m.stream().Mark() {
		return nil
	}
	return kit.Say("Only added and removed lines can be marked.")
}

func (m *Model) cut() tea.Cmd {
	if m.stream().Cut() {
		return nil
	}
	return kit.Say("Put the cursor on a line within a hunk: the cut comes before it.")
}

func (m *Model) widen(context int) tea.Cmd {
	m.view.Context = context
	m.stream().Unmark()
	return m.read()
}

func (m *Model) hideSpaces() tea.Cmd {
	m.spaces = !m.spaces
	for i := range m.halves {
		m.halves[i].HideSpaces(m.spaces)
	}
	if m.spaces {
		return kit.Say("Changes of white space are hidden. s shows them again.")
	}
	return kit.Say("Changes of white space are shown.")
}

func (m *Model) canLoad() bool {
	h, ok := m.stream().HunkAtCursor()
	return ok && h.Kind == tray.Large
}

func (m *Model) load() tea.Cmd {
	load := map[string]bool{m.stream().CursorPath(): true}
	for path := range m.view.Load {
		load[path] = true
	}
	m.view.Load = load
	return m.read()
}

func (m *Model) showIgnored() tea.Cmd {
	return func() tea.Msg {
		paths, err := m.app.Repo.Ignored(m.ctx)
		if err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		choose := kit.Choose{Title: "Ignored files and folders"}
		for _, path := range paths {
			choose.Options = append(choose.Options, kit.Option{Label: safe.Line(path)})
		}
		return choose
	}
}

func (m *Model) chooseFromTrays() tea.Cmd {
	choose := kit.Choose{Title: "Which tray shall enter put things into?"}
	free := tray.A
	for _, t := range m.board.Trays {
		free = max(free, t.Layer+1)
		s := m.section(t)
		choose.Options = append(choose.Options, kit.Option{Key: s.Name, Label: safe.Line(s.Title), Detail: s.Note, Do: func() tea.Cmd {
			m.chooseTray(t.Layer)
			return nil
		}})
	}
	if free <= tray.Last {
		choose.Options = append(choose.Options, kit.Option{Key: free.String(), Label: "a new tray", Do: func() tea.Cmd {
			m.chooseTray(free)
			return nil
		}})
	}
	return kit.Show(choose)
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

// findHomes works out where hunks belong: those of the layer at the cursor.
func (m *Model) findHomes() tea.Cmd {
	from, view := m.here(), m.view
	var found homesFound
	return kit.Start(kit.Work{
		Title: "Finding homes",
		Do: func(ctx context.Context, _ func(string)) (string, error) {
			var err error
			if found.homes, err = m.app.FindHomes(ctx, from, nil, view); err != nil {
				return "", err
			}
			if len(found.homes.Commits) == 0 {
				return "", fmt.Errorf("the branch has no commit of its own that a hunk could join")
			}
			found.published, err = m.app.Published(ctx, found.homes.Commits)
			return "", err
		},
		Then: func() tea.Msg { return kit.ForScreen{Screen: Name, Msg: found} },
	})
}
