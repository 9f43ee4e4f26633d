package charting

import (
	"cmp"
	"slices"

	"bastel/internal/repo"
)

// stack puts branches that sit on each other into rows. Of several on one tip, one goes on in the row: the one at work,
// or the newest. Others, and those that leave from the middle of a branch, have rows of their own.
func (w *walk) stack(placed []place) {
	g := growing{walk: w, placed: placed, onTip: map[repo.ID][]int{}, inside: map[int][]int{}}
	var roots []int
	names := map[repo.ID][]Branch{}
	for i, p := range placed {
		switch {
		case p.same:
		case p.inside:
			g.inside[w.claimed[p.on]] = append(g.inside[w.claimed[p.on]], i)
		case !p.on.IsZero():
			g.onTip[p.on] = append(g.onTip[p.on], i)
		case len(p.commits) == 0: // it is just somewhere on the line
			names[p.mooring] = append(names[p.mooring], w.branches[i])
		default:
			roots = append(roots, i)
		}
	}
	w.moorings(placed, roots, names)
	for _, i := range roots {
		g.row(Stack{Mooring: w.mooringOf(placed[i].mooring)}, i, 0)
	}
	slices.SortStableFunc(g.rows, func(x, y Stack) int { return cmp.Compare(order(x.Mooring), order(y.Mooring)) })
	w.chart.Stacks = g.rows
}

// growing puts rows together, from the line outward.
type growing struct {
	*walk
	placed []place
	onTip  map[repo.ID][]int // branches by the tip that they sit on
	inside map[int][]int     // branches by the one that they leave from before its tip
	rows   []Stack
}

// row begins a row with a branch, and goes on outward; ahead is how many commits are below it.
func (g *growing) row(row Stack, first, ahead int) {
	type later struct {
		row   Stack
		first int
		ahead int
	}
	var others []later
	merged := false
	for i := first; i >= 0; {
		segment := g.segment(i, row.Mooring, ahead, merged)
		merged = segment.merges
		row.Segments = append(row.Segments, segment)
		for _, j := range g.inside[i] {
			from := slices.IndexFunc(segment.Commits, func(m Mark) bool { return m.ID == g.placed[j].on })
			others = append(others, later{Stack{Mooring: row.Mooring, On: segment.Name, From: g.placed[j].on, Below: ahead + from + 1}, j,
				ahead + from + 1})
		}
		ahead += len(segment.Commits)
		above := g.onTip[g.branches[i].Tip]
		slices.SortStableFunc(above, func(x, y int) int { return cmp.Compare(g.rank[y], g.rank[x]) })
		i = -1
		for n, j := range above {
			if n == 0 {
				i = j
				continue
			}
			others = append(others, later{Stack{Mooring: row.Mooring, On: segment.Name, From: segment.Tip, Below: ahead}, j, ahead})
		}
	}
	g.rows = append(g.rows, row)
	for _, other := range others {
		g.row(other.row, other.first, other.ahead)
	}
}

// segment is a branch in its row; others at the same tip are named with it. Below says that something was merged in
// below it.
func (g *growing) segment(i, mooring, ahead int, below bool) Segment {
	b := g.branches[i]
	var also []Branch
	for _, other := range g.tips[b.Tip] {
		if other != i {
			also = append(also, g.branches[other])
		}
	}
	b.Ahead = ahead + len(g.placed[i].commits)
	if mooring >= 0 {
		b.Behind = g.position[g.chart.Line[mooring].ID]
	}
	merged := false
	segment := Segment{Branch: b, Also: also}
	for _, id := range slices.Backward(g.placed[i].commits) {
		mark := Mark{ID: id, Unsent: !g.reached[id].sent}
		if parents := g.own[id].Parents; len(parents) > 1 {
			mark.Merges, merged = parents[1], true
		}
		if mark.Unsent {
			segment.Unsent++
		}
		segment.Commits = append(segment.Commits, mark)
	}
	segment.merges = merged || below
	return segment
}

// order sorts rows by their moorings; those without one come last.
func order(mooring int) int {
	if mooring < 0 {
		return longestLine
	}
	return mooring
}
