package stream

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/charmbracelet/x/ansi"

	"bastel/internal/diff"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// longestShown bounds how much of a line is looked at to draw it, in bytes.
const longestShown = 4000

// span is a range of bytes.
type span struct{ start, end int }

// shown is a line made safe to print, with the places of its changed words.
type shown struct {
	text  string
	words []span
}

// display makes a line fit to be drawn: control characters visible, tabs expanded.
func display(line []byte, words []span, tab int) shown {
	line = bytes.TrimSuffix(line[:min(len(line), longestShown)], []byte("\n"))
	var s shown
	column, at := 0, 0
	add := func(end int) span {
		end = max(at, min(end, len(line)))
		text, next := kit.ExpandAt(safe.Text(string(line[at:end])), column, tab)
		start := len(s.text)
		s.text += text
		column, at = next, end
		return span{start, len(s.text)}
	}
	for _, w := range words {
		add(w.start)
		s.words = append(s.words, add(w.end))
	}
	add(len(line))
	return s
}

// wrap cuts a line's text into rows, between words where there is a place for it in
// a row's second half.
func wrap(text string, room int) []string {
	var rows []string
	for len(text) > room && ansi.StringWidth(text) > room {
		row := ansi.Truncate(text, room, "")
		if space := strings.LastIndexByte(row, ' ') + 1; space > len(row)/2 {
			row = row[:space]
		}
		if row == "" { // a character wider than the room
			break
		}
		rows = append(rows, row)
		text = text[len(row):]
	}
	return append(rows, text)
}

// pairedRun is up to how many lines of a replaced block are compared word by word.
const pairedRun = 100

// changedWords gives the words of a removed or added line that differ from the line
// that it replaces, or that replaces it: the one at the same place of its block.
func changedWords(h *tray.Hunk, at int) []span {
	line := h.Lines[at]
	if line.Op == diff.Keep {
		return nil
	}
	start := at
	for start > 0 && h.Lines[start-1].Op == line.Op && at-start < pairedRun {
		start--
	}
	partner := -1
	if line.Op == diff.Add {
		if begin := runBefore(h, start); start-begin > at-start {
			partner = begin + at - start
		}
	} else if end := runAfter(h, at); end < len(h.Lines) && h.Lines[end].Op == diff.Add && end+at-start < len(h.Lines) {
		partner = end + at - start
	}
	if partner < 0 || h.Lines[partner].Op == line.Op || h.Lines[partner].Op == diff.Keep {
		return nil
	}
	return spans(line, h.Lines[partner])
}

// runBefore is where the run of removed lines begins that ends before a line.
func runBefore(h *tray.Hunk, end int) int {
	begin := end
	for begin > 0 && h.Lines[begin-1].Op == diff.Remove && end-begin < pairedRun {
		begin--
	}
	return begin
}

// runAfter is where the run of a line ends.
func runAfter(h *tray.Hunk, at int) int {
	end := at
	for end < len(h.Lines) && h.Lines[end].Op == h.Lines[at].Op && end-at < pairedRun {
		end++
	}
	return end
}

func spans(line, partner diff.Line) (list []span) {
	old, new := partner.Text, line.Text
	if line.Op == diff.Remove {
		old, new = new, old
	}
	if len(old) > longestShown || len(new) > longestShown {
		return nil
	}
	removed, added := diff.Words(old, new)
	if line.Op == diff.Remove {
		for _, c := range removed {
			list = append(list, span{c.OldStart, c.OldEnd})
		}
		return list
	}
	for _, c := range added {
		list = append(list, span{c.NewStart, c.NewEnd})
	}
	return list
}

func (m *Model) drawLine(width int, f *tray.File, r row, backdrop *kit.Backdrop, pointer kit.Seg, theme kit.Theme) string {
	h := &f.Hunks[r.hunk]
	c := m.cell(f, h, int(r.line), theme)
	c.words = changedWords(h, int(r.line))
	if backdrop == nil {
		backdrop = c.ground
	}
	return kit.Row(width, backdrop, m.segs(f, h, c, m.pointer(h, int(r.line), pointer, theme), int(r.part), theme)...)
}

