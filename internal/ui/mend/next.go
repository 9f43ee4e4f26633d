package mend

import (
	"fmt"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
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
	lines, focus := m.result()
	m.shift = max(-focus, min(m.shift, len(lines)-1-focus))
	rows, above := []string{}, height/3
	top := focus + m.shift
	for ; top > 0 && above > 0; above-- { // in lines, some of which have more rows than one
		top--
	}
	for _, line := range lines[top:] {
		if len(rows) >= height {
			break
		}
		rows = append(rows, m.drawResult(line, width, theme)...)
	}
	return kit.Pad(rows, width, height)
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
			for _, row := range m.code.Rows(stream.CodeLine{Path: m.file().Path, Text: text}, width-4, theme.Plain, theme) {
				rows = append(rows, kit.Row(width, nil, append([]kit.Seg{{Text: "  ┃ ", Style: theme.Next}}, row...)...))
			}
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

// resultLine is a line of the text as it will be.
type resultLine struct {
	number int // counted from 1; 0: an open region, or one of which nothing stays
	text   []byte
	region int  // the one that it stands in, counted from 1; 0: it is settled
	here   bool // that is the one at the cursor
}

// result gives the text as it is put together, and where the region at the cursor is in it.
func (m *Model) result() (lines []resultLine, focus int) {
	f, here := m.file(), m.spot().question
	region, number := 0, 1
	for _, chunk := range f.Chunks {
		if chunk.Region == nil {
			for _, line := range chunk.Settled {
				lines = append(lines, resultLine{number: number, text: line})
				number++
			}
			continue
		}
		q := f.Regions[region]
		if region == here {
			focus = len(lines)
		}
		region++
		answer := answerLines(q)
		if len(answer) == 0 {
			lines = append(lines, resultLine{region: region, here: region-1 == here})
		}
		for _, line := range answer {
			lines = append(lines, resultLine{number, line, region, region-1 == here})
			number++
		}
	}
	return lines, focus
}

// answerLines are what an answer puts into the text.
func answerLines(q mend.Question) [][]byte {
	switch {
	case q.Open():
		return nil
	case q.Answer.Own != nil:
		return diff.Split(q.Answer.Own)
	}
	return q.Answer.Lines(*q.Region)
}

func (m *Model) drawResult(l resultLine, width int, theme kit.Theme) (rows []string) {
	bar := kit.Seg{Text: "  "}
	if l.region > 0 {
		bar = kit.Seg{Text: "┃ ", Style: theme.Next}
	}
	if l.here {
		bar.Style = theme.Accent
	}
	if l.number == 0 {
		return []string{kit.Row(width, nil, kit.Seg{Text: "     "}, bar, m.emptyRegion(l.region, width, theme))}
	}
	count := fmt.Sprintf("%5d", l.number)
	for _, row := range m.code.Rows(stream.CodeLine{Path: m.file().Path, Text: l.text}, width-len(count)-2, theme.Plain, theme) {
		segs := []kit.Seg{{Text: safe.Show(count), Style: theme.Dim}, bar}
		rows = append(rows, kit.Row(width, nil, append(segs, row...)...))
		count = "     "
	}
	return rows
}

// emptyRegion stands where a region is open, or nothing stays of it.
func (m *Model) emptyRegion(region, width int, theme kit.Theme) kit.Seg {
	if !m.file().Regions[region-1].Open() {
		return kit.Seg{Text: "nothing", Style: theme.Dim}
	}
	text := fmt.Sprintf("▒▒ open: region %d ", region)
	return kit.Seg{Text: safe.Show(text + strings.Repeat("▒", max(0, width-len([]rune(text))-8))), Style: theme.Trouble}
}
