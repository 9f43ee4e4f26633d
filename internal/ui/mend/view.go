package mend

import (
	"bytes"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

const headRows = 3

// View draws the screen.
func (m *Model) View(size kit.Size, theme kit.Theme) []string {
	m.size = size
	if m.look != nil {
		return m.lookView(size, theme)
	}
	switch {
	case m.list != nil && (m.at >= 0 || m.hasOther()):
		return m.listView(size, theme)
	case m.at < 0:
		return m.nothing(size, theme)
	}
	if m.stacked(theme) {
		// The sides above, with the room that they need, and what comes of them below.
		upper := min(headRows+len(m.nowRows(size.Width, theme))+1, max(size.Height*3/5, size.Height-leastNext))
		m.upper = upper
		rows := append(m.nowHead(size.Width, theme), m.nowBody(size.Width, upper-headRows, theme)...)
		next := m.nextHead(size.Width, theme)[:1]
		return append(append(rows, next...), m.nextBody(size.Width, size.Height-upper-1, theme)...)
	}
	now, seam, next := kit.Columns(size, mapWidth)
	body := size.Height - headRows
	left := append(m.nowHead(now, theme), m.nowBody(now, body, theme)...)
	right := append(m.nextHead(next, theme), m.nextBody(next, body, theme)...)
	between := append(kit.Pad(nil, seam, headRows), m.regionMap(seam, body, theme)...)
	return kit.Join(left, between, right)
}

// listView draws all conflicts, and beside them the sides of the one at the cursor.
func (m *Model) listView(size kit.Size, theme kit.Theme) []string {
	if size.Narrow || m.at < 0 {
		return m.listHalf(size.Width, size.Height, theme)
	}
	now, beside := kit.Beside(size)
	one := theme
	one.TwoColumns = false
	right := append(m.nowHead(beside.Width, theme), m.nowBody(beside.Width, size.Height-headRows, one)...)
	return kit.JoinLook(kit.Now, m.listHalf(now, size.Height, theme), right)
}

// stacked says whether the sides lie above what comes of them: where there is no room beside, or the sides lie beside each other.
func (m *Model) stacked(theme kit.Theme) bool { return m.size.Narrow || theme.TwoColumns }

// lookAlone says whether what is looked at has nothing beside it: there is no room, or what it was about is settled by now.
func (m *Model) lookAlone() bool { return m.size.Narrow || m.at < 0 }

// lookView draws what a commit of one side changes, beside the sides.
func (m *Model) lookView(size kit.Size, theme kit.Theme) []string {
	beside, width := size, 0
	if !m.lookAlone() {
		width, beside = kit.Beside(size)
	}
	name := m.lookOut.ID.Short() + "  " + safe.Line(m.lookOut.Subject)
	rows := []string{kit.Heading(beside.Width, "Look", name, true, theme.Now, theme, false)}
	rows = append(append(rows, kit.LookHeader(m.lookOut.Header(), beside, theme)...), kit.Blank(beside.Width))
	m.lookAbove = len(rows)
	rows = append(rows, m.look.View(beside.Width, size.Height-len(rows), true, stream.Cool, theme)...)
	if m.lookAlone() {
		return rows
	}
	sides := append(m.nowHead(width, theme), m.nowBody(width, size.Height-headRows, theme)...)
	return kit.JoinLook(kit.Now, kit.Pad(sides, width, size.Height), kit.Pad(rows, beside.Width, size.Height))
}

// leastNext is the room that the result has at least, where halves are stacked.
const leastNext = 7

// mapWidth is the room for the map of regions.
const mapWidth = 9

// nothing says that no conflict waits, and what then.
func (m *Model) nothing(size kit.Size, theme kit.Theme) []string {
	what, todo := "No conflict waits.", "Conflicts of the plan in Shape are answered here, and those that another tool left in the working "+
		"tree."
	switch {
	case m.waiting != nil && m.waiting.Operation == "rebase":
		what, todo = "Everything in the rebase is resolved.", "a goes on with it, to its end."
	case m.waiting != nil && m.waiting.Finishable():
		what, todo = "Everything in the "+m.waiting.Operation+" is resolved.", "a makes its commit."
	case m.waiting != nil:
		what, todo = "Everything is resolved.", "Finish it with "+m.waiting.Finish+"."
	case m.hasOther():
		what, todo = "No conflict is left here.", action.Find(action.OtherConflicts).Key()+" goes to the other conflicts."
	case m.forecast != nil && m.planner.Plan().Changes() && !m.forecast.Tip.IsZero():
		what, todo = "No conflict waits: the plan is clean.", "a applies it; [ goes back to Shape."
	}
	return kit.Empty(size.Width, size.Height, theme, what, todo)
}

// nowHead says what this is about, and how much of it is open.
func (m *Model) nowHead(width int, theme kit.Theme) []string {
	inFile, inAll := m.open()
	f := m.file()
	where := safe.Line(f.Path)
	if f.From != "" && f.From != f.Path {
		where += ", was " + safe.Line(f.From)
	}
	half := "Now"
	if m.list != nil {
		half = "At the cursor"
	}
	status, style := fmt.Sprintf("%d open here, %d in all", inFile, inAll), theme.Trouble
	switch inAll {
	case 0:
		status, style = "all answered", theme.Next
	case inFile:
		status = fmt.Sprintf("%d open", inAll)
	}
	return []string{
		kit.Heading(width, half, safe.Line(m.conflicted().Title), m.half == kit.Now && m.look == nil && m.list == nil, theme.Now, theme, false),
		kit.Split(width, nil, []kit.Seg{{Text: safe.Show("  " + where), Style: theme.Strong},
			{Text: safe.Show("  " + m.place()), Style: theme.Dim}}, kit.Seg{Text: safe.Show(status), Style: style}),
		kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + m.reused()), Style: theme.Next}),
	}
}

