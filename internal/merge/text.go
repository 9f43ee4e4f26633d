// Package merge joins two changes of the same base: of texts (Text) and of whole
// trees (Trees). What cannot be joined is returned as data, with all three sides,
// never as markers in a text; showing and answering it is left to others.
//
// The sides are called left and right. When a commit is replayed, left is the
// series built so far and right the commit that comes onto it.
//
// Its tests promise: what is clean here is clean in the repository's own merging, with the same bytes, but
// for the classes that decision 0012 names.
package merge

import (
	"bytes"
	"slices"
	"sync"

	"bastel/internal/diff"
)

// Span is a run of lines, [Start, End), counted from 0.
type Span struct{ Start, End int }

// Chunk is a part of a merged text: either lines that are settled, or a region
// that both sides changed in different ways.
type Chunk struct {
	Settled [][]byte
	Region  *Region
}

// Region is where the two sides conflict: where it lies in each text, and the
// lines there.
type Region struct {
	BaseSpan, LeftSpan, RightSpan Span
	Base, Left, Right             [][]byte
	NoBase                        bool // the common ancestors disagree here: nobody wrote a base
}

// Text merges two changes of a base text. Changes that overlap or touch each
// other conflict, and those that could be said to, unless both sides did the same. Where the sides of a region
// begin or end alike, those lines are settled and the region gets smaller.
func Text(base, left, right []byte) []Chunk {
	m := textMerge{base: diff.Split(base), left: diff.Split(left), right: diff.Split(right)}
	m.run(m.compared())
	return m.chunks
}

// manyLines is from where on it pays to compare both sides at once.
const manyLines = 2000

// compared gives what each side changes.
func (m *textMerge) compared() (left, right []diff.Change) {
	if len(m.base) < manyLines {
		return diff.Lines(m.base, m.left), diff.Lines(m.base, m.right)
	}
	var both sync.WaitGroup
	both.Go(func() { left = diff.Lines(m.base, m.left) })
	right = diff.Lines(m.base, m.right)
	both.Wait()
	return left, right
}

// Regions picks the open regions of a merged text.
func Regions(chunks []Chunk) []Region {
	var regions []Region
	for _, chunk := range chunks {
		if chunk.Region != nil {
			regions = append(regions, *chunk.Region)
		}
	}
	return regions
}

// Resolved puts a text without open regions together; ok is false if there are any.
func Resolved(chunks []Chunk) (text []byte, ok bool) {
	var b bytes.Buffer
	for _, chunk := range chunks {
		if chunk.Region != nil {
			return nil, false
		}
		for _, line := range chunk.Settled {
			b.Write(line)
		}
	}
	return b.Bytes(), true
}

// Clean merges three versions of a text; ok is false where both sides changed the same lines, or one of the three is no text.
func Clean(base, left, right []byte) (text []byte, ok bool) {
	if slices.ContainsFunc([][]byte{base, left, right}, IsBinary) {
		return nil, false
	}
	return Resolved(Text(base, left, right))
}

// united settles the open regions by taking both sides' lines, the left ones first.
func united(chunks []Chunk) []Chunk {
	m := textMerge{}
	for _, chunk := range chunks {
		if r := chunk.Region; r != nil {
			m.settle(ended(r.Left, len(r.Right) > 0))
			m.settle(r.Right)
			continue
		}
		m.settle(chunk.Settled)
	}
	return m.chunks
}

// ended makes sure that the last line has an end, where something follows it.
func ended(lines [][]byte, followed bool) [][]byte {
	n := len(lines)
	if n == 0 || !followed || bytes.HasSuffix(lines[n-1], []byte("\n")) {
		return lines
	}
	return append(slices.Clone(lines[:n-1]), append(slices.Clone(lines[n-1]), '\n'))
}

type textMerge struct {
	base, left, right [][]byte
	chunks            []Chunk
}

// run walks both lists of changes in the order of the base.
func (m *textMerge) run(leftChanges, rightChanges []diff.Change) {
	lefts, rights := places(m.base, m.left, leftChanges), places(m.base, m.right, rightChanges)
	at := 0                         // base lines settled so far
	leftOffset, rightOffset := 0, 0 // side line = base line + offset
	for len(lefts) > 0 || len(rights) > 0 {
		span, nl, nr := group(lefts, rights)
		m.settle(m.base[at:span.Start])
		leftSpan := Span{span.Start + leftOffset, 0}
		leftOffset += growth(lefts[:nl])
		leftSpan.End = span.End + leftOffset
		rightSpan := Span{span.Start + rightOffset, 0}
		rightOffset += growth(rights[:nr])
		rightSpan.End = span.End + rightOffset
		switch {
		case nr == 0:
			m.settle(m.left[leftSpan.Start:leftSpan.End])
		case nl == 0:
			m.settle(m.right[rightSpan.Start:rightSpan.End])
		default:
			m.both(span, leftSpan, rightSpan)
		}
		at = span.End
		lefts, rights = lefts[nl:], rights[nr:]
	}
	m.settle(m.base[at:])
}

func growth(changes []place) (lines int) {
	for _, c := range changes {
		lines += c.NewEnd - c.NewStart - (c.OldEnd - c.OldStart)
	}
	return lines
}

// place is a change with how far it could as well stand further up or down: a run of
// lines that is added or taken out beside lines like it can be told from them in more than one way.
type place struct {
	diff.Change
	up, down int
}

