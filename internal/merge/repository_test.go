package merge_test

import (
	"fmt"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/test/fixture"
)

// hunkStarts lists where the repository's own line differences are.
func hunkStarts(t *testing.T, old, new string) string {
	out, _ := exec.Command("git", "diff", "--no-index", "--no-color", "-U0", "--diff-algorithm=myers", "--no-indent-heuristic", old,
		new).Output()
	var list []string
	for _, line := range strings.Split(string(out), "\n") {
		var oldStart, oldLines, newStart, newLines int
		if strings.HasPrefix(line, "@@ ") {
			fields := strings.Fields(line)
			oldLines, newLines = 1, 1
			fmt.Sscanf(fields[1], "-%d,%d", &oldStart, &oldLines)
			fmt.Sscanf(fields[2], "+%d,%d", &newStart, &newLines)
			list = append(list, fmt.Sprintf("%d+%d>%d+%d", oldStart-min(1, oldLines), oldLines, newStart-min(1, newLines), newLines))
		}
	}
	return strings.Join(list, " ")
}

func ourStarts(old, new string) string {
	var list []string
	for _, c := range diff.Text([]byte(old), []byte(new)) {
		list = append(list, fmt.Sprintf("%d+%d>%d+%d", c.OldStart, c.OldEnd-c.OldStart, c.NewStart, c.NewEnd-c.NewStart))
	}
	return strings.Join(list, " ")
}

// blocksEdited changes a text as people do: blocks go, are copied, lines change or come.
func blocksEdited(random *rand.Rand, lines, _ []string) []string {
	out := append([]string{}, lines...)
	for range 1 + random.Intn(4) {
		at := random.Intn(len(out) + 1)
		block := append([]string{}, out[at:min(len(out), at+1+random.Intn(6))]...)
		switch rest := append([]string{}, out[at:]...); random.Intn(5) {
		case 0:
			out = append(out[:at], rest[len(block):]...)
		case 1:
			to := random.Intn(len(out) + 1)
			out = append(append(append([]string{}, out[:to]...), block...), out[to:]...)
		case 2:
			out = append(append(out[:at], block...), rest...)
		case 3:
			out = append(append(out[:at], fmt.Sprint("new ", random.Intn(3))), rest...)
		case 4:
			if at < len(out) {
				out[at] += fmt.Sprint(" // ", random.Intn(3))
			}
		}
	}
	return out
}

// sourceLines are up to 60 lines of the Go library's source.
func sourceLines(random *rand.Rand, files []string) []string {
	data, _ := os.ReadFile(files[random.Intn(len(files))])
	lines := strings.Split(strings.TrimSuffix(string(data), "\n"), "\n")
	at := random.Intn(max(1, len(lines)-60))
	return lines[at:min(len(lines), at+60)]
}

func randomLines(random *rand.Rand, words []string) []string {
	lines := make([]string, 3+random.Intn(20))
	for i := range lines {
		if lines[i] = fmt.Sprint("line ", i); words != nil {
			lines[i] = words[random.Intn(len(words))]
		}
	}
	return lines
}

// TestTextAgainstTheRepository compares with the repository's own merge. What is clean here is
// clean there, and the same bytes, wherever both place the sides' changes at the same lines. What is
// clean there only is in doubt: it happens to lines that are alike, and seldom.
func TestTextAgainstTheRepository(t *testing.T) {
	root, err := exec.Command("go", "env", "GOROOT").Output()
	require.NoError(t, err)
	files, err := filepath.Glob(filepath.Join(strings.TrimSpace(string(root)), "src", "*", "*.go"))
	require.NoError(t, err)
	for name, test := range map[string]struct {
		words              []string
		edit               func(random *rand.Rand, lines, words []string) []string
		few, many          int
		otherwise, doubted float64 // shares of all that may come out in another way, and be a conflict here only
	}{
		"all different": {nil, edited, 300, 2000, 0, 0},
		"some alike":    {[]string{"}", "", "a", "b", "c", "d", "e", "f", "g"}, edited, 300, 2000, 0.01, 0.03},
		"mostly alike":  {[]string{"a", "b", "c"}, edited, 300, 2000, 0.04, 0.08},
		"source":        {nil, blocksEdited, 300, 20000, 0.01, 0.1},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir, random, rounds := t.TempDir(), fixture.Random(t, 7), fixture.Rounds(test.few, test.many)
			otherwise, doubted := 0, 0
			for range rounds {
				base := randomLines(random, test.words)
				if name == "source" {
					base = sourceLines(random, files)
				}
				words := append([]string{"x", "y"}, test.words...)
				var texts, names [3]string // base, left, right
				for i, list := range [][]string{base, test.edit(random, base, words), test.edit(random, base, words)} {
					texts[i], names[i] = strings.Join(append(list, ""), "\n"), filepath.Join(dir, fmt.Sprint(i))
					require.NoError(t, os.WriteFile(names[i], []byte(texts[i]), 0o666))
				}
				out, err := exec.Command("git", "merge-file", "--diff3", "-p", names[1], names[0], names[2]).Output()
				merged, clean := merge.Resolved(merge.Text([]byte(texts[0]), []byte(texts[1]), []byte(texts[2])))
				switch {
				case !clean && err == nil:
					doubted++
				case clean && (err != nil || string(out) != string(merged)):
					otherwise++
					assert.NotEqual(t, [2]string{hunkStarts(t, names[0], names[1]), hunkStarts(t, names[0], names[2])},
						[2]string{ourStarts(texts[0], texts[1]), ourStarts(texts[0], texts[2])}, "%q", texts)
				}
			}
			t.Logf("of %d: %d come out in another way, %d are in doubt", rounds, otherwise, doubted)
			assert.LessOrEqual(t, otherwise, int(test.otherwise*float64(rounds)))
			assert.LessOrEqual(t, doubted, int(test.doubted*float64(rounds)))
		})
	}
}
