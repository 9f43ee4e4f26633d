package mend

import (
	"fmt"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// The right half: the text as it is put together, or what becomes of a file as a whole.

func (m *Model) nextHead(width int, theme kit.Theme) []string {
	f := m.file()
	what := "the text as it will be"
	if f.Chunks == nil {
		what = "what becomes of it"
	}
	summary, style := m.summary(theme)
	return []string{
		kit.Heading(width, "Next", what, m.half == kit.Next, theme.Next, theme, false),
		kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + summary), Style: style}),
		kit.Blank(width),
	}
}

// summary says what comes when this is answered.
func (m *Model) summary(theme kit.Theme) (string, kit.Style) {
	_, open := m.open()
	switch {
	case m.waiting != nil && open == 0:
		return "all answered: a writes it into the files", theme.Next
	case m.waiting != nil:
		return "a writes the files that are fully answered", theme.Dim
	case m.forecast == nil:
		return "", theme.Dim
	case open == 0 && m.forecast.Conflicts() == 0 && !m.forecast.Tip.IsZero():
		return "all answered, the rest is clean: a applies the plan", theme.Next
	}
	after := len(m.forecast.Steps) - m.conflicted().Step - 1
	return wording.Count(after, "entry") + " after this one", theme.Dim
}

func (m *Model) nextBody(width, height int, theme kit.Theme) []string {
	f := m.file()
	if f.Chunks == nil || len(f.Regions) == 0 || m.spot().question >= len(f.Regions) || len(f.Questions()) != len(f.Regions) {
		return kit.Pad(m.wholeNext(width, theme), width, height)
	}
	rows, focus := m.resultRows(width, height, theme)
	top := max(0, min(focus-height/3+m.shift, len(rows)-height))
	return kit.Pad(rows[top:min(len(rows), top+height)], width, height)
}

// wholeNext says what becomes of a path that is answered as a whole.
func (m *Model) wholeNext(width int, theme kit.Theme) []string {
	q, _ := m.question()
	if q.Open() {
		return []string{kit.Row(width, nil, kit.Seg{Text: "  ▒▒ open ▒▒", Style: theme.Trouble})}
	}
	line := func(text string) []string {
		return []string{kit.Row(width, nil, kit.Seg{Text: "  ┃ ", Style: theme.Next}, kit.Seg{Text: safe.Show(text), Style: theme.Plain})}
	}
	if q.Answer.Own != nil {
		rows := line("text of your own:")
		for _, text := range diff.Split(q.Answer.Own) {
			rows = append(rows, kit.Row(width, nil, append([]kit.Seg{{Text: "  ┃ ", Style: theme.Next}},
				m.code.Line(m.file().Path, text, nil, theme.Plain, theme)...)...))
		}
		return rows[:min(len(rows), mostOfWhole)]
	}
	if len(q.Answer.Take) == 0 {
		return line("deleted")
	}
	side := q.Answer.Take[0].Side
	switch f := m.file(); {
	case f.Kind == merge.RenameRename && side == mend.Left:
		return line("named " + safe.Line(f.Path))
	case f.Kind == merge.RenameRename:
		return line("named " + safe.Line(f.Other))
	case entryOf(f.Conflict, side).IsZero():
		return line("deleted")
	}
	return line("the version of " + safe.Line(m.story(side).Name))
}

// around is how many lines of settled text are looked at on each side of a region.
const around = 200

// resultRows draws the text around the region at the cursor, and says where that is.
func (m *Model) resultRows(width, height int, theme kit.Theme) (rows []string, focus int) {
	f := m.file()
	here := m.spot().question
	region := -1
	number := 1
	settled := func(line []byte) {
		segs := append([]kit.Seg{{Text: safe.Show(fmt.Sprintf("%5d  ", number)), Style: theme.Dim}},
			m.code.Line(f.Path, line, nil, theme.Plain, theme)...)
		rows = append(rows, kit.Row(width, nil, segs...))
	}
	for i, chunk := range f.Chunks {
		if chunk.Region == nil {
			near := region == here || region == here-1 && i > 0 || here == 0 && i == 0
			for n, line := range chunk.Settled {
				if near || n < 3 && i > 0 || n >= len(chunk.Settled)-3 && i < len(f.Chunks)-1 {
					if !near || n < around || n >= len(chunk.Settled)-around {
						settled(line)
					}
				} else if n == 3 && i > 0 || n == 0 && i == 0 {
					rows = append(rows, kit.Row(width, nil, kit.Seg{Text: "    ┄┄┄", Style: theme.Quiet}))
				}
				number++
			}
			continue
		}
		region++
		if region == here {
			focus = len(rows)
		}
		number += m.regionRows(f.Regions[region], region, number, width, region == here, theme, &rows)
	}
	return rows, focus
}

// regionRows draws one region of the result and gives how many lines it has there.
func (m *Model) regionRows(q mend.Question, n, number, width int, here bool, theme kit.Theme, rows *[]string) int {
	bar := kit.Seg{Text: "┃ ", Style: theme.Next}
	if here {
		bar.Style = theme.Accent
	}
	if q.Open() {
		style := theme.Trouble
		text := fmt.Sprintf("▒▒ open: region %d ", n+1)
		text += strings.Repeat("▒", max(0, width-len([]rune(text))-8))
		*rows = append(*rows, kit.Row(width, nil, kit.Seg{Text: "     "}, bar, kit.Seg{Text: safe.Show(text), Style: style}))
		return 0
	}
	lines := q.Answer.Lines(*q.Region)
	if q.Answer.Own != nil {
		lines = diff.Split(q.Answer.Own)
	}
	for i, line := range lines {
		segs := []kit.Seg{{Text: safe.Show(fmt.Sprintf("%5d", number+i)), Style: theme.Dim}, bar}
		*rows = append(*rows, kit.Row(width, nil, append(segs, m.code.Line(m.file().Path, line, nil, theme.Plain, theme)...)...))
	}
	if len(lines) == 0 {
		*rows = append(*rows, kit.Row(width, nil, kit.Seg{Text: "     "}, bar, kit.Seg{Text: "nothing", Style: theme.Dim}))
	}
	return len(lines)
}
