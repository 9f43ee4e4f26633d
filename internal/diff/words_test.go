package diff

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// marked writes a line with its changed pieces in brackets.
func marked(line string, spans []Change, isOld bool) string {
	out, at := "", 0
	for _, s := range spans {
		start, end := s.NewStart, s.NewEnd
		if isOld {
			start, end = s.OldStart, s.OldEnd
		}
		out += line[at:start] + "[" + line[start:end] + "]"
		at = end
	}
	return out + line[at:]
}

func TestWords(t *testing.T) {
	for _, test := range []struct{ old, new, wantOld, wantNew string }{
		{"if b.Length >= ship.Length {", "if b.Length >= ship.Length && Fits(b, ship) {", "if b.Length >= ship.Length {",
			"if b.Length >= ship.Length [&& Fits(b, ship) ]{"},
		{"offer him coffee", "offer coffee", "offer [him ]coffee", "offer coffee"},
		{"größe = 1", "größe = 22", "größe = [1]", "größe = [22]"},
		{"nothing alike", "at all", "nothing alike", "at all"},
		{"same", "same", "same", "same"},
		{"", "new", "", "[new]"},
	} {
		removed, added := Words([]byte(test.old), []byte(test.new))
		assert.Equal(t, test.wantOld, marked(test.old, removed, true))
		assert.Equal(t, test.wantNew, marked(test.new, added, false))
	}
}

func TestWordsOutsideTheMarksAreTheSame(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringMatching(`[ab (\tü]{0,20}`)
		old, new := text.Draw(t, "old"), text.Draw(t, "new")
		removed, added := Words([]byte(old), []byte(new))
		if removed == nil && added == nil {
			return
		}
		strip := func(line string, spans []Change, isOld bool) string {
			out, at := "", 0
			for _, s := range spans {
				start, end := s.NewStart, s.NewEnd
				if isOld {
					start, end = s.OldStart, s.OldEnd
				}
				out, at = out+line[at:start], end
			}
			return out + line[at:]
		}
		assert.Equal(t, strip(old, removed, true), strip(new, added, false))
	})
}
