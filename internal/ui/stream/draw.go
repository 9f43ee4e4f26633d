package stream

import (
	"bytes"
	"cmp"
	"fmt"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// View draws height rows. The cursor shows only where the stream has the focus.
func (m *Model) View(width, height int, focus bool, style LineStyle, theme kit.Theme) []string {
	m.resize(width, cmp.Or(theme.Tab, kit.TabWidth), theme.TwoColumns)
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
	switch r.kind {
	case gapRow:
		return kit.Blank(width)
	case insideRow:
		return kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show("     " + inside(&m.sections[r.section])), Style: theme.Dim})
	case sectionRow:
		return m.drawSection(width, &m.sections[r.section], backdrop, pointer, theme)
	}
	f := &m.files[r.file]
	switch r.kind {
	case fileRow:
		heading := theme.Now
		if style == Warm {
			heading = theme.Next
		}
		name := safe.Line(f.Path)
		if m.sections[r.section].Heading {
			name = "  " + name
		}
		return kit.Split(width, backdrop,
			[]kit.Seg{pointer, {Text: safe.Show(name), Style: heading.Bold(true)}, {Text: safe.Show(m.origin(f)), Style: theme.Dim}},
			kit.Seg{Text: safe.Show(summary(f)), Style: theme.Dim})
	case remarkRow:
		line := m.remarkLines(f.Hunks[r.hunk].ID, int(r.line))[r.part]
		return kit.Row(width, backdrop, pointer, kit.Seg{Text: "     ┊ ", Style: theme.Accent},
			kit.Seg{Text: safe.Show(line.text), Style: line.style(theme)})
	case hunkRow:
		return m.drawHunk(width, f, r, backdrop, pointer, theme)
	}
	if m.twoFor(&f.Hunks[r.hunk]) {
		return m.drawPair(width, f, r, cursor, theme)
	}
	return m.drawLine(width, f, r, backdrop, pointer, theme)
}

func (m *Model) drawSection(width int, s *Section, backdrop *kit.Backdrop, pointer kit.Seg, theme kit.Theme) string {
	mark, style := "□ ", theme.Next
	if s.Current {
		mark = "■ "
	}
	title := theme.Strong
	if s.Untitled {
		title = theme.Dim
	}
	note := s.Note
	if m.shut[s.Layer] && len(s.Files) > 0 {
		note += "  ▸"
	}
	return kit.Split(width, backdrop, []kit.Seg{pointer, {Text: safe.Show(mark), Style: style},
		{Text: safe.Show(s.Name + "  "), Style: style.Bold(true)},
		{Text: safe.Show(s.Title), Style: title}}, kit.Seg{Text: safe.Show(note), Style: theme.Dim})
}

// inside names the files of a section.
func inside(s *Section) string {
	names := make([]string, len(s.Files))
	for i, f := range s.Files {
		names[i] = safe.Line(f.Path)
	}
	return cmp.Or(strings.Join(names, ", "), "nothing in it yet")
}

// SetAlso says where else files have changes, by path.
func (m *Model) SetAlso(also map[string]string) { m.also = also }

// origin says where else a file has changes, or where it came from.
func (m *Model) origin(f *tray.File) string {
	also := m.also[f.Path]
	switch {
	case also != "":
		return "  " + also
	case f.From != "":
		return "  was " + safe.Line(f.From)
	case f.Alike != "" && f.Old.Mode == 0:
		return "  " + safe.Line(f.Alike)
	}
	return ""
}

// summary says what sort of change a file has, and how large it is.
func summary(f *tray.File) string {
	added, removed := f.Counts()
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

func (m *Model) drawHunk(width int, f *tray.File, r row, backdrop *kit.Backdrop, pointer kit.Seg, theme kit.Theme) string {
	h := &f.Hunks[r.hunk]
	style := theme.Dim
	state := ""
	if m.read[h.ID] {
		state = ", read"
	}
	if !h.HasLines() {
		return kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show("     " + safe.Line(h.Note) + state), Style: style})
	}
	where := fmt.Sprintf("from line %d", h.NewStart+1)
	if h.Kind == tray.New || h.Kind == tray.Deleted {
		where = "the whole file"
	}
	if r.line > 0 {
		where = "cut off here"
	}
	if m.hidden[h.ID] {
		where += ", " + wording.Count(len(h.Lines), "line") + " hidden"
	} else if m.noSpaces && m.onlySpaces(h) {
		where += ", white space only"
	}
	return kit.Row(width, backdrop, pointer, kit.Seg{Text: safe.Show(fmt.Sprintf(" ┄┄┄ %s%s", where, state)), Style: style})
}

// What hiding white space does to a line.
type hiding uint8

const (
	shownAsIs hiding = iota
	unchanged        // an added line that differs from a removed one in white space only
	dropped          // that removed one
)

// spaceOnly tells for each line of a hunk what becomes of it while changes of white space are hidden. It is found once, since each
// row that is drawn asks for it.
func (m *Model) spaceOnly(h *tray.Hunk) map[int]hiding {
	if !m.noSpaces {
		return nil
	}
	found, known := m.spaces[h.ID]
	if !known {
		found = findSpaceOnly(h)
		m.spaces[h.ID] = found
	}
	return found
}

func findSpaceOnly(h *tray.Hunk) map[int]hiding {
	found := map[int]hiding{}
	for at := 0; at < len(h.Lines); at++ {
		if h.Lines[at].Op != diff.Remove {
			continue
		}
		end := runAfter(h, at)
		for removed, added := at, end; removed < end && added < len(h.Lines) && h.Lines[added].Op == diff.Add; removed, added = removed+1,
			added+1 {
			if bytes.Equal(withoutSpaces(h.Lines[removed].Text), withoutSpaces(h.Lines[added].Text)) {
				found[removed], found[added] = dropped, unchanged
			}
		}
		at = end - 1
	}
	return found
}

func (m *Model) onlySpaces(h *tray.Hunk) bool {
	found := m.spaceOnly(h)
	for at, line := range h.Lines {
		if line.Op != diff.Keep && found[at] == shownAsIs {
			return false
		}
	}
	return true
}

func withoutSpaces(line []byte) []byte {
	return bytes.Map(func(r rune) rune {
		if r == ' ' || r == '\t' || r == '\r' || r == '\n' {
			return -1
		}
		return r
	}, line)
}
