package ui

import (
	"fmt"
	"testing"
)

// TestASearchFindsWhatIsNotOnShow: a branch that the chart left out comes onto it, and what is called just so comes first.
func TestASearchFindsWhatIsNotOnShow(t *testing.T) {
	f := desk(t)
	mira := f.ByMira()
	for n := range 30 {
		mira.Git("branch", fmt.Sprintf("quay-%02d", n), mira.Git("commit-tree", "-p", "main", "-m", fmt.Sprint("Quay ", n), "main^{tree}"))
	}
	mira.Git("branch", "quay", mira.Git("commit-tree", "-p", "main", "-m", "Old quay", "main^{tree}"))
	d := newDriver(t, f.Dir)
	d.play("+2 hunks", "[", "+▸topic")
	for _, name := range []string{"quay-29", "quay"} { // of those last made in one second, as many are left out as there are too many
		d.play("/", "+Find on the chart", name, "enter", "-Find on the chart", "x", "+delete "+name+" ", "z", "-delete "+name)
	}
}

// TestPathsAreFoundInSort: a file by its path, folded away or not.
func TestPathsAreFoundInSort(t *testing.T) {
	d := newDriver(t, desk(t).Dir)
	d.play("+2 hunks", "/", "spaces.txt", "+file", "enter", "-Search", "enter", "+1 hunk in 1 file")
}
