package ui

import (
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// chooser is a list to pick from, below the screen that it is about: the choices in the half of Now, and the one at the
// cursor read out in the half of Next. A key before a choice chooses it; other text narrows the list down.
type chooser struct {
	kit.Choose
	back   page // what it lies below; nil: the screen
	asked  moment
	typed  string
	typing bool // what is typed narrows the list down, though its choices have letters
	cursor int
	top    int

	found    []kit.Option // for foundFor
	foundFor string

	looks  map[string]string // by the choice: what is read out of it
	looked string            // the choice that was asked for last
}

// nameOf tells choices apart: commits may have the same subject.
func nameOf(option kit.Option) string { return option.Key + " " + option.Label }

// looked is what is read out of a choice.
type looked struct {
	chooser *chooser
	choice  string
	text    string
}

// openChooser shows choices.
func (m *Model) openChooser(c kit.Choose, back page) tea.Cmd {
	page := &chooser{Choose: c, back: back, asked: m.now(), looks: map[string]string{}}
	return tea.Batch(m.openPage(page), page.look(m))
}

// matches gives what fits the typed text, found once for each text.
func (c *chooser) matches() []kit.Option {
	if c.Find == nil {
		return c.narrowed()
	}
	if c.found == nil || c.typed != c.foundFor {
		c.found, c.foundFor = c.Find(c.typed), c.typed
	}
	return c.found
}

// narrowed gives the options that have all typed words: first the one whose name or key is just that, then those whose names
// begin with it, then those that have the words in their names; those that are only described by them come last.
func (c *chooser) narrowed() []kit.Option {
	words := strings.Fields(strings.ToLower(c.typed))
	has := func(text string) bool {
		text = strings.ToLower(text)
		return !slices.ContainsFunc(words, func(word string) bool { return !strings.Contains(text, word) })
	}
	typed := strings.ToLower(strings.TrimSpace(c.typed))
	var exact, begun, named, described []kit.Option
	for _, option := range c.Options {
		label := strings.ToLower(option.Label)
		switch {
		case typed != "" && (label == typed || option.Key == typed):
			exact = append(exact, option)
		case typed != "" && (strings.HasPrefix(label, typed) || strings.HasPrefix(option.Key, typed)):
			begun = append(begun, option)
		case has(option.Label):
			named = append(named, option)
		case has(option.Key + " " + option.Label + " " + option.Detail):
			described = append(described, option)
		}
	}
	return slices.Concat(exact, begun, named, described)
}

// lettered says whether the choices have letters of their own: those choose then, and only a key begins to type.
func (c *chooser) lettered() bool {
	return c.Find == nil && !c.typing && slices.ContainsFunc(c.Options, func(o kit.Option) bool { return len(o.Key) == 1 })
}

// keysOf gives the keys that stand before the choices: until something is typed, and where typing is not the point.
func (c *chooser) keysOf(found []kit.Option) []string {
	keys := make([]string, len(found))
	if c.typed != "" || c.typing || c.Find != nil {
		return keys
	}
	own := c.lettered()
	for i, option := range found {
		switch {
		case own && len(option.Key) == 1:
			keys[i] = option.Key
		case !own && i < len(action.Digits):
			keys[i] = action.Digits[i]
		}
	}
	return keys
}

func (c *chooser) update(msg tea.Msg, m *Model) tea.Cmd {
	key, ok := msg.(tea.KeyPressMsg)
	if !ok || c.Question && !m.drawnSince(c.asked) {
		return nil
	}
	found := c.matches()
	if at := slices.Index(c.keysOf(found), key.String()); at >= 0 {
		c.cursor = at
		return c.choose(m)
	}
	switch key.String() {
	case "esc", "ctrl+c":
		m.page = c.back
		return nil
	case "up":
		c.scroll(-1)
	case "down":
		c.scroll(1)
	case "pgup":
		c.scroll(-choicesPage)
	case "pgdown":
		c.scroll(choicesPage)
	case "backspace":
		if runes := []rune(c.typed); len(runes) > 0 {
			c.typed, c.cursor = string(runes[:len(runes)-1]), 0
		}
	case "enter":
		return c.choose(m)
	default:
		switch {
		case key.Text == "":
		case c.lettered() && key.Text == beginsToType:
			c.typing = true
		case c.lettered():
			m.say(kit.Notice{Text: fmt.Sprintf("No choice has the key %s. %s begins to type.", safe.Line(key.Text), beginsToType), Trouble: true})
		default:
			c.typed, c.cursor = c.typed+key.Text, 0
		}
	}
	return c.look(m)
}

// beginsToType is the key after which what is typed narrows a list down whose choices have letters.
const beginsToType = "/"

// choicesPage is how far a page of choices is.
const choicesPage = 8

// choose takes the choice at the cursor.
func (c *chooser) choose(m *Model) tea.Cmd {
	found := c.matches()
	if len(found) == 0 { // it stays: what comes next is not for what lies below
		m.say(kit.Notice{Text: "Nothing fits “" + safe.Text(c.typed) + "”. backspace takes a letter back, esc closes the list.", Trouble: true})
		return nil
	}
	m.page = c.back
	if c.cursor < len(found) && found[c.cursor].Do != nil {
		return found[c.cursor].Do()
	}
	return nil
}

func (c *chooser) scroll(turns int) {
	c.cursor = max(0, min(c.cursor+turns, len(c.matches())-1))
}

// look reads out the choice at the cursor, in the background and once.
func (c *chooser) look(m *Model) tea.Cmd {
	found := c.matches()
	if c.cursor >= len(found) || found[c.cursor].Look == nil {
		return nil
	}
	option := found[c.cursor]
	choice := nameOf(option)
	if _, known := c.looks[choice]; known || c.looked == choice {
		return nil
	}
	c.looked = choice
	return inBackground(func() tea.Msg {
		text, err := option.Look(repo.Because(m.ctx, "reading out a choice"))
		if err != nil {
			text = app.Explain(err)
		}
		return looked{c, choice, text}
	})
}

// haveLooked keeps what was read out.
func (m *Model) haveLooked(msg looked) {
	msg.chooser.looks[msg.choice] = msg.text
	if msg.chooser.looked == msg.choice {
		msg.chooser.looked = ""
	}
}

// view draws what the list is about, and the list below it.
func (c *chooser) view(size kit.Size, m *Model) []string {
	panel := c.panel(size, m.theme)
	above := size
	above.Height = size.Height - len(panel)
	var rows []string
	switch {
	case above.Height <= 0:
	case c.back != nil:
		rows = c.back.view(above, m)
	default:
		rows = m.drawScreen(above)
	}
	return kit.Pad(append(rows, panel...), size.Width, size.Height)
}

// panel draws the title and the choices; what the one at the cursor means stands beside them, and on narrow terminals
// below them.
func (c *chooser) panel(size kit.Size, theme kit.Theme) []string {
	rows := append([]string{kit.Blank(size.Width)}, c.heading(size, theme)...)
	found := c.matches()
	most := max(6, size.Height/2) - len(rows)
	if c.Find != nil || slices.ContainsFunc(found, func(o kit.Option) bool { return o.Look != nil }) {
		most = max(6, size.Height*2/3) - len(rows)
	}
	said := c.said(found)
	if size.Narrow {
		lines := slices.DeleteFunc(wrapAll(said[min(len(said), 1):], size.Width-6), func(line string) bool { return line == "" })
		list := max(3, min(len(found), most*2/3))
		lines = lines[:min(len(lines), max(2, most-list))]
		choices := c.choices(size.Width, max(1, min(max(list, most-len(lines)), len(found))), found, theme)
		rows = append(rows, choices...)
		for _, line := range lines {
			rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show("    " + line), Style: theme.Next}))
		}
		return rows
	}
	now, between, next := kit.Columns(size, 3)
	lines := wrapAll(said, next-3)
	height := max(3, min(most, max(len(found), len(lines))))
	left := c.choices(now, height, found, theme)
	for i := range height {
		line := kit.Seg{}
		if i < len(lines) {
			style := theme.Dim
			if i == 0 {
				style = theme.Next
			}
			line = kit.Seg{Text: safe.Show(lines[i]), Style: style}
		}
		rows = append(rows, left[i]+kit.Row(between, nil, kit.Seg{Text: " │ ", Style: theme.Quiet})+kit.Row(next, nil, line))
	}
	return rows
}

