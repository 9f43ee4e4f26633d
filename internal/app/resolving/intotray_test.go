package resolving_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app/planning"
	"bastel/internal/app/resolving"
	"bastel/internal/app/sorting"
	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestTakingIntoATrayKeepsTheRest: files come as they do loosely, in the tray is what they bring, and what was loose, staged or in
// other trays of the same files stays there; undo, or a refusal, leaves everything as it was.
func TestTakingIntoATrayKeepsTheRest(t *testing.T) {
	fixture.FewerChecks(t, "15")
	rapid.Check(t, func(r *rapid.T) {
		f := fixture.New(t)
		text := func(name string) string {
			lines := make([]string, 40)
			for i := range lines {
				lines[i] = fmt.Sprint("line ", i, "\n")
			}
			from := map[string]int{"base": 30, "there": 18}[name] // others are mostly somewhere else
			for range rapid.IntRange(0, 3).Draw(r, name) {
				lines[from+rapid.IntRange(0, 19-from/3).Draw(r, "at")] = rapid.SampledFrom([]string{"", name + "\n", name + "\nmore\n"}).Draw(r, "to")
			}
			return strings.Join(lines, "")
		}
		paths := []string{"a", "b", "c"}
		change := func(name string) {
			for _, path := range paths {
				switch rapid.IntRange(0, 20).Draw(r, name+" "+path) {
				default:
					f.Write(path, text(name))
				case 1, 2, 3, 4:
				case 5:
					require.NoError(r, os.RemoveAll(filepath.Join(f.Dir, path)))
				case 6:
					f.Write(path, text(name))
					require.NoError(r, os.Chmod(filepath.Join(f.Dir, path), 0o755))
				case 7:
					f.Write(path, "\x00"+name)
				}
			}
		}
		whole := text("base")
		for _, path := range paths[:2] {
			f.Write(path, whole)
		}
		f.Git("add", "--all")
		f.Git("commit", "--quiet", "--message", "base")
		change("there")
		f.Git("add", "--all")
		f.Git("commit", "--quiet", "--allow-empty", "--message", "there")
		source := fixture.ID(t, f.Git("rev-parse", "HEAD"))
		f.Git("reset", "--quiet", "--hard", "HEAD~1")
		change("staged")
		f.Git("add", "--all")
		change("loose")

		a := opened.App(t, f.Dir)
		sorter := sorting.Of(a)
		if selected := anyLoose(t, r, sorter); len(selected) > 0 {
			_, err := sorter.Move(t.Context(), sorting.TrayMove{From: tray.Loose, To: tray.A + 1, Selected: selected, View: tray.Plain})
			require.NoError(r, err)
		}
		into := rapid.SampledFrom([]tray.Layer{tray.A, tray.A + 1, tray.A + 2}).Draw(r, "into")
		taker := resolving.Of(a)
		_, waiting, err := taker.Take(t.Context(), []repo.ID{source}, tray.Loose, false)
		if err != nil || waiting != nil { // nothing comes, or it has to be answered first
			return
		}
		want := files(f, paths)
		_, err = planning.Of(a).Undo(t.Context())
		require.NoError(r, err)
		before, sorted := files(f, paths)+f.Git("ls-files", "--stage"), linesBy(t, r, sorter)
		_, waiting, err = taker.Take(t.Context(), []repo.ID{source}, into, false)
		require.Nil(r, waiting)
		if err != nil {
			require.NotEmpty(r, opened.Refusal(t, err))
		} else {
			require.Equal(r, want, files(f, paths))
			now := linesBy(t, r, sorter)
			for _, l := range []tray.Layer{tray.A, tray.A + 1, tray.A + 2, tray.Loose} {
				if l != into {
					require.Equal(r, sorted[l], now[l], "%v", l)
				}
			}
			_, err = planning.Of(a).Undo(t.Context())
			require.NoError(r, err)
		}
		require.Equal(r, before, files(f, paths)+f.Git("ls-files", "--stage"))
		require.Equal(r, sorted, linesBy(t, r, sorter))
		f.Git("fsck", "--strict")
	})
}

// anyLoose draws some hunks of the loose changes.
func anyLoose(t *testing.T, r *rapid.T, sorter *sorting.App) (selected []tray.Selection) {
	listing, err := sorter.Look(t.Context())
	require.NoError(r, err)
	for _, id := range tray.IDs(listing.Files(tray.Loose)) {
		if rapid.Bool().Draw(r, "into B") {
			selected = append(selected, tray.Select(id)...)
		}
	}
	return selected
}

// linesBy are the lines that each layer brings and takes away, and what else it changes.
func linesBy(t *testing.T, r *rapid.T, sorter *sorting.App) map[tray.Layer][]string {
	listing, err := sorter.Look(t.Context())
	require.NoError(r, err)
	require.Empty(r, listing.Lost)
	by := map[tray.Layer][]string{}
	for _, l := range []tray.Layer{tray.A, tray.A + 1, tray.A + 2, tray.Loose} {
		for _, file := range listing.Files(l) {
			for _, h := range file.Hunks {
				if !h.HasLines() {
					by[l] = append(by[l], fmt.Sprint(file.Path, " ", h.Kind))
				}
				for _, line := range h.Lines {
					if line.Op != diff.Keep {
						by[l] = append(by[l], fmt.Sprintf("%s %c %s", file.Path, line.Op, line.Text))
					}
				}
			}
		}
		slices.Sort(by[l])
	}
	return by
}

func files(f *fixture.Repo, paths []string) string {
	all := ""
	for _, path := range paths {
		info, err := os.Lstat(filepath.Join(f.Dir, path))
		if err != nil {
			all += path + " is not there\n"
			continue
		}
		all += fmt.Sprintf("%s %v %q\n", path, info.Mode(), f.Read(path))
	}
	return all
}
