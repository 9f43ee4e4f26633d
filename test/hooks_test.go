package test

import (
	"cmp"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// hooks are all that a step of Bastel's could run, but for the two that go with each ref and each writing of the index.
var hooks = []string{"pre-commit", "pre-merge-commit", "prepare-commit-msg", "commit-msg", "post-commit", "post-merge", "post-checkout",
	"post-rewrite", "pre-push", "pre-rebase", "applypatch-msg", "post-applypatch"}

var quoted = regexp.MustCompile("`([^`]+)`([^`]*)")

// hookRows reads the table of docs/safety.md: the hooks of each command, in their order.
func hookRows(t *testing.T) map[string][]string {
	data, err := os.ReadFile("../docs/safety.md")
	require.NoError(t, err)
	_, table, found := strings.Cut(string(data), "| step | command | hooks, in their order |\n| --- | --- | --- |\n")
	require.True(t, found)
	rows := map[string][]string{}
	for line := range strings.Lines(table) {
		cells := strings.Split(line, "|")
		if len(cells) < 4 {
			break
		}
		names := []string{}
		for _, hook := range quoted.FindAllStringSubmatch(cells[3], -1) {
			names = append(names, hook[1])
		}
		for _, command := range quoted.FindAllStringSubmatch(cells[2], -1) {
			rows[strings.TrimRight(command[1]+command[2], " ,")] = names
		}
	}
	return rows
}

// TestTheTableOfHooksIsTrue: each step runs the hooks that docs/safety.md lists for its command, and no others.
func TestTheTableOfHooksIsTrue(t *testing.T) {
	rows := hookRows(t)
	commands := slices.SortedFunc(maps.Keys(rows), func(a, b string) int { return len(b) - len(a) }) // the most telling first
	used := map[string]bool{}
	steps := maps.Clone(killedKinds)
	told := map[string]string{"apply with messages": "apply with new messages", "undo switch": "undo of a switch",
		"pick":       "mend --finish of a pick",
		"undo aside": "undo of a switch"}
	steps["apply with messages"] = killed{[]string{"apply", "../plan.toml"}, func(f *fixture.Repo) {
		plan(f)
		name := filepath.Join(f.Dir, "..", "plan.toml")
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(name, append(text, "message = \"new\"\n"...), 0o666))
	}}
	for name, step := range steps {
		line := cmp.Or(told[name], strings.Join(step.args, " "))
		at := slices.IndexFunc(commands, func(command string) bool { return strings.HasPrefix(line+" ", command+" ") })
		if !assert.GreaterOrEqual(t, at, 0, "docs/safety.md has no row for %s", line) {
			continue
		}
		used[commands[at]] = true
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			root := t.TempDir()
			f := killedBranch(t, root)
			step.prepare(f)
			log := filepath.Join(root, "log")
			for _, hook := range hooks {
				f.Hook(hook, "echo "+hook+" >>'"+log+"'\n")
			}
			cmd := exec.Command("bastel", step.args...)
			cmd.Dir = f.Dir
			out, err := cmd.CombinedOutput()
			require.NoError(t, err, "%s", out)
			data, _ := os.ReadFile(log) // none ran: there is none
			ran := []string{}
			for hook := range strings.FieldsSeq(string(data)) {
				if !slices.Contains(ran, hook) {
					ran = append(ran, hook)
				}
			}
			assert.Equal(t, rows[commands[at]], ran)
		})
	}
	for _, command := range commands {
		assert.True(t, used[command], "no step shows what %s runs", command)
	}
}
