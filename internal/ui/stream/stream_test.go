package stream_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/diff"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

var theme = kit.NewTheme(kit.Look{Ground: kit.Dark})

// file makes a changed file whose hunks each add some lines.
func file(path string, hunks ...int) tray.File {
	f := tray.File{Path: path}
	for h, added := range hunks {
		hunk := tray.Hunk{ID: fmt.Sprintf("%s.%d", path, h), Kind: tray.Text}
		hunk.Lines = append(hunk.Lines, diff.Line{Op: diff.Keep, Text: []byte("kept\n")})
		for i := range added {
			hunk.Lines = append(hunk.Lines, diff.Line{Op: diff.Add, Old: -1, New: i + 1, Text: fmt.Appendf(nil, "%s line %d\n", path, i)})
		}
		f.Hunks = append(f.Hunks, hunk)
	}
	return f
}

func view(m *stream.Model, width, height int) string {
	var lines []string
	for _, line := range m.View(width, height, true, stream.Cool, theme) {
		lines = append(lines, strings.TrimRight(ansi.Strip(line), " "))
	}
	return strings.Join(lines, "\n")
}

func TestWhatIsPicked(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{file("a", 2, 1), file("b", 3)})
	assert.Equal(t, []string{"a.0"}, names(m.Picked()), "it begins on the first hunk")
	m.Hunk(1)
	assert.Equal(t, []string{"a.1"}, names(m.Picked()))
	m.File(1)
	assert.Equal(t, []string{"b.0"}, names(m.Picked()), "a file's heading stands for the file")
	assert.Equal(t, []string{"b"}, m.PickedPaths())
	m.Move(2)
	assert.False(t, m.Mark(), "an unchanged line cannot be marked")
	m.Move(1)
	require.True(t, m.Mark())
	require.True(t, m.Mark())
	m.End(false)
	assert.Equal(t, []string{"b.0:2,3"}, names(m.Picked()), "marks come before the cursor")
	assert.Equal(t, []string{"b"}, m.PickedPaths())
	m.Unmark()
	assert.Equal(t, []string{"a.0", "a.1"}, names(m.Picked()))
	assert.Len(t, m.PickedSection(), 3)
}

func names(selected []tray.Selection) (words []string) {
	for _, s := range selected {
		words = append(words, s.String())
	}
	return words
}

func TestThePlaceIsKept(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{file("a", 1, 1, 1), file("b", 1)})
	m.Hunk(1)
	m.Set([]tray.File{file("a", 1, 1), file("b", 1)})
	assert.Equal(t, []string{"a.1"}, names(m.Picked()), "the next hunk has come into its place")
	m.Set([]tray.File{file("a", 1), file("b", 1)})
	assert.Equal(t, []string{"a.0"}, names(m.Picked()))
	m.Set([]tray.File{file("b", 1)})
	assert.Equal(t, []string{"b.0"}, names(m.Picked()), "and then the next file")
	m.Set(nil)
	assert.Empty(t, m.Picked())
	assert.Empty(t, m.CursorPath())
	m.Set([]tray.File{file("c", 1)})
	assert.Equal(t, []string{"c.0"}, names(m.Picked()))
}

func TestTheLineIsKept(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{file("a", 1), file("b", 4, 1)})
	m.File(1)
	m.Move(4)
	require.True(t, m.Mark())
	m.Set([]tray.File{file("b", 4, 1)})
	require.True(t, m.Mark(), "the cursor is still on the line after the marked one")
	assert.Equal(t, []string{"b.0:3,4"}, names(m.Picked()))
	other := file("b", 4, 1)
	other.Hunks[0].ID = "another"
	m.Set([]tray.File{other})
	assert.Equal(t, []string{"another"}, names(m.Picked()), "of another hunk the heading stands for it")
}

func TestLongLinesTakeSeveralRows(t *testing.T) {
	var m stream.Model
	f := file("a", 1)
	f.Hunks[0].Lines[1].Text = []byte(strings.Repeat("0123456789", 5))
	m.Set([]tray.File{f})
	assert.Equal(t, strings.Join([]string{
		"  a                             +1",
		"▌  ┄┄┄ from line 1",
		"     1   kept",
		"     2 + 01234567890123456789012345",
		"         678901234567890123456789 …",
		"",
	}, "\n"), view(&m, 35, 6))
	m.Move(3)
	assert.Equal(t, []string{"a.0"}, names(m.Picked()))
	m.View(100, 6, true, stream.Cool, theme)
	require.True(t, m.Mark(), "another width keeps the line at the cursor")
}

