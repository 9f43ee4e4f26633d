package diff

import "bytes"

// slide moves runs of marked lines of one side to where people would see them: a
// run can go down by one line when the line after it equals its first, and up
// when the line before it equals its last, without changing what the texts are.
//
// A run first grows together with its neighbours. If somewhere on its way it
// stands beside a run of the other side, it stays there, so that a replacement
// shows as one change. Otherwise the place is chosen whose borders look most like
// the borders of a block: see borderCost.
func slide(numbers []int32, marked, other []bool, lines [][]byte) {
	o := 0 // the place in other that corresponds to the run's start
	for start := 0; start < len(marked); {
		if !marked[start] {
			for o < len(other) && other[o] {
				o++
			}
			o++
			start++
			continue
		}
		end := start
		for end < len(marked) && marked[end] {
			end++
		}
		_, end, o = slideRun(numbers, marked, other, lines, start, end, o)
		for o < len(other) && other[o] {
			o++
		}
		start = end
	}
}

// slideRun places the run [start, end) and gives where it stands afterwards.
func slideRun(numbers []int32, marked, other []bool, lines [][]byte, start, end, o int) (int, int, int) {
	// As far up as it goes, swallowing runs on the way. Beside a run of the other
	// side, o points behind unmarked lines only, so going up stops there.
	beside := func(o int) bool { return o < len(other) && other[o] || o > 0 && o <= len(other) && other[o-1] }
	if beside(o) {
		return start, end, o
	}
	for start > 0 && numbers[start-1] == numbers[end-1] && !beside(o-1) {
		start, end, o = start-1, end-1, o-1
		marked[start], marked[end] = true, false
		for start > 0 && marked[start-1] {
			start--
		}
	}
	best, bestCost := 0, placeCost(lines, start, end)
	for shift := 1; end+shift <= len(numbers) && numbers[start+shift-1] == numbers[end+shift-1]; shift++ {
		if marked[end+shift-1] { // the next run begins here: it will join from its side
			break
		}
		if beside(o + shift) {
			best = shift
			break
		}
		if cost := placeCost(lines, start+shift, end+shift); cost <= bestCost {
			best, bestCost = shift, cost
		}
	}
	for range best {
		marked[start], marked[end] = false, true
		start, end, o = start+1, end+1, o+1
	}
	for end < len(marked) && marked[end] {
		end++
	}
	return start, end, o
}

// placeCost says how unnatural a run's borders are.
func placeCost(lines [][]byte, start, end int) int {
	return borderCost(lines, start) + borderCost(lines, end)
}

// borderCost says how unlike the border of a block the place before a line is.
// A block starts after a blank line, and with little indentation.
func borderCost(lines [][]byte, at int) int {
	if at <= 0 || at >= len(lines) {
		return 0
	}
	indent, blank := indentation(lines[at])
	if blank {
		// Better to end before a blank line than to split text, but better still
		// to keep the blank line with what it closes.
		indent, _ = indentation(lines[at-1])
		return 10*indent + 6
	}
	before, blankBefore := indentation(lines[at-1])
	cost := 10 * indent
	switch {
	case blankBefore:
		return cost
	case indent > before: // a border right inside a block that opens
		cost += 12
	case indent < before: // a border before the line that closes a block
		cost += 12
	default:
		cost += 8
	}
	return cost
}

// indentation measures leading white space, a tab as up to the next multiple of 8.
func indentation(line []byte) (width int, blank bool) {
	for _, c := range line {
		switch c {
		case ' ':
			width++
		case '\t':
			width += 8 - width%8
		default:
			return width, len(bytes.TrimSpace(line)) == 0
		}
	}
	return width, true
}
