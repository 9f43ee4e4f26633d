package shape

import (
	"fmt"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/journal"
	"bastel/internal/lanes"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

const (
	headRows  = 3
	rowHeight = 2 // lines of the screen for a commit
)

// View draws the screen.
func (m *Model) View(size kit.Size, theme kit.Theme) []string {
	m.size = size
	looking, beside := m.over.(*look)
	if beside = beside && !size.Narrow; m.over != nil && !beside {
		return m.over.View(size, theme)
	}
	if m.why != "" || (m.reading.Known || m.reading.Err != nil) && len(m.plan.Sources) == 0 {
		return m.nothing(size, theme)
	}
	now, seam, next := kit.Columns(size, kit.SeamWidth(size.Width))
	body := size.Height - headRows
	m.entries = [2]kit.Entries{kit.EntriesIn(size, body, m.cursor[kit.Now]), kit.EntriesIn(size, body, m.cursor[kit.Next])}
	m.top[kit.Now] = kit.Scroll(m.top[kit.Now], m.nowRow(), m.entries[kit.Now].Fit(), len(m.plan.Sources))
	m.top[kit.Next] = kit.Scroll(m.top[kit.Next], m.nextRow(), m.entries[kit.Next].Fit(), m.nextRows()+1)
	if size.Narrow {
		if m.half == kit.Now {
			return append(m.nowHead(now, theme), m.nowBody(now, body, theme)...)
		}
		return append(m.nextHead(next, theme), m.nextBody(next, body, theme)...)
	}
	left := append(m.nowHead(now, theme), m.nowBody(now, body, theme)...)
	right := append(m.nextHead(next, theme), m.nextBody(next, body, theme)...)
	if beside {
		right = looking.View(kit.Size{Width: next, Height: size.Height}, theme)
	}
	threads, above, below := m.seam(seam, body, theme)
	between := append(kit.Pad(nil, seam, headRows), threads...)
	if above > 0 {
		between[headRows-1] = kit.Row(seam, nil, kit.Seg{Text: safe.Show(fmt.Sprintf(" %d more ↑", above)), Style: theme.Dim})
	}
	if below > 0 {
		between[len(between)-1] = kit.Row(seam, nil, kit.Seg{Text: safe.Show(fmt.Sprintf(" %d more ↓", below)), Style: theme.Dim})
	}
	if beside {
		between = kit.Pad(nil, seam, size.Height)
	}
	return kit.Join(left, between, right)
}

// nothing explains why there is no series to shape.
func (m *Model) nothing(size kit.Size, theme kit.Theme) []string {
	what, todo := "This branch has no commits of its own.", "Sort makes the first one. ( begins with older commits, b chooses another branch."
	if m.target.Name != "" {
		what = fmt.Sprintf("This branch has no commits that %s does not have.", m.target.Name)
	}
	if m.reading.Err != nil {
		what, todo = "The series could not be read.", app.Explain(m.reading.Err)
	}
	if m.why != "" {
		what, todo = "There is no series to shape.", m.why
	}
	return kit.Empty(size.Width, size.Height, theme, what, safe.Text(todo))
}

// nowRow is the row of Now to keep in view: the cursor, or the first source of the
// entry that the cursor is on in Next.
func (m *Model) nowRow() int {
	if id, ok := m.source(); ok {
		return slices.Index(m.plan.Sources, id)
	}
	return 0
}

func (m *Model) nextRow() int {
	if m.half == kit.Next {
		return m.cursor[kit.Next]
	}
	if at := m.entry(); at >= 0 {
		return at
	}
	id, _ := m.outRow()
	return len(m.plan.Next) + slices.Index(m.plan.LeftOut, id)
}

func (m *Model) nowHead(width int, theme kit.Theme) []string {
	start := "from the first commit on"
	if !m.plan.Base.IsZero() {
		start = "since " + m.plan.Base.Short()
		switch {
		case m.beneath != "":
			start += ", " + safe.Line(m.beneath)
		case m.target.Name != "" && m.plan.Onto == "" && m.base == "":
			start += ", where it left " + safe.Line(m.target.Name)
		}
	}
	return []string{
		kit.Heading(width, "Now", safe.Line(m.plan.Branch), m.half == kit.Now, theme.Now, theme, m.size.Narrow),
		kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + wording.Count(len(m.plan.Sources), "commit") + " " + start), Style: theme.Dim}),
		kit.Blank(width),
	}
}

