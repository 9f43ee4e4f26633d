package tray_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
)

var ctx = context.Background()

func list(t fixture.TB, r *repo.Repo, staged bool) []tray.File {
	changes, err := r.Status(ctx)
	require.NoError(t, err)
	show := tray.Loose
	if staged {
		show = tray.Staged
	}
	files, err := show(ctx, r, changes)
	require.NoError(t, err)
	return files
}

func carry(t fixture.TB, r *repo.Repo, side tray.Side, words ...string) {
	changes, err := r.Status(ctx)
	require.NoError(t, err)
	picks, err := side.Resolve(ctx, r, changes, words)
	require.NoError(t, err)
	_, err = side.Carry(ctx, r, picks)
	require.NoError(t, err)
}

// TestStagingInPartsAddsUp: whatever is staged first, staging the rest gives the
// working tree's content, and unstaging everything gives HEAD's.
func TestStagingInPartsAddsUp(t *testing.T) {
	f := fixture.New(t)
	r := f.Open(t)
	text := rapid.Custom(func(t *rapid.T) string {
		line := rapid.SampledFrom([]string{"a\n", "b\n", "c\r\n", "\n", "d\n", "e\n"})
		return strings.Join(rapid.SliceOfN(line, 0, 30).Draw(t, "lines"), "") + rapid.SampledFrom([]string{"", "end"}).Draw(t, "end")
	})
	rapid.Check(t, func(t *rapid.T) {
		f.Commit("state", "x", text.Draw(t, "head"), "y", text.Draw(t, "head y"))
		head := f.Git("rev-parse", "HEAD^{tree}")
		f.Write("x", text.Draw(t, "work"))
		f.Write("y", text.Draw(t, "work y"))
		var some []string
		for _, file := range list(t, r, false) {
			for _, h := range file.Hunks {
				var lines []string
				for i, line := range h.Lines {
					if line.Op != ' ' && rapid.Bool().Draw(t, "line") {
						lines = append(lines, fmt.Sprint(i+1))
					}
				}
				if len(lines) > 0 {
					some = append(some, h.ID+":"+strings.Join(lines, ","))
				}
			}
		}
		if len(some) > 0 {
			carry(t, r, tray.LooseSide, some...)
		}
		if rest := tray.IDs(list(t, r, false)); len(rest) > 0 {
			carry(t, r, tray.LooseSide, rest...)
		}
		require.Empty(t, f.Git("diff", "--name-only"), "the index holds what the tree holds")
		if staged := tray.IDs(list(t, r, true)); len(staged) > 0 {
			carry(t, r, tray.StagedSide, staged...)
		}
		require.Equal(t, head, f.Git("write-tree"), "the index holds what HEAD holds")
	})
}

func TestIDsLast(t *testing.T) {
	f := fixture.New(t)
	var text string
	for i := range 30 {
		text += fmt.Sprintln(i)
	}
	f.Commit("base", "a", text)
	f.Write("a", "first\n"+text+"last\n")
	r := f.Open(t)
	before := list(t, r, false)[0].Hunks
	require.Len(t, before, 2)
	carry(t, r, tray.LooseSide, before[0].ID)
	after := list(t, r, false)[0].Hunks
	require.Len(t, after, 1)
	assert.Equal(t, before[1].ID, after[0].ID, "staging a neighbour keeps the id")
	f.Write("a", "more\n"+f.Read("a"))
	moved := list(t, r, false)[0].Hunks
	assert.Equal(t, before[1].ID, moved[1].ID, "and so does moving down")
	same := strings.Repeat("-\n", 8)
	f.Commit("alike", "b", same+same+same)
	f.Write("b", same+"x\n"+same+"x\n"+same)
	alike := list(t, r, false)
	twins := alike[len(alike)-1].Hunks
	require.Len(t, twins, 2)
	assert.NotEqual(t, twins[0].ID, twins[1].ID, "hunks that are alike have ids of their own")
}

