package planning_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestUndoGoesFileByFile: discarded lines return where they were, beside what was changed since; what is about the
// same lines stays, is named, and can be had from the journal.
func TestUndoGoesFileByFile(t *testing.T) {
	for _, crlf := range []bool{false, true} {
		f := fixture.New(t)
		if crlf {
			f.Git("config", "core.autocrlf", "true")
		}
		end := strings.NewReplacer("\n", map[bool]string{true: "\r\n", false: "\n"}[crlf])
		write := func(path, text string) { f.Write(path, end.Replace(text)) }
		f.Commit("base", "a", opened.Nine, "b", opened.Nine, "c", opened.Nine)
		write("a", strings.Replace(opened.Nine, "2\n", "two\n", 1))
		write("b", strings.Replace(opened.Nine, "2\n", "two\n", 1))
		write("c", strings.Replace(opened.Nine, "2\n", "two\n", 1))
		require.NoError(t, os.Chmod(filepath.Join(f.Dir, "a"), 0o600))
		a := opened.App(t, f.Dir)
		_, err := sorting.Of(a).Discard(ctx, sorting.TrayMove{From: tray.Loose, Selected: tray.SelectFiles("a", "b", "c")})
		require.NoError(t, err)
		write("a", strings.Replace(opened.Nine, "8\n", "eight\n", 1)) // elsewhere
		write("b", strings.Replace(opened.Nine, "2\n", "zwei\n", 1))  // the same line
		stepped, err := planning.Of(a).Undo(ctx)
		require.NoError(t, err)
		assert.Equal(t, []string{"a"}, stepped.Merged)
		assert.Equal(t, []string{"b"}, stepped.Left)
		assert.Contains(t, stepped.Remarks(), "b changed since in the same places")
		assert.Equal(t, end.Replace(strings.NewReplacer("2\n", "two\n", "8\n", "eight\n").Replace(opened.Nine)), f.Read("a"))
		assert.Equal(t, end.Replace(strings.Replace(opened.Nine, "2\n", "zwei\n", 1)), f.Read("b"))
		assert.Equal(t, end.Replace(strings.Replace(opened.Nine, "2\n", "two\n", 1)), f.Read("c"))
		info, err := os.Stat(filepath.Join(f.Dir, "a"))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
		list, err := planning.Of(a).Rescuable(ctx, stepped.Number)
		require.NoError(t, err)
		assert.Len(t, list, 3, "the text that did not come back is there")

		stepped, err = planning.Of(a).Redo(ctx)
		require.NoError(t, err)
		assert.Equal(t, []string{"a"}, stepped.Merged, "what was changed since stays, the other way too")
		assert.Equal(t, end.Replace(strings.Replace(opened.Nine, "8\n", "eight\n", 1)), f.Read("a"))
		assert.Equal(t, end.Replace(opened.Nine), f.Read("c"))

		for _, path := range []string{"a", "b", "c"} {
			write(path, strings.Replace(opened.Nine, "2\n", "deux\n", 1))
		}
		before := f.Git("status", "--porcelain")
		_, err = planning.Of(a).Undo(ctx)
		assert.Contains(t, opened.Refusal(t, err), "bastel rescue")
		assert.Equal(t, before, f.Git("status", "--porcelain"))
	}
}
