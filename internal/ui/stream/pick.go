package stream

import (
	"bytes"
	"slices"

	"bastel/internal/diff"
	"bastel/internal/tray"
)

// Mark marks the line at the cursor, or takes the mark away, and goes on to the
// next one. It says whether there was a line to mark.
func (m *Model) Mark() bool {
	r := m.at()
	if r.kind != lineRow || m.files[r.file].Hunks[r.hunk].Lines[r.line].Op == diff.Keep {
		return false
	}
	toggle(&m.marks, m.files[r.file].Hunks[r.hunk].ID, int(r.line))
	for m.Move(1); m.cursor < len(m.rows)-1 && m.at().part > 0; {
		m.Move(1)
	}
	return true
}

func toggle(places *tray.LinesOfHunks, id string, line int) {
	if *places == nil {
		*places = tray.LinesOfHunks{}
	}
	of := (*places)[id]
	if of == nil {
		of = map[int]bool{}
		(*places)[id] = of
	}
	if of[line] {
		delete(of, line)
	} else {
		of[line] = true
	}
	if len(of) == 0 {
		delete(*places, id)
	}
}

// Cut cuts the hunk at the cursor in two before the line at the cursor, or takes the
// cut away. It says whether there was a place for one.
func (m *Model) Cut() bool {
	r := m.at()
	line := int(r.line)
	if r.kind == lineRow { // both lines of a row stay in one part
		line = m.rows[m.cursor].first()
	}
	if line < 1 {
		return false
	}
	toggle(&m.cuts, m.files[r.file].Hunks[r.hunk].ID, line)
	m.relayout()
	return true
}

// partAt gives the lines of the part of a cut hunk that a line lies in: [start, end).
func (m *Model) partAt(h *tray.Hunk, line int) (start, end int) {
	end = len(h.Lines)
	for cut := range m.cuts[h.ID] {
		if cut <= line {
			start = max(start, cut)
		} else {
			end = min(end, cut)
		}
	}
	return start, end
}

// atCursor gives the hunks that the cursor means: one, or all of a file or a section
// on its heading.
func (m *Model) atCursor() []tray.Hunk {
	r := m.at()
	switch {
	case r.section < 0:
		return nil
	case r.file < 0:
		var all []tray.Hunk
		for _, f := range m.sections[r.section].Files {
			all = append(all, f.Hunks...)
		}
		return all
	case r.hunk < 0:
		return m.files[r.file].Hunks
	}
	return m.files[r.file].Hunks[r.hunk : r.hunk+1]
}

// CanHide says whether there is something at the cursor to hide, or to show again.
func (m *Model) CanHide() bool {
	r := m.at()
	return r.kind == sectionRow && len(m.sections[r.section].Files) > 0 || len(m.atCursor()) > 0
}

// Hide hides the hunk at the cursor, or all of the file on its heading, or shows it
// again; on the heading of a section all of the section.
func (m *Model) Hide() {
	if r := m.at(); r.kind == sectionRow {
		layer := m.sections[r.section].Layer
		if m.shut == nil {
			m.shut = map[tray.Layer]bool{}
		}
		m.shut[layer] = !m.shut[layer]
		m.relayout()
		return
	}
	hunks := m.atCursor()
	m.setHidden(hunks, slices.ContainsFunc(hunks, func(h tray.Hunk) bool { return !m.hidden[h.ID] }))
}

func (m *Model) setHidden(hunks []tray.Hunk, hide bool) {
	if m.hidden == nil {
		m.hidden = map[string]bool{}
	}
	for _, h := range hunks {
		m.hidden[h.ID] = hide
	}
	m.relayout()
}

// Read notes that the hunk at the cursor, or all of the file on its heading, was
// looked through, hides it, and goes on to the next that was not. Once more undoes
// that.
func (m *Model) Read() {
	hunks := m.atCursor()
	read := slices.ContainsFunc(hunks, func(h tray.Hunk) bool { return !m.read[h.ID] })
	if m.read == nil {
		m.read = map[string]bool{}
	}
	for _, h := range hunks {
		m.read[h.ID] = read
	}
	m.setHidden(hunks, read)
	if read {
		m.ToUnread()
	}
}

