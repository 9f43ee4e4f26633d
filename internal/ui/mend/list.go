package mend

import (
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// list shows all conflicts, of the plan and of what waits in the working tree. Its cursor is the screen's: on the row of the
// conflict that stands beside it.
type list struct {
	top    int
	here   int             // the row with the cursor, as it was drawn last
	above  int             // rows of the screen before the first one of the list
	marked map[string]bool // rows, by their names
	only   filter
}

// filter says which conflicts are listed.
type filter struct {
	name string // empty: all are
	fits func(r conflictRow) bool
}

// conflictRow is a file with its questions, and other entries that ask the same ones.
type conflictRow struct {
	waiting bool
	step    int
	entries []int // places of the plan's entries
	path    string
	kind    string
	person  string // who wrote the other side
	spots   []spot
	states  map[mend.Origin]int
	sure    bool // no entry before it is open
}

func (r conflictRow) name() string { return fmt.Sprintf("%v %d %s", r.waiting, r.step, r.path) }

func (r conflictRow) open() int { return r.states[mend.Open] }

func (r conflictRow) questions() (n int) {
	for _, count := range r.states {
		n += count
	}
	return n
}

// rowsOf lists the conflicts that are on show, row by row.
func (m *Model) rowsOf() (rows []conflictRow) {
	same := map[string]int{}
	for i := range m.steps {
		step := &m.steps[i]
		for j := range step.Files {
			f := &step.Files[j]
			row := conflictRow{waiting: m.waiting != nil, step: i, entries: []int{step.Step}, path: f.Path, kind: string(f.Kind),
				sure: !step.Uncertain, states: map[mend.Origin]int{}}
			asks := f.Path
			for k, q := range f.Questions() {
				row.spots = append(row.spots, spot{i, j, k})
				asks += " " + string(q.Key)
				row.states[originOf(q)]++
			}
			other := f.Stories[0].Left
			if step.First == mend.Left {
				other = f.Stories[0].Right
			}
			if n := len(other.Commits); n > 0 {
				row.person = other.Commits[n-1].Commit.Writer().Name
			}
			if at, known := same[asks]; known && m.waiting == nil {
				rows[at].entries = append(rows[at].entries, step.Step)
				rows[at].spots = append(rows[at].spots, row.spots...)
				continue
			}
			same[asks] = len(rows)
			rows = append(rows, row)
		}
	}
	return rows
}

func originOf(q mend.Question) mend.Origin {
	if q.Open() {
		return mend.Open
	}
	return q.Origin
}

// listed are the rows that the filter lets through.
func (m *Model) listed() []conflictRow {
	rows := m.rowsOf()
	if m.list.only.fits == nil {
		return rows
	}
	return slices.DeleteFunc(rows, func(r conflictRow) bool { return !m.list.only.fits(r) })
}

// rowHere is the place of the row that the cursor is on; -1: it is not listed.
func (m *Model) rowHere(rows []conflictRow) int {
	return slices.IndexFunc(rows, func(r conflictRow) bool { return slices.Contains(r.spots, m.spot()) })
}

func (m *Model) openList() { m.list = &list{marked: map[string]bool{}, here: -1} }

func (m *Model) listActions() []kit.Action {
	rows := m.listed()
	here := m.rowHere(rows)
	some := here >= 0
	give := func(sides ...int) func() tea.Cmd {
		return func() tea.Cmd { return m.giveListedAs(m.bySides(sides...)) }
	}
	move := func(id action.ID, by int) kit.Action {
		return kit.Act(id, len(rows) > 0, func() tea.Cmd { return m.moveListed(by) })
	}
	moves := []kit.Action{move(action.Down, 1), move(action.Up, -1), move(action.PageDown, pageOfRows), move(action.PageUp, -pageOfRows),
		move(action.Top, -len(rows)), move(action.End, len(rows))}
	actions := []kit.Action{
		kit.Act(action.OpenConflict, some, func() tea.Cmd { m.list = nil; return m.goToOpen(rows[here]) }),
		kit.Act(action.MarkConflict, some, func() tea.Cmd { return m.markListed(rows[here]) }),
		kit.Act(action.Side1, some, give(0)),
		kit.Act(action.Side2, some, give(1)),
		kit.Act(action.OneThenTwo, some, give(0, 1)),
		kit.Act(action.TwoThenOne, some, give(1, 0)),
		kit.Act(action.BaseText, some, func() tea.Cmd { return m.giveListedAs(mend.Take(mend.Base)) }),
		kit.Act(action.Nothing, some, give()),
		kit.Act(action.ClearAnswer, some, m.clearListed),
		kit.Act(action.NextOpen, some, func() tea.Cmd { return m.seek(1) }),
		kit.Act(action.PreviousOpen, some, func() tea.Cmd { return m.seek(-1) }),
		kit.Asking(action.OnlyConflicts, len(m.spots) > 0, m.chooseFilter),
		kit.Act(action.OtherConflicts, m.hasOther(), m.toOther),
		kit.Act(action.Back, true, kit.Just(func() { m.list = nil })).Named("close the list"),
	}
	return append(append(actions, m.stepActions()...), moves...)
}

// hasOther says whether there are conflicts besides those on show: of the plan, or in the working tree.
func (m *Model) hasOther() bool {
	if m.waiting != nil {
		return len(m.ofPlan.Steps) > 0
	}
	return m.pending != nil
}

// toOther goes from the plan's conflicts to those in the working tree, or back.
func (m *Model) toOther() tea.Cmd {
	m.at, m.same = -1, nil
	if m.waiting == nil {
		return m.showPending()
	}
	m.waiting = nil
	return m.showPlan()
}

// goToOpen goes to the first open question of a row, else to its first one.
func (m *Model) goToOpen(r conflictRow) tea.Cmd {
	at := slices.IndexFunc(r.spots, func(s spot) bool { return m.questionAt(s).Open() })
	return m.goTo(slices.Index(m.spots, r.spots[max(0, at)]))
}

// pageOfRows is how far a page of the list is.
const pageOfRows = 10

func (m *Model) moveListed(by int) tea.Cmd {
	rows := m.listed()
	return m.goToOpen(rows[max(0, min(max(0, m.rowHere(rows))+by, len(rows)-1))])
}

func (m *Model) markListed(r conflictRow) tea.Cmd {
	if m.list.marked[r.name()] {
		delete(m.list.marked, r.name())
	} else {
		m.list.marked[r.name()] = true
	}
	return m.moveListed(1)
}

// targets are the places of the marked rows, else of the one at the cursor.
func (m *Model) targets() (spots []spot, named string) {
	rows := m.listed()
	marked := slices.DeleteFunc(slices.Clone(rows), func(r conflictRow) bool { return !m.list.marked[r.name()] })
	if len(marked) == 0 {
		if here := m.rowHere(rows); here >= 0 {
			marked = rows[here : here+1]
		}
	}
	for _, r := range marked {
		spots = append(spots, r.spots...)
	}
	if len(marked) == 1 {
		return spots, safe.Line(fileName(marked[0].path))
	}
	return spots, wording.Count(len(marked), "file")
}

// giveListedAs answers all questions of the marked rows, those that are answered already too: one says so by the key.
func (m *Model) giveListedAs(a mend.Answer) tea.Cmd {
	targets, named := m.targets()
	answer := lastAnswer{Answer: a, own: m.conflicted().First}
	var given []mend.Resolution
	for _, s := range targets {
		if g, ok := m.questionAt(s).Fitting(m.steps[s.step].Files[s.file].Conflict, answer.on(m.steps[s.step].First)); ok {
			given = append(given, g)
		}
	}
	if len(given) == 0 {
		return kit.Say("That cannot be the answer there.")
	}
	m.list.marked = map[string]bool{}
	said := fmt.Sprintf("%s, in %s: %s.", wording.Count(len(given), "place"), named, m.answerKeys(a))
	return m.giveAll(true, given, said)
}

func (m *Model) clearListed() tea.Cmd {
	targets, named := m.targets()
	var questions []mend.Question
	for _, s := range targets {
		if q := m.questionAt(s); q.Origin != mend.Open {
			questions = append(questions, q)
		}
	}
	if len(questions) == 0 {
		return kit.Say("Nothing is answered there.")
	}
	return m.reopenAll(questions, named+" is open again.")
}

// chooseFilter asks which conflicts are listed.
func (m *Model) chooseFilter() tea.Cmd {
	only := func(key, name string, fits func(r conflictRow) bool) kit.Option {
		return kit.Option{Key: key, Label: name, Do: func() tea.Cmd {
			m.list.only = filter{name, fits}
			if rows := m.listed(); m.rowHere(rows) < 0 && len(rows) > 0 {
				return m.goToOpen(rows[0])
			}
			return nil
		}}
	}
	all := only("a", "all", nil)
	options := []kit.Option{all, only("o", "what is open", func(r conflictRow) bool { return r.open() > 0 })}
	rows := m.rowsOf()
	if here := m.rowHere(rows); here >= 0 {
		r := rows[here]
		options = append(options,
			only("f", "the file "+safe.Line(r.path), func(o conflictRow) bool { return o.path == r.path }),
			only("k", "of this kind: "+r.kind, func(o conflictRow) bool { return o.kind == r.kind }))
		if r.person != "" {
			options = append(options, only("p", "against "+safe.Line(r.person), func(o conflictRow) bool { return o.person == r.person }))
		}
	}
	return kit.Show(kit.Choose{Title: "List which conflicts?", Options: options})
}

// listHalf draws the list.
func (m *Model) listHalf(width, height int, theme kit.Theme) []string {
	heads, rows := m.headings(), m.listed()
	_, open := m.open()
	what := fmt.Sprintf("%s, %d open", wording.Count(len(m.spots), "question"), open)
	drawn := []string{kit.Heading(width, "Now", what, true, theme.Now, theme, false)}
	for _, head := range heads {
		drawn = append(drawn, kit.Row(width, nil, head.segs(theme)...))
	}
	if m.list.only.fits != nil {
		drawn = append(drawn, kit.Row(width, nil, kit.Seg{Text: safe.Show("  only " + m.list.only.name), Style: theme.Accent}))
	}
	label := "  entry  file"
	if m.waiting != nil {
		label = "  file"
	}
	drawn = append(drawn, kit.Blank(width), kit.Row(width, nil, kit.Seg{Text: safe.Show(label), Style: theme.Dim}))
	here, room := m.rowHere(rows), height-len(drawn)
	m.list.above = len(drawn)
	if m.list.here != here { // else the wheel may have scrolled
		m.list.top, m.list.here = kit.Scroll(m.list.top, max(0, here), room, len(rows)), here
	}
	m.list.top = max(0, min(m.list.top, len(rows)-room))
	for at := m.list.top; at < min(len(rows), m.list.top+room); at++ {
		drawn = append(drawn, m.drawConflict(rows[at], at == here, width, theme))
	}
	if len(rows) == 0 {
		drawn = append(drawn, kit.Row(width, nil, kit.Seg{Text: "  Nothing of that kind.", Style: theme.Dim}))
	}
	return kit.Pad(drawn, width, height)
}

// heading names one of the two sources of conflicts.
type heading struct {
	name string
	open int
	here bool
}

func (h heading) segs(theme kit.Theme) []kit.Seg {
	mark, style := "  ", theme.Dim
	if h.here {
		mark, style = "▸ ", theme.Strong
	}
	return []kit.Seg{{Text: safe.Show("  " + mark), Style: theme.Accent}, {Text: safe.Show(h.name), Style: style},
		{Text: safe.Show(fmt.Sprintf("  %d open", h.open)), Style: theme.Dim}}
}

// headings are the plan, and what waits in the working tree, where both have conflicts.
func (m *Model) headings() (heads []heading) {
	if m.pending == nil || len(m.ofPlan.Steps) == 0 {
		return nil
	}
	planned := 0
	for _, step := range m.ofPlan.Steps {
		planned += step.Open()
	}
	return []heading{{"the plan of " + safe.Line(m.planner.Plan().Branch), planned, m.waiting == nil},
		{safe.Line(m.pending.Title), m.pending.Open(), m.waiting != nil}}
}

func (m *Model) drawConflict(r conflictRow, here bool, width int, theme kit.Theme) string {
	backdrop, pointer := kit.Cursor(theme, here, 1)
	mark := kit.Seg{Text: " "}
	if m.list.marked[r.name()] {
		mark = kit.Seg{Text: "■", Style: theme.Marked}
	}
	style, state, entry := theme.Next, stateWords(r), ""
	if !r.waiting {
		entry = fmt.Sprintf("%5d  ", r.entries[0]+1)
		if len(r.entries) > 1 {
			state += fmt.Sprintf(", in %d entries", len(r.entries))
		}
	}
	if r.open() > 0 {
		style = theme.Trouble
	}
	name := kit.Seg{Text: safe.Show(r.path), Style: theme.Plain}
	if !r.sure {
		name.Style, state = theme.Dim, state+", uncertain"
	}
	kind := ""
	if r.kind != string(merge.Content) { // which most are
		kind = "  " + r.kind
	}
	return kit.Split(width, backdrop, []kit.Seg{pointer, mark, {Text: safe.Show(entry), Style: theme.Dim}, name,
		{Text: safe.Show(kind), Style: theme.Dim}}, kit.Seg{Text: safe.Show(state), Style: style})
}

// origins says by whom questions are answered.
var origins = []struct {
	origin mend.Origin
	by     string
}{{mend.Here, "by you"}, {mend.Elsewhere, "as elsewhere"}, {mend.Remembered, "remembered"}, {mend.ByHand, "by hand"}}

func stateWords(r conflictRow) string {
	var words []string
	if n := r.open(); n > 0 {
		words = append(words, fmt.Sprintf("%d open", n))
	}
	for _, o := range origins {
		if n := r.states[o.origin]; n > 0 && r.questions() > 1 {
			words = append(words, fmt.Sprintf("%d %s", n, o.by))
		} else if n > 0 {
			words = append(words, o.by)
		}
	}
	return strings.Join(words, ", ")
}

// clickList goes to the conflict in a row.
func (m *Model) clickList(x, y int) tea.Cmd {
	half, _ := kit.Beside(m.size)
	rows := m.listed()
	at := y - m.list.above + m.list.top
	if y < m.list.above || at >= len(rows) || !m.size.Narrow && x >= half {
		return nil
	}
	return m.goToOpen(rows[at])
}
