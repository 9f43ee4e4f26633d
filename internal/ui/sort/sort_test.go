package sort

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

func TestAFileSaysInWhichTraysAPartOfItIs(t *testing.T) {
	file := func(path string) tray.File { return tray.File{Path: path} }
	board := tray.Listing{Loose: []tray.File{file("a"), file("b")}, Trays: []tray.Tray{
		{Layer: tray.A, Files: []tray.File{file("a"), file("c")}}, {Layer: tray.A + 1, Files: []tray.File{file("a")}}}}
	assert.Equal(t, map[string]string{"a": "partly in AB", "c": "partly in A"}, spread(board))
}

func TestAHunkIsToldByItsFirstChangedLine(t *testing.T) {
	lines := []diff.Line{{Op: diff.Keep, Text: []byte("one\n")}, {Op: diff.Remove, Text: []byte("\ttwo\n")},
		{Op: diff.Add, Text: []byte("TWO\n")}}
	hunk := tray.Hunk{Hunk: diff.Hunk{Lines: lines}}
	assert.Equal(t, "− two", gist(tray.Fixup{Hunk: hunk}))
	assert.Equal(t, "+ TWO", gist(tray.Fixup{Hunk: hunk, Lines: map[int]bool{2: true}}), "of marked lines, the first of those")
	assert.Equal(t, "mode 644 becomes 755", gist(tray.Fixup{Hunk: tray.Hunk{Note: "mode 644 becomes 755"}}))
}

func TestWhatWasCommittedIsSaid(t *testing.T) {
	id, err := repo.ParseID(strings.Repeat("1a", 20))
	require.NoError(t, err)
	one := app.Made{Commits: []repo.ID{id}, Warning: "the hook complained."}
	assert.Regexp(t, `^Made commit \w+, Name the board\. u undoes it\. But the hook complained\.$`,
		committedNote(one, "Name the board\n\nWhy.\n"))
	assert.Regexp(t, `^Made 3 commits, up to \w+\. u undoes all of them\.$`, committedNote(app.Made{Commits: []repo.ID{{}, {}, id}}, "x"))
}

func TestTextsKeepTheEndingOfTheirFile(t *testing.T) {
	for path, want := range map[string]string{"web/board.css": ".css", ".gitignore": "", "a.b/Makefile": "", "x.tar.gz": ".gz"} {
		assert.Equal(t, want, suffixOf(path), path)
	}
}
