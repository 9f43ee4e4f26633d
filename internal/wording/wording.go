// Package wording says numbers of things in English.
//
// Its tests promise: one thing is one, and nouns get their own plural.
package wording

import (
	"fmt"
	"strings"
)

// Count says a number of things: "1 commit", "3 commits", "2 entries", "2 branches".
func Count(n int, noun string) string { return fmt.Sprintf("%d %s", n, Noun(n, noun)) }

// Noun is the noun for a number of things.
func Noun(n int, noun string) string {
	stem, endsInY := strings.CutSuffix(noun, "y")
	switch {
	case n == 1:
		return noun
	case endsInY && stem != "" && !strings.ContainsRune("aeiou", rune(stem[len(stem)-1])):
		return stem + "ies"
	case strings.HasSuffix(noun, "ch"):
		return noun + "es"
	}
	return noun + "s"
}
