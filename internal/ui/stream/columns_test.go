package stream_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/diff"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// changed is a file that goes from one text to another, in one hunk.
func changed(old, new string) tray.File {
	h := tray.Hunk{ID: "h", Kind: tray.Text}
	before, after := strings.SplitAfter(old, "\n"), strings.SplitAfter(new, "\n")
	at, to := 0, 0
	for at < len(before) || to < len(after) {
		switch {
		case at < len(before) && to < len(after) && before[at] == after[to]:
			h.Lines = append(h.Lines, diff.Line{Op: diff.Keep, Old: at, New: to, Text: []byte(before[at])})
			at, to = at+1, to+1
		case at < len(before) && !slices.Contains(after[to:], before[at]):
			h.Lines = append(h.Lines, diff.Line{Op: diff.Remove, Old: at, New: -1, Text: []byte(before[at])})
			at++
		case to < len(after):
			h.Lines = append(h.Lines, diff.Line{Op: diff.Add, Old: -1, New: to, Text: []byte(after[to])})
			to++
		default:
			h.Lines = append(h.Lines, diff.Line{Op: diff.Remove, Old: at, New: -1, Text: []byte(before[at])})
			at++
		}
	}
	return tray.File{Path: "a", Hunks: []tray.Hunk{h}}
}

// texts are of few different lines, each of one letter.
var texts = rapid.Custom(func(t *rapid.T) string {
	line := rapid.SampledFrom([]string{"a\n", "b\n", "c\n", "d\n", "e\n", "f\n"})
	return strings.Join(rapid.SliceOfN(line, 0, 20).Draw(t, "lines"), "") + "z\n"
})

// inTwo draws in two columns, and gives both of them.
func inTwo(m *stream.Model, width, height int) (left, right []string) {
	for _, line := range m.View(width, height, true, stream.Cool, withTwo()) {
		before, after, found := strings.Cut(ansi.Strip(line), "┊")
		if found {
			left, right = append(left, strings.TrimSpace(strings.TrimLeft(before, "▌ "))), append(right, strings.TrimSpace(after))
		}
	}
	return left, right
}

// TestTwoColumnsHoldTheLinesOfOne: at the left all that was, at the right all that is, each line once and in its order.
func TestTwoColumnsHoldTheLinesOfOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := changed(texts.Draw(t, "old"), texts.Draw(t, "new"))
		var m stream.Model
		m.Set([]tray.File{f})
		var was, is []string
		for _, line := range f.Hunks[0].Lines {
			text := strings.TrimSpace(string(line.Text))
			switch {
			case line.Op == diff.Keep:
				was, is = append(was, fmt.Sprint(line.Old+1, "   ", text)), append(is, fmt.Sprint(line.New+1, "   ", text))
			case line.Op == diff.Remove:
				was = append(was, fmt.Sprint(line.Old+1, " − ", text))
			default:
				is = append(is, fmt.Sprint(line.New+1, " + ", text))
			}
		}
		left, right := inTwo(&m, 100, 100)
		clean := func(rows []string) (list []string) {
			for _, row := range rows {
				if row = strings.TrimSuffix(row, " (no line end)"); row != "" && strings.Trim(row, "0123456789") != "" {
					list = append(list, row)
				} else if row != "" {
					list = append(list, row+"   ")
				}
			}
			return list
		}
		require.Equal(t, clean(trimmed(was)), clean(left))
		require.Equal(t, clean(trimmed(is)), clean(right))
	})
}

func trimmed(lines []string) (list []string) {
	for _, line := range lines {
		list = append(list, strings.TrimSpace(line))
	}
	return list
}

