// Package stream is a scroll of changes: file after file, hunk after hunk, with a
// cursor and marked lines, in sections where there are several lists. It shows them
// and says what is picked; what happens to it is left to the screens.
//
// Its tests promise: the place is kept when files change, and picked is what is marked.
package stream

import (
	"cmp"
	"slices"

	"bastel/internal/diff"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

type rowKind uint8

const (
	sectionRow rowKind = iota
	insideRow          // says that a section holds nothing, or what, where only its heading shows
	fileRow
	hunkRow // where a hunk, or the part after a cut, lies, or all there is to say of it
	lineRow
	gapRow
	remarkRow // a line of a remark on the line above
)

// row is one line of the scroll, by places in sections, files, hunks and lines; -1
// where it has none. A line that is longer than the scroll is wide takes several
// rows, its parts. In two columns left is the removed line that stands beside a line.
type row struct {
	kind                                  rowKind
	section, file, hunk, line, part, left int32
}

// Section is one of the lists: the loose changes, or a tray with its heading.
type Section struct {
	Layer   tray.Layer
	Files   []tray.File
	Heading bool
	Name    string // of the heading: the tray's letter
	Title   string // what it will be called, or a hint where it has no name yet
	Untitled,
	Current bool
	Note string // how large it is
}

// Model is the scroll. The zero value is empty.
type Model struct {
	sections []Section
	files    []tray.File // of all sections
	owner    []int32     // the section of each file
	rows     []row
	cursor   int
	old      bool // in a row with two lines, it is on the one that was
	top      int
	height   int
	width    int                       // that the rows are laid out for
	tab      int                       // how far apart tab stops are
	two      bool                      // in two columns: old and new beside each other
	marks    tray.LinesOfHunks         // by hunk id: marked lines
	cuts     tray.LinesOfHunks         // by hunk id: lines before which it is cut
	hidden   map[string]bool           // by hunk id: the lines are out of sight
	shut     map[tray.Layer]bool       // sections of which only the heading shows
	read     map[string]bool           // by hunk id: looked through
	noSpaces bool                      // changes of white space do not show as such
	spaces   map[string]map[int]hiding // by hunk, what becomes of its lines then
	leftover tray.LinesOfHunks         // by hunk id: lines that a sweep would take
	also     map[string]string         // by path: where else the file has changes
	remarks  RemarksByLine
	colours  painter
}

// Set shows other changes, in one list without a heading, and keeps the place: the
// hunk at the cursor, or the one that has come into its place.
func (m *Model) Set(files []tray.File) { m.SetSections([]Section{{Layer: tray.Loose, Files: files}}) }

// SetSections shows several lists.
func (m *Model) SetSections(sections []Section) {
	layer, path, hunk := m.place()
	at, before := m.at(), tray.Hunk{}
	if at.hunk >= 0 {
		before = m.files[at.file].Hunks[at.hunk]
	}
	m.sections, m.files, m.owner, m.spaces = sections, nil, nil, map[string]map[int]hiding{}
	m.colours.forgetWorking()
	for s := range sections {
		m.files = append(m.files, sections[s].Files...)
		for range sections[s].Files {
			m.owner = append(m.owner, int32(s))
		}
	}
	m.layout()
	m.dropStale()
	m.restore(layer, path, hunk)
	m.restoreLine(at, before)
}

// restoreLine takes the cursor to the line that it was on, if that hunk is still the
// same one.
func (m *Model) restoreLine(was row, before tray.Hunk) {
	now := m.at()
	if was.line < 0 || now.hunk < 0 || m.files[now.file].Hunks[now.hunk].ID != before.ID {
		return
	}
	was.section, was.file, was.hunk = now.section, now.file, now.hunk
	m.goTo(was)
}

// layout makes the rows for the current width.
func (m *Model) layout() {
	m.rows = m.rows[:0]
	f := 0
	for s := range m.sections {
		section := &m.sections[s]
		if section.Heading {
			if s > 0 {
				m.rows = append(m.rows, row{gapRow, int32(s), -1, -1, -1, 0, -1})
			}
			m.rows = append(m.rows, row{sectionRow, int32(s), -1, -1, -1, 0, -1})
			if len(section.Files) == 0 || m.shut[section.Layer] {
				m.rows = append(m.rows, row{insideRow, int32(s), -1, -1, -1, 0, -1})
			}
		}
		for n := range section.Files {
			if !m.shut[section.Layer] {
				if n > 0 {
					m.rows = append(m.rows, row{gapRow, int32(s), int32(f), -1, -1, 0, -1})
				}
				m.layoutFile(int32(s), int32(f))
			}
			f++
		}
	}
}

func (m *Model) layoutFile(s, f int32) {
	m.rows = append(m.rows, row{fileRow, s, f, -1, -1, 0, -1})
	for h := range m.files[f].Hunks {
		hunk := &m.files[f].Hunks[h]
		m.rows = append(m.rows, row{hunkRow, s, f, int32(h), -1, 0, -1})
		if m.hidden[hunk.ID] {
			continue
		}
		cuts := m.cuts[hunk.ID]
		hidden := m.spaceOnly(hunk)
		for _, p := range m.pairs(hunk) {
			if cuts[p.line] || p.left >= 0 && cuts[p.left] {
				m.rows = append(m.rows, row{hunkRow, s, f, int32(h), int32(p.first()), 0, -1})
			}
			if !m.twoFor(hunk) && hidden[p.line] == dropped {
				continue
			}
			parts := m.parts(hunk, p.line)
			if p.left >= 0 {
				parts = max(parts, m.parts(hunk, p.left))
			}
			for part := range parts {
				m.rows = append(m.rows, row{lineRow, s, f, int32(h), int32(p.line), int32(part), int32(p.left)})
			}
			for _, l := range p.lines() {
				for part := range m.remarkLines(hunk.ID, l) {
					m.rows = append(m.rows, row{remarkRow, s, f, int32(h), int32(l), int32(part), -1})
				}
			}
		}
	}
}

// gutter is the room for pointer, number and sign before a line's text.
const gutter = 9

// room is how wide the text of a hunk's lines can be.
func (m *Model) room(h *tray.Hunk) int {
	if m.twoFor(h) {
		return columnOf(m.width) - gutter + pointerWidth
	}
	return m.width - gutter
}

// parts says how many rows a line takes.
func (m *Model) parts(h *tray.Hunk, at int) int {
	room, line := m.room(h), h.Lines[at].Text
	if m.width == 0 || len(line)*m.tab <= room || room < 10 {
		return 1
	}
	return len(wrap(display(line, nil, m.tab).text, room))
}

// resize lays the rows out for another width, or other columns, and keeps the place.
func (m *Model) resize(width, tab int, two bool) {
	two = two && columnOf(width) >= narrowest
	if width != m.width || two != m.two || tab != m.tab {
		m.width, m.two, m.tab = width, two, tab
		m.relayout()
	}
}

// find gives the row that shows what another one did, before they were laid out anew; -1: none does.
func (m *Model) find(want row) int {
	return slices.IndexFunc(m.rows, func(r row) bool {
		return r.like(want) && (r.line == want.line || r.left >= 0 && r.left == want.line)
	})
}

// goTo takes the cursor to the row that shows what another one did, if there is one.
func (m *Model) goTo(want row) bool {
	at := m.find(want)
	if at < 0 {
		return false
	}
	m.cursor, m.old = at, m.rows[at].left >= 0 && m.rows[at].left == want.line
	return true
}

// like says whether a row is as another one, whatever lines stand in it.
func (r row) like(other row) bool {
	r.line, r.left = other.line, other.left
	return r == other
}

// relayout lays the rows out anew, with the cursor where it was, or on what the row
// at the cursor belongs to.
func (m *Model) relayout() {
	at := m.at()
	at.part = 0
	m.layout()
	for _, want := range []row{at, {hunkRow, at.section, at.file, at.hunk, -1, 0, -1}, {fileRow, at.section, at.file, -1, -1, 0, -1},
		{sectionRow, at.section, -1, -1, -1, 0, -1}} {
		if m.goTo(want) {
			return
		}
	}
	m.cursor = max(0, min(m.cursor, len(m.rows)-1))
}

// at is the row at the cursor; of two lines in a row, it has the one that the cursor is on.
func (m *Model) at() row {
	if m.cursor >= len(m.rows) {
		return row{gapRow, -1, -1, -1, -1, 0, -1}
	}
	r := m.rows[m.cursor]
	if m.old && r.left >= 0 {
		r.line = r.left
	}
	r.left = -1
	return r
}

func (m *Model) place() (layer tray.Layer, path string, hunk int) {
	r := m.at()
	if r.section >= 0 {
		layer = m.sections[r.section].Layer
	}
	if r.file >= 0 {
		path = m.files[r.file].Path
	}
	return layer, path, int(r.hunk)
}

func (m *Model) restore(layer tray.Layer, path string, hunk int) {
	m.cursor = 0
	if len(m.rows) == 0 {
		return
	}
	if path == "" { // nothing was shown, or the cursor was on a section's heading
		at := slices.IndexFunc(m.rows, func(r row) bool {
			return r.kind == sectionRow && m.sections[r.section].Layer >= layer
		})
		if at < 0 {
			at = min(1, len(m.rows)-1)
		}
		m.cursor = at
		return
	}
	at := slices.IndexFunc(m.rows, func(r row) bool {
		return r.kind == fileRow && m.sections[r.section].Layer == layer && m.files[r.file].Path == path
	})
	if at < 0 {
		at = m.inPlaceOf(layer, path)
	}
	if at < 0 || m.rows[at].kind == sectionRow {
		m.beforeRow(at)
		return
	}
	f := &m.files[m.rows[at].file]
	want := 0
	if f.Path == path {
		want = min(max(hunk, 0), len(f.Hunks)-1)
	}
	for m.cursor = at; m.cursor < len(m.rows)-1; m.cursor++ {
		if r := m.rows[m.cursor]; r.kind == hunkRow && int(r.hunk) == want {
			break
		}
	}
}

// inPlaceOf is the row of the file that has come into the place of one that is gone, or of the section
// behind it; -1 stands for the end. Files that the index does not have stand behind all others.
func (m *Model) inPlaceOf(layer tray.Layer, path string) int {
	return slices.IndexFunc(m.rows, func(r row) bool {
		if r.kind == sectionRow {
			return m.sections[r.section].Layer > layer
		}
		return r.kind == fileRow && cmp.Or(cmp.Compare(m.sections[r.section].Layer, layer), cmp.Compare(m.files[r.file].Path, path)) >= 0
	})
}

// beforeRow takes the cursor to the last hunk, or heading, before a row; -1 stands
// for the end.
func (m *Model) beforeRow(at int) {
	if at < 0 {
		at = len(m.rows)
	}
	for m.cursor = max(0, at-1); m.cursor > 0; m.cursor-- {
		if kind := m.rows[m.cursor].kind; kind == hunkRow || kind == sectionRow {
			return
		}
	}
}

// dropStale forgets the marks and cuts of hunks that are not there any more.
func (m *Model) dropStale() {
	live := map[string]bool{}
	for _, f := range m.files {
		for _, h := range f.Hunks {
			live[h.ID] = true
		}
	}
	for _, places := range []tray.LinesOfHunks{m.marks, m.cuts} {
		for id := range places {
			if !live[id] {
				delete(places, id)
			}
		}
	}
}

// Empty says whether there is nothing to show.
func (m *Model) Empty() bool { return len(m.files) == 0 }

// Layer is the layer of the section at the cursor.
func (m *Model) Layer() tray.Layer {
	if r := m.at(); r.section >= 0 {
		return m.sections[r.section].Layer
	}
	return tray.Loose
}

// SetClosed shows only the headings of sections for which shut says so.
func (m *Model) SetClosed(shut func(tray.Layer) bool) {
	m.shut = map[tray.Layer]bool{}
	for _, s := range m.sections {
		m.shut[s.Layer] = s.Heading && shut(s.Layer)
	}
	m.relayout()
}

// HideSpaces hides changes of white space, or shows them again. Nothing but the view
// changes.
func (m *Model) HideSpaces(hide bool) {
	m.noSpaces, m.spaces = hide, map[string]map[int]hiding{}
	m.relayout()
}

// Move takes the cursor some lines down, or up: in two columns from the line that was to the one beside it, then on.
func (m *Model) Move(lines int) {
	for ; lines > 0; lines-- {
		m.step(1)
	}
	for ; lines < 0; lines++ {
		m.step(-1)
	}
}

// step goes to the line after the one at the cursor, or before it.
func (m *Model) step(by int) {
	if m.cursor < len(m.rows) && m.rows[m.cursor].two() && m.old == (by > 0) {
		m.old = !m.old
		return
	}
	at := m.cursor + by
	if at >= 0 && at < len(m.rows) && m.rows[at].kind == gapRow {
		at += by
	}
	if at < 0 || at >= len(m.rows) {
		return
	}
	m.cursor = at
	m.old = by > 0 && m.rows[at].two()
}

// two says whether the cursor stops twice in a row: where two lines begin.
func (r row) two() bool { return r.left >= 0 && r.part == 0 }

// Page takes the cursor some screens down, or up.
func (m *Model) Page(pages int) {
	m.cursor, m.old = max(0, min(m.cursor+pages*max(1, m.height-4), len(m.rows)-1)), false
	if m.at().kind == gapRow {
		m.step(max(-1, min(1, pages)))
	}
}

// End takes the cursor to the last row, or to the first.
func (m *Model) End(last bool) {
	m.cursor, m.old = 0, false
	if last {
		m.cursor = max(0, len(m.rows)-1)
	}
}

// Hunk takes the cursor to the next hunk, or the one before.
func (m *Model) Hunk(step int) { m.jump(step, hunkRow) }

// File takes the cursor to the next file, or the one before.
func (m *Model) File(step int) { m.jump(step, fileRow) }

// Section takes the cursor to the heading of a layer.
func (m *Model) Section(layer tray.Layer) {
	at := slices.IndexFunc(m.rows, func(r row) bool { return r.kind == sectionRow && m.sections[r.section].Layer == layer })
	if at >= 0 {
		m.cursor = at
	}
}

func (m *Model) jump(step int, kind rowKind) {
	for at := m.cursor + step; at >= 0 && at < len(m.rows); at += step {
		if m.rows[at].kind == kind {
			m.cursor = at
			return
		}
	}
}

// Click takes the cursor to a visible line: x counts from the scroll's left edge.
func (m *Model) Click(x, y int) {
	if at := m.top + y; at >= 0 && at < len(m.rows) && m.rows[at].kind != gapRow {
		m.cursor, m.old = at, x < pointerWidth+columnOf(m.width)
	}
}

// ClickIn is Click where the scroll is a half of the screen: Now begins at its left edge, Next ends at its right one.
func (m *Model) ClickIn(half kit.Half, size kit.Size, x, y int) {
	if half == kit.Next {
		x -= size.Width - m.width
	}
	m.Click(x, y)
}

// FileRows gives the visible screen row of each file's heading, by path: the first
// one where several sections have the file.
func (m *Model) FileRows() map[string]int {
	rows := map[string]int{}
	for y := range m.height {
		if at := m.top + y; at < len(m.rows) && m.rows[at].kind == fileRow {
			path := m.files[m.rows[at].file].Path
			if _, ok := rows[path]; !ok {
				rows[path] = y
			}
		}
	}
	return rows
}

// CursorPath is the path of the file at the cursor.
func (m *Model) CursorPath() string {
	_, path, _ := m.place()
	return path
}

// CursorLine is the number of the working file's line at the cursor, counted from 1:
// of what is removed, the one that it stood before.
func (m *Model) CursorLine() int {
	r := m.at()
	if r.file < 0 {
		return 1
	}
	hunks := m.files[r.file].Hunks
	if r.hunk < 0 {
		if len(hunks) == 0 {
			return 1
		}
		r.hunk = 0
	}
	h := hunks[r.hunk]
	for at := max(int(r.line), 0); at < len(h.Lines); at++ {
		if line := h.Lines[at]; line.New >= 0 && (r.line >= 0 || line.Op != diff.Keep) {
			return line.New + 1
		}
	}
	return h.NewStart + 1
}
