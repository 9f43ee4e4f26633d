package mend

import (
	"bytes"
	"fmt"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/safe"
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
	if m.at < 0 {
		return m.nothing(size, theme)
	}
	if size.Narrow {
		// Stacked: the sides above, with the room that they need, and what comes of them below.
		upper := min(headRows+len(m.nowRows(size.Width, theme))+1, max(size.Height*3/5, size.Height-leastNext))
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
	case m.waiting != nil && m.waiting.Operation == "merge":
		what, todo = "Everything in the merge is resolved.", "a makes its commit."
	case m.waiting != nil:
		what, todo = "Everything is resolved.", "Finish it with "+m.waiting.Finish+"."
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
	status, style := fmt.Sprintf("%d open in this file, %d in all", inFile, inAll), theme.Trouble
	switch inAll {
	case 0:
		status, style = "all answered", theme.Next
	case inFile:
		status = fmt.Sprintf("%d open", inAll)
	}
	return []string{
		kit.Heading(width, "Now", safe.Line(m.conflicted().Title), m.half == kit.Now && m.look == nil, theme.Now, theme, false),
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
	}
	return ""
}

// sideLine is a line of a side that the cursor can stand on.
type sideLine struct {
	side mend.Side
	line int
}

// nowRow is a row of Now.
type nowRow struct {
	text string
	at   int // of the side line that it shows; -1: none
}

// lines lists the lines of both sides, which can be picked one by one.
func (m *Model) lines() (lines []sideLine) {
	q, _ := m.question()
	if q.Region == nil {
		return nil
	}
	for _, side := range m.sides() {
		for n := range sideText(q.Region, side) {
			lines = append(lines, sideLine{side, n})
		}
	}
	return lines
}

func sideText(r *merge.Region, side mend.Side) [][]byte {
	switch side {
	case mend.Left:
		return r.Left
	case mend.Right:
		return r.Right
	}
	return r.Base
}

func (m *Model) nowBody(width, height int, theme kit.Theme) []string {
	rows := m.nowRows(width, theme)
	focus := -1
	for i, r := range rows {
		if r.at == m.line && r.at >= 0 {
			focus = i
		}
	}
	switch {
	case focus < 0: // nothing to pick: the keys scroll
		m.top = max(0, min(m.top, len(rows)-height))
	case focus < height:
		m.top = 0
	default:
		m.top = kit.Scroll(m.top, focus, height, len(rows))
	}
	var shown []string
	for _, r := range rows[m.top:min(len(rows), m.top+height)] {
		shown = append(shown, r.text)
	}
	return kit.Pad(shown, width, height)
}

func (m *Model) nowRows(width int, theme kit.Theme) []nowRow {
	q, _ := m.question()
	var rows []nowRow
	plain := func(segs ...kit.Seg) { rows = append(rows, nowRow{kit.Row(width, nil, segs...), -1}) }
	if q.Region == nil {
		m.wholeRows(width, theme, plain)
		return rows
	}
	next := 0 // of the side lines
	for key, side := range m.sides() {
		m.sideHead(width, key+1, side, theme, plain)
		next = m.regionSide(q, side, next, width, theme, &rows)
		plain()
	}
	m.baseHead(theme, plain)
	for i, line := range q.Region.Base {
		segs := append([]kit.Seg{{Text: safe.Show(fmt.Sprintf("  %5d  ", q.Region.BaseSpan.Start+i+1)), Style: theme.Dim}},
			m.code.Line(m.file().Path, line, nil, theme.Dim, theme)...)
		plain(segs...)
	}
	switch {
	case q.Region.NoBase:
		plain(kit.Seg{Text: "         none: " + noBase, Style: theme.Dim})
	case len(q.Region.Base) == 0:
		plain(kit.Seg{Text: "         nothing", Style: theme.Dim})
	}
	return rows
}

// sideHead is a side under what it is: the key that takes it, its name, and the commit.
func (m *Model) sideHead(width, key int, side mend.Side, theme kit.Theme, plain func(...kit.Seg)) {
	story := m.story(side)
	style := theme.Now
	if key == 1 {
		style = theme.Accent
	}
	title := ""
	if n := len(story.Commits); n > 0 {
		title = "  " + safe.Line(story.Commits[n-1].Commit.Subject())
		if n > 1 {
			title += fmt.Sprintf("  and %d before it", n-1)
		}
	}
	plain(kit.Seg{Text: safe.Show(fmt.Sprintf("  %d ", key)), Style: style.Bold(true)},
		kit.Seg{Text: safe.Show(story.Name), Style: style.Bold(true)}, kit.Seg{Text: safe.Show(title), Style: theme.Strong})
	if n := len(story.Commits); n > 0 {
		c := story.Commits[n-1]
		writer := c.Commit.Writer()
		plain(kit.Seg{Text: safe.Show("    " + safe.Line(writer.Name) + ", " + kit.Age(writer.When, time.Now()) + "  " + c.ID.Short()),
			Style: theme.Dim})
	}
}

// regionSide draws a side's lines, with what differs from the base, and those that were
// picked for the answer.
func (m *Model) regionSide(q mend.Question, side mend.Side, next, width int, theme kit.Theme, rows *[]nowRow) int {
	text := sideText(q.Region, side)
	start := q.Region.LeftSpan.Start
	if side == mend.Right {
		start = q.Region.RightSpan.Start
	}
	if len(text) == 0 {
		*rows = append(*rows, nowRow{kit.Row(width, nil, kit.Seg{Text: "         nothing: its lines went", Style: theme.Dim}), -1})
	}
	for i, line := range text {
		here := next == m.line && m.half == kit.Now
		backdrop, pointer := kit.Cursor(theme, here, 1)
		mark := kit.Seg{Text: " "}
		if picked(q, side, i) {
			mark = kit.Seg{Text: "■", Style: theme.Marked}
		}
		segs := []kit.Seg{pointer, mark, {Text: safe.Show(fmt.Sprintf("%5d  ", start+i+1)), Style: theme.Dim}}
		segs = append(segs, m.code.Line(m.file().Path, line, partner(q.Region, i), theme.Plain, theme)...)
		*rows = append(*rows, nowRow{kit.Row(width, backdrop, segs...), next})
		next++
	}
	return next
}

// partner is the base's line at the same place, to compare words with.
func partner(r *merge.Region, i int) []byte {
	if i < len(r.Base) {
		return r.Base[i]
	}
	return nil
}

// picked says whether a line stands in the answer.
func picked(q mend.Question, side mend.Side, line int) bool {
	if q.Origin == mend.Open {
		return false
	}
	for _, p := range q.Answer.Take {
		if p.Side != side {
			continue
		}
		if p.Lines == nil {
			return true
		}
		for _, n := range p.Lines {
			if n == line {
				return true
			}
		}
	}
	return false
}

// noBase says why a base cannot be shown, nor taken.
const noBase = "the histories parted twice, and their starts disagree here"

func (m *Model) baseHead(theme kit.Theme, plain func(...kit.Seg)) {
	plain(kit.Seg{Text: "  base", Style: theme.Dim.Bold(true)}, kit.Seg{Text: "  their common start", Style: theme.Dim})
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
		m.wholeSide(key+1, side, theme, plain)
	}
}

