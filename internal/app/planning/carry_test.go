package planning_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestLooseChangesAreCarriedAlong: a rewriting, a sweep and their undo change files that have loose and staged
// changes elsewhere, and leave those where they are, byte for byte; where both are about the same lines nothing is done.
func TestLooseChangesAreCarriedAlong(t *testing.T) {
	for _, crlf := range []bool{false, true} {
		f := fixture.New(t)
		end := "\n"
		if crlf {
			end = "\r\n"
			f.Git("config", "core.autocrlf", "true")
		}
		text := func(changes ...string) string {
			return strings.NewReplacer("\n", end).Replace(strings.NewReplacer(changes...).Replace(opened.Nine))
		}
		f.Commit("base", "a.go", text(), "b", "b\n")
		f.Git("switch", "--quiet", "-c", "feature")
		f.Commit("one", "a.go", text("9\n", "nine\n"))
		f.Commit("two", "a.go", text("9\n", "nine\nprintln(1)\n"), "b", "B\n")
		f.Write("a.go", text("5\n", "five\n", "9\n", "nine\nprintln(1)\n"))
		f.Git("add", "a.go")
		f.Write("a.go", text("1\n", "one\n", "5\n", "five\n", "9\n", "nine\nprintln(1)\n"))
		require.NoError(t, os.Chmod(filepath.Join(f.Dir, "a.go"), 0o600))
		a := opened.App(t, f.Dir)
		state := func() string {
			return f.Read("a.go") + f.Git("show", ":a.go") + f.Git("status", "--porcelain") + f.Git("rev-parse", "HEAD")
		}
		before := state()
		plan, err := a.NewPlan(ctx, "", "")
		require.NoError(t, err)
		_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(1), app.OwnOnly, nil)
		require.NoError(t, err)
		assert.Equal(t, text("1\n", "one\n", "5\n", "five\n", "9\n", "nine\n"), f.Read("a.go"))
		assert.Equal(t, strings.ReplaceAll(text("5\n", "five\n", "9\n", "nine\n"), "\r", ""), f.Git("show", ":a.go")+"\n")
		assert.Equal(t, "b\n", strings.ReplaceAll(f.Read("b"), "\r", ""))
		info, err := os.Stat(filepath.Join(f.Dir, "a.go"))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
		_, err = planning.Of(a).Undo(ctx)
		require.NoError(t, err)
		assert.Equal(t, before, state())
		_, err = planning.Of(a).Redo(ctx)
		require.NoError(t, err)
		_, err = planning.Of(a).Undo(ctx)
		require.NoError(t, err)
		assert.Equal(t, before, state())

		swept, err := sorting.Of(a).SweepBranch(ctx, false)
		require.NoError(t, err)
		assert.Len(t, swept.Findings, 1)
		assert.Equal(t, text("1\n", "one\n", "5\n", "five\n", "9\n", "nine\n"), f.Read("a.go"))
		_, err = planning.Of(a).Undo(ctx)
		require.NoError(t, err)
		assert.Equal(t, before, state())

		f.Write("a.go", text("9\n", "nine\nprintln(2)\n"))
		before = state()
		_, err = sorting.Of(a).SweepBranch(ctx, false)
		assert.Contains(t, opened.Refusal(t, err), "a.go")
		assert.Equal(t, before, state())
	}
}
