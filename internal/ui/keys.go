package ui

import (
	"context"
	"errors"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// globalActions can be done on every screen. Their keys mean the same everywhere.
func (m *Model) globalActions() []kit.Action {
	turn := func(by int) func() tea.Cmd {
		if at := m.at + by; at < 0 || at >= len(m.screens) {
			return nil
		}
		return func() tea.Cmd { m.at += by; return nil }
	}
	return []kit.Action{
		{Keys: []string{"]", "tab"}, Name: m.screenName(m.at+1, "next screen"), Help: "The next screen, in the order of the work.", Do: turn(1)},
		{Keys: []string{"[", "shift+tab"}, Name: m.screenName(m.at-1, "screen before"), Help: "The screen before.", Do: turn(-1)},
		{Keys: []string{"u"}, Name: "undo", Help: "Take the last commit or rewriting back.", Do: m.undo},
		{Keys: []string{"U"}, Name: "redo", Help: "Do again what was taken back.", Rare: true, Do: m.redo},
		{Keys: []string{"F"}, Name: "fetch", Help: "Fetch from the remote. Your branches and files stay as they are.", Rare: true, Do: m.fetch},
		{Keys: []string{"ctrl+f"}, Name: "forward", Help: "Move the current branch up to its upstream, with loose changes carried, and the local branch of the target's name, without a switch; only where they have no commits of their own.", Rare: true, Do: m.forward},
		{Keys: []string{"w"}, Name: "journal", Help: "Show what was done here.", Rare: true, Do: m.showJournal},
		{Keys: []string{"r"}, Name: "look again", Help: "Read the repository anew.", Rare: true, Do: m.lookAgain},
		{Keys: []string{"D"}, Name: "open the demo", Help: "Make the demo data in a temporary folder and go there.", Rare: true, Do: m.askDemo},
		{Keys: []string{":"}, Name: "find", Help: "Find an action by its name.", Do: m.openFinder},
		{Keys: []string{"?"}, Name: "help", Help: "Explain this screen.", Do: func() tea.Cmd { return m.openPage(&help{}) }},
		{Keys: []string{"q", "ctrl+c"}, Name: "leave", Help: "Leave. Drafts are kept.", Do: func() tea.Cmd { return tea.Quit }},
	}
}

func (m *Model) screenName(at int, otherwise string) string {
	if at < 0 || at >= len(m.screens) {
		return otherwise
	}
	return "to " + m.screens[at].Name()
}

// nowhereActions are for a folder without a repository.
func (m *Model) nowhereActions() []kit.Action {
	actions := []kit.Action{
		{Keys: []string{"d"}, Name: "open the demo", Help: "Make the demo data in a temporary folder and open it.", Do: m.openDemo},
		{Keys: []string{"q", "ctrl+c"}, Name: "leave", Help: "Leave.", Do: func() tea.Cmd { return tea.Quit }},
	}
	if errors.Is(m.failed, repo.ErrNoRepository) {
		actions = append([]kit.Action{{Keys: []string{"i"}, Name: "make a repository here", Help: "Make an empty repository in this folder.", Do: m.makeRepository}}, actions...)
	}
	return actions
}

// actions lists all that can be done now, the screen's own first: a screen may put
// a narrower meaning before a global one, such as undoing an edit.
func (m *Model) actions() []kit.Action {
	switch {
	case m.failed != nil:
		return m.nowhereActions()
	case m.screen() == nil:
		return m.nowhereActions()[:0]
	}
	return append(m.screen().Actions(), m.globalActions()...)
}

func (m *Model) askDemo() tea.Cmd {
	return m.openPage(&asker{kit.Ask{Question: "Leave this repository for the demo? y goes there.", Key: "y", Yes: m.openDemo()}})
}

func (m *Model) key(msg tea.KeyPressMsg) tea.Cmd {
	if m.page != nil {
		return m.page.update(msg, m)
	}
	if msg.String() == "esc" && (m.work != nil || m.beside != nil) {
		return m.stop()
	}
	m.notice = kit.Notice{}
	action, ok := kit.Find(m.actions(), msg.String())
	if !ok {
		return nil
	}
	return m.do(action)
}

// do carries an action out. What it only asks the frame for is there before the
// next key is looked at, so that typing ahead works.
func (m *Model) do(action kit.Action) tea.Cmd {
	cmd := action.Do()
	if !action.Asks || cmd == nil {
		return cmd
	}
	_, next := m.Update(cmd())
	return next
}

func (m *Model) click(mouse tea.Mouse) tea.Cmd {
	if m.page != nil || m.screen() == nil || mouse.Button != tea.MouseLeft {
		return nil
	}
	if y := mouse.Y - topRows; y >= 0 && y < m.bodySize().Height {
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
		m.screen().Wheel(mouse.X, mouse.Y-topRows, turns)
	}
}

// openFinder lists every action, those of the other screens by way of going there.
func (m *Model) openFinder() tea.Cmd {
	var options []kit.Option
	for _, action := range m.actions() {
		if action.Do != nil {
			options = append(options, kit.Option{Label: action.Name, Key: action.Key(), Detail: action.Help, Do: func() tea.Cmd { return m.do(action) }})
		}
	}
	for i, screen := range m.screens {
		if i == m.at {
			continue
		}
		for _, action := range screen.Actions() {
			if action.Rare {
				continue
			}
			options = append(options, kit.Option{Label: screen.Name() + ": " + action.Name, Key: action.Key(),
				Detail: "Goes to " + screen.Name() + ". " + action.Help, Do: func() tea.Cmd { m.at = i; return nil }})
		}
	}
	return m.openPage(&chooser{Choose: kit.Choose{Title: "Find an action", Options: options}})
}

func (m *Model) showJournal() tea.Cmd {
	return func() tea.Msg {
		entries, err := m.app.Journal.Entries(context.WithoutCancel(m.ctx))
		if err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		choose := kit.Choose{Title: "Journal: what was done here, newest first"}
		for _, e := range entries {
			choose.Options = append(choose.Options, kit.Option{
				Key:    fmt.Sprint(e.Number),
				Label:  fmt.Sprintf("%-7s %s", e.Kind, safe.Line(e.Title)),
				Do:     func() tea.Cmd { return kit.Show(kit.Notice{Text: account(e)}) },
				Detail: fmt.Sprintf("%s  %s to %s", e.Time.Local().Format("2 Jan 15:04"), orDash(e.Old), orDash(e.New)),
			})
		}
		return choose
	}
}

// account tells what an entry of the journal did: what each commit became, which other
// refs moved along, which files were changed.
func account(e journal.Entry) string {
	lines := []string{fmt.Sprintf("%d  %s: %s", e.Number, e.Kind, safe.Line(e.Title)), "", orDash(e.Old) + " → " + orDash(e.New) + "  " + safe.Line(e.Ref)}
	for _, pair := range e.Pairs {
		lines = append(lines, orDash(pair[0])+" became "+orDash(pair[1]))
	}
	for _, other := range e.Others {
		lines = append(lines, orDash(other.Old)+" → "+orDash(other.New)+"  "+safe.Line(other.Ref))
	}
	for _, f := range e.Files {
		lines = append(lines, safe.Line(string(f.Path)))
	}
	return strings.Join(lines, "\n")
}

func orDash(id repo.ID) string {
	if id.IsZero() {
		return "–"
	}
	return id.Short()
}
