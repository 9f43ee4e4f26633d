package lanes_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"bastel/internal/lanes"
)

func TestHistory(t *testing.T) {
	end := lanes.Ends
	for name, test := range map[string]struct {
		parents [][]int
		trunks  []int
		want    []int
		width   int
	}{
		"nothing":               {nil, nil, []int{}, 0},
		"a straight line":       {[][]int{{1}, {2}, {end}}, nil, []int{0, 0, 0}, 1},
		"two tips":              {[][]int{{2}, {2}, {end}}, nil, []int{0, 1, 0}, 2},
		"the trunk at the left": {[][]int{{2}, {2}, {end}}, []int{1}, []int{1, 0, 0}, 2},
		"a merge":               {[][]int{{1, 2}, {3}, {3}, {end}}, nil, []int{0, 0, 1, 0}, 2},
		"a lane is used again":  {[][]int{{1}, {end}, {3}, {end}}, nil, []int{0, 0, 0, 0}, 1},
	} {
		t.Run(name, func(t *testing.T) {
			g := lanes.History(test.parents, test.trunks...)
			assert.Equal(t, test.want, g.Lanes)
			assert.Equal(t, test.width, g.Width)
		})
	}
}

// TestHistoryOfAnyShape: every parent has its edge, edges run along the axes and downwards
// from commit to parent, and no edge runs through a commit that it does not belong to.
func TestHistoryOfAnyShape(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 14).Draw(t, "rows")
		parents := make([][]int, n)
		for row := range parents {
			if row == n-1 {
				parents[row] = []int{lanes.Ends}
				continue
			}
			parents[row] = rapid.SliceOfNDistinct(rapid.IntRange(row+1, n-1), 1, min(3, n-1-row), rapid.ID[int]).Draw(t, "parents")
		}
		trunk := rapid.IntRange(0, n-1).Draw(t, "trunk")
		g := lanes.History(parents, trunk)
		for row, list := range parents {
			for _, parent := range list {
				at := slices.IndexFunc(g.Edges, func(e lanes.Edge) bool { return e.From == row && e.To == parent })
				assert.GreaterOrEqual(t, at, 0, "row %d to %d", row, parent)
			}
		}
		for _, e := range g.Edges {
			assert.Equal(t, lanes.Point{X: g.Lanes[e.From], Y: 2 * e.From}, e.Points[0])
			for i, p := range e.Points[1:] {
				before := e.Points[i]
				assert.True(t, p.X == before.X && p.Y > before.Y || p.Y == before.Y)
				assert.Less(t, p.X, g.Width)
			}
			if e.To == lanes.Ends {
				continue
			}
			assert.Equal(t, lanes.Point{X: g.Lanes[e.To], Y: 2 * e.To}, e.Points[len(e.Points)-1])
			for row := e.From + 1; row < e.To; row++ { // where its upright part passes
				for i, p := range e.Points[1:] {
					if before := e.Points[i]; p.X == before.X && before.Y < 2*row && 2*row < p.Y {
						assert.NotEqual(t, g.Lanes[row], p.X, "through row %d", row)
					}
				}
			}
		}
	})
}