// heading is what is asked, and what was typed.
func (c *chooser) heading(size kit.Size, theme kit.Theme) []string {
	rows := title(size, c.Title, theme)
	rows = rows[:len(rows)-1]
	typed := kit.Seg{Text: "    type to narrow it down", Style: theme.Dim}
	switch {
	case c.lettered():
		if len(c.Options) <= len(action.Digits) {
			return rows
		}
		typed.Text = "    / narrows it down"
	case c.typed != "" || c.typing:
		typed = kit.Seg{Text: safe.Show("    " + safe.Line(c.typed) + "▏"), Style: theme.Next}
	case c.Find == nil && len(c.Options) <= len(action.Digits):
		return rows
	}
	return append(rows, kit.Row(size.Width, nil, typed))
}

// choices draws the rows of the list, exactly height of them.
func (c *chooser) choices(width, height int, found []kit.Option, theme kit.Theme) []string {
	if len(found) == 0 {
		return kit.Pad([]string{kit.Row(width, nil, kit.Seg{Text: "    Nothing here.", Style: theme.Dim})}, width, height)
	}
	c.top = kit.Scroll(c.top, c.cursor, height, len(found))
	var rows []string
	keys := c.keysOf(found)
	for i := c.top; i < min(len(found), c.top+height); i++ {
		backdrop, pointer := kit.Cursor(theme, i == c.cursor, 2)
		note := found[i].Key
		if note == keys[i] {
			note = ""
		}
		rows = append(rows, kit.Split(width, backdrop, []kit.Seg{pointer, {Text: safe.Show(fmt.Sprintf("%-2s", keys[i])),
			Style: theme.Next.Bold(true)},
			{Text: safe.Show(found[i].Label), Style: theme.Plain}}, kit.Seg{Text: safe.Show(note), Style: theme.Dim}))
	}
	return kit.Pad(rows, width, height)
}

// said is what is said of the choice at the cursor: its name, what it does, and what is read out of it.
func (c *chooser) said(found []kit.Option) []string {
	if c.cursor >= len(found) {
		return nil
	}
	option := found[c.cursor]
	said := []string{option.Label}
	if option.Detail != "" {
		said = append(said, option.Detail)
	}
	if text := c.looks[nameOf(option)]; text != "" {
		said = append(append(said, ""), strings.Split(text, "\n")...)
	}
	return said
}

// wrapAll wraps each line for itself.
func wrapAll(lines []string, width int) (wrapped []string) {
	for _, line := range lines {
		if line == "" {
			wrapped = append(wrapped, "")
			continue
		}
		wrapped = append(wrapped, kit.Wrap(line, width)...)
	}
	return wrapped
}

func (c *chooser) keys() string {
	keys := strings.Join(c.keysOf(c.matches()), " ")
	if keys = strings.Join(strings.Fields(keys), " "); keys != "" {
		return keys + ", or ↑ ↓ and enter, choose   esc close"
	}
	return "↑ ↓ move   enter choose   esc close"
}
