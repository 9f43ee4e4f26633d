package kit_test

import (
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"bastel/internal/ui/kit"
)

func TestASCII(t *testing.T) {
	for drawn, want := range map[string]string{"plain": "plain", "├─A─B─C board": "+-A-B-C board", "港 ü…": "?? ?~",
		"\x1b[1m▰\x1b[0m A": "\x1b[1m*\x1b[0m A",
		"👩‍🚀 x":             "?? x", "e\u0301": "e"} {
		assert.Equal(t, want, kit.ASCII(drawn))
	}
	rapid.Check(t, func(t *rapid.T) {
		text := rapid.StringOf(rapid.RuneFrom([]rune("ab ─│■港ü…\u0301\U0001F680\u200d"))).Draw(t, "text")
		plain := kit.ASCII(text)
		assert.Equal(t, ansi.StringWidth(text), ansi.StringWidth(plain), "as wide as it was")
		assert.False(t, strings.ContainsFunc(plain, func(r rune) bool { return r > 127 }))
	})
}

func TestTheLocaleSaysWhetherThereIsMore(t *testing.T) {
	for _, test := range []struct {
		all, ctype, lang string
		only             bool
	}{{"", "", "", false}, {"C", "", "", true}, {"C", "", "de_DE.UTF-8", true}, {"", "", "POSIX", true}, {"C.UTF-8", "", "C", false},
		{"", "de_DE.ISO-8859-1", "de_DE.UTF-8", true}, {"", "", "de_DE.utf8@euro", false}, {"", "", "de_DE", false}} {
		t.Setenv("LC_ALL", test.all)
		t.Setenv("LC_CTYPE", test.ctype)
		t.Setenv("LANG", test.lang)
		assert.Equal(t, test.only, kit.OnlyASCII(), "%+v", test)
	}
}
