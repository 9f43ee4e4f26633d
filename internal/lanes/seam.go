// Package lanes lays out threads: the seam between what is and what will be. It
// gives points on a grid; turning them into characters or curves is left to those
// who draw.
//
// Its tests promise: threads end where they belong and bundles never run over each other.
package lanes

import (
	"math"
	"slices"
)

// Thread ties a row on the left to the row on the right that it becomes part of.
// Left rows and right rows count from 0. To is Ends where it becomes part of
// nothing.
type Thread struct{ From, To int }

// Ends says that a thread ends in the seam. Other rows may be negative: they lie
// above what is shown.
const Ends = math.MinInt

// Point is a place on the grid. X runs from 0, the left edge, to Width, the right
// one; the tracks lie between. Y counts half rows: row r is at 2r, the gap below
// it at 2r+1.
type Point struct{ X, Y int }

// Path is the way of one thread, as points joined by horizontal and vertical lines.
type Path struct {
	Thread
	Points []Point
}

// Layout is a laid out seam.
type Layout struct {
	Paths []Path // in the order of the threads
	Width int    // the X of the right edge
}

// bundle is all threads that end at one row of the right side. They share a track.
type bundle struct {
	to         int
	sources    []int
	top, end   int // the half rows that its track spans
	track      int // 0: needs none
	viaGap     bool
	before     []int // rows to whose right ends this bundle's sources come near
	inProgress bool
	placed     bool
}

// Seam lays threads out over the given number of tracks. Threads that go straight
// across need no track. All others run along their bundle's track, and no two
// bundles share a piece of a horizontal line: a bundle that comes from a row lies
// left of the bundle that goes to that row, and where that is impossible, as in a
// swap, the latter takes its last step through the gap below its row.
//
// If there are fewer tracks than needed, the last one is shared.
// The time is O(n²) in the number of bundles that need a track.
func Seam(threads []Thread, tracks int) Layout {
	bundles := bundlesOf(threads)
	byRow := map[int]*bundle{}
	for _, b := range bundles {
		byRow[b.to] = b
	}
	for _, b := range bundles {
		b.order(byRow)
	}
	var done []*bundle
	for _, b := range bundles {
		done = b.place(byRow, done, tracks)
	}
	layout := Layout{Width: tracks + 2}
	for _, t := range threads {
		layout.Paths = append(layout.Paths, Path{t, route(t, byRow[t.To], layout.Width)})
	}
	return layout
}

func bundlesOf(threads []Thread) []*bundle {
	var bundles []*bundle
	for _, t := range threads {
		if t.To == Ends {
			continue
		}
		at := slices.IndexFunc(bundles, func(b *bundle) bool { return b.to == t.To })
		if at < 0 {
			at = len(bundles)
			bundles = append(bundles, &bundle{to: t.To})
		}
		bundles[at].sources = append(bundles[at].sources, t.From)
	}
	slices.SortFunc(bundles, func(a, b *bundle) int { return a.to - b.to })
	for _, b := range bundles {
		b.top = 2 * min(b.to, slices.Min(b.sources))
		b.end = 2 * max(b.to, slices.Max(b.sources))
		for _, row := range b.sources {
			if row != b.to {
				b.before = append(b.before, row)
			}
		}
	}
	return bundles
}

func (b *bundle) straight() bool { return len(b.before) == 0 }

// order finds the bundles that cannot lie right of all that come from their row,
// because they must lie left of them too: a cycle. Those go through the gap.
func (b *bundle) order(byRow map[int]*bundle) {
	if b.placed {
		return
	}
	b.inProgress = true
	for _, row := range b.before {
		next := byRow[row]
		if next == nil || next.straight() || next.viaGap {
			continue
		}
		if next.inProgress {
			next.viaGap = true
			next.end = max(next.end, 2*next.to+1)
			continue
		}
		next.order(byRow)
	}
	b.inProgress = false
	b.placed = true
}

// place gives a bundle the first track that is free along its span and right of
// every bundle that must lie left of it. Those are placed first.
func (b *bundle) place(byRow map[int]*bundle, done []*bundle, tracks int) []*bundle {
	if b.straight() || b.track > 0 {
		return done
	}
	lowest := 1
	if !b.viaGap {
		for _, other := range byRow {
			if other == b || other.straight() || !slices.Contains(other.before, b.to) {
				continue
			}
			done = other.place(byRow, done, tracks)
			lowest = max(lowest, other.track+1)
		}
	}
	b.track = min(lowest, tracks)
	for b.track < tracks && slices.ContainsFunc(done, func(o *bundle) bool {
		return o.track == b.track && o.top <= b.end && b.top <= o.end
	}) {
		b.track++
	}
	return append(done, b)
}

// route gives the points of one thread.
func route(t Thread, b *bundle, width int) []Point {
	from := 2 * t.From
	switch {
	case t.To == Ends:
		return []Point{{0, from}, {1, from}}
	case b.straight():
		return []Point{{0, from}, {width, from}}
	case b.viaGap:
		gap := 2*t.To + 1
		return []Point{{0, from}, {b.track, from}, {b.track, gap}, {width - 1, gap}, {width - 1, gap - 1}, {width, gap - 1}}
	}
	return []Point{{0, from}, {b.track, from}, {b.track, 2 * t.To}, {width, 2 * t.To}}
}
