package safe

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestLine(t *testing.T) {
	for text, want := range map[string]string{
		"plain":         "plain",
		"Käse 世界":       "Käse 世界",
		"a\x1b[31mb":    "a␛[31mb",
		"a\tb\nc":       "a␉b␊c",
		"\xffx":         `\xffx`,
		"\u202eevil":    "\uFFFDevil",
		"del\x7f\u0085": "del␡\uFFFD",
		"a\u200bb\u00adc\ufeffd\u2060e\U000E0041f": "a\uFFFDb\uFFFDc\uFFFDd\uFFFDe\uFFFDf",
		"a\u200db 👩\u200d👧 ❤\ufe0f\u200d🔥":         "a\uFFFDb 👩\u200d👧 ❤\ufe0f\u200d🔥",
	} {
		assert.Equal(t, want, Line(text))
	}
	assert.Equal(t, "a\tb␍\nc", Text("a\tb\r\nc"))
}

func TestNothingDrivesTheTerminal(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := string(rapid.SliceOf(rapid.Byte()).Draw(t, "bytes"))
		for _, r := range Line(text) {
			assert.False(t, r < 0x20 || r >= 0x7f && r < 0xa0, "%q", r)
		}
	})
}
