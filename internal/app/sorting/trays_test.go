package sorting_test

import (
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

func numbered(name string, n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "%s %d\n", name, i)
	}
	return b.String()
}

// changeKinds are what can happen to a file of twenty lines.
var changeKinds = map[string]func(f *fixture.Repo, path string){
	"edited": func(f *fixture.Repo, path string) { editTwice(f, path, path) },
	"and deleted lines": func(f *fixture.Repo, path string) {
		to := rename(f, path)
		f.Write(to, strings.Replace(f.Read(to), path+" 3\n"+path+" 4\n", "", 1))
	},
	"twice":      func(f *fixture.Repo, path string) { editTwice(f, path, path); f.Write(path, f.Read(path)+"more\n") },
	"renamed":    func(f *fixture.Repo, path string) { rename(f, path) },
	"and edited": func(f *fixture.Repo, path string) { editTwice(f, rename(f, path), path) },
	"and mode": func(f *fixture.Repo, path string) {
		_ = os.Chmod(filepath.Join(f.Dir, rename(f, path)), 0o755)
	},
	"mode": func(f *fixture.Repo, path string) {
		_ = os.Chmod(filepath.Join(f.Dir, path), 0o755)
		editTwice(f, path, path)
	},
	"a link": func(f *fixture.Repo, path string) {
		_ = os.Remove(filepath.Join(f.Dir, path))
		_ = os.Symlink("elsewhere", filepath.Join(f.Dir, path))
	},
	"renamed to a link": func(f *fixture.Repo, path string) {
		_ = os.Remove(filepath.Join(f.Dir, path))
		_ = os.Symlink("elsewhere", filepath.Join(f.Dir, path+".new"))
	},
	"deleted": func(f *fixture.Repo, path string) { _ = os.Remove(filepath.Join(f.Dir, path)) },
	"emptied": func(f *fixture.Repo, path string) { f.Write(path, "") },
	"binary":  func(f *fixture.Repo, path string) { f.Write(path, "\x00binary") },
	"a new one, and gone": func(f *fixture.Repo, path string) {
		_ = os.Remove(filepath.Join(f.Dir, path))
		f.Write("dir/"+path, "something else\n")
	},
	"as it was": func(*fixture.Repo, string) {},
}

func editTwice(f *fixture.Repo, path, name string) {
	f.Write(path, strings.NewReplacer(name+" 3\n", "three\n", name+" 15\n", "").Replace(f.Read(path)))
}

func rename(f *fixture.Repo, path string) string {
	_ = os.Rename(filepath.Join(f.Dir, path), filepath.Join(f.Dir, path+".new"))
	return path + ".new"
}

