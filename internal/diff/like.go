package diff

import (
	"iter"
	"maps"
)

// Likeness is what texts are compared by as a whole: their lines, by how often each
// is there.
type Likeness struct {
	size  int
	lines map[string]int
}

// LikenessOf reads a text.
func LikenessOf(text []byte) Likeness {
	l := Likeness{len(text), map[string]int{}}
	for _, line := range Split(text) {
		l.lines[string(line)]++
	}
	return l
}

// IsZero says that there is no text to compare.
func (l Likeness) IsZero() bool { return l.size == 0 }

// With is the share of the bytes of lines that two texts have in common, in percent.
func (l Likeness) With(o Likeness) int {
	if l.size+o.size == 0 {
		return 0
	}
	common := 0
	for line, n := range l.lines {
		common += len(line) * min(n, o.lines[line])
	}
	return 2 * common * 100 / (l.size + o.size)
}

// Lines lists the text's different lines, in no order.
func (l Likeness) Lines() iter.Seq[string] { return maps.Keys(l.lines) }