// cell is a line as one column shows it.
type cell struct {
	at, number int
	sign       string
	style      kit.Style
	ground     *kit.Backdrop
	words      []span
}

func (m *Model) cell(f *tray.File, h *tray.Hunk, at int, theme kit.Theme) cell {
	line := h.Lines[at]
	c := cell{at: at, number: line.New + 1, sign: " ", style: theme.Plain}
	switch hidden := m.spaceOnly(h)[at]; {
	case line.Op == diff.Remove && hidden == dropped:
		c.number = line.Old + 1
	case line.Op == diff.Add && hidden == shownAsIs:
		c.sign, c.style, c.ground = "+", theme.Added, theme.AddedGround
	case line.Op == diff.Remove:
		c.sign, c.style, c.number, c.ground = "−", theme.Removed, line.Old+1, theme.RemovedGround
	}
	return c
}

// pointer is the cursor's, with a mark where the line is marked, or would be swept.
func (m *Model) pointer(h *tray.Hunk, line int, pointer kit.Seg, theme kit.Theme) kit.Seg {
	sign, style := "", theme.Marked
	switch {
	case h.Lines[line].Op != diff.Keep && m.marks[h.ID][line]:
		sign = "■"
	case m.leftover[h.ID][line] && h.Lines[line].Op == diff.Add:
		sign, style = "▲", theme.Trouble
	default:
		return pointer
	}
	return kit.Seg{Text: safe.Show(strings.TrimSuffix(string(pointer.Text), " ") + sign), Style: style}
}

// segs are one of a line's rows: what points at it, number, sign, and text.
func (m *Model) segs(f *tray.File, h *tray.Hunk, c cell, pointer kit.Seg, part int, theme kit.Theme) []kit.Seg {
	line := h.Lines[c.at]
	text := display(line.Text, c.words, m.tab)
	rows := wrap(text.text, max(10, m.room(h)))
	if m.twoFor(h) && part >= len(rows) {
		return []kit.Seg{pointer}
	}
	part = min(part, len(rows)-1)
	count, sign := fmt.Sprintf("%4d ", c.number), c.sign
	if part > 0 {
		count, sign = "     ", " "
	}
	segs := []kit.Seg{pointer, {Text: safe.Show(count), Style: theme.Dim}, {Text: safe.Show(sign + " "), Style: c.style}}
	segs = append(segs, text.segments(rows, part, c.style, m.paints(f, h, c.at, text.text, theme))...)
	if part == len(rows)-1 && !bytes.HasSuffix(line.Text, []byte("\n")) {
		segs = append(segs, kit.Seg{Text: " (no line end)", Style: theme.Dim})
	}
	return segs
}

// paints gives the colours of a line, as it is shown.
func (m *Model) paints(f *tray.File, h *tray.Hunk, at int, shownAs string, theme kit.Theme) []paint {
	if theme.Syntax == nil || len(shownAs) > longestPainted {
		return nil
	}
	v, number := versionOf(f, h, at)
	if paints, ok := m.colours.fromWhole(v, number, h.Lines[at].Text, shownAs, m.tab, theme); ok {
		return paints
	}
	return m.colours.line(f, h, at, shownAs, theme)
}

// segments cuts one of a line's rows at its changed words, which are underlined, and
// where its colour changes.
func (s shown) segments(rows []string, part int, style kit.Style, paints []paint) []kit.Seg {
	start := 0
	for _, row := range rows[:part] {
		start += len(row)
	}
	end := start + len(rows[part])
	segs := make([]kit.Seg, 0, 2*(len(paints)+len(s.words))+1) // each has an end, and something before it
	for at := start; at < end; {
		next := end
		drawn := style
		for _, p := range paints {
			if p.start <= at && at < p.end {
				drawn = p.over(style)
				next = min(next, p.end)
			} else if at < p.start {
				next = min(next, p.start)
			}
		}
		for _, w := range s.words {
			if w.start <= at && at < w.end {
				drawn = drawn.Underline(true)
				next = min(next, w.end)
			} else if at < w.start {
				next = min(next, w.start)
			}
		}
		segs = append(segs, kit.Seg{Text: safe.Show(s.text[at:next]), Style: drawn})
		at = next
	}
	return kit.InOrder(segs)
}
