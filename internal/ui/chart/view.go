package chart

import (
	"fmt"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"

	"bastel/internal/app/charting"
	"bastel/internal/lanes"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// headRows are the rows above the chart.
const headRows = 3

// View draws the screen.
func (m *Model) View(size kit.Size, theme kit.Theme) []string {
	m.size = size
	if m.over != nil {
		return m.over.View(size, theme)
	}
	if !m.now.Known {
		return m.tipsView(size, theme)
	}
	if !size.Narrow {
		m.half = kit.Now
	}
	if len(m.now.Value.Line)+len(m.now.Value.Stacks) == 0 {
		return append(m.head(size, theme), kit.Empty(size.Width, size.Height-headRows, theme, "There is no commit yet.",
			"The first one begins the line that branches hang from: ] goes to Sort, where it is made.")...)
	}
	if size.Narrow && m.half == kit.Next {
		return append(m.head(size, theme), kit.Pad(m.beside(size.Width, size.Height-headRows, theme), size.Width, size.Height-headRows)...)
	}
	now, middle, next := m.widths()
	rows := m.rows()
	height := size.Height - headRows
	m.top = kit.Scroll(m.top, max(0, m.cursor.row), height, len(rows)+1)
	var drawn []string
	for i := m.top; i < min(len(rows), m.top+height); i++ {
		left := m.drawLeft(rows[i], i, now, theme) + m.drawLine(rows[i], i, middle, theme)
		if size.Narrow {
			drawn = append(drawn, left)
			continue
		}
		drawn = append(drawn, left+m.drawRight(rows[i], next, theme))
	}
	if len(drawn) < height {
		foot := kit.Blank(now) + kit.Row(middle, nil, kit.Seg{Text: "┷", Style: theme.Quiet})
		if !size.Narrow {
			foot += kit.Blank(next)
		}
		drawn = slices.Insert(drawn, m.footAt(rows, len(drawn)), foot)
	}
	drawn = kit.Pad(drawn, size.Width, height)
	if !size.Narrow {
		m.putBeside(drawn, now+middle, next, theme)
	}
	return append(m.head(size, theme), drawn...)
}

// tipsView lists the branches, the newest first, until it is worked out where they hang.
func (m *Model) tipsView(size kit.Size, theme kit.Theme) []string {
	rows := []string{kit.Row(size.Width, nil, kit.Seg{Text: "  Working out where the branches hang …", Style: theme.Dim}),
		kit.Blank(size.Width)}
	for _, b := range m.tips.Value[:min(len(m.tips.Value), size.Height)] {
		rows = append(rows, kit.Row(size.Width, nil, kit.Seg{Text: safe.Show(kit.Fit("  "+safe.Line(b.Name), min(50, size.Width/2))),
			Style: theme.Now},
			kit.Seg{Text: safe.Show("  " + safe.Line(b.Author) + ", " + kit.Age(b.When, time.Now()) + "  " + safe.Line(b.Subject)),
				Style: theme.Dim}))
	}
	return kit.Pad(rows, size.Width, size.Height)
}

// footAt is where the line ends: before the branches that have roots of their own.
func (m *Model) footAt(rows []row, drawn int) int {
	for i := m.top; i < m.top+drawn; i++ {
		if !rows[i].hangs && !rows[i].others {
			return i - m.top
		}
	}
	return drawn
}

// shown says how many of the branches are on show.
func (m *Model) shown() string {
	c := m.now.Value
	shown := fmt.Sprintf("%d of %s", c.Branches-c.Others, wording.Count(c.Branches, "branch"))
	if c.Unmoored > 0 {
		shown += fmt.Sprintf(", %d still to be moored", c.Unmoored)
	}
	return shown
}

// head names the halves and the line.
func (m *Model) head(size kit.Size, theme kit.Theme) []string {
	c, shown := m.now.Value, m.shown()
	if size.Narrow {
		half, style := "Now", theme.Now
		if m.half == kit.Next {
			half, style = "Next", theme.Next
		}
		return []string{kit.Heading(size.Width, half, shown+", on "+safe.Line(c.Target.Name), true, style, theme, true), kit.Blank(size.Width),
			kit.Blank(size.Width)}
	}
	now, middle, next := m.widths()
	says := "at the cursor"
	if len(m.steps) > 0 {
		says = wording.Count(len(m.steps), "step") + " planned"
	}
	target := safe.Line(c.Target.Name)
	if target == "" {
		target = "no target"
	}
	return []string{
		kit.Heading(now, "Now", shown, m.half == kit.Now, theme.Now, theme, false) +
			kit.Row(middle, nil, kit.Seg{Text: safe.Show(target), Style: theme.Strong}) +
			kit.Heading(next, "Next", says, false, theme.Next, theme, false),
		kit.Blank(size.Width), kit.Blank(size.Width),
	}
}

// drawLeft draws what hangs on the left, from the line outward to the left.
func (m *Model) drawLeft(r row, at, width int, theme kit.Theme) string {
	if r.others {
		text := fmt.Sprintf("%s hidden: e shows all", wording.Count(m.now.Value.Others, "branch"))
		if m.show.All {
			text = fmt.Sprintf("%s of remotes hidden: a local branch has the same commit", wording.Count(m.now.Value.Others, "branch"))
		}
		backdrop, pointer := kit.Cursor(theme, at == m.cursor.row, 2)
		return kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(text), Style: theme.Dim})
	}
	if r.commit != nil {
		return m.drawOpened(*r.commit, at == m.cursor.row, width, theme)
	}
	segs := m.pieces(r.left, at == m.cursor.row, r.items, theme.Now, theme)
	slices.Reverse(segs)
	size := 0
	for _, seg := range segs {
		size += ansi.StringWidth(string(seg.Text))
	}
	if size > width {
		return kit.Row(width, nil, segs...)
	}
	return kit.Row(width, nil, append([]kit.Seg{{Text: safe.Show(kit.Blank(width - size))}}, segs...)...)
}

