package tray_test

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
)

var ctx = context.Background()

// desk is a repository with its changes sorted, as the use cases would do it.
type desk struct {
	*fixture.Repo
	repo *repo.Repo
}

func newDesk(t testing.TB) desk {
	f := fixture.New(t)
	return desk{f, f.Open(t)}
}

func (d desk) look(t fixture.TB) ([]repo.Change, *tray.State) {
	changes, err := d.repo.Status(ctx)
	require.NoError(t, err)
	kept, err := tray.LoadKept(ctx, d.repo)
	require.NoError(t, err)
	return changes, kept
}

func (d desk) listing(t fixture.TB) tray.Listing {
	changes, kept := d.look(t)
	listing, err := tray.Read(ctx, d.repo, changes, kept, tray.Plain)
	require.NoError(t, err)
	return listing
}

func (d desk) list(t fixture.TB, at tray.Layer) []tray.File { return d.listing(t).Files(at) }

// keep carries an outcome out.
func (d desk) keep(t fixture.TB, out tray.Outcome, err error) {
	require.NoError(t, err)
	if len(out.Index) > 0 {
		require.NoError(t, d.repo.UpdateIndex(ctx, out.Index))
	}
	id, err := out.Kept.Store(ctx, d.repo)
	require.NoError(t, err)
	if update, moved := out.Kept.Update(d.repo, id); moved {
		require.NoError(t, d.repo.UpdateRefs(ctx, "trays", update))
	}
}

func (d desk) move(t fixture.TB, from, to tray.Layer, words ...string) {
	changes, kept := d.look(t)
	out, err := tray.Move(ctx, d.repo, changes, kept, tray.Plain, from, to, selection(t, words...))
	d.keep(t, out, err)
}

// selection reads paths, ids of hunks, and lines of them after a colon.
func selection(t require.TestingT, words ...string) (list []tray.Selection) {
	for _, word := range words {
		one, err := selected(word)
		require.NoError(t, err)
		list = append(list, one...)
	}
	return list
}

func selected(word string) ([]tray.Selection, error) {
	id, lines, _ := strings.Cut(word, ":")
	return tray.ParseSelections([]string{id}, lines)
}

// some picks lines of hunks at random.
func some(t *rapid.T, files []tray.File) (words []string) {
	for _, file := range files {
		for _, h := range file.Hunks {
			var lines []string
			for i, line := range h.Lines {
				if line.Op != ' ' && rapid.Bool().Draw(t, "line") {
					lines = append(lines, fmt.Sprint(i+1))
				}
			}
			if len(lines) > 0 {
				words = append(words, h.ID+":"+strings.Join(lines, ","))
			}
		}
	}
	return words
}

// texts draws texts over few different lines, so that they share many.
var texts = rapid.Custom(func(t *rapid.T) string {
	line := rapid.SampledFrom([]string{"a\n", "b\n", "c\r\n", "\n", "d\n", "e\n"})
	return strings.Join(rapid.SliceOfN(line, 0, 30).Draw(t, "lines"), "") + rapid.SampledFrom([]string{"", "end"}).Draw(t, "end")
})

// TestStagingInPartsAddsUp: whatever is staged first, staging the rest gives the
// working tree's content, and unstaging everything gives HEAD's.
func TestStagingInPartsAddsUp(t *testing.T) {
	fixture.FewerChecks(t, "25")
	d := newDesk(t)
	rapid.Check(t, func(t *rapid.T) {
		d.Commit("state", "x", texts.Draw(t, "head"), "y", texts.Draw(t, "head y"))
		head := d.Git("rev-parse", "HEAD^{tree}")
		d.Write("x", texts.Draw(t, "work"))
		d.Write("y", texts.Draw(t, "work y"))
		if picked := some(t, d.list(t, tray.Loose)); len(picked) > 0 {
			d.move(t, tray.Loose, tray.A, picked...)
		}
		if rest := tray.IDs(d.list(t, tray.Loose)); len(rest) > 0 {
			d.move(t, tray.Loose, tray.A, rest...)
		}
		require.Empty(t, d.Git("diff", "--name-only"), "the index holds what the tree holds")
		if staged := tray.IDs(d.list(t, tray.A)); len(staged) > 0 {
			d.move(t, tray.A, tray.Loose, staged...)
		}
		require.Equal(t, head, d.Git("write-tree"), "the index holds what HEAD holds")
	})
}

