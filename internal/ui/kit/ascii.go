package kit

import (
	"os"
	"strings"

	"github.com/charmbracelet/x/ansi"
)

// asciiFor are the characters that Bastel draws with, by what stands for them where there are no others.
var asciiFor = map[string]string{
	"─": "-", "━": "=", "┄": "-", "╌": "-", "╴": "-", "╶": "-", "│": "|", "┃": "|", "┊": ":", "╵": "|", "╷": "|",
	"├": "+", "┤": "+", "┴": "+", "┬": "+", "┼": "+", "┷": "+", "╭": "+", "╮": "+", "╯": "+", "╰": "+",
	"▌": ">", "▏": "|", "▸": ">", "▰": "*", "✓": "v", "▲": "!", "■": "#", "□": "o", "▒": "#",
	"↑": "^", "↓": "v", "←": "<", "→": ">", "⇧": "^", "⇥": ">", "…": "~", "−": "-", "–": "-", "—": "-", "·": ".", "×": "x", "²": "2",
	"“": "\"", "”": "\"", "‘": "'", "’": "'",
}

// ASCII writes what is drawn in ASCII: threads and marks by what is most like them, other characters as question marks, as wide as
// they were. What styles it stays.
func ASCII(drawn string) string {
	if !strings.ContainsFunc(drawn, func(r rune) bool { return r > 126 }) {
		return drawn
	}
	var b strings.Builder
	b.Grow(len(drawn))
	state := byte(0)
	for len(drawn) > 0 {
		part, width, n, next := ansi.DecodeSequence(drawn, state, nil)
		state, drawn = next, drawn[n:]
		plain, known := asciiFor[part]
		switch {
		case known:
			b.WriteString(plain)
		case part[0] < 0x80: // a sequence, or a letter, without what was put over it
			b.WriteString(strings.Map(inASCII, part))
		default:
			b.WriteString(strings.Repeat("?", width))
		}
	}
	return b.String()
}

func inASCII(r rune) rune {
	if r >= 0x80 {
		return -1
	}
	return r
}

// OnlyASCII says whether the locale has no other characters: it is that of C or POSIX, or names another character set than
// UTF-8. Without one, as in many containers, the terminal is taken to have them.
func OnlyASCII() bool {
	for _, name := range []string{"LC_ALL", "LC_CTYPE", "LANG"} {
		value := os.Getenv(name)
		if value == "" {
			continue
		}
		_, set, named := strings.Cut(value, ".")
		set, _, _ = strings.Cut(strings.ToLower(set), "@")
		return value == "C" || value == "POSIX" || named && set != "utf-8" && set != "utf8"
	}
	return false
}