// drawRight draws what will hang on the right.
func (m *Model) drawRight(r row, width int, theme kit.Theme) string {
	segs := m.pieces(r.right, false, nil, theme.Next, theme)
	if len(segs) > 0 && r.hangs {
		thread := []rune(string(segs[0].Text))
		segs[0].Text = safe.Show("├" + string(thread[1:]))
	}
	for i, seg := range segs {
		switch seg.Text {
		case "[":
			segs[i].Text = "]"
		case "]":
			segs[i].Text = "["
		}
	}
	return kit.Row(width, nil, segs...)
}

// pieces are the segments of a side, from the line outward; brackets are those of the left.
func (m *Model) pieces(s side, cursor bool, items []item, style kit.Style, theme kit.Theme) []kit.Seg {
	selected := -2
	if cursor && m.cursor.item < len(items) {
		selected = items[m.cursor.item].cell
	}
	var segs []kit.Seg
	if len(s.there) > 0 {
		return m.thereSegs(s.there, cursor, items, style, theme)
	}
	quiet := theme.Quiet
	if cursor {
		quiet = theme.Accent.Bold(false)
	}
	for i, cell := range s.cells {
		piece := kit.Seg{Style: quiet}
		switch cell.Piece {
		case lanes.Edge:
			piece.Text = safe.Show(strings.Repeat("─", cell.Width))
			if i == 0 && s.on != "" {
				segs = append(segs, kit.Seg{Text: "┄┄", Style: quiet}, kit.Seg{Text: safe.Show(onText(s.on)), Style: theme.Dim})
				continue
			}
		case lanes.Opens:
			piece.Text = "]"
		case lanes.Closes:
			piece.Text = "["
		case lanes.Name:
			piece = m.nameSeg(s.segments[cell.Branch], cell.Width, theme)
		default:
			piece = kit.Seg{Text: safe.Show(cell.Text), Style: style}
		}
		if i == selected {
			piece.Style = piece.Style.Reverse(true).Bold(true)
		}
		segs = append(segs, piece)
	}
	return segs
}

func (m *Model) nameSeg(s charting.Segment, width int, theme kit.Theme) kit.Seg {
	style := theme.Plain
	switch {
	case s.AtWork:
		style = theme.Accent
	case s.Remote, !s.Mine:
		style = theme.Dim
	}
	return kit.Seg{Text: safe.Show(" " + kit.Fit(title(s), width-2) + " "), Style: style}
}

// thereSegs names branches that have nothing of their own, with how far they are behind.
func (m *Model) thereSegs(there []charting.Branch, cursor bool, items []item, style kit.Style, theme kit.Theme) []kit.Seg {
	segs := []kit.Seg{{Text: "╌╌", Style: theme.Quiet}}
	selected := ""
	if cursor && m.cursor.item < len(items) && items[m.cursor.item].kind == name {
		selected = items[m.cursor.item].branch
	}
	for i, b := range there {
		text := safe.Line(b.Name)
		if b.Here {
			text = "▸" + text
		}
		if b.Behind > 0 {
			text += fmt.Sprintf(", %d behind", b.Behind)
		}
		piece := kit.Seg{Text: safe.Show(" " + text + " "), Style: style}
		if b.AtWork {
			piece.Style = theme.Accent
		}
		if b.Name == selected {
			piece.Style = piece.Style.Reverse(true).Bold(true)
		}
		if i > 0 {
			segs = append(segs, kit.Seg{Text: "·", Style: theme.Quiet})
		}
		segs = append(segs, piece)
	}
	return segs
}

