package safe

import (
	"slices"
	"strings"

	"github.com/clipperhouse/uax29/v2/graphemes"
	"golang.org/x/text/unicode/bidi"
)

// firstRightToLeft is the first byte of the first letter of a script that is written from right to left, in UTF-8.
const firstRightToLeft = 0xd6

// Character is one as it is seen, and where it stands in its text, in bytes.
type Character struct {
	Text string
	At   int
}

// Visual gives a piece of text in the order in which it stands from left to right. Terminals put each character where it is written, or
// are told to: else a piece of a row could end in another column.
func Visual(text string) string {
	if !GoesLeft(text) {
		return text
	}
	var b strings.Builder
	for _, c := range InOrder(text) {
		b.WriteString(c.Text)
	}
	return b.String()
}

// InOrder puts a text's characters into their order from left to right, by the Unicode Bidirectional Algorithm (UAX #9), in a paragraph
// that goes to the right.
func InOrder(text string) []Character {
	const mark = "\u200e" // a letter of no width that has the paragraph go to the right
	var p bidi.Paragraph
	_, err := p.SetString(mark + text)
	order, orderErr := p.Order()
	if err != nil || orderErr != nil {
		return charactersOf(text, 0)
	}
	var ordered, left []Character // left: of text to the left that is not over yet
	at := 0
	for i := range order.NumRuns() {
		run := order.Run(i)
		rest := strings.TrimPrefix(run.String(), mark)
		if run.Direction() == bidi.RightToLeft {
			turned := charactersOf(rest, at)
			for i, c := range turned {
				if len(c.Text) <= len("⟩") { // one that may be a bracket
					turned[i].Text = bidi.ReverseString(c.Text)
				}
			}
			slices.Reverse(turned)
			left, at = append(turned, left...), at+len(rest)
			continue
		}
		if len(left) > 0 {
			number := numberIn(rest) // it goes along, but is read to the right
			left, rest, at = append(charactersOf(rest[:number], at), left...), rest[number:], at+number
			if rest == "" {
				continue
			}
		}
		ordered = append(append(ordered, left...), charactersOf(rest, at)...)
		left, at = nil, at+len(rest)
	}
	return append(ordered, left...)
}

// charactersOf cuts a text, which begins at a place, into characters as they are seen.
func charactersOf(text string, at int) (list []Character) {
	for clusters := graphemes.FromString(text); clusters.Next(); at += len(clusters.Value()) {
		list = append(list, Character{clusters.Value(), at})
	}
	return list
}

// numberIn is how many bytes of a text the number at its start takes.
func numberIn(text string) (end int) {
	for at, r := range text {
		properties, size := bidi.LookupRune(r)
		switch properties.Class() {
		case bidi.EN, bidi.AN:
			end = at + size
		case bidi.ES, bidi.CS, bidi.ET, bidi.NSM:
		default:
			return end
		}
	}
	return end
}

// GoesLeft says whether some of a text is written from right to left.
func GoesLeft(text string) bool {
	for i := range len(text) {
		if text[i] >= firstRightToLeft {
			return strings.ContainsFunc(text[i:], func(r rune) bool {
				properties, _ := bidi.LookupRune(r)
				return properties.Class() == bidi.R || properties.Class() == bidi.AL
			})
		}
	}
	return false
}
