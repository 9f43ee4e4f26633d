package ui

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/planning"
	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/chart"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/mend"
)

// globalActions can be done on every screen. Their keys mean the same everywhere.
func (m *Model) globalActions() []kit.Action {
	turn := func(id action.ID, by int) kit.Action {
		at := m.at + by
		if at < 0 || at >= len(m.screens) {
			return kit.Act(id, false, nil)
		}
		return kit.Act(id, true, func() tea.Cmd { return m.show(at) }).Named("to " + m.screens[at].Name())
	}
	return []kit.Action{
		turn(action.NextScreen, 1),
		turn(action.PreviousScreen, -1),
		kit.Choosing(action.GoToScreen, true, func(key string) tea.Cmd { return m.show(slices.Index(action.Screens, key)) }),
		kit.Act(action.ToConflicts, m.where.Known && m.where.Value.Conflicted(), func() tea.Cmd { return kit.Show(kit.Go{Screen: mend.Name}) }),
		kit.Act(action.Undo, true, m.undo),
		kit.Act(action.Redo, true, m.redo),
		kit.Act(action.Fetch, true, m.fetch),
		kit.Act(action.Forward, true, m.forward),
		kit.Act(action.Branch, m.where.Known, m.chooseBranch),
		kit.Act(action.ChooseTarget, m.where.Known && m.where.Value.Work.Ref != "", m.chooseTarget),
		kit.Act(action.CompareTarget, m.where.Known, m.compareTarget),
		kit.Act(action.Story, m.where.Known, m.tellStory),
		kit.Act(action.Columns, true, m.turnColumns),
		kit.Act(action.Journal, true, m.showJournal),
		kit.Act(action.Refresh, true, func() tea.Cmd {
			m.say(kit.Notice{Text: "All that is shown is read again."})
			return m.refresh()
		}),
		kit.Act(action.OpenDemo, true, m.askDemo),
		kit.Act(action.Menu, true, func() tea.Cmd { return m.openPage(&menu{actions: m.keyless()}) }),
		kit.Act(action.FindAction, true, m.openFinder),
		kit.Act(action.Help, true, func() tea.Cmd { return m.openPage(&helpPage{}) }),
		kit.Act(action.ReadNotice, true, m.readNotice),
		kit.Act(action.Tour, true, kit.Just(m.beginTour)),
		kit.Act(action.Leave, true, func() tea.Cmd { return tea.Quit }),
		m.darkOrLight(),
		kit.Act(action.EndStep, true, m.askLeft),
		kit.Act(action.Suspend, true, func() tea.Cmd { return tea.Suspend }),
	}
}

func (m *Model) darkOrLight() kit.Action { return kit.Act(action.DarkOrLight, true, m.turnGround) }

// compareTarget has Map compare the branch at work with its target; leaving that comes back here.
func (m *Model) compareTarget() tea.Cmd {
	return m.screenNamed(chart.Name).Update(chart.Against{From: m.screen().Name()})
}

// tellStory has Map tell how the file at hand came to be what it is; leaving that comes back here.
func (m *Model) tellStory() tea.Cmd {
	if holder, ok := m.screen().(kit.FileHolder); ok {
		if at, ok := holder.FileAtHand(); ok {
			return m.screenNamed(chart.Name).Update(chart.StoryOf{FileAt: at, From: m.screen().Name()})
		}
	}
	return kit.Say("Put the cursor on a file, or on a line of one: from there its story is told.")
}

// keyless lists what can be done on the screen that has no key of its own.
func (m *Model) keyless() []kit.Action {
	own := slices.DeleteFunc(m.screen().Actions(), func(a kit.Action) bool { return !a.Can() || len(a.Keys) > 0 })
	return append(own, m.darkOrLight())
}

// nowhereActions are for a folder without a repository.
func (m *Model) nowhereActions() []kit.Action {
	actions := []kit.Action{
		kit.Act(action.Refresh, true, func() tea.Cmd { return m.open }).Named("try again"),
		kit.Act(action.OpenDemo, true, m.openDemo),
		kit.Act(action.Leave, true, func() tea.Cmd { return tea.Quit }),
	}
	if errors.Is(m.failed, repo.ErrNoRepository) {
		actions = append([]kit.Action{kit.Act(action.MakeRepository, true, m.makeRepository)}, actions...)
	}
	for i := range actions {
		actions[i].Listed = true // there is room for all of them
	}
	return actions
}

// actions lists all that can be done now, the screen's own first: a screen may put
// a narrower meaning before a global one, such as undoing an edit.
func (m *Model) actions() []kit.Action {
	switch {
	case m.failed != nil:
		return m.nowhereActions()
	case m.screen() == nil: // it is being opened, which may hang
		return []kit.Action{
			kit.Act(action.Stop, true, kit.Just(func() { m.stopOpening() })),
			kit.Act(action.Leave, true, func() tea.Cmd { return tea.Quit }),
		}
	}
	return append(m.screen().Actions(), m.globalActions()...)
}

