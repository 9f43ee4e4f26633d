package repo_test

import (
	"bytes"
	"encoding/hex"
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// deeds are what can happen to a file, or to the index, besides Bastel. One that is not possible after others does nothing.
var deeds = map[string]func(f *fixture.Repo, path string){
	"written":      func(f *fixture.Repo, path string) { put(f, path, "2\n") },
	"written anew": func(f *fixture.Repo, path string) { put(f, path, "1\n") },
	"staged":       func(f *fixture.Repo, path string) { put(f, path, "3\n"); _, _ = f.Run("add", "--", path) },
	"staged before": func(f *fixture.Repo, path string) {
		put(f, path, "6\n")
		ageBy(f, path, 2*time.Hour)
		_, _ = f.Run("add", "--", path)
	},
	"staged only": func(f *fixture.Repo, path string) {
		put(f, path, "4\n")
		_, _ = f.Run("add", path)
		put(f, path, "1\n")
	},
	"deleted":      func(f *fixture.Repo, path string) { _ = os.Remove(filepath.Join(f.Dir, path)) },
	"out of index": func(f *fixture.Repo, path string) { _, _ = f.Run("rm", "--quiet", "--cached", "--", path) },
	"to be added": func(f *fixture.Repo, path string) {
		_, _ = f.Run("rm", "--cached", path)
		_, _ = f.Run("add", "-N", path)
	},
	"assumed": func(f *fixture.Repo, path string) {
		_, _ = f.Run("update-index", "--assume-unchanged", path)
		put(f, path, "5\n")
	},
	"executable": func(f *fixture.Repo, path string) { _ = os.Chmod(filepath.Join(f.Dir, path), 0o755) },
	"a link now": func(f *fixture.Repo, path string) {
		at := filepath.Join(f.Dir, path)
		_ = os.Remove(at)
		_ = os.Symlink("1", at)
	},
	"in a conflict": conflict,
	"folder a link": folderBecomesLink,
	"version four":  func(f *fixture.Repo, path string) { _, _ = f.Run("update-index", "--index-version", "4") },
	"split":         func(f *fixture.Repo, path string) { _, _ = f.Run("update-index", "--split-index") },
	"sparse":        func(f *fixture.Repo, path string) { _, _ = f.Run("sparse-checkout", "set", "--no-sparse-index", "a") },
	"extended":      func(f *fixture.Repo, path string) { _, _ = f.Run("update-index", "--force-untracked-cache") },
	"touched":       age,
	"a new one":     func(f *fixture.Repo, path string) { put(f, path+".new", "1\n") },
	"ignored":       func(f *fixture.Repo, path string) { put(f, ".gitignore", "*.new\n/a/\n") },
	"renamed":       func(f *fixture.Repo, path string) { _, _ = f.Run("mv", "--", path, path+".moved") },
	"a folder now": func(f *fixture.Repo, path string) {
		_ = os.Remove(filepath.Join(f.Dir, path))
		_ = os.MkdirAll(filepath.Join(f.Dir, path), 0o777)
		put(f, path+"/in it", "1\n")
	},
	"folder a file": func(f *fixture.Repo, path string) {
		folder, _, _ := strings.Cut(path, "/")
		_ = os.RemoveAll(filepath.Join(f.Dir, folder))
		put(f, folder, "1\n")
	},
	"a repository inside": func(f *fixture.Repo, path string) { _, _ = f.Run("init", "--quiet", path+".inside") },
	"noted meanwhile":     notedMeanwhile,
	"modes not heeded":    func(f *fixture.Repo, path string) { f.Git("config", "core.fileMode", "false") },
}

// age has a file be written an hour ago.
func age(f *fixture.Repo, path string) { ageBy(f, path, time.Hour) }

func ageBy(f *fixture.Repo, path string, by time.Duration) {
	then := time.Now().Add(-by)
	_ = os.Chtimes(filepath.Join(f.Dir, path), then, then)
}

func put(f *fixture.Repo, path, text string) {
	_ = os.WriteFile(filepath.Join(f.Dir, path), []byte(text), 0o666)
}

func conflict(f *fixture.Repo, path string) {
	id := f.Git("rev-parse", "HEAD:z")
	cmd := exec.Command("git", "update-index", "-z", "--index-info")
	cmd.Dir, cmd.Stdin = f.Dir, strings.NewReader(fmt.Sprintf("0 %s 0\t%s\x00100644 %s 2\t%s\x00", id, path, id, path))
	_ = cmd.Run()
}

// folderBecomesLink has a file lie where it lay only by a link, which does not count.
func folderBecomesLink(f *fixture.Repo, path string) {
	folder := filepath.Join(f.Dir, filepath.Dir(path))
	if folder != f.Dir && os.Rename(folder, folder+".moved") == nil {
		_ = os.Symlink(folder+".moved", folder)
	}
}

// notedMeanwhile has the index note of a file, which is of its very time, what the file was before.
func notedMeanwhile(f *fixture.Repo, path string) {
	put(f, "before", "6\n")
	was, now := f.Git("hash-object", "-w", "before"), f.Git("rev-parse", "HEAD:z")
	name := filepath.Join(f.Dir, ".git", "index")
	index, _ := os.ReadFile(name)
	from, _ := hex.DecodeString(now)
	to, _ := hex.DecodeString(was)
	index = bytes.Replace(bytes.Replace(index, from, to, 1), []byte("TREE"), []byte("NONE"), 1) // its trees are others now
	_ = os.WriteFile(name, index, 0o666)
	then := time.Now().Add(-2 * time.Hour)
	_ = os.Chtimes(name, then, then)
}

// inDisorder are odd names, in an order that is not that of their folders.
var inDisorder = []string{"a0", "a b", "a.b/c", "a/b", "a/ü\n", "b/" + strings.Repeat("long/", 30) + "x", "z"}

// oldAndNew makes a repository that has files of odd names, some of them old.
func oldAndNew(t *testing.T, draw *rapid.T) *fixture.Repo {
	f := fixture.At(t, t.TempDir(), "--object-format="+rapid.SampledFrom([]string{"sha1", "sha256"}).Draw(draw, "format"))
	for _, name := range inDisorder {
		f.Write(name, "1\n")
		if rapid.Bool().Draw(draw, "old "+name) {
			age(f, name)
		}
	}
	f.Git("add", ".")
	f.Git("commit", "--quiet", "--message", "base")
	return f
}

// TestTheIndexFileTellsWhatCommandsTell: whatever happened to files and index, in both formats of ids and all versions of
// the index, what is found to be loose or staged is what the repository's own commands find.
func TestTheIndexFileTellsWhatCommandsTell(t *testing.T) {
	fixture.FewerChecks(t, "30")
	rapid.Check(t, func(draw *rapid.T) {
		f := oldAndNew(t, draw)
		blob := fixture.ID(t, f.Git("rev-parse", "HEAD:z"))
		var has []repo.IndexEntry
		for _, name := range inDisorder {
			has = append(has, repo.IndexEntry{Path: name, Mode: repo.ModeFile, ID: blob})
		}
		r := f.Open(t)
		for range rapid.IntRange(0, 4).Draw(draw, "deeds") {
			if rapid.Bool().Draw(draw, "asked before") {
				minute := time.Now().Add(-time.Minute) // of an index that was just written nothing is kept
				require.NoError(t, os.Chtimes(filepath.Join(f.Dir, ".git", "index"), minute, minute))
				_, err := r.LookAt(ctx, has)
				require.NoError(t, err)
			}
			deed := rapid.SampledFrom(slices.Sorted(maps.Keys(deeds))).Draw(draw, "deed")
			deeds[deed](f, rapid.SampledFrom(inDisorder).Draw(draw, "path"))
		}
		look, err := r.LookAt(ctx, has)
		require.NoError(t, err)
		for _, path := range inDisorder { // what is not to be looked at counts all the same: it is not to be replaced
			_, _ = f.Run("update-index", "--no-assume-unchanged", path)
		}
		_, _ = f.Run("update-index", "-q", "--refresh", "--unmerged") // which says whether something differs
		want := strings.Split(f.Git("diff-files", "-z", "--name-only")+f.Git("diff-index", "-z", "--name-only", "--cached", "HEAD"), "\x00")
		slices.Sort(want)
		want = slices.DeleteFunc(slices.Compact(want), func(path string) bool { return !slices.Contains(inDisorder, path) })
		assert.Equal(draw, want, look.Paths())
		for path, seen := range look.Seen {
			now, err := r.ReadRaw(ctx, []string{path}, false)
			require.NoError(t, err)
			assert.Equal(draw, now[0].Mode, seen.Mode, path)
		}
	})
}

// TestAStatusByIndexIsTheCommands: whatever happened to files and index, the status that is put together is what the command of
// that name says, in the same order; and where nothing is out of the ordinary it is put together.
func TestAStatusByIndexIsTheCommands(t *testing.T) {
	fixture.FewerChecks(t, "30")
	usual, all := 0, 0
	rapid.Check(t, func(draw *rapid.T) {
		f := oldAndNew(t, draw)
		r := f.Open(t)
		for range rapid.IntRange(0, 6).Draw(draw, "deeds") {
			deed := rapid.SampledFrom(slices.Sorted(maps.Keys(deeds))).Draw(draw, "deed")
			deeds[deed](f, rapid.SampledFrom(inDisorder).Draw(draw, "path"))
		}
		want, err := r.StatusByCommand(ctx)
		require.NoError(t, err)
		all++
		if got, ok := r.StatusByIndex(ctx); ok {
			usual++
			assert.Equal(draw, want, append([]repo.Change{}, got...))
		}
	})
	assert.Greater(t, usual, all/5)
}