func places(base, side [][]byte, changes []diff.Change) []place {
	list := make([]place, len(changes))
	for i, c := range changes {
		above, below := 0, len(base) // the lines that stay between the changes
		if i > 0 {
			above = changes[i-1].OldEnd
		}
		if i+1 < len(changes) {
			below = changes[i+1].OldStart
		}
		room, space := c.OldStart-above, below-c.OldEnd
		list[i].Change = c
		switch { // what replaces lines stands where they were
		case c.NewStart == c.NewEnd:
			list[i].up, list[i].down = leeway(base, c.OldStart, c.OldEnd, room, space)
		case c.OldStart == c.OldEnd:
			list[i].up, list[i].down = leeway(side, c.NewStart, c.NewEnd, room, space)
		}
	}
	return list
}

// leeway is how far a run can go up and down without the text being another one.
func leeway(lines [][]byte, start, end, room, space int) (up, down int) {
	for up < room && bytes.Equal(lines[start-1-up], lines[end-1-up]) {
		up++
	}
	for down < space && bytes.Equal(lines[start+down], lines[end+down]) {
		down++
	}
	return up, down
}

// meets says whether two sides' changes touch, or could be said to: where both stand as
// far down as they go, which is where the repository's own merge has them, or where one
// lies among the lines that the other could as well stand before as behind, so that nobody can tell
// which of them is meant.
func (p place) meets(o place) bool {
	touch := func(a, b Span) bool { return a.Start <= b.End && b.Start <= a.End }
	within := func(a, b Span) bool { return a.Start < b.End && b.Start < a.End }
	return touch(p.span(0, 0), o.span(0, 0)) || touch(p.span(-p.down, p.down), o.span(-o.down, o.down)) ||
		within(p.span(p.up, p.down), o.span(o.up, o.down))
}

func (p place) span(up, down int) Span { return Span{p.OldStart - up, p.OldEnd + down} }

// group takes the first change and all that meet it, in turn, and
// gives the base lines they span and how many of each side they are.
func group(lefts, rights []place) (span Span, nl, nr int) {
	if len(rights) == 0 || len(lefts) > 0 && lefts[0].OldStart <= rights[0].OldStart {
		span, nl = lefts[0].span(0, 0), 1
	} else {
		span, nr = rights[0].span(0, 0), 1
	}
	for grown := true; grown; {
		grown = false
		nl, grown = taken(&span, lefts, nl, rights[:nr], grown)
		nr, grown = taken(&span, rights, nr, lefts[:nl], grown)
	}
	return span, nl, nr
}

// taken is how many of a side's changes belong to a group in which n of them are, and
// those of the other side.
func taken(span *Span, mine []place, n int, others []place, grown bool) (int, bool) {
	count := n
	for i := n; i < len(mine); i++ {
		if mine[i].OldStart <= span.End || slices.ContainsFunc(others, mine[i].meets) {
			count = i + 1
			span.End = max(span.End, mine[i].OldEnd)
			grown = true
			continue
		}
		if mine[i].OldStart-mine[i].up > furthest(*span, others) {
			break
		}
	}
	return count, grown
}

// furthest is the last base line that a group's changes could stand at.
func furthest(span Span, group []place) int {
	line := span.End
	for _, p := range group {
		line = max(line, p.OldEnd+p.down)
	}
	return line
}

// both settles what the sides have alike at the region's ends.
func (m *textMerge) both(base, left, right Span) {
	l, r := m.left[left.Start:left.End], m.right[right.Start:right.End]
	prefix := 0
	for prefix < len(l) && prefix < len(r) && bytes.Equal(l[prefix], r[prefix]) {
		prefix++
	}
	if prefix == len(l) && prefix == len(r) {
		m.settle(l)
		return
	}
	suffix := 0
	for suffix < len(l)-prefix && suffix < len(r)-prefix && bytes.Equal(l[len(l)-1-suffix], r[len(r)-1-suffix]) {
		suffix++
	}
	m.settle(l[:prefix])
	left, right = Span{left.Start + prefix, left.End - suffix}, Span{right.Start + prefix, right.End - suffix}
	m.chunks = append(m.chunks, Chunk{Region: &Region{
		BaseSpan: base, LeftSpan: left, RightSpan: right,
		Base:  m.base[base.Start:base.End],
		Left:  m.left[left.Start:left.End],
		Right: m.right[right.Start:right.End],
	}})
	m.settle(l[len(l)-suffix:])
}

func (m *textMerge) settle(lines [][]byte) {
	if len(lines) == 0 {
		return
	}
	if n := len(m.chunks); n > 0 && m.chunks[n-1].Region == nil {
		m.chunks[n-1].Settled = append(m.chunks[n-1].Settled, lines...)
		return
	}
	m.chunks = append(m.chunks, Chunk{Settled: append([][]byte{}, lines...)})
}

// Words merges a region's sides once more, by words in place of lines; ok is false
// where both changed the same words, or words that touch.
func Words(r Region) (text []byte, ok bool) {
	words := func(lines [][]byte) [][]byte { return diff.Tokens(bytes.Join(lines, nil)) }
	m := textMerge{base: words(r.Base), left: words(r.Left), right: words(r.Right)}
	m.run(m.compared())
	return Resolved(m.chunks)
}
