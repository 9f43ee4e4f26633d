// Package stream is a scroll of changes: file after file, hunk after hunk, with a
// cursor and marked lines. It shows them and says what is picked; what happens to
// it is left to the screens.
package stream

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

type rowKind uint8

const (
	fileRow rowKind = iota
	hunkRow         // where a hunk lies, or all there is to say of it
	lineRow
	gapRow
)

// row is one line of the scroll, by places in files, hunks and lines. A line that
// is longer than the scroll is wide takes several rows, its parts.
type row struct {
	kind                   rowKind
	file, hunk, line, part int32
}

// Model is the scroll. The zero value is empty.
type Model struct {
	files  []tray.File
	rows   []row
	cursor int
	top    int
	height int
	width  int                     // that the rows are laid out for
	marks  map[string]map[int]bool // by hunk id: marked lines
	folded map[string]bool         // by hunk id: the lines are out of sight
	read   map[string]bool         // by hunk id: looked through
}

// Set shows other changes and keeps the place: the hunk at the cursor, or the one
// that has come into its place.
func (m *Model) Set(files []tray.File) {
	path, hunk := m.place()
	m.files = files
	m.layout()
	m.dropStaleMarks()
	m.restore(path, hunk)
}

// layout makes the rows for the current width.
func (m *Model) layout() {
	m.rows = m.rows[:0]
	for f := range m.files {
		if f > 0 {
			m.rows = append(m.rows, row{gapRow, int32(f), -1, -1, 0})
		}
		m.rows = append(m.rows, row{fileRow, int32(f), -1, -1, 0})
		for h := range m.files[f].Hunks {
			m.rows = append(m.rows, row{hunkRow, int32(f), int32(h), -1, 0})
			if m.folded[m.files[f].Hunks[h].ID] {
				continue
			}
			for l, line := range m.files[f].Hunks[h].Lines {
				for part := range m.parts(line.Text) {
					m.rows = append(m.rows, row{lineRow, int32(f), int32(h), int32(l), int32(part)})
				}
			}
		}
	}
}

// gutter is the room for pointer, number and sign before a line's text.
const gutter = 9

// parts says how many rows a line takes.
func (m *Model) parts(line []byte) int {
	room := m.width - gutter
	if m.width == 0 || len(line)*kit.TabWidth <= room || room < 10 {
		return 1
	}
	return len(wrap(display(line, nil).text, room))
}

// resize lays the rows out for another width, and keeps the place.
func (m *Model) resize(width int) {
	if width == m.width {
		return
	}
	var at row
	if m.cursor < len(m.rows) {
		at = m.rows[m.cursor]
		at.part = 0
	}
	m.width = width
	m.layout()
	m.cursor = max(0, slices.Index(m.rows, at))
}

func (m *Model) place() (path string, hunk int) {
	if m.cursor >= len(m.rows) {
		return "", -1
	}
	r := m.rows[m.cursor]
	return m.files[r.file].Path, int(r.hunk)
}

