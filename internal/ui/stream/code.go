package stream

import (
	"bytes"
	"cmp"
	"slices"
	"strings"
	"unicode"

	"github.com/charmbracelet/x/ansi"

	"bastel/internal/diff"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// Code draws single lines of texts as a stream does, for other views.
type Code struct{ colours painter }

// CodeLine is a line of a text, and what it is held against.
type CodeLine struct {
	Path   string
	Text   []byte
	Others [][]byte // other versions of it: words that one of them does not have are underlined
}

// Rows cuts a line into rows of at most width cells, each of pieces with their colours. White space is made visible where nothing
// else tells the line from another version of it, and so is a missing line end.
func (c *Code) Rows(l CodeLine, width int, style kit.Style, theme kit.Theme) [][]kit.Seg {
	s, rows := l.lay(width, theme)
	h := tray.Hunk{Hunk: diff.Hunk{Lines: []diff.Line{{Text: l.Text}}}}
	paints := c.colours.line(&tray.File{Path: l.Path}, &h, 0, s.text, theme)
	drawn := make([][]kit.Seg, len(rows))
	for part := range rows {
		drawn[part] = s.segments(rows, part, style, paints)
	}
	if noEnd := l.noLineEnd(); noEnd != "" {
		drawn[len(rows)-1] = append(drawn[len(rows)-1], kit.Seg{Text: safe.Show(noEnd), Style: theme.Dim})
	}
	return drawn
}

// Height is how many rows that are.
func (l CodeLine) Height(width int, theme kit.Theme) int {
	_, rows := l.lay(width, theme)
	return len(rows)
}

func (l CodeLine) lay(width int, theme kit.Theme) (shown, []string) {
	s := displayed(l.Text, l.words(), cmp.Or(theme.Tab, kit.TabWidth), l.differsUnseen())
	return s, wrap(s.text, max(10, width-ansi.StringWidth(l.noLineEnd())))
}

func (l CodeLine) noLineEnd() string {
	if bytes.HasSuffix(l.Text, []byte("\n")) || len(l.Text) == 0 {
		return ""
	}
	return " (no line end)"
}

// words are those that one of the other versions does not have, in their order.
func (l CodeLine) words() []span {
	var all []span
	for _, other := range l.Others {
		if len(l.Text) >= longestShown || len(other) >= longestShown {
			continue
		}
		_, added := diff.Words(other, l.Text)
		for _, a := range added {
			all = append(all, span{a.NewStart, a.NewEnd})
		}
	}
	slices.SortFunc(all, func(x, y span) int { return cmp.Compare(x.start, y.start) })
	words := all[:0]
	for _, w := range all {
		if n := len(words); n > 0 && w.start <= words[n-1].end {
			words[n-1].end = max(words[n-1].end, w.end)
			continue
		}
		words = append(words, w)
	}
	return words
}

// differsUnseen says whether another version has the same line but for white space and marks of the text's order.
func (l CodeLine) differsUnseen() bool {
	return slices.ContainsFunc(l.Others, func(other []byte) bool {
		return !bytes.Equal(other, l.Text) && bytes.Equal(inked(other), inked(l.Text))
	})
}

// byteOrderMark stands at the beginning of some texts, unseen.
const byteOrderMark = "\ufeff"

func inked(line []byte) []byte {
	return bytes.Map(func(r rune) rune {
		if unicode.IsSpace(r) || string(r) == byteOrderMark {
			return -1
		}
		return r
	}, line)
}

// unseen are the signs for what cannot be seen.
var unseen = strings.NewReplacer(" ", "·", "\u00a0", "⍽", byteOrderMark, "⟨BOM⟩")

// displayed is display, with all white space visible if that is asked for.
func displayed(line []byte, words []span, tab int, visible bool) shown {
	s := display(line, words, tab)
	if !visible {
		return s
	}
	return display(withSigns(line, tab), nil, tab)
}

// withSigns puts signs in the place of white space: a tab is an arrow up to the next tab stop.
func withSigns(line []byte, tab int) []byte {
	line, end := bytes.CutSuffix(line, []byte("\n"))
	var b strings.Builder
	column := 0
	for i, part := range strings.Split(string(line), "\t") {
		if i > 0 {
			gap := tab - column%tab
			b.WriteString("→" + strings.Repeat(" ", gap-1))
			column += gap
		}
		part = unseen.Replace(part)
		b.WriteString(part)
		column += ansi.StringWidth(safe.Text(part))
	}
	if end {
		b.WriteByte('\n')
	}
	return []byte(b.String())
}