// place says which region of the file this is.
func (m *Model) place() string {
	if q, _ := m.question(); q.Region == nil {
		return ""
	}
	return fmt.Sprintf("region %d of %d", m.spot().question+1, len(m.file().Regions))
}

// reused says where an answer came from that was not given here.
func (m *Model) reused() string {
	switch q, _ := m.question(); q.Origin {
	case mend.Elsewhere:
		return "reused from this plan; x clears it"
	case mend.Remembered:
		return "reused from before; x clears it"
	case mend.ByHand:
		return "answered by hand, in the working file; x clears it"
	}
	return ""
}

// wholeRows draws what the sides did to a path without regions: in words first, then
// line by line.
func (m *Model) wholeRows(width int, theme kit.Theme, plain func(...kit.Seg)) {
	deed := func(side mend.Side) {
		text := "         " + m.deed(side)
		if m.textsOf == m.spot() && merge.IsBinary(m.texts[side]) {
			text += fmt.Sprintf(", %d bytes, binary", len(m.texts[side]))
		}
		plain(kit.Seg{Text: safe.Show(text), Style: theme.Strong})
	}
	for key, side := range m.sides() {
		m.sideHead(width, key+1, side, theme, plain)
		deed(side)
		plain()
	}
	m.baseHead(theme, plain)
	deed(mend.Base)
	for key, side := range m.sides() {
		m.wholeSide(width, key+1, side, theme, plain)
	}
}

// mostOfWhole is how many lines of a whole version are shown.
const mostOfWhole = 400

// wholeSide draws what a side did to the base, where these are texts.
func (m *Model) wholeSide(width, key int, side mend.Side, theme kit.Theme, plain func(...kit.Seg)) {
	f := m.file()
	text, base := m.texts[side], m.texts[mend.Base]
	if m.textsOf != m.spot() || merge.IsBinary(text) || merge.IsBinary(base) || entryOf(f.Conflict, side).IsZero() || bytes.Equal(text, base) {
		return
	}
	lines, old := diff.Split(text), diff.Split(base)
	hunks := diff.Hunks(old, lines, diff.Lines(old, lines), 2)
	shown := 0
	plain()
	plain(kit.Seg{Text: safe.Show(fmt.Sprintf("  %d ", key)), Style: theme.Now.Bold(true)}, kit.Seg{Text: "line by line", Style: theme.Dim})
	for _, h := range hunks {
		for _, line := range h.Lines {
			style, sign := theme.Dim, " "
			switch line.Op {
			case diff.Add:
				style, sign = theme.Added, "+"
			case diff.Remove:
				style, sign = theme.Removed, "−"
			}
			if shown++; shown > mostOfWhole {
				return
			}
			for _, row := range m.code.Rows(stream.CodeLine{Path: f.Path, Text: line.Text}, width-marginWidth, style, theme) {
				plain(append([]kit.Seg{{Text: safe.Show("       " + sign + " "), Style: style}}, row...)...)
				sign = " "
			}
		}
	}
}

func entryOf(c merge.Conflict, side mend.Side) repo.Entry {
	return map[mend.Side]repo.Entry{mend.Left: c.Left, mend.Right: c.Right, mend.Base: c.Base}[side]
}

// deed says in words what a side did to the path.
func (m *Model) deed(side mend.Side) string {
	f := m.file()
	e := entryOf(f.Conflict, side)
	switch {
	case side == mend.Base && e.IsZero():
		return "nothing: the file is new"
	case side == mend.Base && f.NoBase:
		return "none: " + noBase
	case side == mend.Base:
		return form(e)
	case e.IsZero():
		return m.story(side).Absent
	case f.Kind == merge.RenameRename && side == mend.Left:
		return "renamed it to " + safe.Line(f.Path)
	case f.Kind == merge.RenameRename:
		return "renamed it to " + safe.Line(f.Other)
	case f.Kind == merge.RenameDelete:
		return "renamed it from " + safe.Line(f.From)
	case e.Mode == repo.ModeTree && m.textsOf == m.spot():
		files := bytes.Count(m.texts[side], []byte("\n"))
		return fmt.Sprintf("a folder of %s, which the other answer deletes", wording.Count(files, "file"))
	case f.Base.IsZero():
		return "added it: " + form(e)
	case e.Mode != f.Base.Mode && e.ID == f.Base.ID:
		return "made it " + form(e)
	case f.Kind == merge.FileFolder || f.Kind == merge.TypeKind:
		return "made it " + form(e)
	}
	return "changed it"
}

