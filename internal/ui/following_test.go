package ui

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestARefusedStep: what was shown as done and is refused is shown as it was; the keys that came
// after it are dropped, and named.
func TestARefusedStep(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	countProcesses(t).quiet(d)
	f.Write("a.go", numbered(40, map[int]string{12: "something else\n"}))
	d.press("enter", "enter", "2", "j", "a")
	assert.Contains(t, d.frame(), "1 hunk in 1 file", "it is on the screen at once")
	d.wait("enter: ")
	d.wait("Dropped with it: enter 2 a")
	d.wait("something else")
	assert.Empty(t, f.Git("diff", "--cached"))
	assert.Contains(t, d.frame(), "nothing in it yet")
	d.press("u")
	d.wait("There is nothing to undo.")
}
