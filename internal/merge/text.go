// Package merge joins two changes of the same base: of texts (Text) and of whole
// trees (Trees). What cannot be joined is returned as data, with all three sides,
// never as markers in a text; showing and answering it is left to others.
//
// The sides are called left and right. When a commit is replayed, left is the
// series built so far and right the commit that comes onto it.
package merge

import (
	"bytes"
	"slices"

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
}

// Text merges two changes of a base text. Changes that overlap or touch each
// other conflict, unless both sides did the same. Where the sides of a region
// begin or end alike, those lines are settled and the region gets smaller.
func Text(base, left, right []byte) []Chunk {
	m := textMerge{base: diff.Split(base), left: diff.Split(left), right: diff.Split(right)}
	m.run(diff.Lines(m.base, m.left), diff.Lines(m.base, m.right))
	return m.chunks
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

// Settled puts a text without open regions together; ok is false if there are any.
func Settled(chunks []Chunk) (text []byte, ok bool) {
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
func (m *textMerge) run(lefts, rights []diff.Change) {
	at := 0                         // base lines settled so far
	leftOffset, rightOffset := 0, 0 // side line = base line + offset
	for len(lefts) > 0 || len(rights) > 0 {
		span, nl, nr := group(lefts, rights)
		m.settle(m.base[at:span.Start])
		leftSpan := Span{span.Start + leftOffset, 0}
		for _, c := range lefts[:nl] {
			leftOffset += c.NewEnd - c.NewStart - (c.OldEnd - c.OldStart)
		}
		leftSpan.End = span.End + leftOffset
		rightSpan := Span{span.Start + rightOffset, 0}
		for _, c := range rights[:nr] {
			rightOffset += c.NewEnd - c.NewStart - (c.OldEnd - c.OldStart)
		}
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

// group takes the first change and all that overlap or touch it, in turn, and
// gives the base lines they span and how many of each side they are.
func group(lefts, rights []diff.Change) (span Span, nl, nr int) {
	if len(rights) == 0 || len(lefts) > 0 && lefts[0].OldStart <= rights[0].OldStart {
		span = Span{lefts[0].OldStart, lefts[0].OldEnd}
		nl = 1
	} else {
		span = Span{rights[0].OldStart, rights[0].OldEnd}
		nr = 1
	}
	for {
		switch {
		case nl < len(lefts) && lefts[nl].OldStart <= span.End:
			span.End = max(span.End, lefts[nl].OldEnd)
			nl++
		case nr < len(rights) && rights[nr].OldStart <= span.End:
			span.End = max(span.End, rights[nr].OldEnd)
			nr++
		default:
			return span, nl, nr
		}
	}
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
	m.run(diff.Lines(m.base, m.left), diff.Lines(m.base, m.right))
	return Settled(m.chunks)
}
