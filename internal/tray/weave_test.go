package tray

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/diff"
)

func drawLines(t *rapid.T, name string) [][]byte {
	line := rapid.SampledFrom([]string{"a\n", "b\n", "c\n", "\n", "d\r\n"})
	return diff.Split([]byte(strings.Join(rapid.SliceOfN(line, 0, 20).Draw(t, name), "")))
}

func pickSome(t *rapid.T, w weave) map[int]bool {
	picked := map[int]bool{}
	for i := range w {
		picked[i] = rapid.Bool().Draw(t, "picked")
	}
	return picked
}

// drawWeave is a weave whose lines went from layer to layer.
func drawWeave(t *rapid.T) (w weave, head, work [][]byte) {
	head, work = drawLines(t, "head"), drawLines(t, "work")
	w = newWeave(head, drawLines(t, "index"), work)
	layer := rapid.SampledFrom([]Layer{A, A + 1, A + 2, Loose})
	for range rapid.IntRange(0, 5).Draw(t, "moves") {
		if moved, err := w.move(pickSome(t, w), layer.Draw(t, "from"), layer.Draw(t, "to")); err == nil {
			w = moved
		}
	}
	return w, head, work
}

// texts are those of all layers.
func (w weave) texts() (list []string) {
	for l := Head; l <= A+3; l++ {
		list = append(list, string(bytes.Join(w.lines(l), nil)))
	}
	return append(list, string(bytes.Join(w.lines(Loose), nil)))
}

func TestMovesKeepTheEnds(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, head, work := drawWeave(t)
		assert.Equal(t, head, w.lines(Head), "what HEAD has")
		assert.Equal(t, work, w.lines(Loose), "what the working tree has")
		for l := A; l <= A+2; l++ {
			s := w.step(l)
			assert.Equal(t, w.lines(l-1), s.old)
			assert.Equal(t, w.lines(l), s.new)
			var made [][]byte
			at := 0
			for _, c := range s.changes {
				made = append(append(made, s.old[at:c.OldStart]...), s.new[c.NewStart:c.NewEnd]...)
				at = c.OldEnd
			}
			assert.Equal(t, bytes.Join(s.new, nil), bytes.Join(append(made, s.old[at:]...), nil), "a layer is its changes")
		}
	})
}

func TestSettleTakesATrayIntoHEAD(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, _, _ := drawWeave(t)
		before := w.texts()
		settled, err := w.settle(A)
		require.NoError(t, err, "nothing lies below A")
		assert.Equal(t, before[1:], settled.texts()[1:])
		assert.Equal(t, before[1], settled.texts()[0])
		if later, err := w.settle(A + 1); err == nil {
			assert.Equal(t, before[2:], later.texts()[2:], "B first: what follows stays")
		}
	})
}

func TestBelowAddsTheOldText(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, _, work := drawWeave(t)
		older := drawLines(t, "older")
		for _, at := range []Layer{A, Loose} {
			under := w.below(older, at)
			assert.Equal(t, older, under.lines(Head))
			assert.Equal(t, work, under.lines(Loose))
			if at == A {
				assert.Equal(t, w.texts()[1:], under.texts()[1:])
			}
		}
	})
}

func TestRewriteChangesOneLayerOnly(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, head, work := drawWeave(t)
		var places []int
		for i, line := range w {
			if line.Born <= A+1 && A+1 < line.Dies {
				places = append(places, i)
			}
		}
		want := drawLines(t, "edited")
		edited := w.rewrite(places, want, A+1)
		assert.Equal(t, want, edited.lines(A+1))
		assert.Equal(t, head, edited.lines(Head))
		assert.Equal(t, work, edited.lines(Loose))
		assert.Equal(t, w.lines(A), edited.lines(A))
	})
}

func TestDiscardPutsTheTextBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w, _, _ := drawWeave(t)
		all := map[int]bool{}
		for i := range w {
			all[i] = true
		}
		texts := w.discard(all).texts()
		assert.Equal(t, w.texts()[:4], texts[:4])
		assert.Equal(t, texts[3], texts[5], "nothing is loose any more")
	})
}

// numbered gives lines that all differ.
func numbered(from, to int) (lines [][]byte) {
	for i := from; i < to; i++ {
		lines = append(lines, fmt.Appendf(nil, "line %d\n", i))
	}
	return lines
}

