package diff

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// texts draws pairs of texts over few different lines, so that they share many.
func texts(t *rapid.T) (string, string) {
	line := rapid.SampledFrom([]string{"a\n", "b\n", "c\n", "\n", "  a\n", "\tb\n", "x\r\n", "ö\xff\n"})
	end := rapid.SampledFrom([]string{"", "", "a", "z"})
	draw := func(name string) string {
		return strings.Join(rapid.SliceOfN(line, 0, 24).Draw(t, name), "") + end.Draw(t, name+" end")
	}
	return draw("old"), draw("new")
}

func TestAssembleEndsLinesThatOthersFollow(t *testing.T) {
	for want, lines := range map[string][]string{"": nil, "a": {"a"}, "a\nb\n": {"a", "b\n"}, "x\r\na\r\nb": {"x\r\n", "a", "b"}} {
		var list [][]byte
		for _, line := range lines {
			list = append(list, []byte(line))
		}
		assert.Equal(t, want, string(Assemble(list)))
	}
}

func TestChangesAreValidAndApart(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		oldText, newText := texts(t)
		old, new := Split([]byte(oldText)), Split([]byte(newText))
		i, j := 0, 0
		for n, c := range Lines(old, new) {
			assert.True(t, n == 0 || c.OldStart > i && c.NewStart > j, "changes do not touch")
			assert.Equal(t, c.OldStart-i, c.NewStart-j)
			assert.Equal(t, bytes.Join(old[i:c.OldStart], nil), bytes.Join(new[j:c.NewStart], nil), "what lies between is the same")
			i, j = c.OldEnd, c.NewEnd
		}
		assert.Equal(t, bytes.Join(old[i:], nil), bytes.Join(new[j:], nil))
	})
}

// TestMyersIsShortest compares with the textbook table of longest common
// subsequences, on texts of frequent lines, where the fallback does the work.
func TestMyersIsShortest(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := rapid.Int32Range(0, 3)
		a := rapid.SliceOfN(number, 0, 30).Draw(t, "a")
		b := rapid.SliceOfN(number, 0, 30).Draw(t, "b")
		c := comparison{a: a, b: b, oldGone: make([]bool, len(a)), newAdded: make([]bool, len(b))}
		c.myers(0, len(a), 0, len(b))
		kept := bytes.Count(flags(c.oldGone), []byte{0})
		assert.Equal(t, kept, bytes.Count(flags(c.newAdded), []byte{0}))
		assert.Equal(t, longestCommon(a, b), kept)
	})
}

func flags(marks []bool) []byte {
	out := make([]byte, len(marks))
	for i, m := range marks {
		if m {
			out[i] = 1
		}
	}
	return out
}

func longestCommon(a, b []int32) int {
	row := make([]int, len(b)+1)
	for _, x := range a {
		diagonal := 0
		for j, y := range b {
			above := row[j+1]
			if x == y {
				row[j+1] = diagonal + 1
			} else {
				row[j+1] = max(above, row[j])
			}
			diagonal = above
		}
	}
	return row[len(b)]
}

func show(old, new string) string {
	var b strings.Builder
	o, n := Split([]byte(old)), Split([]byte(new))
	for _, h := range Hunks(o, n, Lines(o, n), 100) {
		for _, l := range h.Lines {
			fmt.Fprintf(&b, "%c%s", l.Op, l.Text)
		}
	}
	return b.String()
}

func TestChangesStandInNaturalPlaces(t *testing.T) {
	for name, test := range map[string]struct{ old, new, want string }{
		"a function added between two": {
			"func a() {\n\tx()\n}\n\nfunc c() {\n\tx()\n}\n",
			"func a() {\n\tx()\n}\n\nfunc b() {\n\tx()\n}\n\nfunc c() {\n\tx()\n}\n",
			" func a() {\n \tx()\n }\n \n+func b() {\n+\tx()\n+}\n+\n func c() {\n \tx()\n }\n",
		},
		"a paragraph repeated": {
			"one\n\ntwo\n", "one\n\none\n\ntwo\n", " one\n \n+one\n+\n two\n",
		},
		"a replacement stays together": {
			"a\nb\nb\nc\n", "a\nb\nx\nc\n", " a\n b\n-b\n+x\n c\n",
		},
		"an item at the end of a list": {
			"list:\n  - a\n  - b\nend\n", "list:\n  - a\n  - b\n  - b\nend\n", " list:\n   - a\n   - b\n+  - b\n end\n",
		},
		"no line end at the end": {"a\nb", "a\nb\n", " a\n-b+b\n"},
		"from nothing":           {"", "a\nb\n", "+a\n+b\n"},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, test.want, show(test.old, test.new)) })
	}
}

func TestHunksKeepTheirDistance(t *testing.T) {
	var old [][]byte
	for i := range 40 {
		old = append(old, fmt.Appendf(nil, "%d\n", i))
	}
	new := append([][]byte{}, old...)
	for _, i := range []int{2, 9, 17, 39} {
		new[i] = []byte("changed\n")
	}
	var spans [][4]int
	for _, h := range Hunks(old, new, Lines(old, new), 3) {
		spans = append(spans, [4]int{h.OldStart, h.OldLines, h.NewStart, h.NewLines})
	}
	assert.Equal(t, [][4]int{{0, 13, 0, 13}, {14, 7, 14, 7}, {36, 4, 36, 4}}, spans)
}

func TestManyEditsInAFrequentText(t *testing.T) {
	old, new := Split(bytes.Repeat([]byte("x\ny\n"), 20000)), Split(bytes.Repeat([]byte("y\nz\n"), 15000))
	var made [][]byte
	at := 0
	for _, c := range Lines(old, new) {
		made = append(append(made, old[at:c.OldStart]...), new[c.NewStart:c.NewEnd]...)
		at = c.OldEnd
	}
	assert.True(t, bytes.Equal(bytes.Join(new, nil), bytes.Join(append(made, old[at:]...), nil)))
}
