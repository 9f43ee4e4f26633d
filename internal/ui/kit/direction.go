package kit

import (
	"slices"
	"strings"

	"bastel/internal/safe"
)

// InOrder gives the pieces of one text in the order in which they stand from left to right, cut where that parts them.
func InOrder(segs []Seg) []Seg {
	var whole strings.Builder
	var ends []int // of the pieces
	for _, seg := range segs {
		whole.WriteString(string(seg.Text))
		ends = append(ends, whole.Len())
	}
	if !safe.GoesLeft(whole.String()) {
		return segs
	}
	var ordered []Seg
	last := -1
	for _, c := range safe.InOrder(whole.String()) {
		of, _ := slices.BinarySearch(ends, c.At+1)
		if of != last {
			ordered = append(ordered, Seg{Style: segs[of].Style, ordered: true})
			last = of
		}
		ordered[len(ordered)-1].Text += safe.Show(c.Text)
	}
	return ordered
}