func (m *Model) nowBody(width, height int, theme kit.Theme) []string {
	var lines []string
	at := m.entry()
	for i := m.top[kit.Now]; i < min(len(m.plan.Sources), m.top[kit.Now]+m.entries[kit.Now].Fit()); i++ {
		source := m.sourceOf(m.plan.Sources[i])
		cursor := m.half == kit.Now && i == m.cursor[kit.Now]
		out := m.plan.Place(source.ID) < 0
		ofEntry := at >= 0 && slices.Contains(m.plan.Next[at].From, source.ID)
		lines = append(lines, m.entries[kit.Now].Rows(i, m.nowRows(width, i, source, cursor, ofEntry, out, theme))...)
	}
	return kit.Pad(lines, width, height)
}

func (m *Model) nowRows(width, i int, s app.Source, cursor, ofEntry, out bool, theme kit.Theme) []string {
	backdrop, pointer := kit.Cursor(theme, cursor, 1)
	title, number := theme.Plain, theme.Now
	switch {
	case out:
		title, number = theme.Dim.Strikethrough(true), theme.Dim
	case ofEntry:
		title, number = theme.Strong, theme.Accent
	}
	writer := s.Commit.Writer()
	return []string{
		kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(fmt.Sprintf("%3d  ", i+1)), Style: number},
			kit.Seg{Text: safe.Show(s.Commit.Subject()), Style: title}),
		kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show("     " + s.ID.Short() + "  " + safe.Line(writer.Name) + ", " +
			kit.Age(writer.When, time.Now()) + "  " + m.measure(i)), Style: theme.Dim}),
	}
}

func (m *Model) nextHead(width int, theme kit.Theme) []string {
	what := "stays where it begins"
	if m.plan.Onto != "" {
		what = "onto " + safe.Line(m.plan.OntoName())
	}
	summary, style := m.summary(theme)
	return []string{
		kit.Heading(width, "Next", what, m.half == kit.Next, theme.Next, theme, m.size.Narrow),
		kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + summary), Style: style}),
		kit.Blank(width),
	}
}

// summary is the forecast in one line.
func (m *Model) summary(theme kit.Theme) (string, kit.Style) {
	switch f := m.forecast; {
	case m.trouble != "":
		return safe.Line(m.trouble), theme.Trouble
	case f == nil:
		return "forecast …", theme.Dim
	case f.Conflicts() > 0:
		return wording.Count(f.Conflicts(), "conflict") + " in the way of applying it", theme.Trouble
	case len(m.taken) > 0:
		return wording.Count(f.Made(), "commit") + ", taking back " + safe.Line(losers(m.taken)), theme.Trouble
	case f.SameContent && !m.plan.Changes():
		return wording.Count(f.Made(), "commit") + ", nothing planned yet", theme.Dim
	case f.SameContent:
		return wording.Count(f.Made(), "commit") + ", content the same byte for byte" + lost(f), theme.Next
	case m.plan.Rearranges():
		return wording.Count(f.Made(), "commit") + ", nothing left out, yet the content changes: = shows where" + lost(f), theme.Trouble
	default:
		return wording.Count(f.Made(), "commit") + ", the content changes" + lost(f), theme.Next
	}
}

// lost says how many signatures the rewriting takes away.
func lost(f *replay.Forecast) string {
	if f.Signatures == 0 {
		return ""
	}
	return ", " + wording.Count(f.Signatures, "signature") + " lost"
}

