package mend

import (
	"fmt"
	"slices"
	"time"

	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// The region at the cursor: its sides, each under what it is, and their base, between some lines that are settled. Lines wrap.

// sideLine is a line of a side, or of the base, that the cursor can stand on.
type sideLine struct {
	side mend.Side
	line int
}

// lines lists those lines, the ones of the sides in the order of their keys first.
func (m *Model) lines() (lines []sideLine) {
	q, _ := m.question()
	if q.Region == nil {
		return nil
	}
	for _, side := range m.sections(q) {
		for n := range sideText(q.Region, side) {
			lines = append(lines, sideLine{side, n})
		}
	}
	return lines
}

// sections are the sides in the order of their keys, and the base where there is one.
func (m *Model) sections(q mend.Question) []mend.Side {
	sides := m.sides()
	if q.Region.NoBase {
		return sides[:]
	}
	return append(sides[:], mend.Base)
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

func spanOf(r *merge.Region, side mend.Side) merge.Span {
	switch side {
	case mend.Left:
		return r.LeftSpan
	case mend.Right:
		return r.RightSpan
	}
	return r.BaseSpan
}

// toNextSide goes to the first line of the next side, or of the base.
func (m *Model) toNextSide() {
	lines := m.lines()
	if len(lines) == 0 {
		return
	}
	m.half = kit.Now
	here := lines[min(m.line, len(lines)-1)].side
	next := slices.IndexFunc(lines[m.line:], func(l sideLine) bool { return l.side != here })
	if next < 0 { // behind the last one comes the first
		m.line = 0
		return
	}
	m.line += next
}

// cell is a line in a column of the region, or one of its rows.
type cell struct {
	at     int // among the lines that the cursor can stand on; -1: none of them
	side   mend.Side
	number int
	sign   string
	text   stream.CodeLine
	part   int
	quiet  bool // it is settled, or the base's
}

// nowRow is a row of Now: words, in one column or in two, or a line in one or in two.
type nowRow struct {
	words  []kit.Seg
	beside *[2][]kit.Seg
	cells  []*cell
}

// at is the line that the cursor stands on in a row, if the row shows it.
func (r nowRow) at(line int) bool {
	return slices.ContainsFunc(r.cells, func(c *cell) bool { return c != nil && c.at == line && line >= 0 })
}

// laying is what a region is laid out for.
type laying struct {
	place   mend.Place
	key     mend.Key
	width   int
	columns bool
	against bool
	tab     int
	ground  kit.Background
	texts   bool // of a path without regions: they are read
}

// marginWidth is the room before a line: the cursor, what is picked, the number, the sign.
const marginWidth = 9

// aroundRegion is how many settled lines are shown before a region, and behind it.
const aroundRegion = 3

// nowRows lays the question at the cursor out, once for each way to be shown.
func (m *Model) nowRows(width int, theme kit.Theme) []nowRow {
	q, _ := m.question()
	want := laying{place: q.Place, key: q.Key, width: width, columns: theme.TwoColumns, against: m.against, tab: theme.Tab,
		ground: theme.Ground, texts: m.textsOf == m.spot() && m.texts != nil}
	if m.laid != nil && m.laidFor == want {
		return m.laid
	}
	l := layout{m: m, q: q, theme: theme, width: width}
	if q.Region == nil {
		m.wholeRows(width, theme, l.say)
	} else {
		l.region()
	}
	m.laid, m.laidFor = l.rows, want
	return l.rows
}

// layout is a region as it is being laid out.
type layout struct {
	m     *Model
	q     mend.Question
	theme kit.Theme
	width int
	rows  []nowRow
}

func (l *layout) say(segs ...kit.Seg) { l.rows = append(l.rows, nowRow{words: segs}) }

func (l *layout) region() {
	before, after := l.m.surroundings()
	own := l.m.sides()[0]
	span := spanOf(l.q.Region, own)
	l.settled(before, span.Start-len(before))
	if l.theme.TwoColumns {
		l.beside()
	} else {
		at := 0
		for key, side := range l.m.sides() {
			l.m.sideHead(l.width, key+1, side, l.theme, l.say)
			l.side(side, at, l.width)
			at += len(sideText(l.q.Region, side))
			l.say()
		}
	}
	l.base()
	l.settled(after, span.End)
}

// surroundings are the settled lines before the region at the cursor and behind it.
func (m *Model) surroundings() (before, after [][]byte) {
	region := -1
	chunks := m.file().Chunks
	for i, chunk := range chunks {
		if chunk.Region == nil {
			continue
		}
		if region++; region != m.spot().question {
			continue
		}
		if i > 0 {
			before = chunks[i-1].Settled
		}
		if i+1 < len(chunks) {
			after = chunks[i+1].Settled
		}
	}
	most := aroundRegion
	if m.size.Narrow {
		most = 1
	}
	return before[max(0, len(before)-most):], after[:min(len(after), most)]
}

// settled adds lines that both sides have, the first of which has a number counted from 0.
func (l *layout) settled(lines [][]byte, first int) {
	for i, line := range lines {
		l.line(&cell{at: -1, number: first + i + 1, text: stream.CodeLine{Path: l.m.file().Path, Text: line}, quiet: true})
	}
	if len(lines) > 0 {
		l.say()
	}
}

// line adds a line over the whole width, in as many rows as it needs.
func (l *layout) line(c *cell) {
	for part := range c.text.Height(l.width-marginWidth, l.theme) {
		row := *c
		row.part = part
		l.rows = append(l.rows, nowRow{cells: []*cell{&row}})
	}
}

// side adds a side's lines, the first of which the cursor finds at a place.
func (l *layout) side(side mend.Side, at, width int) {
	for _, c := range l.cells(side, at) {
		l.line(c)
	}
	if len(sideText(l.q.Region, side)) == 0 {
		l.say(kit.Seg{Text: "         nothing: its lines went", Style: l.theme.Dim})
	}
}

// cells are a side's lines; against the base they are what the side added, with what it took away.
func (l *layout) cells(side mend.Side, at int) (cells []*cell) {
	r := l.q.Region
	text, span := sideText(r, side), spanOf(r, side)
	others := l.partners(side)
	added := func(n int, sign string) {
		cells = append(cells, &cell{at: at + n, side: side, number: span.Start + n + 1, sign: sign, quiet: side == mend.Base,
			text: stream.CodeLine{Path: l.m.file().Path, Text: text[n], Others: others[n]}})
	}
	if !l.m.against || side == mend.Base || r.NoBase {
		for n := range text {
			added(n, "")
		}
		return cells
	}
	n, gone := 0, l.partners(mend.Base)
	for _, c := range append(diff.Lines(r.Base, text), diff.Change{NewStart: len(text), NewEnd: len(text)}) {
		for ; n < c.NewStart; n++ {
			added(n, " ")
		}
		for o := c.OldStart; o < c.OldEnd; o++ {
			cells = append(cells, &cell{at: -1, side: mend.Base, number: r.BaseSpan.Start + o + 1, sign: "−",
				text: stream.CodeLine{Path: l.m.file().Path, Text: r.Base[o], Others: gone[o]}})
		}
		for ; n < c.NewEnd; n++ {
			added(n, "+")
		}
	}
	return cells
}

// partners are the lines that each line of a side is held against: by likeness its line in the base, and of a base's line those
// of both sides. Where there is no base, the other side's.
func (l *layout) partners(side mend.Side) [][][]byte {
	r := l.q.Region
	of := make([][][]byte, len(sideText(r, side)))
	pair := func(other mend.Side) {
		for _, p := range diff.Pairs(sideText(r, side), sideText(r, other)) {
			of[p[0]] = append(of[p[0]], sideText(r, other)[p[1]])
		}
	}
	sides := l.m.sides()
	switch {
	case side == mend.Base:
		pair(sides[0])
		pair(sides[1])
	case r.NoBase || len(r.Base) == 0:
		for _, other := range sides {
			if other != side {
				pair(other)
			}
		}
	default:
		pair(mend.Base)
	}
	return of
}

// beside adds the sides in two columns, lines that are alike beside each other.
func (l *layout) beside() {
	half := l.width / 2
	heads := [2][]nowRow{}
	for key, side := range l.m.sides() {
		head := layout{m: l.m, q: l.q, theme: l.theme, width: half}
		l.m.sideHead(half, key+1, side, l.theme, head.say)
		heads[key] = head.rows
	}
	for i := range max(len(heads[0]), len(heads[1])) {
		var row [2][]kit.Seg
		for key := range heads {
			if i < len(heads[key]) {
				row[key] = heads[key][i].words
			}
		}
		l.rows = append(l.rows, nowRow{beside: &row})
	}
	sides := l.m.sides()
	first := l.cells(sides[0], 0)
	second := l.cells(sides[1], len(sideText(l.q.Region, sides[0])))
	for _, pair := range aligned(first, second) {
		l.pair(pair, half)
	}
	l.say()
}

// aligned puts alike lines of two columns beside each other.
func aligned(first, second []*cell) (pairs [][2]*cell) {
	texts := func(cells []*cell) (list [][]byte) {
		for _, c := range cells {
			list = append(list, c.text.Text)
		}
		return list
	}
	i, j := 0, 0
	for _, p := range append(diff.Pairs(texts(first), texts(second)), [2]int{len(first), len(second)}) {
		for ; i < p[0]; i++ {
			pairs = append(pairs, [2]*cell{first[i], nil})
		}
		for ; j < p[1]; j++ {
			pairs = append(pairs, [2]*cell{nil, second[j]})
		}
		if p[0] < len(first) && p[1] < len(second) {
			pairs = append(pairs, [2]*cell{first[i], second[j]})
			i, j = i+1, j+1
		}
	}
	return pairs
}

// pair adds two lines that lie beside each other, in as many rows as the longer one needs.
func (l *layout) pair(pair [2]*cell, width int) {
	height := 1
	for _, c := range pair {
		if c != nil {
			height = max(height, c.text.Height(width-marginWidth, l.theme))
		}
	}
	for part := range height {
		row := nowRow{cells: make([]*cell, 2)}
		for i, c := range pair {
			if c != nil && part < c.text.Height(width-marginWidth, l.theme) {
				one := *c
				one.part = part
				row.cells[i] = &one
			}
		}
		l.rows = append(l.rows, row)
	}
}

func (l *layout) base() {
	l.m.baseHead(l.theme, l.say)
	switch {
	case l.q.Region.NoBase:
		l.say(kit.Seg{Text: "         none: " + noBase, Style: l.theme.Dim})
		return
	case len(l.q.Region.Base) == 0:
		l.say(kit.Seg{Text: "         nothing", Style: l.theme.Dim})
	}
	sides := l.m.sides()
	for _, c := range l.cells(mend.Base, len(sideText(l.q.Region, sides[0]))+len(sideText(l.q.Region, sides[1]))) {
		l.line(c)
	}
	l.say()
}

// drawNow draws a row of Now.
func (m *Model) drawNow(r nowRow, width int, theme kit.Theme) string {
	half := width / 2
	switch {
	case r.beside != nil:
		return kit.Row(half, nil, r.beside[0]...) + kit.Row(width-half, nil, r.beside[1]...)
	case r.cells == nil:
		return kit.Row(width, nil, r.words...)
	case len(r.cells) == 1:
		return m.drawCell(r.cells[0], width, theme)
	}
	return m.drawCell(r.cells[0], half, theme) + m.drawCell(r.cells[1], width-half, theme)
}

func (m *Model) drawCell(c *cell, width int, theme kit.Theme) string {
	if c == nil {
		return kit.Blank(width)
	}
	backdrop, pointer := kit.Cursor(theme, c.at >= 0 && c.at == m.line && m.half == kit.Now && m.list == nil, 1)
	mark, style := kit.Seg{Text: " "}, theme.Plain
	if q, _ := m.question(); c.at >= 0 && picked(q, c.side, m.lineOf(c)) {
		mark = kit.Seg{Text: "■", Style: theme.Marked}
	}
	switch {
	case c.sign == "+":
		style = theme.Added
	case c.sign == "−":
		style = theme.Removed
	case c.quiet:
		style = theme.Dim
	}
	count := fmt.Sprintf("%5d", c.number)
	if c.part > 0 {
		count = "     "
	}
	sign := " "
	if c.sign != "" && c.part == 0 {
		sign = c.sign
	}
	segs := []kit.Seg{pointer, mark, {Text: safe.Show(count), Style: theme.Dim}, {Text: safe.Show(sign + " "), Style: style}}
	rows := m.code.Rows(c.text, width-marginWidth, style, theme)
	return kit.Row(width, backdrop, append(segs, rows[min(c.part, len(rows)-1)]...)...)
}

// lineOf is the line of its side that a cell shows.
func (m *Model) lineOf(c *cell) int {
	q, _ := m.question()
	return c.number - 1 - spanOf(q.Region, c.side).Start
}

// nowBody draws what there is room for, with the cursor in view.
func (m *Model) nowBody(width, height int, theme kit.Theme) []string {
	rows := m.nowRows(width, theme)
	focus := -1
	for i, r := range rows {
		if r.at(m.line) {
			focus = i
			break
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
	var drawn []string
	for _, r := range rows[m.top:min(len(rows), m.top+height)] {
		drawn = append(drawn, m.drawNow(r, width, theme))
	}
	return kit.Pad(drawn, width, height)
}

// sideHead is a side under what it is: the key that takes it, its name, the commit's subject, and who wrote it when.
func (m *Model) sideHead(width, key int, side mend.Side, theme kit.Theme, plain func(...kit.Seg)) {
	story := m.story(side)
	style := theme.Now
	if key == 1 {
		style = theme.Accent
	}
	head := []kit.Seg{{Text: safe.Show(fmt.Sprintf("  %d ", key)), Style: style.Bold(true)},
		{Text: safe.Show(story.Name), Style: style.Bold(true)}}
	n := len(story.Commits)
	if n == 0 {
		plain(head...)
		return
	}
	c := story.Commits[n-1]
	subject := safe.Line(c.Commit.Subject())
	if n > 1 {
		subject += fmt.Sprintf("  and %d before it", n-1)
	}
	if len([]rune(story.Name))+len([]rune(subject))+6 <= width {
		plain(append(head, kit.Seg{Text: safe.Show("  " + subject), Style: theme.Strong})...)
	} else {
		plain(head...)
		for _, line := range kit.Wrap(subject, width-5) {
			plain(kit.Seg{Text: safe.Show("    " + line), Style: theme.Strong})
		}
	}
	writer := c.Commit.Writer()
	plain(kit.Seg{Text: safe.Show("    " + safe.Line(writer.Name) + ", " + kit.Age(writer.When, time.Now()) + "  " + c.ID.Short()),
		Style: theme.Dim})
}

func (m *Model) baseHead(theme kit.Theme, plain func(...kit.Seg)) {
	plain(kit.Seg{Text: "  base", Style: theme.Dim.Bold(true)}, kit.Seg{Text: "  their common start", Style: theme.Dim})
}

// picked says whether a line stands in the answer.
func picked(q mend.Question, side mend.Side, line int) bool {
	if q.Origin == mend.Open {
		return false
	}
	return slices.ContainsFunc(q.Answer.Take, func(p mend.Part) bool {
		return p.Side == side && (p.Lines == nil || slices.Contains(p.Lines, line))
	})
}

// noBase says why a base cannot be shown, nor taken.
const noBase = "the histories parted twice, and their starts disagree here"
