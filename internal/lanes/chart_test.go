package lanes_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"bastel/internal/lanes"
)

// row writes cells as they stand right of the line.
func row(cells []lanes.ChartCell, names ...string) string {
	var b strings.Builder
	for _, c := range cells {
		switch c.Piece {
		case lanes.Edge:
			b.WriteString(strings.Repeat("─", c.Width))
		case lanes.Opens:
			b.WriteString("[")
		case lanes.Closes:
			b.WriteString("]")
		case lanes.Name:
			b.WriteString(" " + fmt.Sprintf("%-*.*s", c.Width-2, c.Width-2, names[c.Branch]) + " ")
		default:
			b.WriteString(c.Text)
		}
	}
	return b.String()
}

func branch(name string, commits, unsent int) lanes.ChartBranch {
	b := lanes.ChartBranch{NameWidth: len(name)}
	for i := range commits {
		b.Marks, b.Open = append(b.Marks, fmt.Sprint(i+1)), append(b.Open, i >= commits-unsent)
	}
	return b
}

func TestChartRow(t *testing.T) {
	for want, test := range map[string]struct {
		branches []lanes.ChartBranch
		width    int
	}{
		"──1─2─[3─4─5] board ─[1─2] print ": {[]lanes.ChartBranch{branch("board", 5, 3), branch("print", 2, 2)}, 58},
		"──1─2─·56·─59─60 refit ":           {[]lanes.ChartBranch{branch("refit", 60, 0)}, 58},
		"──1─·58·─60 refit ":                {[]lanes.ChartBranch{branch("refit", 60, 0)}, 20},
		"──·60· refit ":                     {[]lanes.ChartBranch{branch("refit", 60, 0)}, 15},
		"──[·60·] refi ":                    {[]lanes.ChartBranch{branch("refit", 60, 60)}, 14},
		"──1─2─·51·─[·5·─59─60] refit ":     {[]lanes.ChartBranch{branch("refit", 60, 7)}, 58},
		"──·5· board ─[1─2] print ":         {[]lanes.ChartBranch{branch("board", 5, 0), branch("print", 2, 2)}, 26},
	} {
		names := []string{"board", "print"}
		if len(test.branches) == 1 {
			names = []string{"refit"}
		}
		assert.Equal(t, want, row(lanes.ChartRow(test.branches, test.width), names...))
	}
}

// TestEachCommitIsOnTheRowOnce: as a cell of its own, or within one stretch; and there is no more than the room, unless
// nothing can give way any more.
func TestEachCommitIsOnTheRowOnce(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var branches []lanes.ChartBranch
		least := 2
		for i := range rapid.IntRange(1, 5).Draw(t, "branches") {
			n := rapid.IntRange(0, 80).Draw(t, "commits")
			b := branch(strings.Repeat("n", rapid.IntRange(1, 60).Draw(t, "name")), n, rapid.IntRange(0, n).Draw(t, "unsent"))
			branches = append(branches, b)
			least += min(b.NameWidth, 4) + 2 + 12
			if i > 0 {
				least++
			}
		}
		width := rapid.IntRange(0, 140).Draw(t, "width")
		cells := lanes.ChartRow(branches, width)
		seen, total := map[[2]int]int{}, 0
		for _, c := range cells {
			total += c.Width
			if c.Piece == lanes.Dot || c.Piece == lanes.Stretch {
				for at := c.First; at <= c.Last; at++ {
					seen[[2]int{c.Branch, at}]++
				}
			}
		}
		for i, b := range branches {
			for at := range b.Marks {
				assert.Equal(t, 1, seen[[2]int{i, at}], "commit %d of branch %d", at, i)
			}
		}
		assert.True(t, total <= width || width < least, "%d cells in %d", total, width)
	})
}