// patched carries hunks out on a text, naively. Line ends are left aside: the last
// line of a text may get one when others follow.
func patched(t *rapid.T, old []string, hunks []tray.Hunk) []string {
	var out []string
	at := 0
	for _, h := range hunks {
		if !h.HasLines() {
			continue
		}
		out = append(out, old[at:h.OldStart]...)
		at = h.OldStart
		for _, line := range h.Lines {
			text := strings.TrimRight(string(line.Text), "\r\n")
			if line.Op != '+' {
				require.Equal(t, old[at], text)
				at++
			}
			if line.Op != '-' {
				out = append(out, text)
			}
		}
	}
	return append(out, old[at:]...)
}

// linesIn gives a file of a tree, without line ends.
func linesIn(t *rapid.T, overlay *repo.Overlay, tree repo.ID, path string) []string {
	e, err := overlay.Find(ctx, tree, path)
	require.NoError(t, err)
	data, err := overlay.Blob(ctx, e.ID)
	require.NoError(t, err)
	var lines []string
	for line := range strings.Lines(string(data)) {
		lines = append(lines, strings.TrimRight(line, "\r\n"))
	}
	return lines
}

// TestThreeTraysAddUp: lines go at random into three trays and from tray to tray;
// each commit then changes exactly the lines of its tray, and together with what
// stayed loose they are the working tree, byte for byte.
func TestThreeTraysAddUp(t *testing.T) {
	fixture.FewerChecks(t, "25")
	d := newDesk(t)
	const B, C = tray.A + 1, tray.A + 2
	rapid.Check(t, func(t *rapid.T) {
		d.Commit("state", "x", texts.Draw(t, "head"), "y", texts.Draw(t, "head y"))
		before := d.Git("rev-parse", "HEAD^{tree}")
		d.Git("update-ref", "-d", tray.Ref(d.repo))
		d.Write("x", texts.Draw(t, "work"))
		if rapid.Bool().Draw(t, "y goes") {
			require.NoError(t, os.Remove(filepath.Join(d.Dir, "y")))
		}
		d.Write("z", texts.Draw(t, "new")+"z\n")
		layer := rapid.SampledFrom([]tray.Layer{tray.A, B, C, tray.Loose})
		for range rapid.IntRange(2, 4).Draw(t, "moves") {
			from, to := layer.Draw(t, "from"), layer.Draw(t, "to")
			words := some(t, d.list(t, from))
			if from == to || len(words) == 0 {
				continue
			}
			changes, kept := d.look(t)
			out, err := tray.Move(ctx, d.repo, changes, kept, tray.Plain, from, to, selection(t, words...))
			if errors.Is(err, tray.ErrBuildsOn) {
				continue
			}
			d.keep(t, out, err)
		}
		listing := d.listing(t)
		require.Empty(t, listing.Lost)
		changes, kept := d.look(t)
		overlay := d.repo.NewOverlay()
		head, err := repo.ParseID(before)
		require.NoError(t, err)
		trees, out, err := tray.CommitLayers(ctx, d.repo, overlay, head, changes, kept, []tray.Layer{tray.A, B, C})
		require.NoError(t, err)
		last := head
		for n, made := range trees {
			files := listing.Files(tray.A + tray.Layer(n))
			for _, file := range files {
				old := cmp.Or(file.From, file.Path)
				want := patched(t, linesIn(t, overlay, last, old), file.Hunks)
				require.Equal(t, want, linesIn(t, overlay, made, file.Path), "tray %s, %s", tray.A+tray.Layer(n), file.Path)
			}
			changed, err := tray.Between(ctx, overlay, last, made)
			require.NoError(t, err)
			require.Subset(t, paths(files), paths(changed))
			last = made
			require.Equal(t, made, treeAt(t, d, head, tray.A+tray.Layer(n)))
		}
		all := treeAt(t, d, head, tray.Loose)
		// What is left, taken along, gives the working tree.
		require.NoError(t, overlay.Flush(ctx, last))
		d.Git("read-tree", last.String())
		d.keep(t, tray.Outcome{Kept: out.Kept}, nil)
		if rest := tray.IDs(d.list(t, tray.Loose)); len(rest) > 0 {
			d.move(t, tray.Loose, tray.A, rest...)
		}
		require.Empty(t, d.Git("diff", "--name-only"))
		require.Empty(t, d.Git("ls-files", "--others"))
		d.Git("add", "--all")
		require.Equal(t, d.Git("write-tree"), all.String(), "the tree of what is loose is the working tree's")
	})
}