func TestHidingAndReading(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{file("a", 1, 1), file("b", 1)})
	unread, all := m.Unread()
	assert.Equal(t, []int{3, 3}, []int{unread, all})
	m.Move(2)
	m.Read()
	assert.Equal(t, []string{"a.1"}, names(m.Picked()), "on to the next unread hunk")
	assert.Contains(t, view(&m, 60, 20), "from line 1, 2 lines hidden, read")
	assert.NotContains(t, strings.Join(strings.Split(view(&m, 60, 20), "\n")[:2], ""), "a line 0")
	m.Hide()
	m.Hunk(-1)
	m.Read()
	unread, _ = m.Unread()
	assert.Equal(t, 3, unread, "once more takes the note back")
	m.File(1)
	m.Read()
	assert.Equal(t, []string{"b.0"}, names(m.Picked()), "a heading means all of the file; there is no unread one after it")
	unread, _ = m.Unread()
	assert.Equal(t, 2, unread)
	m.Set([]tray.File{file("b", 1)})
	unread, _ = m.Unread()
	assert.Equal(t, 0, unread, "notes go with the hunks")
}

func TestSearchGoesIntoHidden(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{file("a", 2), file("b", 2, 1)})
	m.File(1)
	m.Hide()
	hits := m.Search("B LINE", 10)
	require.Len(t, hits, 3)
	assert.Len(t, m.Search("line", 2), 2)
	m.GoTo(hits[2])
	assert.Equal(t, []string{"b.1"}, names(m.Picked()))
	require.True(t, m.Mark(), "the cursor is on the line")
	m.Set(nil)
	m.GoTo(hits[2])
	assert.Empty(t, m.Search("", 9))
}

func TestWhatFilesHoldCannotDriveTheTerminal(t *testing.T) {
	var m stream.Model
	f := file("evil\x1b[2J", 1)
	f.Hunks[0].Lines[1].Text = []byte("\x1b]0;title\x07\ttab\n")
	m.Set([]tray.File{f})
	for _, line := range m.View(80, 6, true, stream.Warm, theme) {
		assert.NotContains(t, line, "\x1b[2J")
		assert.NotContains(t, line, "\x1b]0;")
		assert.Equal(t, 80, ansi.StringWidth(line))
	}
}

func BenchmarkKeyInFiftyThousandLines(b *testing.B) {
	var m stream.Model
	m.Set([]tray.File{file("a", 50000)})
	b.ReportAllocs()
	for b.Loop() {
		m.Move(7)
		m.View(66, 36, true, stream.Cool, theme)
	}
}

// tray makes a section with a heading.
func section(layer tray.Layer, files ...tray.File) stream.Section {
	return stream.Section{Layer: layer, Heading: true, Name: layer.String(), Title: "title", Files: files}
}

func TestSections(t *testing.T) {
	var m stream.Model
	m.SetSections([]stream.Section{section(tray.A, file("a", 1), file("b", 1)), section(tray.A + 1), section(tray.A+2, file("a", 2))})
	assert.Contains(t, view(&m, 60, 40), "nothing in it yet")
	m.Section(tray.A + 2)
	assert.Equal(t, tray.A+2, m.Layer())
	assert.Equal(t, []string{"a.0"}, names(m.Picked()), "a heading stands for all of the section")
	m.Section(tray.A)
	assert.Equal(t, []string{"a.0", "b.0"}, names(m.Picked()))
	assert.Empty(t, m.PickedPaths(), "which may be any path")
	m.SetClosed(func(l tray.Layer) bool { return l == tray.A })
	assert.Contains(t, view(&m, 60, 40), "a, b", "a section that is shut names its files")
	assert.NotContains(t, view(&m, 60, 40), "b line 0")
	m.Hide()
	assert.Contains(t, view(&m, 60, 40), "b line 0")
	m.End(true)
	m.SetSections([]stream.Section{section(tray.A, file("a", 1))})
	assert.Equal(t, tray.A, m.Layer(), "the place is kept as well as it can be")
	hits := m.Search("a line", 5)
	m.SetClosed(func(tray.Layer) bool { return true })
	m.GoTo(hits[0])
	assert.True(t, m.Mark(), "a search goes into a section that is shut")
}

