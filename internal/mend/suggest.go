package mend

import (
	"bytes"
	"regexp"
	"slices"
	"strconv"

	"bastel/internal/diff"
	"bastel/internal/merge"
)

// Suggestion is an answer that could be right, and why.
type Suggestion struct {
	Why    string
	Answer Answer
}

// Suggest finds answers to a region that could be right. AtEnd is what the region is at
// the branch's end now, if that is known.
func Suggest(path string, r merge.Region, atEnd [][]byte) []Suggestion {
	var found []Suggestion
	add := func(why string, a Answer) {
		text := join(a.Lines(r))
		if !slices.ContainsFunc(found, func(s Suggestion) bool { return bytes.Equal(join(s.Answer.Lines(r)), text) }) {
			found = append(found, Suggestion{why, a})
		}
	}
	if atEnd != nil {
		add("as it is at the branch's end now", Answer{Own: own(atEnd)})
	}
	base, left, right := join(r.Base), join(r.Left), join(r.Right)
	if sameButSpaces(base, left) {
		add("the other side changed only white space", Take(Right))
	}
	if sameButSpaces(base, right) {
		add("the other side changed only white space", Take(Left))
	}
	if len(r.Base) == 0 && len(r.Left) > 0 && len(r.Right) > 0 {
		add("both only added lines: one after the other", Take(Left, Right))
		add("both only added lines: the other way round", Take(Right, Left))
	}
	if isVersioned(path) {
		if side, ok := newer(left, right); ok {
			add("the newer version", Take(side))
		}
	}
	if text, ok := merge.Words(r); ok {
		add("both sides' words", Answer{Own: text})
	}
	return found
}

func own(lines [][]byte) []byte { return append([]byte{}, join(lines)...) }

// sameButSpaces says that two texts differ in white space only.
func sameButSpaces(a, b []byte) bool {
	return bytes.Equal(bytes.Join(bytes.Fields(a), nil), bytes.Join(bytes.Fields(b), nil)) && !bytes.Equal(a, b)
}

// versioned are the files that list versions of what a program is built with.
var versioned = regexp.MustCompile(`(?i)(^|/)([^/]*\.lock|[^/]*-lock\.(json|ya?ml)|` +
	`go\.(mod|sum)|package\.json|[^/]*\.toml|requirements[^/]*\.txt|pom\.xml)$`)

func isVersioned(path string) bool { return versioned.MatchString(path) }

var versionNumber = regexp.MustCompile(`\d+(\.\d+)+`)

// newer says which side has the newer versions: in one order on both sides, none older
// and one newer at least.
func newer(left, right []byte) (Side, bool) {
	a, b := versionNumber.FindAll(left, -1), versionNumber.FindAll(right, -1)
	if len(a) != len(b) {
		return "", false
	}
	sign := 0
	for i := range a {
		c := compareVersions(a[i], b[i])
		if c != 0 && sign != 0 && c != sign {
			return "", false
		}
		if c != 0 {
			sign = c
		}
	}
	switch sign {
	case 1:
		return Left, true
	case -1:
		return Right, true
	}
	return "", false
}

func compareVersions(a, b []byte) int {
	x, y := bytes.Split(a, []byte(".")), bytes.Split(b, []byte("."))
	for i := range min(len(x), len(y)) {
		m, errM := strconv.Atoi(string(x[i]))
		n, errN := strconv.Atoi(string(y[i]))
		switch {
		case errM != nil || errN != nil:
			return 0 // more digits than a version has
		case m != n:
			return sign(m - n)
		}
	}
	return sign(len(x) - len(y))
}

func sign(n int) int {
	switch {
	case n > 0:
		return 1
	case n < 0:
		return -1
	}
	return 0
}

// AtEnd finds what a region is in another text that came from the same base, such as
// the file at the branch's end: the lines between those that surround it.
func AtEnd(base, end []byte, r merge.Region) [][]byte {
	old, new := diff.Split(base), diff.Split(end)
	from, to := r.BaseSpan.Start, r.BaseSpan.End
	start, stop := from, to
	for _, c := range diff.Lines(old, new) {
		switch grown := c.NewEnd - c.OldEnd; {
		case c.OldEnd <= start && c.OldStart < start:
			from = start + grown
		case c.OldStart < start:
			from = c.NewStart
		}
		switch {
		case c.OldStart > stop:
		case c.OldEnd <= stop:
			to = stop + c.NewEnd - c.OldEnd
		default:
			to = c.NewEnd
		}
	}
	if from > to || to > len(new) {
		return nil
	}
	return new[from:to]
}