func (m *Model) nextBody(width, height int, theme kit.Theme) []string {
	var lines []string
	for i := m.top[kit.Next]; i < min(m.nextRows(), m.top[kit.Next]+m.entries[kit.Next].Fit()); i++ {
		rows := m.outRows
		if i < len(m.plan.Next) {
			rows = m.entryRows
		}
		lines = append(lines, m.entries[kit.Next].Rows(i, rows(width, i, theme))...)
	}
	return kit.Pad(lines, width, height)
}

func (m *Model) entryRows(width, i int, theme kit.Theme) []string {
	e := m.plan.Next[i]
	cursor := m.half == kit.Next && i == m.cursor[kit.Next]
	backdrop, pointer := kit.Cursor(theme, cursor, 1)
	name, title := theme.Next, theme.Plain
	if i == m.entry() {
		name, title = theme.Accent, theme.Strong
	}
	mark := kit.Seg{Text: " "}
	if m.marked[e.From[0]] {
		mark = kit.Seg{Text: "■", Style: theme.Marked}
	}
	subject := m.subject(e)
	result, why := m.outcome(e, theme)
	return []string{
		kit.Split(width, backdrop, []kit.Seg{pointer, mark, {Text: safe.Show(fmt.Sprintf("%-3s ", shape.Letter(i))), Style: name},
			{Text: safe.Show(subject), Style: title}}, result),
		kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show("     " + m.origin(e)), Style: theme.Dim},
			kit.Seg{Text: safe.Show(m.labels(i)), Style: theme.Now}, why),
	}
}

// origin says what an entry is made of.
func (m *Model) origin(e shape.Entry) string {
	numbers := make([]string, len(e.From))
	for i, id := range e.From {
		numbers[i] = m.name(id)
	}
	text := "from " + strings.Join(numbers, " ")
	if e.Merge {
		return "merges " + e.From[0].Short()
	}
	switch {
	case e.Message != "":
		text += ", message new"
	case len(e.From) > 1:
		text += ", message of " + numbers[0]
	}
	if e.Author != "" || e.Date != "" {
		text += ", author or date new"
	}
	return text
}

// losers sums up whose lines are taken back: the entries say which.
func losers(taken []journal.LostWork) string {
	lines, people := 0, []string{}
	for _, t := range taken {
		lines += t.Lines
		if !slices.Contains(people, t.Author) {
			people = append(people, t.Author)
		}
	}
	return wording.Count(lines, "line") + " of " + strings.Join(people, ", ")
}

// takenBy is what the answers of one entry, counted from 1, take back of what came with others.
func (m *Model) takenBy(entry int) (list []journal.LostWork) {
	for _, t := range m.taken {
		if t.Entry == entry {
			list = append(list, t)
		}
	}
	return list
}

// outcome is the forecast of one entry. It is looked up by the entry's sources, so
// that what is known of the others stays while a new forecast is under way.
func (m *Model) outcome(e shape.Entry, theme kit.Theme) (result, why kit.Seg) {
	if m.forecast == nil {
		return kit.Seg{}, kit.Seg{}
	}
	for at, step := range m.forecast.Steps {
		if !slices.Equal(step.From, e.From) {
			continue
		}
		if taken := m.takenBy(at + 1); len(taken) > 0 {
			return kit.Seg{Text: "takes back", Style: theme.Trouble}, kit.Seg{Text: safe.Show("  " + safe.Line(planning.TakenBackSays(taken))),
				Style: theme.Trouble.Bold(false)}
		}
		switch step.Result {
		case replay.Conflict:
			return kit.Seg{Text: "conflict", Style: theme.Trouble}, kit.Seg{Text: safe.Show("  " + safe.Line(step.Reason)),
				Style: theme.Trouble.Bold(false)}
		case replay.Answered:
			return kit.Seg{Text: "answered", Style: theme.Strong}, kit.Seg{Text: safe.Show("  " + safe.Line(step.Reason)), Style: theme.Dim}
		case replay.Empty:
			return kit.Seg{Text: "empty", Style: theme.Strong}, kit.Seg{Text: safe.Show("  " + safe.Line(step.Reason)), Style: theme.Dim}
		}
		why = kit.Seg{Text: safe.Show(follows(step.Followed)), Style: theme.Dim}
		if c, ok := m.verdict(step.Tree); ok && !c.Passed {
			return kit.Seg{Text: "check failed", Style: theme.Trouble}, why
		} else if ok {
			return kit.Seg{Text: "checked", Style: theme.Next}, why
		}
		if step.Kept {
			return kit.Seg{Text: "as it is", Style: theme.Dim}, why
		}
		return kit.Seg{Text: "clean", Style: theme.Dim}, why
	}
	return kit.Seg{}, kit.Seg{}
}