// TestEachLineIsMarkedByItself, in two columns as in one: the cursor comes to every line, down and up again, and a mark is of
// one line, wherever it stands.
func TestEachLineIsMarkedByItself(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		long := strings.Repeat("word ", rapid.IntRange(0, 30).Draw(t, "length"))
		f := changed(strings.ReplaceAll(texts.Draw(t, "old"), "b\n", "b "+long+"\n"), texts.Draw(t, "new"))
		var m stream.Model
		m.Set([]tray.File{f})
		inTwo(&m, 100, 100)
		visited := map[int]bool{}
		visit := func(step int) (order []string) {
			for range 3 * 100 {
				if lines := m.LineAtCursor(); lines >= 0 {
					visited[lines] = true
					if s := fmt.Sprint(lines); len(order) == 0 || order[len(order)-1] != s {
						order = append(order, s)
					}
				}
				m.Move(step)
			}
			return order
		}
		down := visit(1)
		assert.Len(t, visited, len(f.Hunks[0].Lines))
		assert.Len(t, down, len(visited), "each once")
		up := visit(-1)
		slices.Reverse(up)
		assert.Equal(t, down, up)
		want := map[int]bool{}
		for m.Move(1); len(visited) > 0; {
			at := m.LineAtCursor()
			if at >= 0 && visited[at] && f.Hunks[0].Lines[at].Op != diff.Keep && rapid.Bool().Draw(t, "mark") {
				require.True(t, m.Mark())
				want[at] = true
			} else {
				m.Move(1)
			}
			delete(visited, at)
		}
		assert.Equal(t, len(want), m.Marked())
		if len(want) > 0 {
			assert.Equal(t, tray.LinesOfHunks{"h": want}, tray.LinesOfHunks{"h": m.Picked()[0].Lines})
		}
		marks := 0
		for _, row := range m.View(100, 100, false, stream.Cool, withTwo()) {
			marks += strings.Count(ansi.Strip(row), "■")
		}
		assert.GreaterOrEqual(t, marks, len(want), "each mark is drawn")
	})
}

func withTwo() kit.Theme {
	two := theme
	two.TwoColumns = true
	return two
}

// TestAClickTakesALine: the one under the mouse, of the two in a row.
func TestAClickTakesALine(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{changed("a\nb\n", "a\nB\n")})
	inTwo(&m, 100, 30)
	for _, at := range []struct{ x, line int }{{10, 1}, {60, 2}} {
		m.Click(at.x, 3)
		assert.Equal(t, at.line, m.LineAtCursor())
		m.ClickIn(kit.Next, kit.Size{Width: 142}, 42+at.x, 3)
		assert.Equal(t, at.line, m.LineAtCursor())
	}
}

// TestKeysInTwoColumns: the cursor keeps its line when the columns change, and a file that is new as a whole stays in one.
func TestKeysInTwoColumns(t *testing.T) {
	var m stream.Model
	m.Set([]tray.File{changed("a\nb\nc\nd\n", "a\nB\nC\nd\n")})
	view(&m, 100, 30)
	m.Move(2) // over a, to b
	inTwo(&m, 100, 30)
	require.True(t, m.Mark())
	assert.Equal(t, []string{"h:2"}, names(m.Picked()), "the line that goes")
	require.True(t, m.Mark())
	assert.Equal(t, []string{"h:2,4"}, names(m.Picked()), "and the one in its place")
	m.Move(-1)
	require.True(t, m.Mark())
	assert.Equal(t, []string{"h:2"}, names(m.Picked()), "once more takes its mark away")
	assert.Equal(t, 2, m.LineAtCursor(), "it has gone on to the next row")
	view(&m, 100, 30)
	assert.Equal(t, 2, m.LineAtCursor())
	m.Move(2)
	inTwo(&m, 100, 30)
	assert.Equal(t, 4, m.LineAtCursor())
	left, _ := inTwo(&m, 40, 30)
	assert.Empty(t, left, "too narrow")

	whole := changed("", "x\ny\n")
	whole.Hunks[0].Kind = tray.New
	m.Set([]tray.File{whole})
	left, _ = inTwo(&m, 100, 30)
	assert.Empty(t, left)
}

func BenchmarkTwoColumnsOfFiftyThousandLines(b *testing.B) {
	var old, new strings.Builder
	for i := range 50000 {
		fmt.Fprintf(&old, "old %d\n", i)
		fmt.Fprintf(&new, "new %d\n", i)
	}
	var m stream.Model
	m.Set([]tray.File{changed(old.String(), new.String())})
	inTwo(&m, 142, 42)
	for b.Loop() {
		m.Move(1)
		inTwo(&m, 142, 42)
	}
}