// TestTraysBecomeCommitsInAnyOrder: any kinds of change, renames with edits, modes and links too, in any trays, committed from them in
// any order, or joined to the commit before: index and HEAD say the same of what was committed, working files stay as they are,
// and undoing each gives back the very index and HEAD. In the end all of it is in commits.
func TestTraysBecomeCommitsInAnyOrder(t *testing.T) {
	fixture.FewerChecks(t, "5")
	paths := []string{"one", "two"}
	rapid.Check(t, func(draw *rapid.T) {
		f := fixture.New(t)
		var base []string
		for _, path := range paths {
			base = append(base, path, numbered(path, 20))
		}
		f.Commit("base", base...)
		f.Commit("own", "own", "own\n")
		for _, path := range paths { // mostly renames, in which most can be mixed
			changeKinds[rapid.SampledFrom(slices.Sorted(maps.Keys(changeKinds))).Draw(draw, path)](f, path)
		}
		a := opened.App(t, f.Dir)
		s := sorting.Of(a)
		working := workingFiles(f)
		layers := []tray.Layer{tray.A, tray.A + 1, tray.A + 2}
		look := func() tray.Listing {
			listing, err := s.Look(ctx)
			require.NoError(draw, err)
			return listing
		}
		for range rapid.IntRange(1, 5).Draw(draw, "moves") {
			loose := tray.IDs(look().Files(tray.Loose))
			if len(loose) == 0 {
				break
			}
			id := rapid.SampledFrom(loose).Draw(draw, "hunk")
			_, err := s.Move(ctx, sorting.TrayMove{From: tray.Loose, To: rapid.SampledFrom(layers).Draw(draw, "to"), View: tray.Plain,
				Selected: tray.Select(id)})
			refused(draw, err)
		}
		if rapid.Bool().Draw(draw, "edited once more") {
			for _, path := range paths {
				if text := textIn(f, path+".new"); strings.Contains(text, path+" 8\n") {
					f.Write(path+".new", strings.Replace(text, path+" 8\n", "eight\n", 1))
				}
			}
			working = workingFiles(f)
			for _, file := range look().Files(tray.Loose) {
				for _, h := range file.Hunks {
					_, err := s.Move(ctx, sorting.TrayMove{From: tray.Loose, To: rapid.SampledFrom(layers).Draw(draw, "to"), View: tray.Plain,
						Selected: tray.Select(h.ID), Within: []string{file.Path}})
					refused(draw, err)
				}
			}
		}
		var before []string
		for range rapid.IntRange(1, 4).Draw(draw, "commits") {
			listing := look()
			filled := slices.DeleteFunc(slices.Clone(layers), func(l tray.Layer) bool { return len(listing.Files(l)) == 0 })
			if len(filled) == 0 {
				break
			}
			from := rapid.SampledFrom(filled).Draw(draw, "from")
			then := headAndIndex(f)
			inA := filled[0] == tray.A && from != tray.A
			var err error
			if rapid.Bool().Draw(draw, "joined") {
				err = join(draw, s, from, fixture.ID(t, f.Git("rev-parse", "HEAD")))
			} else {
				_, err = s.CommitFrom(ctx, from, "from "+from.String())
			}
			if refused(draw, err) {
				assert.Equal(draw, then, headAndIndex(f), "a refusal changes nothing")
				continue
			}
			before = append(before, then)
			if !inA {
				assert.Equal(draw, f.Git("rev-parse", "HEAD^{tree}"), f.Git("write-tree"), "index and HEAD say the same")
			}
			assert.Empty(draw, look().Files(from), "the tray is empty")
			assert.Equal(draw, working, workingFiles(f))
		}
		for _, then := range slices.Backward(before) {
			_, err := planning.Of(a).Undo(ctx)
			require.NoError(draw, err)
			assert.Equal(draw, then, headAndIndex(f))
			assert.Equal(draw, working, workingFiles(f))
		}
		for range before {
			_, err := planning.Of(a).Redo(ctx)
			require.NoError(draw, err)
		}
		for _, from := range append(layers, tray.Loose) { // all that is left
			for _, path := range pathsOf(look().Files(from)) {
				if from != tray.A {
					_, err := s.Move(ctx, sorting.TrayMove{From: from, To: tray.A, View: tray.Plain, Selected: tray.SelectFiles(path)})
					refused(draw, err)
				}
			}
			_, err := s.CommitFrom(ctx, tray.A, "the rest")
			refused(draw, err)
		}
		f.Git("add", "--all")
		assert.Equal(draw, f.Git("write-tree"), f.Git("rev-parse", "HEAD^{tree}"), "all of it is in commits")
		assert.Equal(draw, working, workingFiles(f))
	})
}

// join has all hunks of a tray join a commit; not each needs to be able to.
func join(t require.TestingT, s *sorting.App, from tray.Layer, into repo.ID) error {
	homes, err := s.FindHomes(ctx, from, nil, tray.Plain)
	if err != nil {
		return err
	}
	var moves []sorting.HomeMove
	for _, h := range homes.Homes {
		moves = append(moves, sorting.HomeMove{Fixup: h.Fixup.Selection(), Home: into})
	}
	_, err = s.SendHome(ctx, from, tray.Plain, moves)
	return err
}

// refused says whether something was refused, which is not the same as failing.
func refused(t require.TestingT, err error) bool {
	var refusal *app.Refusal
	if err != nil {
		require.ErrorAs(t, err, &refusal)
	}
	return err != nil
}

func headAndIndex(f *fixture.Repo) string {
	return f.Git("rev-parse", "HEAD") + "\n" + f.Git("ls-files", "--stage")
}

func workingFiles(f *fixture.Repo) string {
	var b strings.Builder
	for path := range strings.SplitSeq(f.Git("ls-files", "--cached", "--others"), "\n") {
		if info, err := os.Lstat(filepath.Join(f.Dir, path)); err == nil && path != "" {
			fmt.Fprintln(&b, path, info.Mode(), textIn(f, path))
		}
	}
	lines := strings.Split(b.String(), "\n")
	slices.Sort(lines)
	return strings.Join(slices.Compact(lines), "\n")
}

func textIn(f *fixture.Repo, path string) string {
	data, err := os.ReadFile(filepath.Join(f.Dir, path))
	if err != nil {
		return ""
	}
	return string(data)
}

func pathsOf(files []tray.File) (paths []string) {
	for _, file := range files {
		paths = append(paths, file.Path)
	}
	return paths
}