func form(e repo.Entry) string {
	switch e.Mode {
	case repo.ModeTree:
		return "a folder"
	case repo.ModeSymlink:
		return "a link"
	case repo.ModeSubmodule:
		return "a submodule, at " + e.ID.Short()
	case repo.ModeExecutable:
		return "an executable file"
	}
	return "a file"
}

// regionMap draws the file's regions as knots on a thread, the one at the cursor tied to
// both halves.
func (m *Model) regionMap(width, height int, theme kit.Theme) []string {
	f := m.file()
	questions := f.Questions()
	here := m.spot().question
	rows := make([]string, height)
	knots := map[int]int{} // by row: the question, the one at the cursor before others
	row := func(i int) int {
		if len(questions) < 2 || len(questions)*2 <= height-2 {
			return min(2*i+1, height-1)
		}
		return 1 + i*(height-2)/len(questions)
	}
	for i := range questions {
		if at, taken := knots[row(i)]; !taken || at != here {
			knots[row(i)] = i
		}
	}
	last := row(len(questions) - 1)
	middle := width / 2
	for y := range rows {
		i, knot := knots[y]
		before, line, after := strings.Repeat(" ", middle), " ", strings.Repeat(" ", width-middle-1)
		style := theme.Quiet
		switch {
		case knot && questions[i].Open():
			line, style = "▒", theme.Trouble
		case knot:
			line, style = "┃", theme.Next
		case y > row(0) && y < last:
			line = "│"
		}
		thread := theme.Quiet
		if knot && i == here {
			before, after, thread = " "+strings.Repeat("─", middle-1), strings.Repeat("─", width-middle-2)+" ", theme.Accent
		}
		rows[y] = kit.Row(width, nil, kit.Seg{Text: safe.Show(before), Style: thread}, kit.Seg{Text: safe.Show(line), Style: style},
			kit.Seg{Text: safe.Show(after), Style: thread})
	}
	return rows
}

// Click goes to a line of the sides.
func (m *Model) Click(x, y int) tea.Cmd {
	if m.look != nil {
		if column, ok := kit.LookAtColumn(kit.Now, m.size, x); ok || m.lookAlone() {
			m.look.Click(column, y-m.lookAbove)
		}
		return nil
	}
	if m.list != nil {
		return m.clickList(x, y)
	}
	if m.at < 0 {
		return nil
	}
	m.half = m.halfAt(x, y)
	at := m.top + y - headRows
	if m.half == kit.Next || y < headRows || at >= len(m.laid) {
		return nil
	}
	cells := m.laid[at].cells
	if len(cells) == 2 && x >= m.laidFor.width/2 {
		cells = cells[1:]
	}
	if len(cells) > 0 && cells[0] != nil && cells[0].at >= 0 {
		m.line = cells[0].at
	}
	return nil
}

// halfAt is the half at a place of the screen.
func (m *Model) halfAt(x, y int) kit.Half {
	if m.laidFor.width < m.size.Width { // they lie beside each other
		return kit.HalfAt(m.size, mapWidth, x, m.half)
	}
	if y < m.upper {
		return kit.Now
	}
	return kit.Next
}

// Wheel scrolls the half under the mouse.
func (m *Model) Wheel(x, y, turns int) {
	switch {
	case m.look != nil:
		m.look.Move(3 * turns)
	case m.list != nil:
		m.list.top += turns
	case m.at < 0:
	case m.halfAt(x, y) == kit.Next:
		m.shift += 3 * turns
	default:
		m.half = kit.Now
		m.moveLine(turns)
	}
}

// Explain says in the help what this screen is for.
func (m *Model) Explain() (title, text string) {
	switch {
	case m.look != nil:
		return "A difference", "What a commit behind one of the sides changes."
	case m.list != nil:
		return "All conflicts", "Each row is a file that conflicts: the entry of the plan, the path, the kind, and how much of it is open, " +
			"or by whom it is answered. Where several entries ask the same question, they are one row. What comes after an entry that is open " +
			"is not certain yet. Beside it stand the sides of the one at the cursor."
	}
	return Name, "Now shows both sides of a conflict, each with the commit behind it, and their common start. " +
		"Next is the text as it is being put together; what is open stands out. The strip between them maps the places in the file: open ones " +
		"are hollow. " +
		"Answers are kept with the plan, and come back automatically wherever the same conflict does. Nothing is rewritten before you apply."
}

// Streams are those on show.
func (m *Model) Streams() []*stream.Model {
	if m.look == nil {
		return nil
	}
	return []*stream.Model{m.look}
}
