package kit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"bastel/internal/ui/kit"
)

// TestEntriesFit: as many as fit are whole, the one at the cursor with both rows, and each row belongs to the one that is there.
func TestEntriesFit(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		size := kit.Size{Height: rapid.IntRange(5, 40).Draw(t, "screen"), Narrow: rapid.Bool().Draw(t, "narrow")}
		height := rapid.IntRange(2, size.Height).Draw(t, "rows")
		top := rapid.IntRange(0, 9).Draw(t, "top")
		cursor := top + rapid.IntRange(0, max(0, kit.EntriesIn(size, height, 0).Fit()-1)).Draw(t, "cursor")
		e := kit.EntriesIn(size, height, cursor)
		row := 0
		for i := top; i < top+e.Fit(); i++ {
			rows := e.Rows(i, []string{"one", "two"})
			assert.True(t, i != cursor || len(rows) == 2)
			for range rows {
				assert.Equal(t, i, e.At(top, row))
				row++
			}
		}
		assert.LessOrEqual(t, row, height)
	})
}
