// Package safe makes untrusted text fit to be shown: names, messages, contents and
// what servers say may hold control characters that would drive the terminal.
//
// Its tests promise: no control character reaches a terminal.
package safe

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Shown is text that is fit to be drawn in one line of a screen. Rows are made of it only, so that text of others that
// nobody made safe does not compile.
type Shown string

// Show makes text fit to be drawn, as Line does.
func Show(text string) Shown { return Shown(Line(text)) }

// Line gives text for one line of a screen: control characters, line ends and
// tabs among them, and bytes that are no UTF-8 are made visible.
func Line(text string) string { return visible(text, "") }

// Text gives text for several lines: line ends and tabs stay, the rest is as in
// Line. A carriage return before a line end shows as ␍.
func Text(text string) string { return visible(text, "\n\t") }

func visible(text, keep string) string {
	if clean(text, keep) {
		return text
	}
	var b strings.Builder
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		before, _ := utf8.DecodeLastRuneInString(text[:i])
		switch {
		case r == zeroWidthJoiner && !joins(before):
			b.WriteRune('\uFFFD')
		case r == utf8.RuneError && size == 1:
			const digits = "0123456789abcdef"
			b.WriteString(`\x`)
			b.WriteByte(digits[text[i]>>4])
			b.WriteByte(digits[text[i]&15])
		case strings.ContainsRune(keep, r):
			b.WriteRune(r)
		case r < 0x20:
			b.WriteRune('␀' + r) // the control pictures block follows the order of the codes
		case r == 0x7f:
			b.WriteRune('␡')
		case invisible(r):
			b.WriteRune('\uFFFD')
		default:
			b.WriteRune(r)
		}
		i += size
	}
	return b.String()
}

func clean(text, keep string) bool {
	before := rune(0)
	for _, r := range text {
		if r == utf8.RuneError || r < 0x20 && !strings.ContainsRune(keep, r) || r >= 0x7f &&
			(invisible(r) || r == zeroWidthJoiner && !joins(before)) {
			return false
		}
		before = r
	}
	return true
}

// invisible says whether a character could reorder or hide what stands around it, or stand there
// unseen: the second block of controls, the marks that turn the direction of text, soft hyphens, what has no width, tags.
func invisible(r rune) bool {
	switch {
	case r == zeroWidthJoiner: // which emoji are made of: see joins
		return false
	case r >= 0x7f && r < 0xa0, r == 0xad, r == 0x180e, r == 0xfeff, r == 0x115f, r == 0x1160, r == 0x3164, r == 0xffa0:
		return true
	case r >= 0x200b && r <= 0x200f, r >= 0x2028 && r <= 0x202e, r >= 0x2060 && r <= 0x206f, r >= 0xfff9 && r <= 0xfffb:
		return true
	case r >= 0xe0000 && r <= 0xe0fff:
		return true
	}
	return unicode.Is(unicode.Bidi_Control, r)
}

// zeroWidthJoiner makes one emoji of several.
const zeroWidthJoiner = 0x200d

// joins says whether a joiner stands behind an emoji, which it makes one with the next; elsewhere it is hidden text.
func joins(before rune) bool {
	return before >= 0x1f000 || unicode.Is(unicode.So, before) || before == 0xfe0f
}
