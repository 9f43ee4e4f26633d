package sorting_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// look lists the loose changes of a repository.
func loose(t *testing.T, f *fixture.Repo) []tray.File {
	t.Helper()
	a := opened.App(t, f.Dir)
	s, err := a.BranchStatus(ctx)
	require.NoError(t, err)
	board, err := sorting.Of(a).Listing(ctx, s.Changes, tray.Plain)
	require.NoError(t, err)
	return board.Loose
}

func TestDiscardIsExactAndComesBack(t *testing.T) {
	f := fixture.New(t)
	f.Write(".gitattributes", "*.txt text eol=crlf\n*.up filter=case\n")
	f.Git("config", "filter.case.clean", "tr A-Z a-z")
	f.Git("config", "filter.case.smudge", "tr a-z A-Z")
	f.Commit("base", "a", "1\n2\n3\n", "w.txt", "1\r\n2\r\n", "s.up", "LOUD\n", "gone/deep", "x\n", "bin", "\x00")
	f.Write("a", "1\nnew\n2\n3\nmore")
	f.Write("w.txt", "1\r\n2\r\n3\n")
	f.Write("s.up", "LOUDER\n")
	f.Write("bin", "\x00\x01")
	f.Write("added/file", "x\n")
	f.Write("large", strings.Repeat("0123456789abcde\n", repo.LargeFile/16+1))
	require.NoError(t, os.Remove(filepath.Join(f.Dir, "gone", "deep")))
	require.NoError(t, os.Chmod(filepath.Join(f.Dir, "a"), 0o755))
	require.NoError(t, os.Symlink("a", filepath.Join(f.Dir, "link")))
	disk := func() map[string]string {
		state := map[string]string{}
		for _, name := range []string{"a", "w.txt", "s.up", "bin", "added/file", "gone/deep", "link", "large"} {
			info, err := os.Lstat(filepath.Join(f.Dir, name))
			if err != nil {
				state[name] = "absent"
				continue
			}
			data, _ := os.ReadFile(filepath.Join(f.Dir, name))
			state[name] = info.Mode().String() + " " + string(data)
		}
		return state
	}
	before := disk()
	a := opened.App(t, f.Dir)
	_, err := sorting.Of(a).Discard(ctx, sorting.TrayMove{Selected: tray.Select(tray.IDs(loose(t, f))...), View: tray.Plain})
	require.NoError(t, err)
	assert.Empty(t, f.Git("status", "--porcelain"))
	assert.Equal(t, "1\r\n2\r\n", f.Read("w.txt"))
	assert.Equal(t, "LOUD\n", f.Read("s.up"))
	assert.NoDirExists(t, filepath.Join(f.Dir, "added"))
	after := disk()
	f.Git("gc", "--quiet", "--prune=now")
	for range 2 {
		_, err = planning.Of(a).Undo(ctx)
		require.NoError(t, err)
		assert.Equal(t, before, disk(), "byte for byte")
		_, err = planning.Of(a).Redo(ctx)
		require.NoError(t, err)
		assert.Equal(t, after, disk())
	}
	f.Write("a", "somebody's work\n")
	stepped, err := planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"a"}, stepped.Left, "what somebody wrote since stays")
	assert.Equal(t, "somebody's work\n", f.Read("a"))
	before["a"], before["link"] = disk()["a"], disk()["link"] // which leads there
	assert.Contains(t, before["link"], "L")
	for name, state := range disk() {
		assert.True(t, before[name] == state, "%s comes back", name)
	}
	f.Git("fsck", "--strict")
}

func TestDiscardOfLinesKeepsTheRest(t *testing.T) {
	f := opened.Feature(t)
	f.Write("a", "1\nDEBUG\n2\n3\n4\nkept\n")
	f.Git("add", "a")
	f.Write("a", "1\nDEBUG\n2\nDEBUG 2\n3\n4\nkept\nloose\n")
	a := opened.App(t, f.Dir)
	files := loose(t, f)
	require.Len(t, files[0].Hunks, 1)
	line := tray.Selection{Hunk: files[0].Hunks[0].ID}
	for i, l := range files[0].Hunks[0].Lines {
		if string(l.Text) == "DEBUG 2\n" {
			line.Lines = map[int]bool{i: true}
		}
	}
	_, err := sorting.Of(a).Discard(ctx, sorting.TrayMove{Selected: []tray.Selection{line}, View: tray.Plain, Within: []string{"a"}})
	require.NoError(t, err)
	assert.Equal(t, "1\nDEBUG\n2\n3\n4\nkept\nloose\n", f.Read("a"))
	assert.Equal(t, "1\nDEBUG\n2\n3\n4\nkept", f.Git("show", ":a"), "what is staged stays")
	_, err = sorting.Of(a).Discard(ctx, sorting.TrayMove{Selected: tray.SelectFiles("nowhere"), View: tray.Plain})
	assert.Contains(t, opened.Refusal(t, err), "no such hunk")
	// Before any commit there is, too.
	empty := fixture.New(t)
	empty.Write("x", "1\n")
	b := opened.App(t, empty.Dir)
	_, err = sorting.Of(b).Discard(ctx, sorting.TrayMove{Selected: tray.SelectFiles("x"), View: tray.Plain})
	require.NoError(t, err)
	assert.NoFileExists(t, filepath.Join(empty.Dir, "x"))
	_, err = planning.Of(b).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "1\n", empty.Read("x"))
}
