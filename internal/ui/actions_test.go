package ui

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

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
