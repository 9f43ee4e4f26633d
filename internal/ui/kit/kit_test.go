package kit_test

import (
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"bastel/internal/lanes"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

var theme = kit.NewTheme(kit.Look{Ground: kit.Dark})

// TestRowsFillTheirWidth: whatever the text, a row is exactly as wide as asked.
func TestRowsFillTheirWidth(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		width := rapid.IntRange(0, 60).Draw(t, "width")
		text := rapid.Custom(func(t *rapid.T) kit.Seg {
			pieces := rapid.SliceOfN(rapid.SampledFrom([]string{"a", "word ", "世界", "é", "é", "\t", "👩‍👩‍👧", "\x1b[31m", "\xff"}), 0, 12)
			return kit.Seg{Text: safe.Show(kit.Expand(safe.Text(strings.Join(pieces.Draw(t, "text"), "")))), Style: theme.Added}
		})
		left, right := rapid.SliceOfN(text, 0, 4).Draw(t, "left"), text.Draw(t, "right")
		assert.Equal(t, width, ansi.StringWidth(kit.Row(width, theme.Selected, left...)))
		assert.Equal(t, width, ansi.StringWidth(kit.Split(width, nil, left, right)))
	})
}

func TestExpand(t *testing.T) {
	for text, want := range map[string]string{"a\tb": "a   b", "\t": "    ", "abcd\te": "abcd    e", "世\tx": "世  x", "none": "none"} {
		assert.Equal(t, want, kit.Expand(text))
	}
}

func TestScrollKeepsTheCursorInView(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		total := rapid.IntRange(1, 200).Draw(t, "total")
		height := rapid.IntRange(1, 50).Draw(t, "height")
		cursor := rapid.IntRange(0, total-1).Draw(t, "cursor")
		top := kit.Scroll(rapid.IntRange(0, total).Draw(t, "top"), cursor, height, total)
		assert.True(t, top >= 0 && top <= cursor && cursor < top+height)
		assert.True(t, top == 0 || top+height <= total, "no empty room at the end")
	})
}

// drawn draws threads without colours; trailing blanks are cut.
func drawn(pitch, rows int, strands ...kit.Strand) string {
	var lines []string
	for _, line := range kit.Seam(strands, 16, rows*pitch, pitch, 0, theme) {
		lines = append(lines, strings.TrimRight(ansi.Strip(line), " "))
	}
	return "\n" + strings.Join(lines, "\n") + "\n"
}

func strand(from, to int) kit.Strand {
	return kit.Strand{Thread: lanes.Thread{From: from, To: to}, Faded: to == lanes.Ends}
}

func TestTheSeamIsDrawn(t *testing.T) {
	bright := strand(1, 1)
	bright.Bright = true
	for name, test := range map[string]struct{ got, want string }{
		"straight, and bright": {drawn(1, 2, strand(0, 0), bright), `
 ──────────────
 ━━━━━━━━━━━━━━
`},
		"join and end": {drawn(2, 3, strand(0, 0), strand(1, lanes.Ends), strand(2, 0)), `
 ──┬───────────
   │
 ╌╌│
   │
 ──╯

`},
		"move up past two": {drawn(2, 3, strand(0, 1), strand(1, 2), strand(2, 0)), `
 ──────╮     ╭─
   ╭───│─────╯
 ──│─╮ ╰───────
   │ │
 ──╯ ╰─────────

`},
		"swap through the gap": {drawn(2, 2, strand(0, 1), strand(1, 0)), `
 ────╮       ╭─
   ╭─│───────╯
 ──╯ ╰─────────

`},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, test.want, test.got) })
	}
}

func TestActionsAreFoundByAnyOfTheirKeys(t *testing.T) {
	done := ""
	do := func(name string) func() tea.Cmd {
		return func() tea.Cmd { done = name; return nil }
	}
	actions := []kit.Action{kit.Act(action.Discard, false, do("never")), kit.Act(action.Down, true, do("down")),
		kit.Act(action.LeaveOut, true, do("later")),
		kit.Choosing(action.IntoTray, true, func(key string) tea.Cmd { done = "tray " + key; return nil })}
	for key, want := range map[string]string{"j": "down", "down": "down", "x": "later", "2": "tray 2"} {
		found, ok := kit.FindKey(actions, key)
		assert.True(t, ok)
		found.Do()
		assert.Equal(t, want, done)
	}
	_, ok := kit.FindKey(actions, "y")
	assert.False(t, ok)
}