func treeAt(t *rapid.T, d desk, head repo.ID, at tray.Layer) repo.ID {
	changes, kept := d.look(t)
	tree, err := tray.TreeAt(ctx, d.repo, d.repo.NewOverlay(), head, changes, kept, at)
	require.NoError(t, err)
	return tree
}

func paths(files []tray.File) (list []string) {
	for _, f := range files {
		list = append(list, f.Path)
	}
	return list
}

func TestIDsLast(t *testing.T) {
	f := newDesk(t)
	var text string
	for i := range 30 {
		text += fmt.Sprintln(i)
	}
	f.Commit("base", "a", text)
	f.Write("a", "first\n"+text+"last\n")
	before := f.list(t, tray.Loose)[0].Hunks
	require.Len(t, before, 2)
	f.move(t, tray.Loose, tray.A, before[0].ID)
	after := f.list(t, tray.Loose)[0].Hunks
	require.Len(t, after, 1)
	assert.Equal(t, before[1].ID, after[0].ID, "staging a neighbour keeps the id")
	f.Write("a", "more\n"+f.Read("a"))
	moved := f.list(t, tray.Loose)[0].Hunks
	assert.Equal(t, before[1].ID, moved[1].ID, "and so does moving down")
	same := strings.Repeat("-\n", 8)
	f.Commit("alike", "b", same+same+same)
	f.Write("b", same+"x\n"+same+"x\n"+same)
	alike := f.list(t, tray.Loose)
	twins := alike[len(alike)-1].Hunks
	require.Len(t, twins, 2)
	assert.NotEqual(t, twins[0].ID, twins[1].ID, "hunks that are alike have ids of their own")
}

func TestKinds(t *testing.T) {
	f := newDesk(t)
	f.Commit("base", "text", "a\n", "gone", "x\n", "bin", "\x00", "run", "x\n", "to-link", "x\n", "dir", "a folder now\n")
	f.Write("text", "b\n")
	f.Write("bin", "\x00\x01")
	f.Write("new", "n\n")
	for _, name := range []string{"gone", "to-link", "dir"} {
		require.NoError(t, os.Remove(filepath.Join(f.Dir, name)))
	}
	require.NoError(t, os.Chmod(filepath.Join(f.Dir, "run"), 0o755))
	require.NoError(t, os.Symlink("text", filepath.Join(f.Dir, "to-link")))
	f.Write("dir/inside", "inside\n")
	f.Write("big", strings.Repeat("a long line\n", repo.LargeFile/12+1))
	kinds := map[string]tray.Kind{}
	files := f.list(t, tray.Loose)
	for _, file := range files {
		require.Len(t, file.Hunks, 1, file.Path)
		kinds[file.Path] = file.Hunks[0].Kind
	}
	assert.Equal(t, map[string]tray.Kind{"text": tray.Text, "gone": tray.Deleted, "bin": tray.Binary, "new": tray.New,
		"run": tray.ModeOnly, "to-link": tray.Type, "dir": tray.Deleted, "dir/inside": tray.New, "big": tray.Large}, kinds)
	f.move(t, tray.Loose, tray.A, tray.IDs(files)...)
	assert.Empty(t, f.Git("diff", "--name-only"))
	assert.Empty(t, f.Git("ls-files", "--others"))
	f.move(t, tray.A, tray.Loose, tray.IDs(f.list(t, tray.A))...)
	assert.Empty(t, f.Git("diff", "--cached", "--name-only"))
}

