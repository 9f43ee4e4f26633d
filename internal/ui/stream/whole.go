package stream

import (
	"bytes"
	"context"
	"math"
	"strings"

	tea "charm.land/bubbletea/v2"
	"github.com/alecthomas/chroma/v2"

	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// What a line of code is part of may have begun long before it: a comment, or a string over many lines. So the whole text of what is in
// view is read in the background; until it is there, and where it cannot be, each line is coloured by itself.

// Texts reads a whole version of a file; without an id the working file.
type Texts func(ctx context.Context, path string, id repo.ID) ([]byte, error)

// version is one side of a file.
type version struct {
	path string
	old  bool
	id   repo.ID // zero: the working file
}

// wholeText is what is known of a version's lines.
type wholeText struct {
	asked int // the lines before this one were asked for
	first int // the line that lines begins with
	lines []wholeLine
}

type wholeLine struct {
	text  string // without its end
	parts []part
}

// part is a range of a line's bytes with the part of speech that it is.
type part struct {
	span
	kind kit.TokenKind
}

const (
	mostVersions = 40      // that are kept
	longestWhole = 2 << 20 // bytes of a text that is worth it
	ahead        = 400     // lines are coloured before they are in view
	farIn        = 4000    // lines before a place that are not looked at any more
	runUp        = 1000    // lines are looked at then
)

// Coloured is what was found of a version.
type Coloured struct {
	of      *Model
	version version
	text    wholeText
}

// Take keeps what was found, for the next frame.
func (c Coloured) Take() {
	p := &c.of.colours
	if len(p.whole) >= mostVersions {
		p.whole = nil
	}
	if p.whole == nil {
		p.whole = map[version]wholeText{}
	}
	p.whole[c.version] = c.text
}

// place is what of a stream is in view.
type place struct{ top, height, rows int }

// Colouring reads the colours of what is in view, and of a page before and after it, where they are not known.
func (m *Model) Colouring(ctx context.Context, texts Texts) tea.Cmd {
	at := place{m.top, m.height, len(m.rows)}
	if m.colours.at == at {
		return nil
	}
	m.colours.at = at
	var cmds []tea.Cmd
	for v, lines := range m.inView() {
		lexer := m.colours.lexer(v.path)
		known, asked := m.colours.whole[v]
		if lexer == nil || asked && lines.start >= known.first && lines.end <= known.asked {
			continue
		}
		// As much again as is known: to go on through a long file costs no more than a few times the file.
		want := wholeText{asked: lines.end + max(ahead, min(known.asked, farIn))}
		if lines.start > farIn {
			want.first = lines.start - runUp
		}
		Coloured{m, v, wholeText{asked: want.asked, first: known.first, lines: known.lines}}.Take() // it is asked for once
		cmds = append(cmds, func() tea.Msg {
			text, err := texts(ctx, v.path, v.id)
			if err != nil || len(text) > longestWhole {
				return Coloured{m, v, wholeText{asked: math.MaxInt}}
			}
			want.lines = colourLines(lexer, linesOf(text, want.first, want.asked))
			return Coloured{m, v, want}
		})
	}
	return tea.Batch(cmds...)
}

// inView gives which lines of which versions are in view, or soon will be.
func (m *Model) inView() map[version]span {
	wanted := map[version]span{}
	for at := max(0, m.top-m.height); at < min(m.top+2*m.height, len(m.rows)); at++ {
		r := m.rows[at]
		if r.kind != lineRow || r.part > 0 {
			continue
		}
		for _, line := range []int32{r.line, r.left} {
			if line < 0 {
				continue
			}
			f := &m.files[r.file]
			v, number := versionOf(f, &f.Hunks[r.hunk], int(line))
			lines, ok := wanted[v]
			if !ok {
				lines = span{number, number + 1}
			}
			wanted[v] = span{min(lines.start, number), max(lines.end, number+1)}
		}
	}
	return wanted
}

// versionOf is the version that a line of a hunk is of, and where it stands there.
func versionOf(f *tray.File, h *tray.Hunk, line int) (version, int) {
	l := h.Lines[line]
	if l.Op == diff.Remove {
		return version{f.Path, true, f.Old.ID}, l.Old
	}
	return version{f.Path, false, f.New.ID}, l.New
}

// linesOf cuts some lines out of a text.
func linesOf(text []byte, from, to int) string {
	skip := func(lines int) {
		for ; lines > 0 && len(text) > 0; lines-- {
			_, text, _ = bytes.Cut(text, []byte("\n"))
		}
	}
	skip(from)
	cut := text
	skip(to - from)
	return string(cut[:len(cut)-len(text)])
}

// colourLines finds the parts of speech of each line. What the library gives back otherwise than it got it is left plain.
func colourLines(lexer chroma.Lexer, text string) []wholeLine {
	tokens, err := chroma.Tokenise(lexer, &chroma.TokeniseOptions{State: "root"}, text)
	if err != nil {
		return nil
	}
	var lines []wholeLine
	var line wholeLine
	rest, begin, at := text, 0, 0
	for _, token := range tokens {
		kind := speech(token.Type)
		for value := token.Value; value != "" && rest != ""; {
			piece, after, ends := strings.Cut(value, "\n")
			if !strings.HasPrefix(rest, piece) || ends && len(rest) > len(piece) && rest[len(piece)] != '\n' {
				return lines
			}
			if kind != 0 && piece != "" {
				line.parts = append(line.parts, part{span{at - begin, at - begin + len(piece)}, kind})
			}
			at, rest, value = at+len(piece), rest[len(piece):], after
			if !ends {
				continue
			}
			line.text = text[begin:at]
			lines, line = append(lines, line), wholeLine{}
			if rest == "" { // the library has put a line end after the last line
				return lines
			}
			at, rest = at+1, rest[1:]
			begin = at
		}
	}
	line.text = text[begin:at]
	return append(lines, line)
}

// forgetWorking forgets what was found of working files, which may be others now.
func (p *painter) forgetWorking() {
	p.at = place{}
	for v := range p.whole {
		if v.id.IsZero() {
			delete(p.whole, v)
		}
	}
}

// fromWhole gives the colours of a line by what its whole text told. ok is false where that is not known.
func (p *painter) fromWhole(v version, number int, line []byte, shownAs string, tab int, theme kit.Theme) (paints []paint, ok bool) {
	known, ok := p.whole[v]
	if !ok || number < known.first || number-known.first >= len(known.lines) {
		return nil, false
	}
	whole := known.lines[number-known.first]
	if string(bytes.TrimSuffix(line, []byte("\n"))) != whole.text {
		return nil, false // it is another version by now
	}
	spans := make([]span, len(whole.parts))
	for i, part := range whole.parts {
		spans[i] = part.span
	}
	if len(shownAs) != len(whole.text) { // tabs and control characters take more room than they have bytes
		spans = display(line, spans, tab).words
	}
	for i, part := range whole.parts {
		if style, ok := theme.Syntax[part.kind]; ok {
			paints = append(paints, paint{spans[i].start, spans[i].end, style})
		}
	}
	return paints, true
}