// follows says which renames an entry's changes follow.
func follows(moves []merge.Move) string {
	switch len(moves) {
	case 0:
		return ""
	case 1:
		return "  follows " + safe.Line(moves[0].From) + " to " + safe.Line(moves[0].To)
	}
	return fmt.Sprintf("  follows %d renames", len(moves))
}

func (m *Model) outRows(width, i int, theme kit.Theme) []string {
	id := m.plan.LeftOut[i-len(m.plan.Next)]
	cursor := m.half == kit.Next && i == m.cursor[kit.Next]
	backdrop, pointer := kit.Cursor(theme, cursor, 1)
	return []string{
		kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(fmt.Sprintf("     left out: %s  ", m.name(id))), Style: theme.Dim},
			kit.Seg{Text: safe.Show(m.sourceOf(id).Commit.Subject()), Style: theme.Dim.Strikethrough(true)}),
		kit.Row(width, backdrop, pointer, kit.Seg{Text: "     x brings it back", Style: theme.Dim}),
	}
}

// seam draws the threads of which at least one end is near the visible part, and counts
// the others.
func (m *Model) seam(width, height int, theme kit.Theme) (lines []string, above, below int) {
	at := m.entry()
	out, isOut := m.outRow()
	var strands []kit.Strand
	rows := height / rowHeight
	add := func(i, place int, bright bool) {
		thread := lanes.Thread{From: i - m.top[kit.Now], To: lanes.Ends}
		if place >= 0 {
			thread.To = place - m.top[kit.Next]
		}
		switch {
		case thread.From < -1 && thread.To < 0:
			above++
			return
		case thread.From > rows && (thread.To > rows || place < 0):
			below++
			return
		}
		strands = append(strands, kit.Strand{Thread: thread, Bright: bright, Faded: place < 0})
	}
	for i, id := range m.plan.Sources {
		places := m.plan.Places(id)
		for _, place := range places {
			add(i, place, place == at)
		}
		if len(places) == 0 {
			add(i, -1, isOut && id == out)
		}
	}
	return kit.Seam(strands, width, height, rowHeight, 0, theme), above, below
}

// Click goes to a commit.
func (m *Model) Click(x, y int) tea.Cmd {
	if m.over != nil {
		m.over.Click(x, y)
		return nil
	}
	half := kit.HalfAt(m.size, kit.SeamWidth(m.size.Width), x, m.half)
	m.half = half
	if y >= headRows {
		m.cursor[half] = m.entries[half].At(m.top[half], y-headRows)
	}
	m.clamp()
	return nil
}

// Wheel scrolls the half under the mouse.
func (m *Model) Wheel(x, _, turns int) {
	if m.over != nil {
		m.over.Wheel(x, turns)
		return
	}
	m.half = kit.HalfAt(m.size, kit.SeamWidth(m.size.Width), x, m.half)
	m.cursor[m.half] += turns
	m.clamp()
}

// Explain says in the help what this screen is for.
func (m *Model) Explain() (title, text string) {
	if m.over != nil {
		return m.over.Explain()
	}
	return Name, "Now holds the branch's commits, oldest first. Next is the series as it will be. " +
		"Threads tie each commit to what becomes of it: they cross where commits are reordered, join where they are squashed, and end where " +
		"one is left out. " +
		"After each edit the plan is carried out in memory, and each entry says how that went. Nothing is rewritten before you apply."
}