func TestCutsDivideAHunk(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{file("a", 4)})
	assert.False(t, m.Cut(), "not on a heading")
	m.Move(4)
	require.True(t, m.Cut())
	assert.Contains(t, view(&m, 60, 20), "cut off here")
	assert.Equal(t, []string{"a.0:4,5"}, names(m.Picked()), "the part at the cursor")
	m.Hunk(-1)
	m.Hunk(-1)
	assert.Equal(t, []string{"a.0:2,3"}, names(m.Picked()))
	m.Set([]tray.File{file("a", 4)})
	assert.Equal(t, []string{"a.0:2,3"}, names(m.Picked()), "cuts stay while the hunk does")
	m.Unmark()
	assert.Equal(t, []string{"a.0"}, names(m.Picked()))
}

func TestWhiteSpaceIsHiddenInViewOnly(t *testing.T) {
	var m stream.Model
	f := tray.File{Path: "x", Hunks: []tray.Hunk{{ID: "h", Kind: tray.Text}}}
	for _, line := range []string{"-a b", "-c", "+ab", "+d", " e"} {
		f.Hunks[0].Lines = append(f.Hunks[0].Lines, diff.Line{Op: diff.Op(line[0]), Text: []byte(line[1:] + "\n")})
	}
	m.Set([]tray.File{f})
	m.HideSpaces(true)
	shown := view(&m, 60, 20)
	assert.NotContains(t, shown, "− a b")
	assert.NotContains(t, shown, "+ ab")
	assert.Contains(t, shown, "ab")
	assert.Contains(t, shown, "− c")
	assert.Equal(t, []string{"h"}, names(m.PickedFile()), "what is picked is all of it")
	m.HideSpaces(false)
	assert.Contains(t, view(&m, 60, 20), "− a b")
}

func TestTheCursorsLine(t *testing.T) {
	var m stream.Model
	f := file("a", 2)
	f.Hunks[0].NewStart = 9
	for i := range f.Hunks[0].Lines {
		f.Hunks[0].Lines[i].New = 9 + i
	}
	m.Set([]tray.File{f})
	assert.Equal(t, 11, m.CursorLine(), "on a hunk's heading the first line that changes")
	m.Move(1)
	assert.Equal(t, 10, m.CursorLine())
	m.Move(2)
	assert.Equal(t, 12, m.CursorLine())
	m.Set(nil)
	assert.Equal(t, 1, m.CursorLine())
}

// TestColoursLeaveTheTextAsItIs: whatever a line holds, its colours change nothing of
// what it says.
func TestColoursLeaveTheTextAsItIs(t *testing.T) {
	for _, text := range []string{"func main() { return \"x\" } // done", "\tx := 'a' + 0x1F", "/* open", "*/ closed",
		"no code at all: ü 世界", "\"unfinished", ""} {
		for _, path := range []string{"a.go", "a.py", "a.html", "a.toml", "Makefile", "unknown.zzz"} {
			f := tray.File{Path: path, Hunks: []tray.Hunk{{ID: "h", Kind: tray.Text}}}
			f.Hunks[0].Lines = []diff.Line{{Op: diff.Add, Old: -1, Text: []byte(text + "\n")}}
			var m stream.Model
			m.Set([]tray.File{f})
			assert.Contains(t, view(&m, 100, 5), strings.TrimRight("+ "+kit.Expand(text), " "), path)
		}
	}
}

// TestThePlaceIsKeptInAnyOrder: new files stand behind others whatever they are called, and reading again
// leaves the cursor where it is.
func TestThePlaceIsKeptInAnyOrder(t *testing.T) {
	var m stream.Model
	files := []tray.File{file("a", 1), file("z", 1), file("new", 1)}
	m.Set(files)
	m.End(true)
	require.Equal(t, "new", m.CursorPath())
	m.Set(files)
	assert.Equal(t, "new", m.CursorPath())
}
