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

// Suggest finds answers to a region that could be right, the likeliest first: those that keep what both sides did before those that are
// one side's text. AtEnd is what the region is at the branch's end now, if that is known.
func Suggest(path string, r merge.Region, atEnd [][]byte) []Suggestion {
	var both, copies []Suggestion
	add := func(why string, a Answer) {
		text := join(a.Lines(r))
		same := func(s Suggestion) bool { return bytes.Equal(join(s.Answer.Lines(r)), text) }
		switch {
		case slices.ContainsFunc(both, same) || slices.ContainsFunc(copies, same):
		case bytes.Equal(text, join(r.Left)) || bytes.Equal(text, join(r.Right)):
			copies = append(copies, Suggestion{why, a})
		default:
			both = append(both, Suggestion{why, a})
		}
	}
	if lines, sorted, ok := union(r); ok && sorted {
		add("both sides' entries, sorted", Answer{Own: own(lines)})
	} else if ok {
		add("both sides' entries, each once", Answer{Own: own(lines)})
	}
	if text, ok := merge.Words(r); ok {
		add("both sides' words", Answer{Own: text})
	}
	if text, ok := withLineEnds(r); ok {
		add("one side's text with the other's line ends", Answer{Own: text})
	}
	base, left, right := join(r.Base), join(r.Left), join(r.Right)
	if isVersioned(path) || bytes.Equal(versionNumber.ReplaceAll(left, nil), versionNumber.ReplaceAll(right, nil)) {
		if side, ok := newer(left, right); ok {
			add("the newer version", Take(side))
		}
	}
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
	if atEnd != nil {
		add("as it is at the branch's end now", Answer{Own: own(atEnd)})
	}
	return append(both, copies...)
}

func own(lines [][]byte) []byte { return append([]byte{}, join(lines)...) }

// sameButSpaces says that two texts differ in white space only.
func sameButSpaces(a, b []byte) bool {
	return bytes.Equal(bytes.Join(bytes.Fields(a), nil), bytes.Join(bytes.Fields(b), nil)) && !bytes.Equal(a, b)
}

// withLineEnds is one side's text with the line ends of the other, which changed nothing else.
func withLineEnds(r merge.Region) ([]byte, bool) {
	unix := func(text []byte) []byte { return bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")) }
	base := join(r.Base)
	for _, sides := range [][2][]byte{{join(r.Left), join(r.Right)}, {join(r.Right), join(r.Left)}} {
		ends, text := sides[0], sides[1]
		if len(base) == 0 || bytes.Equal(ends, base) || !bytes.Equal(unix(ends), unix(base)) || bytes.Equal(unix(text), unix(base)) {
			continue
		}
		text = unix(text)
		if bytes.Contains(ends, []byte("\r\n")) {
			text = bytes.ReplaceAll(text, []byte("\n"), []byte("\r\n"))
		}
		return text, true
	}
	return nil, false
}

// union puts two versions of a list together: what either side added, without what either took away, each entry once. It is sorted if
// both sides are; ok is false for what does not look like a list, or where a side changed an entry.
func union(r merge.Region) (lines [][]byte, sorted, ok bool) {
	if !isList(slices.Concat(r.Base, r.Left, r.Right)) {
		return nil, false, false
	}
	has := func(list [][]byte, line []byte) bool {
		return slices.ContainsFunc(list, func(o []byte) bool { return bytes.Equal(o, line) })
	}
	for _, side := range [][2][][]byte{{r.Left, r.Right}, {r.Right, r.Left}} {
		goes, comes := false, false
		for _, line := range r.Base {
			goes = goes || !has(side[0], line)
		}
		for _, line := range side[0] {
			comes = comes || !has(r.Base, line)
			gone := has(r.Base, line) && !has(side[1], line)
			if !gone && !has(lines, line) {
				lines = append(lines, line)
			}
		}
		if goes && comes { // it changed an entry
			return nil, false, false
		}
	}
	sorted = slices.IsSortedFunc(r.Left, bytes.Compare) && slices.IsSortedFunc(r.Right, bytes.Compare)
	if sorted {
		slices.SortFunc(lines, bytes.Compare)
	}
	return lines, sorted, true
}

// isList says whether lines look like the entries of one list: imports, names, keys with values. They begin at one column and are of
// one shape, each word of them aside, whatever language that is.
func isList(lines [][]byte) bool {
	for _, line := range lines {
		if shape := shapeOf(line); shape != shapeOf(lines[0]) || !bytes.HasSuffix(line, []byte("\n")) || len(bytes.TrimSpace(line)) == 0 {
			return false
		}
	}
	return len(lines) > 0 && bytes.Count([]byte(shapeOf(lines[0])), []byte("w")) <= mostWords
}

// mostWords is how many words an entry of a list has: more are prose, or a statement.
const mostWords = 3

var entryWord = regexp.MustCompile(`[\pL\pN_./@+-]*[\pL\pN_]+[\pL\pN_./@+-]*`)

func shapeOf(line []byte) string { return string(entryWord.ReplaceAll(line, []byte("w"))) }

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
