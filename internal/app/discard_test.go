package app_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
)

// look lists the loose changes of a repository.
func loose(t *testing.T, f *fixture.Repo) []tray.File {
	t.Helper()
	a := open(t, f.Dir)
	s, err := a.Situation(ctx)
	require.NoError(t, err)
	board, err := a.Board(ctx, s.Changes, tray.Plain)
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
	a := open(t, f.Dir)
	_, err := a.Discard(ctx, app.Carry{Words: tray.IDs(loose(t, f)), View: tray.Plain})
	require.NoError(t, err)
	assert.Empty(t, f.Git("status", "--porcelain"))
	assert.Equal(t, "1\r\n2\r\n", f.Read("w.txt"))
	assert.Equal(t, "LOUD\n", f.Read("s.up"))
	assert.NoDirExists(t, filepath.Join(f.Dir, "added"))
	after := disk()
	f.Git("gc", "--quiet", "--prune=now")
	for range 2 {
		_, err = a.Undo(ctx)
		require.NoError(t, err)
		assert.Equal(t, before, disk(), "byte for byte")
		_, err = a.Redo(ctx)
		require.NoError(t, err)
		assert.Equal(t, after, disk())
	}
	f.Write("a", "somebody's work\n")
	stepped, err := a.Undo(ctx)
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
	f := branch(t)
	f.Write("a", "1\nDEBUG\n2\n3\n4\nkept\n")
	f.Git("add", "a")
	f.Write("a", "1\nDEBUG\n2\nDEBUG 2\n3\n4\nkept\nloose\n")
	a := open(t, f.Dir)
	files := loose(t, f)
	require.Len(t, files[0].Hunks, 1)
	line := ""
	for i, l := range files[0].Hunks[0].Lines {
		if string(l.Text) == "DEBUG 2\n" {
			line = files[0].Hunks[0].ID + ":" + string(rune('1'+i))
		}
	}
	_, err := a.Discard(ctx, app.Carry{Words: []string{line}, View: tray.Plain, Within: []string{"a"}})
	require.NoError(t, err)
	assert.Equal(t, "1\nDEBUG\n2\n3\n4\nkept\nloose\n", f.Read("a"))
	assert.Equal(t, "1\nDEBUG\n2\n3\n4\nkept", f.Git("show", ":a"), "what is staged stays")
	_, err = a.Discard(ctx, app.Carry{Words: []string{"nowhere"}, View: tray.Plain})
	assert.Contains(t, refusal(t, err), "no such hunk")
	// Before any commit there is, too.
	empty := fixture.New(t)
	empty.Write("x", "1\n")
	b := open(t, empty.Dir)
	_, err = b.Discard(ctx, app.Carry{Words: []string{"x"}, View: tray.Plain})
	require.NoError(t, err)
	assert.NoFileExists(t, filepath.Join(empty.Dir, "x"))
	_, err = b.Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "1\n", empty.Read("x"))
}
