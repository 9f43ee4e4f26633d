package merge_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"bastel/internal/merge"
	"bastel/test/fixture"
)

func TestLostOf(t *testing.T) {
	for _, c := range []struct {
		name, base, side, other, result string
		want                            int
	}{
		{"all of it is there", "1,2,3,", "1,x,3,", "1,2,3,4,", "1,x,3,4,", 0},
		{"back to the base", "1,2,3,", "1,x,3,", "1,2,3,4,", "1,2,3,4,", 1},
		{"the other side's", "1,2,3,", "1,x,3,", "1,y,3,", "1,y,3,", 1},
		{"both", "1,2,3,", "1,x,3,", "1,y,3,", "1,x,y,3,", 0},
		{"a text of its own", "1,2,3,", "1,x,3,", "1,y,3,", "1,z,3,", 0},
		{"one of three", "1,2,3,", "1,a,b,c,3,", "1,y,3,", "1,b,y,3,", 2},
		{"a deletion that came back", "1,2,3,4,", "1,4,", "1,2,3,4,5,", "1,2,3,4,5,", 2},
		{"a new file that is gone", "", "1,2,3,", "", "", 3},
		{"a file that the other side deleted", "1,2,3,", "1,2,3,4,", "", "", 1},
		{"the same on both sides", "1,2,3,", "1,x,3,", "1,x,3,", "1,x,3,", 0},
		{"a line elsewhere is not this one", "1,2,3,4,5,6,7,", "1,x,3,4,5,6,7,", "1,2,3,4,5,6,x,", "1,2,3,4,5,6,x,", 1},
	} {
		text := func(lines string) []byte { return []byte(strings.ReplaceAll(lines, ",", "\n")) }
		lost := merge.LostOf(text(c.base), text(c.side), text(c.other), text(c.result))
		assert.Equal(t, c.want, lost.Count(), c.name)
	}
}

// TestNothingIsLostByACleanMerge: nor by an answer that takes both sides; the other side alone loses what the regions had of the first.
func TestNothingIsLostByACleanMerge(t *testing.T) {
	random := fixture.Random(t, 12)
	var words []string
	for i := range 100 { // lines that are alike could be meant in more than one way
		words = append(words, fmt.Sprint("word", i))
	}
	for range fixture.Rounds(2000, 100000) {
		var base []string
		for i := range 12 {
			base = append(base, fmt.Sprint("line", i))
		}
		side, other := edited(random, base, words), edited(random, base, words)
		join := func(list []string) []byte { return []byte(strings.Join(list, "\n") + "\n") }
		chunks := merge.Text(join(base), join(side), join(other))
		var both, its [][]byte
		regions := 0
		for _, chunk := range chunks {
			both, its = append(both, chunk.Settled...), append(its, chunk.Settled...)
			if r := chunk.Region; r != nil {
				both, its = append(both, slices.Concat(r.Left, r.Right)...), append(its, r.Left...)
				regions++
			}
		}
		assert.Empty(t, merge.LostOf(join(base), join(side), join(other), joined(its)).Lines, "%q %q %q", base, side, other)
		if regions == 0 {
			assert.Empty(t, merge.LostOf(join(base), join(side), join(other), joined(both)).Lines)
		}
	}
}
