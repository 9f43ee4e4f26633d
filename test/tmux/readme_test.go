package tmux

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// pressed are the keys and typed texts of a row of the README's walk; shown is what must be on the screen then.
var (
	pressed = regexp.MustCompile("`([^`]+)`|\"([^\"]+)\"")
	shown   = regexp.MustCompile(`\*\*([^*]+)\*\*`)
)

// TestTheWalkOfTheREADME: each step is pressed as it is written there, and shows what it says.
func TestTheWalkOfTheREADME(t *testing.T) {
	readme, err := os.ReadFile("../../README.md")
	require.NoError(t, err)
	_, walk, found := strings.Cut(string(readme), "| press | what happens |\n| --- | --- |\n")
	require.True(t, found)
	walk, _, _ = strings.Cut(walk, "\n\n")
	rows := strings.Split(strings.TrimSpace(walk), "\n")
	require.Greater(t, len(rows), 15)
	names := map[string]string{"enter": "Enter", "esc": "Escape", "ctrl+s": "C-s", "ctrl+end": "C-End", "backspace": "BSpace"}
	work, shared := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	for _, row := range rows {
		cells := strings.SplitN(strings.Trim(row, "|"), "|", 2)
		for _, key := range pressed.FindAllStringSubmatch(cells[0], -1) {
			switch {
			case key[2] != "":
				term.text(key[2])
			case key[1] == "n":
				term.waitFor("y yes")
				term.keys("n")
			case names[key[1]] != "":
				term.keys(names[key[1]])
			case key[1] == "y": // whoever reads the question presses then
				term.waitFor("y yes")
				term.keys("y")
			default:
				term.keys(key[1])
			}
		}
		var texts []string
		for _, text := range shown.FindAllStringSubmatch(cells[1], -1) {
			texts = append(texts, text[1])
		}
		term.waitFor(texts...)
	}
	require.Equal(t, work.Git("rev-parse", "HEAD"), shared.Git("rev-parse", "feature/berth-board"))
	require.Empty(t, work.Git("rev-list", "--merges", "HEAD"))
	require.Contains(t, work.Git("show", "HEAD:config/quay.toml"), "unit = \"cm\"\neast_quay = 620\nnorth_mole = 940\nfish_steps = 300\n")
}
