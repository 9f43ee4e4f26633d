package stream

import (
	"context"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
)

// What a line is part of may have begun before its hunk: the whole text tells, on both sides.
func TestColoursKnowWhatBeganBefore(t *testing.T) {
	filler := strings.Repeat("\tx := 1\n", 30)
	for name, test := range map[string]struct {
		path, open, line, closing string
		want                      kit.TokenKind
	}{
		"a comment in Go":     {"a.go", "/*\n", "return the words", "*/\n", kit.Comment},
		"a string in Go":      {"a.go", "var s = `\n", "return the words", "`\n", kit.Text},
		"a string in Python":  {"a.py", "s = \"\"\"\n", "return the words", "\"\"\"\n", kit.Text},
		"a comment in HTML":   {"a.html", "<!--\n", "return the words", "-->\n", kit.Comment},
		"nothing that begins": {"a.go", "// open\n", "return 1", "", kit.Keyword},
	} {
		old := test.open + filler + test.line + "\n" + filler + test.closing
		new := strings.Replace(old, test.line, "\t"+test.line+" here", 1)
		m, theme := streamOf(t, test.path, old, new), kit.NewTheme(kit.Look{Ground: kit.Dark})
		h := &m.files[0].Hunks[0]
		for at, line := range h.Lines {
			if line.Op == diff.Keep {
				continue
			}
			text := display(line.Text, nil, m.tab).text
			paints := m.paints(&m.files[0], h, at, text, theme)
			word := strings.Index(text, "return")
			found := 0
			for _, p := range paints {
				if p.start <= word && word < p.end {
					assert.Equal(t, theme.Syntax[test.want], p.style, name)
					found++
				}
			}
			assert.Equal(t, 1, found, name)
		}
	}
}

// The lines that are cut out of a text, each with its parts, are the text again, whatever it is.
func TestLinesAreThoseOfTheText(t *testing.T) {
	p := &painter{}
	rapid.Check(t, func(t *rapid.T) {
		pieces := []string{"\n", "\r\n", "a", "\"", "`", "/*", "*/", "#", "'", "\t", "ü", "\xff", "func f() {", "}", "<!--", "-->", " "}
		text := strings.Join(rapid.SliceOf(rapid.SampledFrom(pieces)).Draw(t, "text"), "")
		lexer := p.lexer(rapid.SampledFrom([]string{"a.go", "a.py", "a.html", "a.c", "a.sh", "a.md"}).Draw(t, "path"))
		from := rapid.IntRange(0, 5).Draw(t, "from")
		to := from + rapid.IntRange(0, 50).Draw(t, "lines")
		all := strings.SplitAfter(text, "\n")
		cut := linesOf([]byte(text), from, to)
		assert.Equal(t, strings.Join(all[min(from, len(all)):min(to, len(all))], ""), cut)
		for i, line := range colourLines(lexer, cut) {
			parts := strings.Split(cut, "\n")
			require.Less(t, i, len(parts))
			require.True(t, strings.HasPrefix(parts[i], line.text))
			end := 0
			for _, part := range line.parts {
				require.LessOrEqual(t, end, part.start)
				require.LessOrEqual(t, part.end, len(line.text))
				end = part.end
			}
		}
	})
}

// streamOf is a stream of one file's changes, with all that is known of its colours.
func streamOf(t *testing.T, path, old, new string) *Model {
	t.Helper()
	var texts = map[repo.ID]string{}
	entry := func(digit, text string) repo.IndexEntry {
		id, err := repo.ParseID(strings.Repeat(digit, 40))
		require.NoError(t, err)
		texts[id] = text
		return repo.IndexEntry{Path: path, Mode: repo.ModeFile, ID: id}
	}
	f := tray.File{Path: path, Old: entry("1", old), New: entry("2", new)}
	was, is := diff.Split([]byte(old)), diff.Split([]byte(new))
	for _, h := range diff.Hunks(was, is, diff.Lines(was, is), 3) {
		f.Hunks = append(f.Hunks, tray.Hunk{ID: "x", Kind: tray.Text, Hunk: h})
	}
	m := &Model{}
	m.Set([]tray.File{f})
	m.View(100, 30, true, Cool, kit.NewTheme(kit.Look{Ground: kit.Dark}))
	take(m.Colouring(t.Context(), func(_ context.Context, _ string, id repo.ID) ([]byte, error) { return []byte(texts[id]), nil }))
	assert.Nil(t, m.Colouring(t.Context(), nil), "it is asked for once")
	return m
}

// take carries commands out, and takes what they find.
func take(cmd tea.Cmd) {
	switch msg := cmd().(type) {
	case tea.BatchMsg:
		for _, cmd := range msg {
			take(cmd)
		}
	case Coloured:
		msg.Take()
	}
}
