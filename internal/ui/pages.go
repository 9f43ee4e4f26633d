package ui

import (
	"errors"
	"fmt"
	"strings"

	"charm.land/bubbles/v2/viewport"
	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// page lies over the screen and takes all keys until it closes.
type page interface {
	update(msg tea.Msg, m *Model) tea.Cmd
	scroll(turns int)
	view(size kit.Size, m *Model) []string
	keys() string
}

func (m *Model) openPage(p page) tea.Cmd {
	m.page = p
	return nil
}

func (m *Model) closePage() { m.page = nil }

func keyOf(msg tea.Msg) string {
	if key, ok := msg.(tea.KeyPressMsg); ok {
		return key.String()
	}
	return ""
}

// title is the first rows of a page.
func title(size kit.Size, text string, theme kit.Theme) []string {
	var rows []string
	for i, line := range kit.Wrap(text, size.Width-2) {
		mark := "▰ "
		if i > 0 {
			mark = "  "
		}
		rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show(mark), Style: theme.Accent},
			kit.Seg{Text: safe.Show(line), Style: theme.Strong}))
	}
	return append(rows, kit.Blank(size.Width))
}

// asker puts a question in the line of news.
type asker struct {
	kit.Ask
	asked moment
}

func (a *asker) update(msg tea.Msg, m *Model) tea.Cmd {
	key := keyOf(msg)
	if key == "" || !m.drawnSince(a.asked) {
		return nil // a key that was typed before the question was there does not answer it
	}
	m.closePage()
	if key == a.Key {
		return a.Yes
	}
	return kit.Say("Nothing was done.")
}

func (a *asker) scroll(int) {}

// lines are the question's, the last of which stands in the line of news.
func (a *asker) lines(width int) []string { return kit.Wrap(safe.Line(a.Question), width-2) }

func (a *asker) view(size kit.Size, m *Model) []string {
	lines := a.lines(size.Width)
	above := size
	above.Height = max(1, size.Height-len(lines)+1)
	rows := m.drawScreen(above)
	for _, line := range lines[:len(lines)-1] {
		rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show(" " + line), Style: m.theme.Accent}))
	}
	return kit.Pad(rows, size.Width, size.Height)
}

func (a *asker) keys() string { return a.Key + " yes   any other key: no" }

// pager is a text that is scrolled through, below a title.
type pager struct{ viewport.Model }

// key scrolls; it says whether the key does.
func (p *pager) key(key string) bool {
	switch {
	case action.Is(action.Up, key):
		p.ScrollUp(1)
	case action.Is(action.Down, key):
		p.ScrollDown(1)
	case action.Is(action.PageUp, key):
		p.PageUp()
	case action.Is(action.PageDown, key):
		p.PageDown()
	default:
		return false
	}
	return true
}

func (p *pager) scroll(turns int) {
	if turns < 0 {
		p.ScrollUp(-turns)
		return
	}
	p.ScrollDown(turns)
}

// draw draws the title and what is in view of the rows, which are as wide as the page.
func (p *pager) draw(size kit.Size, title, rows []string) []string {
	p.SetWidth(size.Width)
	p.SetHeight(max(0, size.Height-len(title)))
	p.SetContentLines(rows)
	return kit.Pad(append(title, strings.Split(p.View(), "\n")...), size.Width, size.Height)
}

// text shows what is too long for the line of news, word for word.
type text struct {
	pager
	heading string
	lines   []string
	job     *running // whose output it shows as it comes; nil: the text is all there
}

func (t *text) update(msg tea.Msg, m *Model) tea.Cmd {
	key := keyOf(msg)
	switch {
	case key == "" || t.key(key):
		return nil
	case action.Is(action.StopOutput, key) && t.job != nil && t.job == m.beside:
		t.job.stop()
		return nil
	}
	m.closePage()
	return nil
}

func (t *text) view(size kit.Size, m *Model) []string {
	follow := t.job != nil && t.AtBottom()
	if t.job != nil {
		t.lines = t.job.lines()
	}
	var rows []string
	for _, line := range t.lines {
		for _, part := range kit.Wrap(kit.Expand(line), size.Width-4) {
			rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  " + part)}))
		}
	}
	if follow {
		t.SetContentLines(rows)
		t.GotoBottom()
	}
	return t.draw(size, title(size, t.heading, m.theme), rows)
}

func (t *text) keys() string {
	if t.job != nil {
		return "↑ ↓ scroll   " + line(action.StopOutput) + "   esc close, it goes on"
	}
	return "↑ ↓ scroll   esc close"
}

// help explains the screen and lists its keys.
type helpPage struct{ pager }

func (h *helpPage) update(msg tea.Msg, m *Model) tea.Cmd {
	if key := keyOf(msg); key != "" && !h.key(key) {
		m.closePage()
	}
	return nil
}

func (h *helpPage) view(size kit.Size, m *Model) []string {
	theme := m.theme
	var rows []string
	heading, text := m.screen().Explain()
	say := func(text string) {
		for _, line := range kit.Wrap(text, min(size.Width-4, 100)) {
			rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  " + line)}))
		}
	}
	say(text)
	if size.Narrow && m.where.Known { // above there is room for a few words of it
		rows = append(rows, kit.Blank(size.Width))
		say(safe.Line(m.where.Value.Sentence()))
	}
	rows = append(rows, kit.Blank(size.Width))
	list := func(actions []kit.Action) {
		for _, a := range actions {
			keys := a.AllKeys()
			if keys == "" {
				keys = action.Find(action.Menu).Key()
			}
			for _, line := range kit.Wrap(a.Help, size.Width-22) {
				rows = append(rows, kit.Row(size.Width, nil,
					kit.Seg{Text: safe.Show(fmt.Sprintf("  %-16s", keys)), Style: theme.Next}, kit.Seg{Text: safe.Show(line), Style: theme.Plain}))
				keys = ""
			}
		}
	}
	list(m.screen().Actions())
	rows = append(rows, kit.Blank(size.Width), kit.Row(size.Width, nil, kit.Seg{Text: "  On every screen", Style: theme.Strong}))
	list(m.globalActions())
	return h.draw(size, title(size, heading, theme), rows)
}

func (h *helpPage) keys() string { return "↑ ↓ scroll   any other key closes" }

// failure says what is wrong with a folder that could not be opened, and what to do.
func failure(err error) (what, todo string) {
	for _, known := range []struct {
		err  error
		what string
	}{
		{repo.ErrNoRepository, "There is no repository here."},
		{repo.ErrBare, "This is a bare repository."},
		{repo.ErrForeignOwner, "The repository belongs to another user."},
		{repo.ErrNoGit, "git is not installed."},
		{repo.ErrGitTooOld, "git is too old."},
		{repo.ErrLocked, "The repository is locked."},
	} {
		if errors.Is(err, known.err) {
			return known.what, app.Explain(err)
		}
	}
	return "The repository could not be opened.", app.Explain(err)
}