func (m *Model) askDemo() tea.Cmd {
	return m.openPage(&asker{kit.Ask{Question: "Leave this repository for the demo? y goes there.", Key: "y", Yes: m.openDemo()}, m.now()})
}

// press does what a key says.
func (m *Model) press(msg tea.KeyPressMsg) tea.Cmd {
	if msg.String() == "esc" && m.stopSearches() {
		return nil
	}
	if m.page != nil {
		return m.page.update(msg, m)
	}
	if msg.String() == "esc" && (m.work != nil || m.beside != nil) {
		return m.stop()
	}
	m.hush()
	actions := m.actions()
	found, ok := kit.FindKey(actions, msg.String())
	if !ok {
		return kit.WhyNot(actions, msg.String())
	}
	return m.do(found)
}

// do carries an action out. What it only asks the frame for is there before the
// next key is looked at, so that typing ahead works.
func (m *Model) do(a kit.Action) tea.Cmd {
	before := m.screen() // going to another one is done by this very action
	cmd := a.Do()
	m.tourSees(a, before)
	switch {
	case cmd == nil:
		return nil
	case a.AtOnce:
		return m.inOrder(cmd())
	case a.OnlyAsks:
		return m.handleOrPass(cmd())
	}
	return cmd
}

// inOrder handles what a command asks the frame for, now: so steps that the repository follows
// with are in the order of their keys.
func (m *Model) inOrder(msg tea.Msg) tea.Cmd {
	var list []tea.Cmd
	switch several := msg.(type) {
	case tea.BatchMsg:
		list = several
	case kit.Sequence:
		list = several
	default:
		return m.handleOrPass(msg)
	}
	var cmds []tea.Cmd
	for _, cmd := range list {
		if cmd != nil {
			cmds = append(cmds, m.inOrder(cmd()))
		}
	}
	return tea.Batch(cmds...)
}

func (m *Model) click(mouse tea.Mouse) tea.Cmd {
	if m.page != nil || m.screen() == nil || mouse.Button != tea.MouseLeft {
		return nil
	}
	if y := mouse.Y - m.topRows(); y >= 0 && y < m.bodySize().Height {
		return m.screen().Click(mouse.X, y)
	}
	return nil
}

func (m *Model) wheel(mouse tea.Mouse) {
	turns := 1
	if mouse.Button == tea.MouseWheelUp {
		turns = -1
	}
	switch {
	case m.page != nil:
		m.page.scroll(turns)
	case m.screen() != nil:
		m.screen().Wheel(mouse.X, mouse.Y-m.topRows(), turns)
	}
}

func (m *Model) showJournal() tea.Cmd {
	return kit.Seek(m.seeking(), "the journal", func(ctx context.Context) tea.Msg {
		entries, err := m.app.Journal.Entries(ctx)
		if err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		choose := kit.Choose{Title: "Journal: what was done here, newest first"}
		for _, e := range entries {
			choose.Options = append(choose.Options, kit.Option{
				Key:    fmt.Sprint(e.Number),
				Label:  fmt.Sprintf("%-7s %s", e.Kind, safe.Line(e.Title)),
				Do:     func() tea.Cmd { return m.tellEntry(e) },
				Detail: fmt.Sprintf("%s  %s to %s", e.Time.Local().Format("2 Jan 15:04"), orDash(e.Old), orDash(e.New)),
				Look: func(ctx context.Context) (string, error) {
					lines, err := planning.Of(m.app).LookBack(ctx, e)
					return strings.Join(lines, "\n"), err
				},
			})
		}
		return choose
	})
}

// account tells what an entry of the journal did: what each commit became, which other
// refs moved along.
func account(e journal.Entry) string {
	lines := []string{fmt.Sprintf("%d  %s: %s", e.Number, e.Kind, safe.Line(e.Title)), "",
		orDash(e.Old) + " → " + orDash(e.New) + "  " + safe.Line(e.Ref)}
	for _, pair := range e.Pairs {
		lines = append(lines, orDash(pair[0])+" became "+orDash(pair[1]))
	}
	for _, other := range e.Others {
		lines = append(lines, orDash(other.Old)+" → "+orDash(other.New)+"  "+safe.Line(other.Ref))
	}
	return strings.Join(lines, "\n")
}

// tellEntry shows what an entry did, the lines of working files that it took or brought among it.
func (m *Model) tellEntry(e journal.Entry) tea.Cmd {
	return kit.Seek(m.seeking(), "an entry of the journal", func(ctx context.Context) tea.Msg {
		lines, err := planning.Of(m.app).Changes(ctx, e)
		text := account(e)
		for _, line := range lines {
			text += "\n" + line
		}
		back, backErr := planning.Of(m.app).LookBack(ctx, e)
		text += "\n\n" + strings.Join(back, "\n")
		if err = errors.Join(err, backErr); err != nil {
			text += "\n" + err.Error()
		}
		if len(e.Files) > 0 {
			text += fmt.Sprintf("\n\nbastel rescue %d -o DIR writes out the files as they were.", e.Number)
		}
		return kit.Page{Text: text}
	})
}

func orDash(id repo.ID) string {
	if id.IsZero() {
		return "–"
	}
	return id.Short()
}
