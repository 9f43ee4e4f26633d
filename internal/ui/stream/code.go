package stream

import (
	"cmp"

	"bastel/internal/diff"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// Code draws single lines of texts as a stream does, for other views.
type Code struct{ colours painter }

// Line cuts a line into pieces with their colours. Words that another version of the
// line does not have are underlined; without another version none are.
func (c *Code) Line(path string, line, other []byte, style kit.Style, theme kit.Theme) []kit.Seg {
	var words []span
	if other != nil && len(line) < longestShown && len(other) < longestShown {
		_, added := diff.Words(other, line)
		for _, a := range added {
			words = append(words, span{a.NewStart, a.NewEnd})
		}
	}
	s := display(line, words, cmp.Or(theme.Tab, kit.TabWidth))
	h := tray.Hunk{Hunk: diff.Hunk{Lines: []diff.Line{{Text: line}}}}
	return s.segments([]string{s.text}, 0, style, c.colours.line(&tray.File{Path: path}, &h, 0, s.text, theme))
}
