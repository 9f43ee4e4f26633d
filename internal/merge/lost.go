package merge

import (
	"bytes"
	"slices"

	"bastel/internal/diff"
)

// Lost is what a text lacks of what one side of its merge had changed, by line, counted from 0.
type Lost struct {
	Lines []int // of that side's text: those that it brought, and that are not there
	Back  []int // of the base's text: those that it removed, and that are there again
}

// Count is how many lines that are: a line that was changed counts once.
func (l Lost) Count() int { return max(len(l.Lines), len(l.Back)) }

// LostOf compares a result with what a side made of the base. A change of that side is lost where the result has, at its place, the
// base's text, or that of the other side; a text that is neither is somebody's answer, and nothing is lost by it.
func LostOf(base, side, other, result []byte) (lost Lost) {
	m := textMerge{base: diff.Split(base), left: diff.Split(side), right: diff.Split(result)}
	others := diff.Split(other)
	itsChanges, otherChanges := diff.Lines(m.base, m.left), diff.Lines(m.base, others)
	lefts, rights := places(m.base, m.left, itsChanges), places(m.base, m.right, diff.Lines(m.base, m.right))
	leftOffset, rightOffset := 0, 0
	for len(lefts) > 0 {
		span, nl, nr := group(lefts, rights)
		start := Span{span.Start + leftOffset, span.Start + rightOffset}
		leftOffset += growth(lefts[:nl])
		rightOffset += growth(rights[:nr])
		has := m.right[start.End : span.End+rightOffset]
		known := slices.Concat(m.base[span.Start:span.End], m.left[start.Start:span.End+leftOffset], linesAt(otherChanges, others, span))
		if !slices.ContainsFunc(has, func(line []byte) bool { return !contains(known, line) }) {
			m.missing(lefts[:nl], has, &lost)
		}
		lefts, rights = lefts[nl:], rights[nr:]
	}
	return lost
}

func contains(lines [][]byte, line []byte) bool {
	return slices.ContainsFunc(lines, func(l []byte) bool { return bytes.Equal(l, line) })
}

// missing adds the lines of changes that are not among those that are there.
func (m *textMerge) missing(changes []place, has [][]byte, lost *Lost) {
	there := map[string]int{}
	for _, line := range has {
		there[string(line)]++
	}
	for _, c := range changes {
		for i := c.NewStart; i < c.NewEnd; i++ {
			if line := string(m.left[i]); there[line] > 0 {
				there[line]--
			} else {
				lost.Lines = append(lost.Lines, i)
			}
		}
	}
	for _, c := range changes {
		for i := c.OldStart; i < c.OldEnd; i++ {
			if line := string(m.base[i]); there[line] > 0 {
				there[line]--
				lost.Back = append(lost.Back, i)
			}
		}
	}
}

// linesAt are the lines that stand in a side's text where the base has a span.
func linesAt(changes []diff.Change, side [][]byte, span Span) [][]byte {
	start, end := span.Start, span.End // in the side's text
	for _, c := range changes {
		grown := c.NewEnd - c.NewStart - (c.OldEnd - c.OldStart)
		switch {
		case c.OldEnd < span.Start:
			start, end = start+grown, end+grown
		case c.OldStart <= span.End: // they touch
			start, end = min(start, c.NewStart), max(end+grown, c.NewEnd)
		}
	}
	return side[max(0, start):min(len(side), max(start, end))]
}
