package sorting_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// without drops the leftovers from a text.
func without(text string) string {
	var b strings.Builder
	for line := range strings.Lines(text) {
		if !strings.Contains(line, "debugger") {
			b.WriteString(line)
		}
	}
	return b.String()
}

// TestASweptBranchIsTheBranchWithoutLeftovers: on random histories, each commit holds
// after a sweep what it held before, without the lines that the branch brought in; those
// that were there before the branch stay.
func TestASweptBranchIsTheBranchWithoutLeftovers(t *testing.T) {
	fixture.FewerChecks(t, "15")
	f := fixture.New(t)
	f.Commit("root", "x.js", "")
	f.Git("branch", "start")
	a := opened.App(t, f.Dir)
	rapid.Check(t, func(t *rapid.T) {
		f.Git("checkout", "--quiet", "--force", "-B", "main", "start")
		f.Commit("base", "x.js", "first\ndebugger // old\n", "y.js", "y\n")
		f.Git("checkout", "--quiet", "-B", "topic")
		var wanted []string
		marks := 0
		for i := range rapid.IntRange(1, 4).Draw(t, "commits") {
			var text strings.Builder
			text.WriteString("first\ndebugger // old\n")
			for n := range rapid.IntRange(0, 5).Draw(t, "lines") {
				if rapid.Bool().Draw(t, "leftover") {
					marks++
					fmt.Fprintf(&text, "  debugger // %d.%d\n", i, n)
				} else {
					fmt.Fprintf(&text, "line %d of %d\n", n, i)
				}
			}
			f.Commit(fmt.Sprintf("commit %d", i), "x.js", text.String(), "y.js", fmt.Sprintf("y %d\n", i))
			wanted = append(wanted, "first\ndebugger // old\n"+without(strings.TrimPrefix(text.String(), "first\ndebugger // old\n")))
		}
		tip := f.Git("rev-parse", "HEAD")
		dry, err := sorting.Of(a).SweepBranch(ctx, true)
		require.NoError(t, err)
		require.Equal(t, tip, f.Git("rev-parse", "HEAD"), "a dry run changes nothing")
		swept, err := sorting.Of(a).SweepBranch(ctx, false)
		require.NoError(t, err)
		assert.Equal(t, dry.Findings, swept.Findings)
		assert.Equal(t, marks > 0, len(swept.Findings) > 0)
		ids := strings.Fields(f.Git("rev-list", "--reverse", "main..topic"))
		require.Len(t, ids, len(wanted))
		for i, id := range ids {
			assert.Equal(t, strings.TrimSpace(wanted[i]), strings.TrimSpace(f.Git("show", id+":x.js")))
			assert.Equal(t, fmt.Sprintf("commit %d", i), f.Git("log", "-1", "--format=%s", id))
		}
		require.Empty(t, f.Git("status", "--porcelain"))
		if marks > 0 {
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			require.Equal(t, tip, f.Git("rev-parse", "HEAD"))
		}
	})
}

func TestSweepingNamesWhatGetsEmptyAndSparesRenames(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "old.js", "1\n2\n3\n4\ndebugger\n5\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("only a leftover", "a.js", "debugger\n")
	f.Git("mv", "old.js", "new.js")
	f.Git("commit", "--quiet", "-m", "rename")
	f.Commit("debug again", "new.js", "1\n2\n3\n4\ndebugger\n5\nconsole.log(1)\n")
	a := opened.App(t, f.Dir)
	swept, err := sorting.Of(a).SweepBranch(ctx, false)
	require.NoError(t, err)
	assert.Equal(t, []string{"debug again"}, swept.Emptied, "an empty file that came is a change still")
	assert.Contains(t, f.Git("show", "HEAD:new.js"), "debugger", "what was there before the branch stays, under another name too")
	assert.Equal(t, "only a leftover\nrename", f.Git("log", "--reverse", "--format=%s", "main.."))
}

func TestSettings(t *testing.T) {
	f := opened.Feature(t)
	config := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", config)
	require.NoError(t, os.MkdirAll(filepath.Join(config, "bastel"), 0o777))
	file := filepath.Join(config, "bastel", "settings.toml")
	for text, want := range map[string]string{
		"check = 'a'\n":                        "",
		"check = 1\n":                          "does not read as TOML",
		"background = 'dark'\nchek = 'a'\n":    "line 2: there is no such setting: chek",
		"[[sweep.pattern]]\nmatch = '['\n":     "sweep pattern \"[\"",
		"[sweep]\npattern = [{match = 'x'}]\n": "",
	} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o666))
		a := opened.App(t, f.Dir)
		_, err := sorting.Of(a).Sweep(ctx, true)
		assert.NoError(t, err, "what is wrong is passed over")
		s, err := a.Settings(ctx)
		assert.NoError(t, err)
		if said := strings.Join(s.Warnings, "\n"); want == "" {
			assert.Empty(t, said)
		} else {
			assert.Contains(t, said, want)
			assert.Contains(t, said, file)
		}
	}
	require.NoError(t, os.WriteFile(file, []byte("check = 'mine'\nbackground = 'dark'\n"), 0o666))
	f.Git("config", "bastel.check", "the repository's")
	a := opened.App(t, f.Dir)
	s, err := a.Settings(ctx)
	require.NoError(t, err)
	assert.Equal(t, "mine", s.Check, "it starts nothing that was not allowed")
	commands, err := a.Allow(ctx, true)
	require.NoError(t, err)
	assert.Equal(t, []string{"bastel.check = the repository's"}, commands)
	f.Git("config", "bastel.check", "another")
	a.Repo.ForgetConfig()
	s, err = a.Settings(ctx)
	require.NoError(t, err)
	assert.Equal(t, "mine", s.Check, "what changed since is not what was allowed")
	f.Git("config", "bastel.check", "the repository's")
	a.Repo.ForgetConfig()
	s, err = a.Settings(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"the repository's", "dark"}, []string{s.Check, s.Background}, "the repository's own goes first")
}
