package mend

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

func TestWhatASideDidIsSaidInWords(t *testing.T) {
	id := repo.ID{}
	file := repo.Entry{Mode: repo.ModeFile, Name: "a", ID: id}
	folder, link, program := file, file, file
	folder.Mode, link.Mode, program.Mode = repo.ModeTree, repo.ModeSymlink, repo.ModeExecutable
	for says, entry := range map[string]repo.Entry{"a file": file, "a folder": folder, "a link": link, "an executable file": program} {
		assert.Equal(t, says, form(entry))
	}
	conflict := merge.Conflict{Base: file, Left: link, Right: repo.Entry{}}
	assert.Equal(t, file, entryOf(conflict, mend.Base))
	assert.Equal(t, link, entryOf(conflict, mend.Left))
	assert.True(t, entryOf(conflict, mend.Right).IsZero())
}

func TestALineIsPickedOnceItStandsInTheAnswer(t *testing.T) {
	q := mend.Question{Answer: mend.Answer{Take: []mend.Part{{Side: mend.Left, Lines: []int{1}}, {Side: mend.Right}}}, Origin: mend.Here}
	assert.False(t, picked(q, mend.Left, 0))
	assert.True(t, picked(q, mend.Left, 1))
	assert.True(t, picked(q, mend.Right, 7), "a whole side has all of its lines")
	assert.False(t, picked(q, mend.Base, 0))
	q.Origin = mend.Open
	assert.False(t, picked(q, mend.Right, 0), "an open question has no answer")
}

func TestAnswersAreOfferedToFilesOfOneKind(t *testing.T) {
	for path, want := range map[string]string{"web/board.css": "*.css", "Makefile": "Makefile", "a.b/LICENSE": "LICENSE"} {
		assert.Equal(t, want, pattern(path))
	}
}

// What is looked at stays on show where the conflict that it was about is settled by another program meanwhile.
func TestALookOutlivesItsConflict(t *testing.T) {
	m := &Model{at: -1, look: &stream.Model{}, lookOut: &app.ReadOut{Subject: "Depth in centimetres"}}
	for _, size := range []kit.Size{{Width: 142, Height: 30}, {Width: 80, Height: 19, Narrow: true}} {
		rows := m.View(size, kit.NewTheme(kit.Look{Ground: kit.Dark}))
		assert.Len(t, rows, size.Height)
		assert.Contains(t, rows[0], "Depth in centimetres")
		assert.Nil(t, m.Click(3, 3))
	}
}

func TestWhatGoesWithAWholeFile(t *testing.T) {
	lines := func(text string) (list [][]byte) { return diff.Split([]byte(text)) }
	assert.Contains(t, lostWith(lines("a\nb\n"), lines("a\nb\n")), "Nothing else goes")
	assert.Contains(t, lostWith(lines("a\nb\nc\n"), lines("a\nB\nc\n")), "elsewhere goes with it:\n\n− b\n+ B")
}