func (m *Model) restore(path string, hunk int) {
	at := slices.IndexFunc(m.rows, func(r row) bool { return m.files[r.file].Path >= path && r.kind == fileRow })
	switch {
	case len(m.rows) == 0:
		m.cursor = 0
		return
	case path == "" || at < 0 && hunk < 0:
		m.cursor = min(1, len(m.rows)-1)
		return
	case at < 0:
		m.cursor = len(m.rows) - 1
		m.toHunkRow(-1)
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

func (m *Model) dropStaleMarks() {
	live := map[string]bool{}
	for _, f := range m.files {
		for _, h := range f.Hunks {
			live[h.ID] = true
		}
	}
	for id := range m.marks {
		if !live[id] {
			delete(m.marks, id)
		}
	}
}

// Empty says whether there is nothing to show.
func (m *Model) Empty() bool { return len(m.rows) == 0 }

// Files is what is shown.
func (m *Model) Files() []tray.File { return m.files }

// Move takes the cursor some rows down, or up.
func (m *Model) Move(rows int) {
	m.cursor = max(0, min(m.cursor+rows, len(m.rows)-1))
	if m.cursor < len(m.rows) && m.rows[m.cursor].kind == gapRow {
		m.cursor += max(-1, min(1, rows))
	}
}

// Page takes the cursor some screens down, or up.
func (m *Model) Page(pages int) { m.Move(pages * max(1, m.height-4)) }

// End takes the cursor to the last row, or to the first.
func (m *Model) End(last bool) {
	m.cursor = 0
	if last {
		m.cursor = max(0, len(m.rows)-1)
	}
}

// Hunk takes the cursor to the next hunk, or the one before.
func (m *Model) Hunk(step int) { m.jump(step, hunkRow) }

// File takes the cursor to the next file, or the one before.
func (m *Model) File(step int) { m.jump(step, fileRow) }

func (m *Model) jump(step int, kind rowKind) {
	for at := m.cursor + step; at >= 0 && at < len(m.rows); at += step {
		if m.rows[at].kind == kind {
			m.cursor = at
			return
		}
	}
}

func (m *Model) toHunkRow(step int) {
	for m.cursor > 0 && m.cursor < len(m.rows) && m.rows[m.cursor].kind != hunkRow {
		m.cursor += step
	}
}

// Click takes the cursor to a visible row.
func (m *Model) Click(y int) {
	if at := m.top + y; at >= 0 && at < len(m.rows) && m.rows[at].kind != gapRow {
		m.cursor = at
	}
}

// Mark marks the line at the cursor, or takes the mark away, and goes on to the
// next one. It says whether there was a line to mark.
func (m *Model) Mark() bool {
	if m.cursor >= len(m.rows) {
		return false
	}
	r := m.rows[m.cursor]
	if r.kind != lineRow || m.files[r.file].Hunks[r.hunk].Lines[r.line].Op == diff.Keep {
		return false
	}
	id := m.files[r.file].Hunks[r.hunk].ID
	if m.marks == nil {
		m.marks = map[string]map[int]bool{}
	}
	if m.marks[id] == nil {
		m.marks[id] = map[int]bool{}
	}
	if m.marks[id][int(r.line)] {
		delete(m.marks[id], int(r.line))
	} else {
		m.marks[id][int(r.line)] = true
	}
	if len(m.marks[id]) == 0 {
		delete(m.marks, id)
	}
	for m.Move(1); m.cursor < len(m.rows)-1 && m.rows[m.cursor].part > 0; {
		m.Move(1)
	}
	return true
}

// atCursor gives the hunks that the cursor means: one, or all of a file on its heading.
func (m *Model) atCursor() []tray.Hunk {
	if m.cursor >= len(m.rows) {
		return nil
	}
	r := m.rows[m.cursor]
	hunks := m.files[r.file].Hunks
	if r.hunk < 0 {
		return hunks
	}
	return hunks[r.hunk : r.hunk+1]
}

// Fold takes the hunk at the cursor, or all of the file on its heading, out of
// sight, or brings it back.
func (m *Model) Fold() {
	hunks := m.atCursor()
	fold := slices.ContainsFunc(hunks, func(h tray.Hunk) bool { return !m.folded[h.ID] })
	m.setFolded(hunks, fold)
}

func (m *Model) setFolded(hunks []tray.Hunk, fold bool) {
	if m.folded == nil {
		m.folded = map[string]bool{}
	}
	for _, h := range hunks {
		m.folded[h.ID] = fold
	}
	var at row
	if m.cursor < len(m.rows) {
		at = m.rows[m.cursor]
	}
	m.layout()
	if at.kind == lineRow {
		at = row{hunkRow, at.file, at.hunk, -1, 0}
	}
	m.cursor = max(0, slices.Index(m.rows, at))
}

// Read notes that the hunk at the cursor, or all of the file on its heading, was
// looked through, folds it, and goes on to the next that was not. Once more takes
// the note back.
func (m *Model) Read() {
	hunks := m.atCursor()
	read := slices.ContainsFunc(hunks, func(h tray.Hunk) bool { return !m.read[h.ID] })
	if m.read == nil {
		m.read = map[string]bool{}
	}
	for _, h := range hunks {
		m.read[h.ID] = read
	}
	m.setFolded(hunks, read)
	if read {
		m.toUnread()
	}
}

func (m *Model) toUnread() {
	for at := m.cursor + 1; at < len(m.rows); at++ {
		r := m.rows[at]
		if r.kind == hunkRow && !m.read[m.files[r.file].Hunks[r.hunk].ID] {
			m.cursor = at
			return
		}
	}
}

// Unread counts the hunks that were not looked through, and all hunks.
func (m *Model) Unread() (unread, all int) {
	for _, f := range m.files {
		for _, h := range f.Hunks {
			all++
			if !m.read[h.ID] {
				unread++
			}
		}
	}
	return unread, all
}

// Hit is a place that a search found.
type Hit struct {
	Path string
	Line diff.Line
	file int
	hunk int
	line int
}

// Search finds the lines that hold a text, whatever its case, up to a limit.
func (m *Model) Search(text string, limit int) []Hit {
	var hits []Hit
	wanted := bytes.ToLower([]byte(text))
	for f := range m.files {
		for h := range m.files[f].Hunks {
			for l, line := range m.files[f].Hunks[h].Lines {
				if bytes.Contains(bytes.ToLower(line.Text), wanted) {
					hits = append(hits, Hit{m.files[f].Path, line, f, h, l})
				}
				if len(hits) == limit {
					return hits
				}
			}
		}
	}
	return hits
}

// GoTo takes the cursor to a hit, out of its fold.
func (m *Model) GoTo(hit Hit) {
	if hit.file >= len(m.files) || hit.hunk >= len(m.files[hit.file].Hunks) {
		return // the changes are others by now
	}
	m.setFolded(m.files[hit.file].Hunks[hit.hunk:hit.hunk+1], false)
	want := row{lineRow, int32(hit.file), int32(hit.hunk), int32(hit.line), 0}
	if at := slices.Index(m.rows, want); at >= 0 {
		m.cursor = at
	}
}

// Marked counts the marked lines.
func (m *Model) Marked() (n int) {
	for _, lines := range m.marks {
		n += len(lines)
	}
	return n
}

// Unmark takes all marks away.
func (m *Model) Unmark() { m.marks = nil }

// PickedPaths are the paths that the picked words lie in: nil stands for any.
func (m *Model) PickedPaths() []string {
	if len(m.marks) == 0 {
		return []string{m.CursorPath()}
	}
	var paths []string
	for _, f := range m.files {
		if slices.ContainsFunc(f.Hunks, func(h tray.Hunk) bool { return m.marks[h.ID] != nil }) {
			paths = append(paths, f.Path)
		}
	}
	return paths
}

// Picked names what is picked, in the words that tray.Resolve reads: the marked
// lines if there are any, else the hunk at the cursor, else the file.
func (m *Model) Picked() []string {
	if len(m.marks) > 0 {
		return m.markedWords()
	}
	if m.cursor >= len(m.rows) {
		return nil
	}
	r := m.rows[m.cursor]
	if r.hunk < 0 {
		return m.PickedFile()
	}
	return []string{m.files[r.file].Hunks[r.hunk].ID}
}

func (m *Model) markedWords() []string {
	var words []string
	for id, lines := range m.marks {
		var numbers []string
		for line := range lines {
			numbers = append(numbers, fmt.Sprint(line+1))
		}
		words = append(words, id+":"+strings.Join(numbers, ","))
	}
	slices.Sort(words)
	return words
}

// PickedFile names all hunks of the file at the cursor.
func (m *Model) PickedFile() []string {
	if m.cursor >= len(m.rows) {
		return nil
	}
	return tray.IDs(m.files[m.rows[m.cursor].file : m.rows[m.cursor].file+1])
}

// All names all hunks of all files, except those that cannot be sorted.
func (m *Model) All() []string { return tray.IDs(m.files) }

// FileRows gives the visible screen row of each file's heading, by path.
func (m *Model) FileRows() map[string]int {
	rows := map[string]int{}
	for y := range m.height {
		if at := m.top + y; at < len(m.rows) && m.rows[at].kind == fileRow {
			rows[m.files[m.rows[at].file].Path] = y
		}
	}
	return rows
}

// CursorPath is the path of the file at the cursor.
func (m *Model) CursorPath() string {
	path, _ := m.place()
	return path
}

// View draws height rows. The cursor shows only where the stream has the focus.
func (m *Model) View(width, height int, focus bool, style LineStyle, theme kit.Theme) []string {
	m.resize(width)
	m.height = height
	m.top = kit.Scroll(m.top, m.cursor, height, len(m.rows))
	lines := make([]string, 0, height)
	for at := m.top; at < min(m.top+height, len(m.rows)); at++ {
		lines = append(lines, m.drawRow(width, at, focus && at == m.cursor, style, theme))
	}
	return kit.Pad(lines, width, height)
}

// LineStyle is the colour of file headings, which tells the halves apart.
type LineStyle int

// The styles.
const (
	Cool LineStyle = iota
	Warm
)

func (m *Model) drawRow(width, at int, cursor bool, style LineStyle, theme kit.Theme) string {
	r := m.rows[at]
	backdrop, pointer := kit.Cursor(theme, cursor, 2)
	f := &m.files[r.file]
	switch r.kind {
	case gapRow:
		return kit.Blank(width)
	case fileRow:
		heading := theme.Now
		if style == Warm {
			heading = theme.Next
		}
		return kit.Split(width, backdrop,
			[]kit.Seg{pointer, {Text: safe.Line(f.Path), Style: heading.Bold(true)}}, kit.Seg{Text: summary(f), Style: theme.Dim})
	case hunkRow:
		return m.drawHunk(width, f, int(r.hunk), backdrop, pointer, theme)
	}
	return m.drawLine(width, &f.Hunks[r.hunk], r, backdrop, pointer, theme)
}

// summary says what sort of change a file has, and how large it is.
func summary(f *tray.File) string {
	added, removed := 0, 0
	for _, h := range f.Hunks {
		for _, line := range h.Lines {
			switch line.Op {
			case diff.Add:
				added++
			case diff.Remove:
				removed++
			}
		}
	}
	words := []string{}
	if kind := f.Hunks[len(f.Hunks)-1].Kind; kind != tray.Text {
		words = append(words, string(kind))
	} else if len(f.Hunks) > 1 {
		words = append(words, fmt.Sprintf("%d hunks", len(f.Hunks)))
	}
	if added > 0 {
		words = append(words, fmt.Sprintf("+%d", added))
	}
	if removed > 0 {
		words = append(words, fmt.Sprintf("−%d", removed))
	}
	return strings.Join(words, "  ")
}

func (m *Model) drawHunk(width int, f *tray.File, at int, backdrop *kit.Backdrop, pointer kit.Seg, theme kit.Theme) string {
	h := &f.Hunks[at]
	style := theme.Dim
	state := ""
	if m.read[h.ID] {
		state = ", read"
	}
	if !h.HasLines() {
		return kit.Row(width, backdrop, pointer, kit.Seg{Text: "     " + safe.Line(h.Note) + state, Style: style})
	}
	where := fmt.Sprintf("from line %d", h.NewStart+1)
	if h.Kind == tray.New || h.Kind == tray.Deleted {
		where = "the whole file"
	}
	if m.folded[h.ID] {
		where += ", " + app.Count(len(h.Lines), "line") + " folded"
	}
	return kit.Row(width, backdrop, pointer, kit.Seg{Text: fmt.Sprintf(" ┄┄┄ %s%s", where, state), Style: style})
}
