package ui

import (
	"os"
	"path/filepath"
	"slices"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/ui/action"
)

// TestScreensOfferWhatTheTableSays: whatever a view offers, in the line of keys, the help, the
// finder and the menu, is a row of the table for this place, and no key stands for two of them.
func TestScreensOfferWhatTheTableSays(t *testing.T) {
	f := desk(t)
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("fetch", "--quiet")
	d := newDriver(t, f.Dir)
	for _, view := range []struct {
		place action.Place
		steps []string
	}{
		{action.Sort, []string{"+2 hunks"}},
		{action.Homes, []string{"H", "+joined by 1 hunk"}},
		{action.Shape, []string{"esc", "+loose changes", "]", "+1 file +1 −1"}},
		{action.Look, []string{"enter", "+Look"}},
		{action.Parts, []string{"esc", "+nothing planned yet", "d", "+its parts, in order"}},
		{action.Overlaps, []string{"esc", "+nothing planned yet", "O", "+files by commits"}},
		{action.Mend, []string{"esc", "+nothing planned yet", "]", "+No conflict waits"}},
		{action.Send, []string{"]", "+A new branch there"}},
		{action.Reading, []string{"v", "+commits read"}},
		{action.Preflight, []string{"esc", "+A new branch there", "!", "+before sending"}},
		{action.Landing, []string{"esc", "+A new branch there", "V", "+origin/main, landed"}},
	} {
		d.play(view.steps...)
		taken := map[string]action.ID{}
		offered := d.m.screen().Actions()
		assert.NotEmpty(t, offered)
		for _, a := range offered {
			row := action.Find(a.ID)
			assert.True(t, slices.Contains(row.In, view.place) || slices.Contains(row.In, action.Everywhere), "%s offers %s", view.place, a.ID)
			assert.Equal(t, row.Keys, a.Keys, "%s in %s", a.ID, view.place)
			for _, key := range a.Keys {
				if a.Can() {
					assert.Empty(t, taken[key], "%s in %s is %s too", key, view.place, a.ID)
					taken[key] = a.ID
				}
			}
		}
	}
}

// TestAnySizeIsDrawn: every view, and every page over it, draws in terminals of any size.
func TestAnySizeIsDrawn(t *testing.T) {
	f := desk(t)
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("fetch", "--quiet")
	d := newDriver(t, f.Dir)
	for _, steps := range [][]string{
		{"+2 hunks"}, {";", "+ignored files"}, {"esc", "+loose changes", ":", "+Find an action"},
		{"esc", "+loose changes", "?", "+Now holds"}, {"esc", "+loose changes", "m", "+Message of tray A"},
		{"esc", "+loose changes", "x", "+Throw"}, {"n", "H", "+joined by 1 hunk"}, {"enter", "+the commit as it will be"},
		{"esc", "+joined by 1 hunk", "esc", "+loose changes", "]", "+1 file +1 −1"}, {"t", "+Before which entry?"},
		{"esc", "+nothing planned yet", "enter", "+Look"},
		{"esc", "+nothing planned yet", "d", "+its parts, in order"}, {"esc", "+nothing planned yet", "O", "+files by commits"},
		{"esc", "+nothing planned yet", "]", "+No conflict waits"}, {"]", "+A new branch there"}, {"v", "+commits read"},
		{"esc", "+A new branch there", "!", "+before sending"}, {"esc", "+A new branch there", "V", "+origin/main, landed"}, {"w", "+Journal"},
	} {
		d.play(steps...)
		width, height := d.m.width, d.m.height
		for _, w := range []int{1, 10, 19, 20, 21, 30, 60, 99, 100, 240} {
			for h := 1; h < 16; h++ {
				d.update(tea.WindowSizeMsg{Width: w, Height: h})
				assert.NotPanics(t, func() { d.m.View() }, "%v at %dx%d", steps, w, h)
			}
		}
		d.update(tea.WindowSizeMsg{Width: width, Height: height})
	}
}

// TestWrongSettingsKeepNobodyOut: they are named, and the application opens.
func TestWrongSettingsKeepNobodyOut(t *testing.T) {
	for text, want := range map[string]string{
		"fetch_every = \"soon\"\n": "fetch_every is", "journal = \"soon\"\n": "is no age such as 90d",
		"nonsense = 1\n": "there is no such setting", "]]": "does not read as TOML",
	} {
		f := desk(t)
		config := t.TempDir()
		t.Setenv("XDG_CONFIG_HOME", config)
		require.NoError(t, os.MkdirAll(filepath.Join(config, "bastel"), 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(config, "bastel", "settings.toml"), []byte(text), 0o666))
		newDriver(t, f.Dir).play("+"+want, "+2 hunks")
	}
}
