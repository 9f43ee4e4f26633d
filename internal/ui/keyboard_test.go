package ui

import (
	"io"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// read is what comes of pieces that are typed one after the other, with time between them.
func read(t require.TestingT, pieces ...string) string {
	in, out, err := os.Pipe()
	require.NoError(t, err)
	defer in.Close()
	k := &keyboard{File: in}
	var got strings.Builder
	p := make([]byte, 64)
	for _, piece := range pieces {
		_, err := io.WriteString(out, piece)
		require.NoError(t, err)
		for len(k.out) > 0 || k.more(0) {
			n, err := k.Read(p)
			require.NoError(t, err)
			got.Write(p[:n])
		}
	}
	require.NoError(t, out.Close())
	return got.String()
}

// TestNothingStopsTheKeys: what is cut off is dropped, in a text it is text, and the key after it comes.
func TestNothingStopsTheKeys(t *testing.T) {
	for name, test := range map[string]struct{ pieces, want []string }{
		"keys":                {[]string{"ab\x1b[A\x1bOP\x1b"}, []string{"ab\x1b[A\x1bOP\x1b"}},
		"an answer":           {[]string{"\x1b]11;rgb:0/0/0\x1b\\a"}, []string{"\x1b]11;rgb:0/0/0\x1b\\a"}},
		"an answer in pieces": {[]string{"\x1b]11;rgb:0/0/0\aa", "\x1bP1$r\x1b\\b"}, []string{"\x1b]11;rgb:0/0/0\aa\x1bP1$r\x1b\\b"}},
		"cut off":             {[]string{"\x1b]0;x", "a"}, []string{"a"}},
		"cut off by another":  {[]string{"\x1bP0;x\x1b[A", "a"}, []string{"\x1b[Aa"}},
		"each kind":           {[]string{"\x1b]", "\x1bP", "\x1b_", "\x1b^", "\x1bX", "q"}, []string{"q"}},
		"pasted": {[]string{pasteBegins + "a\x1b]b\x1bPc\x1b" + pasteEnds + "q"},
			[]string{pasteBegins + "a␛]b␛Pc␛" + pasteEnds + "q"}},
		"pasted, a bare escape": {[]string{pasteBegins + "a\x1b", "b" + pasteEnds + "q"},
			[]string{pasteBegins + "a␛b" + pasteEnds + "q"}},
		"pasted, no end":           {[]string{pasteBegins + "a", "\x03", "q"}, []string{pasteBegins + "a" + pasteEnds + "\x03q"}},
		"too long a control chain": {[]string{"\x1b]" + strings.Repeat("x", 2*longestString), "q"}, nil},
	} {
		got := read(t, test.pieces...)
		assert.True(t, strings.HasSuffix(got, test.pieces[len(test.pieces)-1][len(test.pieces[len(test.pieces)-1])-1:]), name)
		if test.want != nil {
			assert.Equal(t, test.want[0], got, name)
		}
	}
	rapid.Check(t, func(draw *rapid.T) {
		if draw.Failed() {
			return
		}
		pasted := rapid.StringOfN(rapid.SampledFrom([]rune("ab\x1b]P[201~\\\a")), 0, 40, -1).Draw(draw, "pasted")
		got := read(draw, pasteBegins+strings.ReplaceAll(pasted, pasteEnds, "")+pasteEnds+"q")
		body := strings.TrimSuffix(strings.TrimPrefix(got, pasteBegins), pasteEnds+"q")
		assert.NotContains(draw, body, "\x1b", "in a text an escape is text")
		assert.True(draw, strings.HasSuffix(got, pasteEnds+"q"))
	})
}
