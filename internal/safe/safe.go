// Package safe makes untrusted text fit to be shown: names, messages, contents and
// what servers say may hold control characters that would drive the terminal.
package safe

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

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
		switch {
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
	for _, r := range text {
		if r == utf8.RuneError || r < 0x20 && !strings.ContainsRune(keep, r) || r >= 0x7f && invisible(r) {
			return false
		}
	}
	return true
}

// invisible says whether a character could reorder or hide what stands around it:
// the second block of controls, and the marks that turn the direction of text.
func invisible(r rune) bool {
	return r >= 0x7f && r < 0xa0 || unicode.Is(unicode.Bidi_Control, r) || r == 0x2028 || r == 0x2029
}
