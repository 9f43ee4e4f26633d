package sort

import (
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/lanes"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

// Click goes to a row.
func (m *Model) Click(x, y int) tea.Cmd {
	if m.home != nil {
		m.home.click(kit.HalfAt(m.size, homeSeam(m.size.Width), x, m.home.half), m.size, x, y)
		return nil
	}
	m.half = kit.HalfAt(m.size, seamWidth, x, m.half)
	m.stream().ClickIn(m.half, m.size, x, y-headRows)
	return nil
}

// Wheel scrolls the half under the mouse.
func (m *Model) Wheel(x, _, turns int) {
	if m.home != nil {
		m.home.move(turns)
		return
	}
	m.halves[kit.HalfAt(m.size, seamWidth, x, m.half)].Move(3 * turns)
}

const (
	headRows  = 3 // above the streams
	seamWidth = 8
)

// View draws the screen.
func (m *Model) View(size kit.Size, theme kit.Theme) []string {
	m.size = size
	if m.home != nil {
		return m.home.view(size, theme)
	}
	now, seam, next := kit.Columns(size, seamWidth)
	body := size.Height - headRows
	if size.Narrow {
		if m.half == kit.Now {
			return append(m.nowHead(size.Width, theme), m.nowBody(size.Width, body, theme)...)
		}
		return append(m.nextHead(size.Width, theme), m.nextBody(size.Width, body, theme)...)
	}
	left := append(m.nowHead(now, theme), m.nowBody(now, body, theme)...)
	right := append(m.nextHead(next, theme), m.nextBody(next, body, theme)...)
	return kit.Join(left, append(kit.Pad(nil, seam, headRows), m.seam(seam, body, theme)...), right)
}

func (m *Model) nowHead(width int, theme kit.Theme) []string {
	var tally []string
	if unread, all := m.halves[kit.Now].Unread(); unread < all {
		tally = append(tally, fmt.Sprintf("%d of %s unread", unread, wording.Count(all, "hunk")))
	}
	if m.found > 0 {
		tally = append(tally, "▲ "+wording.Count(m.found, "leftover"))
	}
	if m.some {
		tally = append(tally, fmt.Sprintf("reading all %d files …", len(m.changes)))
	}
	if m.spaces {
		tally = append(tally, "white space hidden")
	}
	count := ""
	if n := m.halves[kit.Now].Marked(); n > 0 {
		count = wording.Count(n, "line") + " marked"
	}
	return []string{
		kit.Heading(width, "Now", "loose changes", m.half == kit.Now, theme.Now, theme, m.size.Narrow),
		kit.Split(width, nil, []kit.Seg{{Text: safe.Show("  " + count), Style: theme.Marked}},
			kit.Seg{Text: safe.Show(strings.Join(tally, "   ")), Style: theme.Dim}),
		kit.Blank(width),
	}
}

func (m *Model) nowBody(width, height int, theme kit.Theme) []string {
	s := &m.halves[kit.Now]
	switch {
	case !m.reading.Known && m.reading.Err != nil:
		return kit.Empty(width, height, theme, "The changes could not be read.", app.Explain(m.reading.Err))
	case !m.reading.Known:
		return kit.Pad(nil, width, height)
	case s.Empty():
		return kit.Empty(width, height, theme, "No loose changes.", "What you change in the working tree shows up here.")
	}
	return s.View(width, height, m.half == kit.Now, stream.Cool, theme)
}

func (m *Model) nextHead(width int, theme kit.Theme) []string {
	full := 0
	for _, t := range m.board.Trays {
		if len(t.Files) > 0 {
			full++
		}
	}
	where := "the commits to be"
	if branch := m.head.Branch(); branch != "" {
		where += " on " + safe.Line(branch)
	}
	note := ""
	if full > 1 {
		note = "a makes " + wording.Count(full, "commit")
	}
	return []string{
		kit.Heading(width, "Next", where, m.half == kit.Next, theme.Next, theme, m.size.Narrow),
		kit.Split(width, nil, nil, kit.Seg{Text: safe.Show(note), Style: theme.Dim}),
		kit.Blank(width),
	}
}

func (m *Model) nextBody(width, height int, theme kit.Theme) []string {
	if !m.reading.Known {
		return kit.Pad(nil, width, height)
	}
	return m.halves[kit.Next].View(width, height, m.half == kit.Next, stream.Warm, theme)
}

// seam ties a file whose hunks are on both sides, so that a partly sorted file shows.
func (m *Model) seam(width, height int, theme kit.Theme) []string {
	nowRows, nextRows := m.halves[kit.Now].FileRows(), m.halves[kit.Next].FileRows()
	path := m.stream().CursorPath()
	var strands []kit.Strand
	for name, from := range nowRows {
		if to, ok := nextRows[name]; ok {
			strands = append(strands, kit.Strand{Thread: lanes.Thread{From: from, To: to}, Bright: name == path})
		}
	}
	kit.SortStrands(strands)
	return kit.Seam(strands, width, height, 1, 0, theme)
}

// Explain says in the help what this screen is for.
func (m *Model) Explain() (title, text string) {
	if m.home != nil {
		return "The hunks' way home", "Each hunk on the left belongs to a commit of the branch: the last one whose lines it touches. " +
			"Next shows the commits; a thread ties a hunk to its home. Applying joins each hunk to its home and replays the later commits, in " +
			"one step."
	}
	return Name, strings.Join([]string{
		"Now holds what you changed and have not sorted yet, all files in one stream.",
		"Next holds the trays: the commits being drafted. Tray A is the index, so other tools see the same.",
		"A thread in the seam ties the parts of a file that is only partly in a tray.",
	}, " ")
}

// Streams are those on show.
func (m *Model) Streams() []*stream.Model {
	if m.home != nil {
		return []*stream.Model{&m.home.look[0], &m.home.look[1]}
	}
	return []*stream.Model{&m.halves[kit.Now], &m.halves[kit.Next]}
}
