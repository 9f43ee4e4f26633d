package ui

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

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
		mark := "◆ "
		if i > 0 {
			mark = "  "
		}
		rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show(mark), Style: theme.Accent}, kit.Seg{Text: safe.Show(line), Style: theme.Strong}))
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

func (a *asker) view(size kit.Size, m *Model) []string {
	return m.drawScreen(size)
}

func (a *asker) keys() string { return a.Key + " yes   any other key: no" }

// chooser is a list to pick from, narrowed down by typing.
type chooser struct {
	kit.Choose
	back   page // what it lies over; nil: the screen
	asked  moment
	typed  string
	cursor int
	top    int

	found    []kit.Option // for foundFor
	foundFor string
}

// matches gives what fits the typed text, found once for each text.
func (c *chooser) matches() []kit.Option {
	if c.Find == nil {
		return c.narrowed()
	}
	if c.typed != c.foundFor {
		c.found, c.foundFor = c.Find(c.typed), c.typed
	}
	return c.found
}

// narrowed gives the options that have all typed words; those that have them in their names
// come before those that are only described by them.
func (c *chooser) narrowed() []kit.Option {
	words := strings.Fields(strings.ToLower(c.typed))
	has := func(text string) bool {
		text = strings.ToLower(text)
		return !slices.ContainsFunc(words, func(word string) bool { return !strings.Contains(text, word) })
	}
	var named, described []kit.Option
	for _, option := range c.Options {
		switch {
		case has(option.Label):
			named = append(named, option)
		case has(option.Key + " " + option.Label + " " + option.Detail):
			described = append(described, option)
		}
	}
	return append(named, described...)
}

func (c *chooser) update(msg tea.Msg, m *Model) tea.Cmd {
	key, ok := msg.(tea.KeyPressMsg)
	if !ok || c.Asks && !m.drawnSince(c.asked) {
		return nil
	}
	found := c.matches()
	switch key.String() {
	case "esc", "ctrl+c":
		m.page = c.back
	case "up":
		c.scroll(-1)
	case "down":
		c.scroll(1)
	case "backspace":
		if runes := []rune(c.typed); len(runes) > 0 {
			c.typed, c.cursor = string(runes[:len(runes)-1]), 0
		}
	case "enter":
		m.page = c.back
		if c.cursor < len(found) && found[c.cursor].Do != nil {
			return found[c.cursor].Do()
		}
	default:
		if key.Text != "" {
			c.typed, c.cursor = c.typed+key.Text, 0
		}
	}
	return nil
}

func (c *chooser) scroll(turns int) {
	c.cursor = max(0, min(c.cursor+turns, len(c.matches())-1))
}

func (c *chooser) view(size kit.Size, m *Model) []string {
	theme := m.theme
	rows := title(size, c.Title, theme)
	typed := kit.Seg{Text: "type to narrow it down", Style: theme.Dim}
	if c.typed != "" {
		typed = kit.Seg{Text: safe.Show(safe.Line(c.typed) + "▏"), Style: theme.Next}
	}
	rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: "  "}, typed), kit.Blank(size.Width))
	found := c.matches()
	if len(found) == 0 {
		rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: "  Nothing here.", Style: theme.Dim}))
	}
	var whole []string // the detail at the cursor, where its row cuts it
	if c.cursor < len(found) {
		whole = kit.Wrap(found[c.cursor].Detail, size.Width-4)
	}
	height := max(1, size.Height-len(rows)-len(whole)-1)
	c.top = kit.Scroll(c.top, c.cursor, height, len(found))
	labels := 26
	for _, option := range found[c.top:min(len(found), c.top+height)] {
		labels = max(labels, min(ansi.StringWidth(option.Label), size.Width/2))
	}
	for i := c.top; i < min(len(found), c.top+height); i++ {
		backdrop, pointer := theme.Selected, "▌ "
		if i != c.cursor {
			backdrop, pointer = nil, "  "
		}
		rows = append(rows, kit.Row(size.Width, backdrop,
			kit.Seg{Text: safe.Show(pointer), Style: theme.Accent},
			kit.Seg{Text: safe.Show(fmt.Sprintf("%-8s", found[i].Key)), Style: theme.Next},
			kit.Seg{Text: safe.Show(kit.Fit(found[i].Label, labels) + "  "), Style: theme.Plain},
			kit.Seg{Text: safe.Show(found[i].Detail), Style: theme.Dim}))
	}
	rows = append(rows, kit.Blank(size.Width))
	for _, line := range whole {
		rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  " + line), Style: theme.Plain}))
	}
	return kit.Pad(rows, size.Width, size.Height)
}

