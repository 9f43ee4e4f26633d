package ui

import (
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"bastel/internal/app"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// The page of a text: what the text is for in Now, and the text in Next. A text that is about what the screen shows already stands
// below the screen.

// aboutRead is what a text is for, once that is read.
type aboutRead struct {
	editor *editor
	about  kit.About
	err    error
}

// readAbout reads what the text is for, while it is being written.
func (e *editor) readAbout(m *Model) tea.Cmd {
	if e.About == nil {
		return nil
	}
	return inBackground(func() tea.Msg {
		about, err := e.About(repo.Because(m.ctx, "what a text is for"))
		return aboutRead{e, about, err}
	})
}

func (m *Model) haveAbout(msg aboutRead) {
	msg.editor.about, msg.editor.aboutFailed = msg.about, msg.err
	msg.editor.changes.Set(msg.about.Files)
}

// leaf scrolls through what the text is for; where the halves are pages it goes there first. ok is false for other keys, which come
// back to the text.
func (e *editor) leaf(key string, size kit.Size) (ok bool) {
	by := 1
	switch {
	case e.About == nil:
		return false
	case action.Is(action.AboutUp, key):
		by = -1
	case !action.Is(action.AboutDown, key):
		e.aside = e.aside && key == "" // what is no key leaves the page as it is
		return false
	}
	if size.Narrow && !e.aside {
		e.aside = true
		return true
	}
	e.changes.Move(by)
	return true
}

// textSeam is the room for the threads from what changes to the message that says so.
const textSeam = 6

// textHeads is how many rows stand above both halves: a heading, and how the text stands against what readers expect.
const textHeads = 4

func (e *editor) view(size kit.Size, m *Model) []string {
	if e.About == nil {
		return e.below(size, m)
	}
	body := max(0, size.Height-textHeads)
	if size.Narrow {
		if e.aside {
			return kit.Pad(append(e.nowHead(size, size.Width, m.theme), e.nowBody(size.Width, body, m.theme)...), size.Width,
				size.Height)
		}
		return kit.Pad(append(e.nextHead(size, size.Width, m.theme), e.areaRows(size.Width, body)...), size.Width, size.Height)
	}
	next := max((size.Width-textSeam)/2, min(bodyRoom+4, size.Width-textSeam-40))
	now := size.Width - textSeam - next
	left := append(e.nowHead(size, now, m.theme), e.nowBody(now, body, m.theme)...)
	right := append(e.nextHead(size, next, m.theme), e.areaRows(next, body)...)
	between := append(kit.Pad(nil, textSeam, textHeads), e.seam(body, m.theme)...)
	return kit.Pad(kit.Join(left, between, right), size.Width, size.Height)
}

func (e *editor) nowHead(size kit.Size, width int, theme kit.Theme) []string {
	return kit.Pad([]string{kit.Heading(width, "Now", e.about.Title, e.aside, theme.Now, theme, size.Narrow)}, width, textHeads)
}

func (e *editor) nowBody(width, height int, theme kit.Theme) []string {
	if e.aboutFailed != nil {
		return kit.Empty(width, height, theme, "What it is for could not be read.", app.Explain(e.aboutFailed))
	}
	var rows []string
	for _, line := range wrapAll(e.about.Lines, max(10, width-4)) {
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + line), Style: theme.Dim}))
	}
	if most := height / 2; len(rows) > most { // the rest is in the text, or is read by looking at the commit
		rows = append(rows[:max(0, most-1)], kit.Row(width, nil, kit.Seg{Text: "  …", Style: theme.Dim}))
	}
	if len(rows) > 0 {
		rows = append(rows, kit.Blank(width))
	}
	e.headed = len(rows)
	return kit.Pad(append(rows, e.changes.View(width, max(0, height-len(rows)), true, stream.Cool, theme)...), width, height)
}

func (e *editor) nextHead(size kit.Size, width int, theme kit.Theme) []string {
	return append(append([]string{kit.Heading(width, "Next", e.Title, !e.aside, theme.Next, theme, size.Narrow)},
		kit.Pad(e.gaugeRows(width, theme), width, textHeads-2)...), kit.Blank(width))
}

func (e *editor) gaugeRows(width int, theme kit.Theme) (rows []string) {
	gauge, style := e.gauge(theme)
	for _, line := range kit.Wrap(gauge, width-4) {
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + line), Style: style}))
	}
	return rows
}

// seam ties each file in view to the first line of the text.
func (e *editor) seam(height int, theme kit.Theme) []string {
	var strands []kit.Strand
	at := e.changes.CursorPath()
	for path, row := range e.changes.FileRows() {
		strands = append(strands, kit.Strand{Thread: lanes.Thread{From: row + e.headed}, Bright: path == at})
	}
	kit.SortStrands(strands)
	return kit.Seam(strands, textSeam, height, 1, 0, theme)
}

// fewestLines is how many rows a text has at least.
const fewestLines = 3

// below draws the text under the screen that it is about.
func (e *editor) below(size kit.Size, m *Model) []string {
	head := title(size, e.Title, m.theme)
	if e.Message != nil {
		head = append(append(head[:len(head)-1], e.gaugeRows(size.Width, m.theme)...), kit.Blank(size.Width))
	}
	lines := max(fewestLines, min(e.area.LineCount()+1, size.Height/2))
	if e.Message != nil {
		lines = max(lines, size.Height/3)
	}
	above := size
	above.Height = size.Height - len(head) - lines - 1
	var rows []string
	if above.Height > 0 {
		rows = append(m.drawScreen(above), kit.Blank(size.Width))
	}
	rows = append(rows, head...)
	return kit.Pad(append(rows, e.areaRows(size.Width, max(1, min(lines, size.Height-len(head))))...), size.Width, size.Height)
}

// areaRows draws the text; that of a message no wider than its readers see it.
func (e *editor) areaRows(width, height int) (rows []string) {
	wide := width - 2
	if e.Message != nil {
		wide = min(wide, bodyRoom+6)
	}
	e.area.SetWidth(wide)
	e.area.SetHeight(max(1, height))
	for line := range strings.SplitSeq(e.area.View(), "\n") {
		rows = append(rows, line+strings.Repeat(" ", max(0, width-ansi.StringWidth(line))))
	}
	return kit.Pad(rows, width, height)
}
