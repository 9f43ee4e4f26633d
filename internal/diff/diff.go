// Package diff compares two texts line by line and lets a part of the changes be
// chosen.
//
// It works on bytes and knows nothing of files, repositories or screens. A
// comparison is a list of changes (Lines); hunks group them with context for
// people (Hunks); a Selection picks lines of them, and Apply gives the text that
// the picked lines make of the old one.
//
// Its tests promise: a difference leads from one text to the other, is as short as the method gives, and
// stands where people would put it.
package diff

import (
	"bytes"
	"hash/maphash"
)

// Change replaces the old lines [OldStart, OldEnd) by the new lines
// [NewStart, NewEnd), counted from 0. One of the two may be empty, not both.
type Change struct {
	OldStart, OldEnd int
	NewStart, NewEnd int
}

// Split cuts a text into lines that keep their line ends. Only the last may lack
// one. The lines share the text's memory.
func Split(text []byte) [][]byte {
	if len(text) == 0 {
		return nil
	}
	lines := make([][]byte, 0, bytes.Count(text, []byte{'\n'})+1)
	for len(text) > 0 {
		end := bytes.IndexByte(text, '\n') + 1
		if end == 0 {
			end = len(text)
		}
		lines = append(lines, text[:end:end])
		text = text[end:]
	}
	return lines
}

// Lines compares two lists of lines. The changes are in order, do not touch each
// other, and stand where people would put them: see slide.
//
// The comparison is a histogram difference: the rarest common run of lines splits
// both texts, and the parts are compared in turn. Where every common line is too
// frequent for that, Myers' algorithm takes over, in linear space.
func Lines(oldLines, newLines [][]byte) []Change {
	c := comparison{
		a:         make([]int32, len(oldLines)),
		b:         make([]int32, len(newLines)),
		oldGone:   make([]bool, len(oldLines)),
		newAdded:  make([]bool, len(newLines)),
		positions: make([]int32, len(oldLines)),
	}
	c.number(oldLines, newLines)
	c.compare(0, len(c.a), 0, len(c.b))
	slide(c.a, c.oldGone, c.newAdded, oldLines)
	slide(c.b, c.newAdded, c.oldGone, newLines)
	return changes(c.oldGone, c.newAdded)
}

// Text compares two texts.
func Text(oldText, newText []byte) []Change { return Lines(Split(oldText), Split(newText)) }

// comparison holds the lines as numbers: equal lines have equal numbers.
type comparison struct {
	a, b              []int32
	oldGone, newAdded []bool

	// The histogram, made anew for each part: for each number its count in the
	// part of a, and its first place there; positions chain the further places.
	count, first []int32
	positions    []int32
}

// number gives equal lines equal numbers, in the order in which they first come, in O(lines) with a hash table of
// its own, which needs no string for each line as a map would.
func (c *comparison) number(oldLines, newLines [][]byte) {
	size := 16
	for size*4 < 5*(len(oldLines)+len(newLines)) { // most of them are equal, so that it stays half empty
		size *= 2
	}
	type slot struct {
		hash   uint32
		number int32 // plus 1; 0 is free
	}
	table := make([]slot, size)
	places := make([]int32, 0, len(oldLines)+len(newLines)/8) // by number: the line that has it first; below 0: a new one
	seed := maphash.MakeSeed()
	numberOf := func(line []byte, place int32) int32 {
		whole := maphash.Bytes(seed, line)
		hash := uint32(whole >> 32)
		for i := whole & uint64(size-1); ; i = (i + 1) & uint64(size-1) {
			s := &table[i]
			if s.number == 0 {
				places = append(places, place)
				*s = slot{hash, int32(len(places))}
				return s.number - 1
			}
			if s.hash != hash {
				continue
			}
			if at := places[s.number-1]; at >= 0 && bytes.Equal(oldLines[at], line) || at < 0 && bytes.Equal(newLines[-at-1], line) {
				return s.number - 1
			}
		}
	}
	for i, line := range oldLines {
		c.a[i] = numberOf(line, int32(i))
	}
	// Most new lines are the old one behind that of the line before, and need no looking up.
	next := 0
	for i, line := range newLines {
		if next < len(oldLines) && bytes.Equal(oldLines[next], line) {
			c.b[i] = c.a[next]
		} else if c.b[i] = numberOf(line, int32(-i-1)); places[c.b[i]] >= 0 {
			next = int(places[c.b[i]])
		}
		next++ // a line that is in no old one most often replaces one
	}
	c.count = make([]int32, len(places))
	c.first = make([]int32, len(places))
}