// TestAdoptKeepsWhatIsStillThere: lines in trays stay in them while the file is
// edited elsewhere, and what is gone is counted.
func TestAdoptKeepsWhatIsStillThere(t *testing.T) {
	head := numbered(0, 20)
	work := append(append(numbered(0, 5), []byte("new 1\n"), []byte("new 2\n")), numbered(7, 20)...)
	w := newWeave(head, head, work)
	inB := func(text string, w weave) bool {
		for _, line := range w {
			if string(line.Text) == text && (line.Born == A+1 || line.Dies == A+1) {
				return true
			}
		}
		return false
	}
	picked := map[int]bool{}
	for i, line := range w {
		picked[i] = string(line.Text) == "new 1\n" || string(line.Text) == "line 6\n"
	}
	w, err := w.move(picked, Loose, A+1)
	require.NoError(t, err)
	edited := w.rewrite([]int{0}, [][]byte{[]byte("own\n")}, A+1)

	same, lost := newWeave(head, head, work).adopt(w)
	assert.Equal(t, w, same)
	assert.Zero(t, lost)
	moved := append(numbered(100, 110), work...)
	after, lost := newWeave(head, head, moved).adopt(w)
	assert.Zero(t, lost)
	assert.True(t, inB("new 1\n", after) && inB("line 6\n", after) && !inB("new 2\n", after))
	assert.Equal(t, moved, after.lines(Loose))
	after, lost = newWeave(head, head, append(numbered(0, 5), work[6:]...)).adopt(w)
	assert.Equal(t, 1, lost, "the line is gone from the file")
	assert.True(t, inB("line 6\n", after))
	after, lost = newWeave(head, work, work).adopt(w)
	assert.Zero(t, lost, "staged by others is settled")
	assert.False(t, inB("new 1\n", after))
	after, _ = newWeave(head, head, moved).adopt(edited)
	assert.True(t, inB("own\n", after), "text that only the tray has stays too")
	assert.Equal(t, moved, after.lines(Loose))
}

// TestAWeaveComesBackFromItsState: what is kept of a weave is all of it, byte for byte.
func TestAWeaveComesBackFromItsState(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.SampledFrom([]string{"a\n", "\n", "\xff\x00\n", "c\r\n", "no end"})
		layer := rapid.SampledFrom([]Layer{Head, A, 2, Loose, never})
		w := weave{}
		for range rapid.IntRange(0, 12).Draw(t, "lines") {
			w = append(w, woven{Text: []byte(line.Draw(t, "line")), Born: layer.Draw(t, "born"), Dies: layer.Draw(t, "dies")})
		}
		data, err := encodeWeave(w)
		require.NoError(t, err)
		again, err := decodeWeave(data)
		require.NoError(t, err)
		require.Equal(t, w, again)
	})
}

// TestBringChangesOneLayerOnly: what comes from elsewhere is in the working tree and in its tray, and every other layer takes and
// gives the lines that it did.
func TestBringChangesOneLayerOnly(t *testing.T) {
	brought := 0
	rapid.Check(t, func(t *rapid.T) {
		w, _, work := drawWeave(t)
		new := rapid.SliceOf(rapid.Custom(func(t *rapid.T) [][]byte {
			if len(work) > 0 && rapid.Bool().Draw(t, "had") {
				at := rapid.IntRange(0, len(work)-1).Draw(t, "at")
				return work[at:rapid.IntRange(at, len(work)).Draw(t, "until")]
			}
			return drawLines(t, "new")
		})).Draw(t, "text")
		text := bytes.Join(slices.Concat(new...), nil)
		at := rapid.SampledFrom([]Layer{A, A + 1, A + 2}).Draw(t, "into")
		before := bytes.Join(w.lines(Loose), nil)
		got, err := w.bring(diff.Split(text), at)
		if err != nil {
			require.ErrorIs(t, err, ErrBuildsOn)
			assert.Equal(t, before, bytes.Join(w.lines(Loose), nil), "nothing was changed")
			return
		}
		brought++
		assert.Equal(t, string(text), string(bytes.Join(got.lines(Loose), nil)))
		for l := Head; l < at; l++ {
			assert.Equal(t, w.lines(l), got.lines(l), "below it")
		}
		for _, l := range []Layer{A, A + 1, A + 2, Loose} {
			if l != at {
				assert.Equal(t, w.born(l), got.born(l), "%v brings what it did", l)
				assert.Equal(t, w.gone(l), got.gone(l), "%v takes away what it did", l)
			}
		}
	})
	assert.Positive(t, brought)
}

func (w weave) born(at Layer) (lines []string) {
	for _, line := range w {
		if line.Born == at {
			lines = append(lines, string(line.Text))
		}
	}
	return lines
}

func (w weave) gone(at Layer) (lines []string) {
	for _, line := range w {
		if line.Dies == at {
			lines = append(lines, string(line.Text))
		}
	}
	return lines
}