func TestModeAndContentGoApart(t *testing.T) {
	f := newDesk(t)
	f.Commit("base", "a", "1\n", "bin", "\x00")
	for _, name := range []string{"a", "bin"} {
		require.NoError(t, os.Chmod(filepath.Join(f.Dir, name), 0o755))
	}
	f.Write("a", "2\n")
	f.Write("bin", "\x00\x01")
	for _, file := range f.list(t, tray.Loose) {
		require.Len(t, file.Hunks, 2)
		f.move(t, tray.Loose, tray.A, file.Hunks[0].ID) // the mode
	}
	assert.Contains(t, f.Git("ls-files", "-s", "a"), "100755 "+f.Git("rev-parse", "HEAD:a"))
	assert.Contains(t, f.Git("ls-files", "-s", "bin"), "100755 "+f.Git("rev-parse", "HEAD:bin"))
	f.move(t, tray.Loose, tray.A, tray.IDs(f.list(t, tray.Loose))...)
	for _, file := range f.list(t, tray.A) {
		f.move(t, tray.A, tray.Loose, file.Hunks[0].ID)
	}
	assert.Contains(t, f.Git("ls-files", "-s", "a"), "100644 "+f.Git("hash-object", "a"), "the content stays staged without its mode")
}

func TestAConflictIsNotForSorting(t *testing.T) {
	f := newDesk(t)
	f.Commit("base", "a", "1\n")
	f.Git("switch", "--quiet", "-c", "other")
	f.Commit("other", "a", "2\n")
	f.Git("switch", "--quiet", "main")
	f.Commit("main", "a", "3\n")
	_, err := f.Run("merge", "other")
	require.Error(t, err)
	changes, kept := f.look(t)
	_, err = tray.Move(ctx, f.repo, changes, kept, tray.Plain, tray.Loose, tray.A, tray.SelectFiles("a"))
	assert.ErrorIs(t, err, tray.ErrBlocked)
}

func TestAutocrlfAndIntentToAdd(t *testing.T) {
	f := newDesk(t)
	f.Git("config", "core.autocrlf", "true")
	f.Commit("base", "a", "1\r\n2\r\n")
	f.Write("a", "1\r\n2\r\n3\r\n")
	f.Write("noted", "x\r\ny\r\n")
	f.Git("add", "--intent-to-add", "noted")
	files := f.list(t, tray.Loose)
	require.Len(t, files, 2)
	assert.Equal(t, "3\n", string(files[0].Hunks[0].Lines[2].Text), "as the repository stores it")
	assert.Equal(t, tray.New, files[1].Hunks[0].Kind)
	f.move(t, tray.Loose, tray.A, files[1].Hunks[0].ID+":1", files[0].Hunks[0].ID)
	assert.Equal(t, "x", f.Git("show", ":noted"))
	assert.Equal(t, "1\n2\n3", f.Git("show", ":a"))
}

func TestAFileThatCannotBeReadIsShown(t *testing.T) {
	f := newDesk(t)
	f.Commit("base", "a", "1\n", "b", "1\n")
	f.Write("a", "2\n")
	f.Write("b", "2\n")
	changes, kept := f.look(t)
	// A pipe in place of the file: it is no file that could be read, for the superuser neither.
	require.NoError(t, os.Remove(filepath.Join(f.Dir, "a")))
	require.NoError(t, syscall.Mkfifo(filepath.Join(f.Dir, "a"), 0o666))
	listing, err := tray.Read(ctx, f.repo, changes, kept, tray.Plain)
	require.NoError(t, err, "one file does not hide the others")
	files := listing.Loose
	assert.Equal(t, []tray.Kind{tray.Blocked, tray.Text}, []tray.Kind{files[0].Hunks[0].Kind, files[1].Hunks[0].Kind})
	_, err = tray.Move(ctx, f.repo, changes, kept, tray.Plain, tray.Loose, tray.A, tray.SelectFiles("a"))
	assert.ErrorIs(t, err, tray.ErrBlocked)
}