func TestKinds(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "text", "a\n", "gone", "x\n", "bin", "\x00", "run", "x\n", "to-link", "x\n", "dir", "x\n")
	f.Write("text", "b\n")
	f.Write("bin", "\x00\x01")
	f.Write("new", "n\n")
	for _, name := range []string{"gone", "to-link", "dir"} {
		require.NoError(t, os.Remove(filepath.Join(f.Dir, name)))
	}
	require.NoError(t, os.Chmod(filepath.Join(f.Dir, "run"), 0o755))
	require.NoError(t, os.Symlink("text", filepath.Join(f.Dir, "to-link")))
	f.Write("dir/inside", "x\n")
	f.Write("big", strings.Repeat("a long line\n", repo.LargeFile/12+1))
	r := f.Open(t)
	kinds := map[string]tray.Kind{}
	files := list(t, r, false)
	for _, file := range files {
		require.Len(t, file.Hunks, 1, file.Path)
		kinds[file.Path] = file.Hunks[0].Kind
	}
	assert.Equal(t, map[string]tray.Kind{"text": tray.Text, "gone": tray.Deleted, "bin": tray.Binary, "new": tray.New,
		"run": tray.ModeOnly, "to-link": tray.Type, "dir": tray.Deleted, "dir/inside": tray.New, "big": tray.Large}, kinds)
	carry(t, r, tray.LooseSide, tray.IDs(files)...)
	assert.Empty(t, f.Git("diff", "--name-only"))
	assert.Empty(t, f.Git("ls-files", "--others"))
	carry(t, r, tray.StagedSide, tray.IDs(list(t, r, true))...)
	assert.Empty(t, f.Git("diff", "--cached", "--name-only"))
}

func TestModeAndContentGoApart(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n", "bin", "\x00")
	for _, name := range []string{"a", "bin"} {
		require.NoError(t, os.Chmod(filepath.Join(f.Dir, name), 0o755))
	}
	f.Write("a", "2\n")
	f.Write("bin", "\x00\x01")
	r := f.Open(t)
	for _, file := range list(t, r, false) {
		require.Len(t, file.Hunks, 2)
		carry(t, r, tray.LooseSide, file.Hunks[0].ID) // the mode
	}
	assert.Contains(t, f.Git("ls-files", "-s", "a"), "100755 "+f.Git("rev-parse", "HEAD:a"))
	assert.Contains(t, f.Git("ls-files", "-s", "bin"), "100755 "+f.Git("rev-parse", "HEAD:bin"))
	carry(t, r, tray.LooseSide, tray.IDs(list(t, r, false))...)
	for _, file := range list(t, r, true) {
		carry(t, r, tray.StagedSide, file.Hunks[0].ID)
	}
	assert.Contains(t, f.Git("ls-files", "-s", "a"), "100644 "+f.Git("hash-object", "a"), "the content stays staged without its mode")
}

func TestAConflictIsNotForSorting(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Git("switch", "--quiet", "-c", "other")
	f.Commit("other", "a", "2\n")
	f.Git("switch", "--quiet", "main")
	f.Commit("main", "a", "3\n")
	_, err := f.Run("merge", "other")
	require.Error(t, err)
	r := f.Open(t)
	changes, err := r.Status(ctx)
	require.NoError(t, err)
	_, err = tray.LooseSide.Resolve(ctx, r, changes, []string{"a"})
	assert.ErrorIs(t, err, tray.ErrBlocked)
}

func TestAutocrlfAndIntentToAdd(t *testing.T) {
	f := fixture.New(t)
	f.Git("config", "core.autocrlf", "true")
	f.Commit("base", "a", "1\r\n2\r\n")
	f.Write("a", "1\r\n2\r\n3\r\n")
	f.Write("noted", "x\r\ny\r\n")
	f.Git("add", "--intent-to-add", "noted")
	r := f.Open(t)
	files := list(t, r, false)
	require.Len(t, files, 2)
	assert.Equal(t, "3\n", string(files[0].Hunks[0].Lines[2].Text), "as the repository stores it")
	assert.Equal(t, tray.New, files[1].Hunks[0].Kind)
	carry(t, r, tray.LooseSide, files[1].Hunks[0].ID+":1", files[0].Hunks[0].ID)
	assert.Equal(t, "x", f.Git("show", ":noted"))
	assert.Equal(t, "1\n2\n3", f.Git("show", ":a"))
}

func TestAFileThatCannotBeReadIsShown(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n", "b", "1\n")
	f.Write("a", "2\n")
	f.Write("b", "2\n")
	r := f.Open(t)
	changes, err := r.Status(ctx)
	require.NoError(t, err)
	// A link in place of a folder of the path: reading through it is refused, as
	// reading without permission would be, for the superuser too.
	changes[0].Path = "link/a"
	require.NoError(t, os.Symlink(t.TempDir(), filepath.Join(f.Dir, "link")))
	files, err := tray.Loose(ctx, r, changes)
	require.NoError(t, err, "one file does not hide the others")
	assert.Equal(t, []tray.Kind{tray.Blocked, tray.Text}, []tray.Kind{files[0].Hunks[0].Kind, files[1].Hunks[0].Kind})
	_, err = tray.LooseSide.Resolve(ctx, r, changes, []string{"link/a"})
	assert.ErrorIs(t, err, tray.ErrBlocked)
}