// compare marks the lines of a[aLow:aHigh] that are gone and those of
// b[bLow:bHigh] that are added.
func (c *comparison) compare(aLow, aHigh, bLow, bHigh int) {
	for {
		var done bool
		if aLow, aHigh, bLow, bHigh, done = c.trim(aLow, aHigh, bLow, bHigh); done {
			return
		}
		run, found, tooFrequent := c.rarestRun(aLow, aHigh, bLow, bHigh)
		if tooFrequent {
			c.myers(aLow, aHigh, bLow, bHigh)
			return
		}
		if !found {
			c.mark(aLow, aHigh, bLow, bHigh)
			return
		}
		// The smaller part by recursion, the larger by going round, so that the
		// stack stays shallow.
		if run.a-aLow+run.b-bLow < aHigh-run.a+bHigh-run.b {
			c.compare(aLow, run.a, bLow, run.b)
			aLow, bLow = run.a+run.length, run.b+run.length
		} else {
			c.compare(run.a+run.length, aHigh, run.b+run.length, bHigh)
			aHigh, bHigh = run.a, run.b
		}
	}
}

// trim takes common lines off both ends of a part. It is done if nothing is left of
// one side: the other side's lines are gone, or added, as a whole.
func (c *comparison) trim(aLow, aHigh, bLow, bHigh int) (int, int, int, int, bool) {
	for aLow < aHigh && bLow < bHigh && c.a[aLow] == c.b[bLow] {
		aLow, bLow = aLow+1, bLow+1
	}
	for aLow < aHigh && bLow < bHigh && c.a[aHigh-1] == c.b[bHigh-1] {
		aHigh, bHigh = aHigh-1, bHigh-1
	}
	done := aLow == aHigh || bLow == bHigh
	if done {
		c.mark(aLow, aHigh, bLow, bHigh)
	}
	return aLow, aHigh, bLow, bHigh, done
}

// mark says that a part has nothing in common.
func (c *comparison) mark(aLow, aHigh, bLow, bHigh int) {
	for i := aLow; i < aHigh; i++ {
		c.oldGone[i] = true
	}
	for j := bLow; j < bHigh; j++ {
		c.newAdded[j] = true
	}
}

// commonRun is a run of equal lines.
type commonRun struct{ a, b, length int }

// tooManyPlaces is how often a line may stand in a part and still split it.
const tooManyPlaces = 64

// rarestRun finds the common run that holds the rarest line of a, the longest of
// those, and of equals the one nearest to the middle, so that the parts shrink fast.
// tooFrequent says that there are common lines, all of them too frequent.
func (c *comparison) rarestRun(aLow, aHigh, bLow, bHigh int) (best commonRun, found, tooFrequent bool) {
	for i := aHigh - 1; i >= aLow; i-- {
		n := c.a[i]
		if c.count[n] == 0 {
			c.positions[i] = -1
		} else {
			c.positions[i] = c.first[n]
		}
		c.count[n]++
		c.first[n] = int32(i)
	}
	rarest := int32(tooManyPlaces + 1)
	middle := (bLow + bHigh) / 2
	for j := bLow; j < bHigh; {
		n := c.b[j]
		if c.count[n] == 0 {
			j++
			continue
		}
		if c.count[n] > tooManyPlaces {
			tooFrequent = true
		}
		next := j + 1
		if c.count[n] <= rarest && c.count[n] <= tooManyPlaces {
			for i := int(c.first[n]); i >= 0; i = int(c.positions[i]) {
				run, rare := c.extend(i, j, aLow, aHigh, bLow, bHigh)
				next = max(next, run.b+run.length)
				better := rare < rarest || rare == rarest && run.length > best.length
				if !better && rare == rarest && run.length == best.length {
					better = abs(run.b-middle) < abs(best.b-middle)
				}
				if better {
					best, rarest, found = run, rare, true
				}
			}
		}
		j = next
	}
	for i := aLow; i < aHigh; i++ {
		c.count[c.a[i]] = 0
	}
	return best, found, tooFrequent && !found
}

func abs(n int) int { return max(n, -n) }

// extend grows a common line to the run around it and gives the count of the
// run's rarest line.
func (c *comparison) extend(i, j, aLow, aHigh, bLow, bHigh int) (commonRun, int32) {
	rare := c.count[c.a[i]]
	start := 0
	for i-start > aLow && j-start > bLow && c.a[i-start-1] == c.b[j-start-1] {
		start++
		rare = min(rare, c.count[c.a[i-start]])
	}
	end := 1
	for i+end < aHigh && j+end < bHigh && c.a[i+end] == c.b[j+end] {
		rare = min(rare, c.count[c.a[i+end]])
		end++
	}
	return commonRun{i - start, j - start, start + end}, rare
}

// changes turns the marks of both sides into a list.
func changes(oldGone, newAdded []bool) []Change {
	var list []Change
	i, j := 0, 0
	for i < len(oldGone) || j < len(newAdded) {
		c := Change{OldStart: i, NewStart: j}
		for i < len(oldGone) && oldGone[i] {
			i++
		}
		for j < len(newAdded) && newAdded[j] {
			j++
		}
		c.OldEnd, c.NewEnd = i, j
		if c.OldStart < c.OldEnd || c.NewStart < c.NewEnd {
			list = append(list, c)
			continue
		}
		i, j = i+1, j+1
	}
	return list
}
