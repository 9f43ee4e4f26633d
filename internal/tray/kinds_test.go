package tray_test

import (
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

func lines(n int, changes ...string) string {
	var b strings.Builder
	for i := range n {
		if i < len(changes) && changes[i] != "" {
			b.WriteString(changes[i])
			continue
		}
		fmt.Fprintf(&b, "line %d\n", i)
	}
	return b.String()
}

func TestRenamesAndCopies(t *testing.T) {
	for name, test := range map[string]struct {
		before, after map[string]string // by path
		from          string            // where "new" came from
		alike         string
	}{
		"the same content": {map[string]string{"old": lines(5)}, map[string]string{"new": lines(5)}, "old", ""},
		"most lines alike": {map[string]string{"old": lines(9)}, map[string]string{"new": lines(9, "", "changed\n")}, "old", ""},
		"few lines alike": {map[string]string{"old": lines(3)}, map[string]string{"new": lines(1) + strings.Repeat("other\n", 9)},
			"", ""},
		"the same one goes first": {map[string]string{"a": lines(9), "old": lines(9, "x\n")}, map[string]string{"new": lines(9, "x\n")},
			"old", ""},
		"like a file that changed": {map[string]string{"old": lines(9)}, map[string]string{"old": lines(9, "x\n"), "new": lines(9, "y\n")},
			"", "old"},
		"empty files are all alike": {map[string]string{"old": ""}, map[string]string{"new": ""}, "", ""},
		"bytes":                     {map[string]string{"old": "\x00\x01\x02"}, map[string]string{"new": "\x00\x01\x02"}, "old", ""},
	} {
		for _, staged := range []bool{false, true} {
			t.Run(fmt.Sprint(name, " ", staged), func(t *testing.T) {
				d := newDesk(t)
				for path, text := range test.before {
					d.Write(path, text)
				}
				d.Write("kept", "k\n")
				d.Git("add", ".")
				d.Git("commit", "--quiet", "-m", "base")
				for path := range test.before {
					if _, stays := test.after[path]; !stays {
						require.NoError(t, os.Remove(filepath.Join(d.Dir, path)))
					}
				}
				for path, text := range test.after {
					d.Write(path, text)
				}
				at := tray.Loose
				if staged {
					d.Git("add", "--all")
					at = tray.A
				}
				var found *tray.File
				files := d.list(t, at)
				for i := range files {
					if files[i].Path == "new" {
						found = &files[i]
					}
				}
				require.NotNil(t, found)
				assert.Equal(t, test.from, found.From)
				if !staged {
					assert.Equal(t, test.alike != "", strings.Contains(found.Alike, " like "+test.alike) && found.Alike != "")
				}
				// All of it moves across and back, whatever it is.
				other := tray.A
				if staged {
					other = tray.Loose
				}
				d.move(t, at, other, tray.IDs(files)...)
				assert.Empty(t, d.list(t, at))
				d.move(t, other, tray.A+1, tray.IDs(d.list(t, other))...)
				assert.Empty(t, d.list(t, other))
				assert.NotEmpty(t, d.list(t, tray.A+1))
			})
		}
	}
}

// TestRenamesAreNotFollowedWhereThatIsSet: diff.renames is heard, of loose changes and of commits.
func TestRenamesAreNotFollowedWhereThatIsSet(t *testing.T) {
	for value, follows := range map[string]bool{"false": false, "copies": true} {
		d := newDesk(t)
		d.Commit("base", "old", lines(9))
		d.Git("config", "diff.renames", value)
		require.NoError(t, os.Rename(filepath.Join(d.Dir, "old"), filepath.Join(d.Dir, "new")))
		from := func(files []tray.File) string {
			for _, f := range files {
				if f.Path == "new" {
					return f.From
				}
			}
			return "it is not there"
		}
		want := map[bool]string{true: "old"}[follows]
		assert.Equal(t, want, from(d.list(t, tray.Loose)))
		d.Git("add", "--all")
		d.Git("commit", "--quiet", "-m", "rename")
		objects := d.Open(t).NewOverlay()
		tree := func(name string) repo.ID { return fixture.ID(t, d.Git("rev-parse", name+"^{tree}")) }
		files, err := tray.BetweenFollowed(t.Context(), objects, tree("HEAD~1"), tree("HEAD"))
		require.NoError(t, err)
		assert.Equal(t, want, from(files))
	}
}

// TestADeskGivesTheCommitBack: however a commit is divided, its parts lead to what it
// holds.
func TestADeskGivesTheCommitBack(t *testing.T) {
	d := newDesk(t)
	rapid.Check(t, func(t *rapid.T) {
		overlay := d.repo.NewOverlay()
		tree := func(name string) repo.ID {
			var entries []repo.IndexEntry
			for _, path := range []string{"a", "dir/b", "dir/c"} {
				switch rapid.IntRange(0, 4).Draw(t, name+path) {
				case 0: // not there
				case 1:
					entries = append(entries, repo.IndexEntry{Path: path, Mode: repo.ModeFile, ID: overlay.Put(repo.KindBlob, []byte("\x00"+name))})
				case 2:
					entries = append(entries, repo.IndexEntry{Path: path, Mode: repo.ModeSymlink, ID: overlay.Put(repo.KindBlob, []byte(name))})
				default:
					mode := rapid.SampledFrom([]repo.Mode{repo.ModeFile, repo.ModeExecutable}).Draw(t, "mode")
					entries = append(entries, repo.IndexEntry{Path: path, Mode: mode, ID: overlay.Put(repo.KindBlob, []byte(texts.Draw(t, "text")))})
				}
			}
			id, err := overlay.EditTree(ctx, repo.ID{}, entries)
			require.NoError(t, err)
			return id
		}
		old, new := tree("old"), tree("new")
		desk, err := tray.NewCommitParts(ctx, overlay, old, new)
		require.NoError(t, err)
		layer := rapid.SampledFrom([]tray.Layer{tray.A, tray.A + 1, tray.Loose})
		were := []tray.Listing{desk.Listing()} // after each step
		for range rapid.IntRange(0, 4).Draw(t, "moves") {
			from, to := layer.Draw(t, "from"), layer.Draw(t, "to")
			listing := desk.Listing()
			words := some(t, listing.Files(from))
			if rapid.Bool().Draw(t, "whole") {
				words = tray.IDs(listing.Files(from))
			}
			if from != to && len(words) > 0 {
				if desk.Move(from, to, selection(t, words...)) == nil { // what builds on another is refused, and stays
					were = append(were, desk.Listing())
				} else {
					assert.Equal(t, were[len(were)-1], desk.Listing())
				}
			}
		}
		moves := desk.Moves()
		for n := range were { // a step back, and forward again
			require.NoError(t, desk.Sort(moves[:n]))
			assert.Equal(t, were[n], desk.Listing())
		}
		trees, err := desk.Trees(ctx, overlay, old)
		require.NoError(t, err)
		last := old
		if len(trees) > 0 {
			last = trees[len(trees)-1]
		}
		assert.Equal(t, new, last)
	})
}

// TestPiecesAddUpToTheWhole: each hunk by itself onto HEAD, one after the other, is all
// of them at once.
func TestPiecesAddUpToTheWhole(t *testing.T) {
	d := newDesk(t)
	d.Commit("base", "x", lines(60), "y", lines(9))
	d.Write("x", lines(60, "", "", "two\n")+"end\n")
	d.Write("y", "first\n"+lines(9))
	require.NoError(t, os.Chmod(filepath.Join(d.Dir, "y"), 0o755))
	changes, kept := d.look(t)
	pieces, err := tray.Fixups(ctx, d.repo, changes, kept, tray.Plain, tray.Loose, nil)
	require.NoError(t, err)
	require.Len(t, pieces, 4)
	overlay := d.repo.NewOverlay()
	head, err := repo.ParseID(d.Git("rev-parse", "HEAD^{tree}"))
	require.NoError(t, err)
	for _, p := range pieces {
		alone, err := p.Onto(ctx, overlay, head)
		require.NoError(t, err)
		files, err := tray.Between(ctx, overlay, head, alone)
		require.NoError(t, err)
		require.Len(t, files, 1)
		assert.Equal(t, p.Path, files[0].Path)
		assert.Len(t, files[0].Hunks, 1, "a piece is one hunk")
	}
	groups := [][]tray.Fixup{{pieces[3], pieces[0]}, {pieces[2]}, {pieces[1]}}
	trees, out, err := tray.Join(ctx, d.repo, overlay, head, kept, groups)
	require.NoError(t, err)
	d.Git("add", "--all")
	assert.Equal(t, d.Git("write-tree"), trees[2].String())
	assert.ElementsMatch(t, []string{"x", "y"}, out.Paths)
}

func TestWordsThatMakeNoSense(t *testing.T) {
	d := newDesk(t)
	d.Commit("base", "a", lines(9), "bin", "\x00")
	d.Write("a", lines(9, "x\n"))
	d.Write("bin", "\x00\x01")
	files := d.list(t, tray.Loose)
	text, binary := files[0].Hunks[0].ID, files[1].Hunks[0].ID
	for word, want := range map[string]error{
		"nowhere": tray.ErrNoSuchHunk, text + ":99": tray.ErrBadPick, text + ":0": tray.ErrBadPick, text + ":2-1": tray.ErrBadPick,
		text + ":x": tray.ErrBadPick, text + ":4": tray.ErrBadPick, binary + ":1": tray.ErrBadPick, "zzz:1": tray.ErrBadPick,
		"": tray.ErrNoSuchHunk,
	} {
		changes, kept := d.look(t)
		list, err := selected(word)
		if err == nil {
			_, err = tray.Move(ctx, d.repo, changes, kept, tray.Plain, tray.Loose, tray.A, list)
		}
		assert.ErrorIs(t, err, want, word)
	}
	lines, err := selected(text + ":1,3-4")
	require.NoError(t, err)
	assert.Equal(t, text, lines[0].Hunk)
	assert.Equal(t, map[int]bool{0: true, 2: true, 3: true}, lines[0].Lines)
	_, err = tray.ParseSelections([]string{text, binary}, "1")
	assert.ErrorIs(t, err, tray.ErrBadPick, "lines of two")
	for letter, want := range map[string]bool{"A": true, "Z": true, "a": false, "": false, "AB": false, "1": false} {
		l, ok := tray.ParseLayer(letter)
		assert.Equal(t, want, ok)
		if ok {
			assert.Equal(t, letter, l.String())
		}
	}
}
