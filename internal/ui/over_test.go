package ui

import (
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// point gives the cell where a text begins on the screen.
func (d *driver) point(text string) (x, y int) {
	d.t.Helper()
	for y, row := range strings.Split(d.frame(), "\n") {
		if before, _, found := strings.Cut(row, text); found {
			return len([]rune(before)), y
		}
	}
	require.Fail(d.t, "not on the screen: "+text, d.frame())
	return 0, 0
}

func (d *driver) click(text string) {
	x, y := d.point(text)
	d.update(tea.MouseClickMsg{X: x, Y: y, Button: tea.MouseLeft})
}

func (d *driver) wheel(text string, button tea.MouseButton) {
	x, y := d.point(text)
	d.update(tea.MouseWheelMsg{X: x, Y: y, Button: button})
}

// row gives the row of the screen that a text stands in.
func (d *driver) row(text string) string {
	_, y := d.point(text)
	return strings.Split(d.frame(), "\n")[y]
}

// TestTheMouseOverSend: what lies over Send is reached by the mouse as by keys.
func TestTheMouseOverSend(t *testing.T) {
	f := desk(t)
	f.Git("checkout", "--quiet", "--force", "topic")
	f.Git("clean", "--quiet", "--force")
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	d := newDriver(t, f.Dir)
	d.play("+No loose changes", "]", "]", "]", "+A new branch there")

	d.click("Change ten")
	assert.Contains(t, d.row("Change ten"), "▌")
	d.play("enter", "+Look", "?", "+▰ A difference", "+What a commit changes", "esc", "+▰ Look")
	d.click("− line 10")
	assert.Contains(t, d.row("− line 10"), "▌")
	d.wheel("− line 10", tea.MouseWheelUp)
	assert.NotContains(t, d.row("− line 10"), "▌")
	d.play("esc")

	d.play("v", "+0 of 2 commits read", "?", "+▰ Reading through", "+belong to content", "esc", "+0 of 2 commits read")
	d.click("Change thirty")
	d.play("+▰ Now  0 of 2", "+  Next  Change thirty")
	assert.Contains(t, d.row("· Change thirty"), "▌")
	d.wheel("· Change thirty", tea.MouseWheelUp)
	d.play("+  Next  Change ten")
	d.click("+ ten")
	d.play("+▰ Next  Change ten", "m", "+Remark on line 10 of a.go", "By the mouse", "ctrl+s", "+┊ By the mouse")
	d.click("┊ By the mouse")
	d.play("x", "+Remark 1 will be deleted for good", "n", "+Nothing was done.", "+┊ By the mouse", "x", "y", "+Dropped.", "-┊ By the mouse")
	d.wheel("+ ten", tea.MouseWheelDown)
	assert.NotContains(t, d.row("+ ten"), "▌")
	d.play("esc")

	d.play("!", "+before sending", "?", "+▰ The preflight", "+blocking findings first", "esc", "+before sending")
	d.click("no merges")
	assert.Contains(t, d.row("no merges"), "▌")
	d.play("+Nothing was found.", "enter", "+Nothing was found.") // nothing to mend
	d.wheel("no merges", tea.MouseWheelUp)
	assert.NotContains(t, d.row("no merges"), "▌")
	d.play("esc")

	d.play("V", "+origin/main, landed", "?", "+▰ Landing", "+unless a merge is asked for", "esc", "+origin/main, landed")
	d.click("base")
	assert.Contains(t, d.row("base"), "▌")
	d.wheel("base", tea.MouseWheelDown)
	d.play("g", "G", "right")
	assert.Contains(t, d.row("lands"), "Change ten")
	d.play("esc", "+A new branch there")
	assert.Empty(t, f.Git("status", "--porcelain"))
}

// TestOverSendAt80: where only one half fits, the same keys turn it.
func TestOverSendAt80(t *testing.T) {
	f := desk(t)
	f.Git("checkout", "--quiet", "--force", "topic")
	f.Git("clean", "--quiet", "--force")
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	d := newDriver(t, f.Dir)
	d.update(tea.WindowSizeMsg{Width: 80, Height: 24})
	d.play("+No loose changes", "]", "]", "]", "+A new branch there",
		"v", "+▰ Next  Change ten", "left", "+▰ Now  0 of 2 commits read", "v", "+1 of 2 commits read", "j", "right",
		"+▰ Next  Change thirty", "v", "left", "+2 of 2 commits read", "v", "+1 of 2 commits read", "esc",
		"!", "+1 finding before sending", "right", "+enter goes to the read-through", "left", "+no merges", "esc",
		"V", "+Next  origin/main, landed", "left", "+Now  origin/main", "+as last fetched", "right", "+It moves forward", "esc",
		"+A new branch there")
	for line := range strings.SplitSeq(d.frame(), "\n") {
		assert.LessOrEqual(t, len([]rune(line)), 80)
	}
}
