package diff

import (
	"unicode"
	"unicode/utf8"
)

// Words compares two lines word by word and gives the pieces that differ, as byte
// ranges of each, counted from 0. Lines that have little in common give nothing:
// they differ as a whole.
func Words(oldLine, newLine []byte) (removed, added []Change) {
	a, b := Tokens(oldLine), Tokens(newLine)
	changes := Lines(a, b)
	kept := 0
	at := 0
	for _, c := range append(changes, Change{OldStart: len(a), OldEnd: len(a)}) {
		for _, word := range a[at:c.OldStart] {
			if !blank(word) {
				kept += len(word)
			}
		}
		at = c.OldEnd
	}
	if 2*kept < min(inked(a), inked(b)) {
		return nil, nil
	}
	oldAt, newAt := offsets(a), offsets(b)
	for _, c := range changes {
		span := Change{oldAt[c.OldStart], oldAt[c.OldEnd], newAt[c.NewStart], newAt[c.NewEnd]}
		if c.OldStart < c.OldEnd {
			removed = append(removed, span)
		}
		if c.NewStart < c.NewEnd {
			added = append(added, span)
		}
	}
	return removed, added
}

// Tokens cuts a text into words, runs of white space, and single other characters.
func Tokens(line []byte) [][]byte {
	var list [][]byte
	for len(line) > 0 {
		r, size := utf8.DecodeRune(line)
		end := size
		if class := classOf(r); class != other {
			for end < len(line) {
				r, size := utf8.DecodeRune(line[end:])
				if classOf(r) != class {
					break
				}
				end += size
			}
		}
		list = append(list, line[:end:end])
		line = line[end:]
	}
	return list
}

type class int

const (
	other class = iota
	word
	space
)

func classOf(r rune) class {
	switch {
	case unicode.IsSpace(r):
		return space
	case r == '_' || unicode.IsLetter(r) || unicode.IsDigit(r):
		return word
	}
	return other
}

func blank(token []byte) bool {
	r, _ := utf8.DecodeRune(token)
	return unicode.IsSpace(r)
}

func inked(tokens [][]byte) (n int) {
	for _, token := range tokens {
		if !blank(token) {
			n += len(token)
		}
	}
	return n
}

// offsets gives where each token begins, and where the last one ends.
func offsets(tokens [][]byte) []int {
	list := make([]int, len(tokens)+1)
	for i, token := range tokens {
		list[i+1] = list[i] + len(token)
	}
	return list
}