// mostOfWhole is how many lines of a whole version are shown.
const mostOfWhole = 400

// wholeSide draws what a side did to the base, where these are texts.
func (m *Model) wholeSide(key int, side mend.Side, theme kit.Theme, plain func(...kit.Seg)) {
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
			plain(append([]kit.Seg{{Text: safe.Show("       " + sign + " "), Style: style}},
				m.code.Line(f.Path, line.Text, nil, style, theme)...)...)
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
	if m.at < 0 {
		return nil
	}
	m.half = kit.HalfAt(m.size, mapWidth, x, m.half)
	if m.half == kit.Next || y < headRows {
		return nil
	}
	rows := m.nowRows(m.size.Width, kit.Theme{})
	if at := m.top + y - headRows; at < len(rows) && rows[at].at >= 0 {
		m.line = rows[at].at
	}
	return nil
}

// Wheel scrolls the half under the mouse.
func (m *Model) Wheel(x, _, turns int) {
	switch {
	case m.look != nil:
		m.look.Move(3 * turns)
	case m.at < 0:
	case kit.HalfAt(m.size, mapWidth, x, m.half) == kit.Next:
		m.shift += 3 * turns
	default:
		m.moveLine(turns)
	}
}

// Explain says in the help what this screen is for.
func (m *Model) Explain() (title, text string) {
	if m.look != nil {
		return "A difference", "What a commit behind one of the sides changes."
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