// drawLine draws the place of the line: its thread, how many commits are hidden before it, and its subject.
func (m *Model) drawLine(r row, at, width int, theme kit.Theme) string {
	if !r.hangs {
		end := ""
		if !r.others && !r.left.empty() {
			end = "╴"
		}
		return kit.Row(width, nil, kit.Seg{Text: safe.Show(end), Style: theme.Quiet})
	}
	thread := "│"
	if !r.left.empty() {
		thread = "┤"
	}
	style, hidden := theme.Plain, "     "
	if r.comes {
		thread, style, hidden = "┊", theme.Next, "   + "
	}
	segs := []kit.Seg{{Text: safe.Show(thread), Style: theme.Quiet}}
	if r.mooring != nil {
		switch {
		case r.mooring.Hidden == charting.Uncounted:
			hidden = "   … "
		case r.mooring.Hidden > 0:
			hidden = fmt.Sprintf("%4d ", r.mooring.Hidden)
		}
		if at == m.cursor.row && m.cursor.item == 0 {
			style = style.Reverse(true).Bold(true)
		}
		subject := ansi.Truncate(safe.Line(r.mooring.Subject), max(1, width-7), "…")
		segs = append(segs, kit.Seg{Text: safe.Show(hidden), Style: theme.Dim}, kit.Seg{Text: safe.Show(subject), Style: style})
	}
	return kit.Row(width, nil, segs...)
}

// putBeside writes what the cursor is on, and what is planned, into Next: below the rows that something hangs from there.
func (m *Model) putBeside(drawn []string, offset, width int, theme kit.Theme) {
	from := 0
	rows := m.rows()
	for i := range drawn {
		if at := m.top + i; at < len(rows) && !rows[at].right.empty() {
			from = i + 2
		}
	}
	for i, text := range m.beside(width, len(drawn)-from, theme) {
		if from+i >= len(drawn) {
			return
		}
		drawn[from+i] = ansi.Truncate(drawn[from+i], offset, "") + text
	}
}

// beside is what is said in Next, at most height rows.
func (m *Model) beside(width, height int, theme kit.Theme) []string {
	var rows []string
	add := func(style kit.Style, text string) {
		for _, line := range kit.Wrap(text, width-3) {
			rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + line), Style: style}))
		}
	}
	for _, step := range m.steps {
		add(theme.Next, "▸ "+says(step))
	}
	if m.marked != "" {
		add(theme.Accent, "marked: "+m.pointName(m.marked)+"; = compares")
	}
	if len(m.steps) > 0 {
		rows = append(rows, kit.Blank(width))
	}
	at, ok := m.here()
	if !ok {
		return rows
	}
	if b, is := m.branchAt(); is && at.kind == name {
		add(theme.Strong, safe.Line(b.Name))
		for _, line := range branchLines(b) {
			add(theme.Dim, line)
		}
		rows = append(rows, kit.Blank(width))
	}
	if tags := m.now.Value.Tags[at.commit]; len(tags) > 0 {
		add(theme.Now, "tag "+safe.Line(strings.Join(tags, ", ")))
	}
	if out := m.readOut.Value; m.readOut.Known && out.ID == at.commit {
		add(theme.Strong, safe.Line(out.Subject))
		for line := range strings.SplitSeq(out.Text(), "\n") {
			if line == "" {
				rows = append(rows, kit.Blank(width))
				continue
			}
			add(theme.Dim, line)
		}
	}
	return rows[:min(len(rows), max(0, height))]
}

// branchLines says how a branch stands.
func branchLines(b charting.Branch) []string {
	lines := []string{fmt.Sprintf("%d ahead, %d behind", b.Ahead, b.Behind)}
	if b.Unsent > 0 {
		lines[0] += fmt.Sprintf(", %d not sent", b.Unsent)
	}
	if b.Aside > 0 {
		lines = append(lines, "changes of "+wording.Count(b.Aside, "file")+" put aside: they are back once it is checked out")
	}
	if b.Here {
		lines = append(lines, "checked out here")
	} else if b.Worktree != "" {
		lines = append(lines, "checked out in "+safe.Line(b.Worktree))
	}
	if b.AtWork {
		lines = append(lines, "at work")
	}
	if !b.When.IsZero() {
		lines = append(lines, safe.Line(b.Author)+", "+kit.Age(b.When, time.Now()))
	}
	return lines
}

// Click goes to a row.
func (m *Model) Click(x, y int) tea.Cmd {
	switch {
	case m.over != nil:
		m.over.Click(x, y)
		return nil
	case !m.now.Known:
		return nil
	}
	m.cursor.row = m.top + y - headRows
	m.keepOn(m.rows())
	return m.tell()
}

// Wheel moves the cursor.
func (m *Model) Wheel(x, _, turns int) {
	if m.over != nil {
		m.over.Wheel(x, turns)
		return
	}
	if m.now.Known {
		m.step(turns)
	}
}
