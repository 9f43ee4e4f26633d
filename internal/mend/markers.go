package mend

import (
	"bytes"
	"fmt"
	"strings"

	"bastel/internal/diff"
)

// usualMarkers is the size of marker lines where no attribute says another.
const usualMarkers = 7

// Labels are what stands in marker lines behind the signs.
type Labels struct{ Left, Base, Right string }

// Marked is a conflict's text for an editor: open regions stand between marker lines,
// with the base in the middle; answered ones as they are answered. An unfinished text
// comes back as it was left.
func (s State) Marked(labels Labels, size int) []byte {
	if s.Whole != nil && s.Whole.Answer.Own != nil {
		return s.Whole.Answer.Own
	}
	if size <= 0 {
		size = usualMarkers
	}
	var b bytes.Buffer
	next := 0
	for _, chunk := range s.Chunks {
		if chunk.Region == nil {
			writeLines(&b, chunk.Settled)
			continue
		}
		q := s.Regions[next]
		next++
		if !q.Open() {
			writeLines(&b, closed(q.Answer.Lines(*chunk.Region)))
			continue
		}
		mark := func(sign, label string) {
			fmt.Fprintln(&b, strings.TrimSpace(strings.Repeat(sign, size)+" "+label))
		}
		mark("<", labels.Left)
		writeLines(&b, closed(chunk.Region.Left))
		mark("|", labels.Base)
		writeLines(&b, closed(chunk.Region.Base))
		mark("=", "")
		writeLines(&b, closed(chunk.Region.Right))
		mark(">", labels.Right)
	}
	return b.Bytes()
}

// closed ends the last line.
func closed(lines [][]byte) [][]byte {
	if n := len(lines); n > 0 && !bytes.HasSuffix(lines[n-1], []byte("\n")) {
		return append(lines[:n-1:n-1], append(bytes.Clone(lines[n-1]), '\n'))
	}
	return lines
}

// IsMarker says whether a line looks like a marker of a conflict.
func IsMarker(line []byte, size int) bool {
	if size <= 0 {
		size = usualMarkers
	}
	line = bytes.TrimRight(line, "\r\n")
	for _, sign := range []byte("<|=>") {
		run := bytes.Repeat([]byte{sign}, size)
		if bytes.HasPrefix(line, run) && (len(line) == size || line[size] == ' ') {
			return true
		}
	}
	return false
}

// Markers finds the marker lines in a text of the user's own that none of a conflict's
// sides has, counted from 1.
func (s State) Markers(text []byte, size int) []int {
	known := map[string]bool{}
	for _, chunk := range s.Chunks {
		lists := [][][]byte{chunk.Settled}
		if r := chunk.Region; r != nil {
			lists = [][][]byte{r.Base, r.Left, r.Right}
		}
		for _, lines := range lists {
			for _, line := range lines {
				if IsMarker(line, size) {
					known[string(bytes.TrimRight(line, "\r\n"))] = true
				}
			}
		}
	}
	var found []int
	for n, line := range diff.Split(text) {
		if IsMarker(line, size) && !known[string(bytes.TrimRight(line, "\r\n"))] {
			found = append(found, n+1)
		}
	}
	return found
}