// ToUnread goes to the next hunk that was not looked through.
func (m *Model) ToUnread() {
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

// GoTo takes the cursor to a hit, even if it is hidden.
func (m *Model) GoTo(hit Hit) {
	if hit.file >= len(m.files) || hit.hunk >= len(m.files[hit.file].Hunks) {
		return // the changes are others by now
	}
	section := m.owner[hit.file]
	delete(m.shut, m.sections[section].Layer)
	m.setHidden(m.files[hit.file].Hunks[hit.hunk:hit.hunk+1], false)
	m.goTo(row{lineRow, section, int32(hit.file), int32(hit.hunk), int32(hit.line), 0, -1})
}

// Marked counts the marked lines.
func (m *Model) Marked() (n int) {
	for _, lines := range m.marks {
		n += len(lines)
	}
	return n
}

// Unmark takes all marks and cuts away.
func (m *Model) Unmark() {
	m.marks, m.cuts = nil, nil
	m.relayout()
}

// HasMarks says whether there are marks or cuts to clear.
func (m *Model) HasMarks() bool { return len(m.marks)+len(m.cuts) > 0 }

// SetLeftovers marks the lines that a sweep would take, by hunk id.
func (m *Model) SetLeftovers(lines tray.LinesOfHunks) { m.leftover = lines }

// marked lists the files of the cursor's layer that have marked lines.
func (m *Model) marked() []int {
	layer := m.Layer()
	var files []int
	for f := range m.files {
		if m.sections[m.owner[f]].Layer == layer && slices.ContainsFunc(m.files[f].Hunks,
			func(h tray.Hunk) bool { return m.marks[h.ID] != nil }) {
			files = append(files, f)
		}
	}
	return files
}

// PickedPaths are the paths that the selection lies in: nil stands for any.
func (m *Model) PickedPaths() []string {
	var paths []string
	add := func(f tray.File) {
		paths = append(paths, f.Path)
		if f.From != "" {
			paths = append(paths, f.From)
		}
	}
	if files := m.marked(); len(files) > 0 {
		for _, f := range files {
			add(m.files[f])
		}
		return paths
	}
	if r := m.at(); r.file >= 0 {
		add(m.files[r.file])
	}
	return paths
}

// Picked names what is picked in the section at the cursor, the marked lines if there are any, else the hunk at the cursor or its
// part, else the file, else the section.
func (m *Model) Picked() []tray.Selection {
	var selected []tray.Selection
	for _, f := range m.marked() {
		for _, h := range m.files[f].Hunks {
			if lines := m.marks[h.ID]; lines != nil {
				selected = append(selected, tray.Selection{Hunk: h.ID, Lines: lines})
			}
		}
	}
	r := m.at()
	switch {
	case len(selected) > 0:
		return selected
	case r.section < 0:
		return nil
	case r.file < 0:
		return m.PickedSection()
	case r.hunk < 0:
		return m.PickedFile()
	}
	h := &m.files[r.file].Hunks[r.hunk]
	start, end := m.partAt(h, max(int(r.line), 0))
	if end-start == len(h.Lines) {
		return tray.Select(h.ID)
	}
	lines := map[int]bool{}
	for at := start; at < end; at++ {
		if h.Lines[at].Op != diff.Keep {
			lines[at] = true
		}
	}
	if len(lines) == 0 {
		return nil
	}
	return []tray.Selection{{Hunk: h.ID, Lines: lines}}
}

// HunkAtCursor gives the one hunk that the cursor is in.
func (m *Model) HunkAtCursor() (tray.Hunk, bool) {
	r := m.at()
	if r.hunk < 0 {
		return tray.Hunk{}, false
	}
	return m.files[r.file].Hunks[r.hunk], true
}

// PickedFile names all hunks of the file at the cursor.
func (m *Model) PickedFile() []tray.Selection {
	r := m.at()
	if r.file < 0 {
		return nil
	}
	return tray.Select(tray.IDs(m.files[r.file : r.file+1])...)
}

// PickedSection names all hunks of the section at the cursor, except those that
// cannot be sorted.
func (m *Model) PickedSection() []tray.Selection {
	r := m.at()
	if r.section < 0 {
		return nil
	}
	return tray.Select(tray.IDs(m.sections[r.section].Files)...)
}
