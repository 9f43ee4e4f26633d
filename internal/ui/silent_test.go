package ui

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/ui/action"
)

// TestNoKeyIsSilent: on each screen each key of the table has an effect that shows, or says why not and where it has one. Left out
// are those that move, which may be at the end, esc, and those that leave.
func TestNoKeyIsSilent(t *testing.T) {
	moves := []action.ID{action.Up, action.Down, action.PageUp, action.PageDown, action.Top, action.End, action.ToNow, action.ToNext,
		action.NextHunk, action.PreviousHunk,
		action.NextCommit, action.PreviousCommit, action.Back, action.Leave, action.OpenDemo, action.Suspend}
	for at, screen := range []string{"Map", "Sort", "Shape", "Mend", "Send"} {
		t.Run(screen, func(t *testing.T) {
			f := desk(t)
			f.Remote(t)
			f.Git("push", "--quiet", "origin", "main")
			d := newDriver(t, f.Dir)
			d.wait("hunk")
			for _, row := range action.Table {
				key := row.Keys
				if len(key) == 0 || slices.ContainsFunc(moves, func(id action.ID) bool { return action.Is(id, key[0]) }) ||
					len(key[0]) > 1 && named[key[0]] == 0 && key[0] != "space" {
					continue
				}
				d.press("esc", "esc", "esc")
				d.m.page = nil
				d.run(d.m.show(at))
				d.rest()
				require.Equal(t, at, d.m.at)
				d.m.hush()
				d.m.frame = d.m.draw()
				before := d.frame()
				d.press(key[0])
				d.rest()
				assert.NotEqual(t, before, d.frame(), "%s in %s: %s", key[0], screen, row.Means)
			}
		})
	}
}