func (c *chooser) keys() string { return "↑ ↓ move   enter choose   esc close" }

// text shows what is too long for the line of news, word for word.
type text struct {
	heading string
	lines   []string
	top     int
	job     *running // whose output it shows as it comes; nil: the text is all there
	height  int
}

func (t *text) update(msg tea.Msg, m *Model) tea.Cmd {
	switch keyOf(msg) {
	case "":
	case "up", "k":
		t.scroll(-1)
	case "down", "j":
		t.scroll(1)
	case "pgup", "ctrl+u":
		t.scroll(-t.height)
	case "pgdown", "ctrl+d":
		t.scroll(t.height)
	case action.Find(action.StopOutput).Keys[0]:
		if t.job != nil && t.job == m.beside {
			t.job.stop()
			return nil
		}
		m.closePage()
	default:
		m.closePage()
	}
	return nil
}

func (t *text) scroll(turns int) { t.top = max(0, min(t.top+turns, len(t.lines)-1)) }

func (t *text) view(size kit.Size, m *Model) []string {
	rows := title(size, t.heading, m.theme)
	t.height = size.Height - len(rows)
	if t.job != nil {
		follow := t.top+t.height >= len(t.lines)
		t.lines = t.job.output()
		if follow {
			t.top = max(0, len(t.lines)-t.height)
		}
	}
	for _, line := range t.lines[min(t.top, len(t.lines)):] {
		for _, part := range kit.Wrap(kit.Expand(line), size.Width-4) {
			rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  " + part)}))
		}
		if len(rows) > size.Height {
			break
		}
	}
	return kit.Pad(rows, size.Width, size.Height)
}

func (t *text) keys() string {
	if t.job != nil {
		return "↑ ↓ scroll   " + line(action.StopOutput) + "   esc close, it goes on"
	}
	return "↑ ↓ scroll   esc close"
}

// say shows a notice: one line as news, more as a page of its own.
func (m *Model) say(n kit.Notice) {
	n.Text = safe.Text(strings.TrimSpace(n.Text))
	head, rest, long := strings.Cut(n.Text, "\n")
	if !long && ansi.StringWidth(head) <= m.width-2 {
		m.notice = n
		return
	}
	if !long {
		m.page = &text{heading: "What happened", lines: []string{head}}
		return
	}
	m.page = &text{heading: head, lines: strings.Split(rest, "\n")}
}

// help explains the screen and lists its keys.
type help struct{ top int }

func (h *help) update(msg tea.Msg, m *Model) tea.Cmd {
	switch keyOf(msg) {
	case "":
	case "up", "k":
		h.scroll(-1)
	case "down", "j":
		h.scroll(1)
	default:
		m.closePage()
	}
	return nil
}

func (h *help) scroll(turns int) { h.top = max(0, h.top+turns) }

func (h *help) view(size kit.Size, m *Model) []string {
	theme := m.theme
	var rows []string
	heading, text := m.screen().Explain()
	for _, line := range kit.Wrap(text, min(size.Width-4, 100)) {
		rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("  " + line)}))
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
	h.top = min(h.top, max(0, len(rows)-size.Height+2))
	return kit.Pad(append(title(size, heading, theme), rows[h.top:]...), size.Width, size.Height)
}

func (h *help) keys() string { return "↑ ↓ scroll   any other key closes" }

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
