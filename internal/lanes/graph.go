package lanes

import "slices"

// Edge is the way from a commit to one of its parents: points on a grid of lanes (X) and
// half rows (Y), joined by horizontal and vertical lines.
type Edge struct {
	From, To int // rows; To is Ends where the parent is not shown
	Points   []Point
}

// Graph is a laid out history.
type Graph struct {
	Lanes []int // of each row
	Width int   // how many lanes there are
	Edges []Edge
}

// strand is a lane that runs down from a commit to a parent, by their rows.
type strand struct{ child, parent int }

// free stands for the parent of a lane that nothing runs in, and for the child of one that
// is kept for a trunk.
const free = -1

// History lays commits out in rows, the newest first, so that each runs down to its
// parents: the first one straight below it where that is possible. Parents are rows below
// the commit's own, or Ends for what is not shown. The tips in trunks get the leftmost
// lanes, in their order.
//
// The time is O(rows × lanes).
func History(parents [][]int, trunks ...int) Graph {
	g := Graph{Lanes: make([]int, len(parents))}
	var open []strand
	for _, tip := range trunks {
		open = append(open, strand{free, tip})
	}
	for row, list := range parents {
		lane := slices.IndexFunc(open, func(s strand) bool { return s.parent == row })
		if lane < 0 {
			lane = claim(&open)
		}
		g.Lanes[row] = lane
		for at := range open {
			if open[at].parent == row {
				g.join(open[at].child, row, at)
				open[at] = strand{free, free}
			}
		}
		for n, parent := range list {
			at := lane
			if n > 0 {
				at = claim(&open)
			}
			if parent == Ends {
				points := []Point{{lane, 2 * row}, {at, 2 * row}, {at, 2*row + 1}}
				g.Edges = append(g.Edges, Edge{row, Ends, slices.Compact(points)})
				continue
			}
			open[at] = strand{row, parent}
		}
		g.Width = max(g.Width, len(open))
	}
	return g
}

// claim takes the leftmost free lane, or a new one.
func claim(open *[]strand) int {
	for at := range *open {
		if (*open)[at].parent == free {
			return at
		}
	}
	*open = append(*open, strand{free, free})
	return len(*open) - 1
}

// join ends a lane at a parent's row, in the parent's own lane.
func (g *Graph) join(child, parent, at int) {
	if child == free {
		return
	}
	points := []Point{{g.Lanes[child], 2 * child}, {at, 2 * child}, {at, 2 * parent}, {g.Lanes[parent], 2 * parent}}
	g.Edges = append(g.Edges, Edge{child, parent, slices.Compact(points)})
}
