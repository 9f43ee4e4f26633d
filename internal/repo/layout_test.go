package repo_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

func blobIn(t *testing.T, r *repo.Repo, text string) repo.ID {
	ids, err := r.WriteBlobs(ctx, [][]byte{[]byte(text)})
	require.NoError(t, err)
	return ids[0]
}

// layOut lays out steps from how files lie now to something else.
func layOut(t *testing.T, r *repo.Repo, to []repo.RawFile) *repo.Layout {
	var paths []string
	for _, f := range to {
		paths = append(paths, f.Path)
	}
	now, err := r.ReadRaw(ctx, paths, false)
	require.NoError(t, err)
	steps := make([]repo.FileStep, len(to))
	for i := range to {
		steps[i] = repo.FileStep{Seen: now[i], To: to[i]}
	}
	l, err := r.NewLayout()
	require.NoError(t, err)
	t.Cleanup(l.Close)
	require.NoError(t, l.Add(ctx, steps, true))
	require.NoError(t, l.Keep())
	return l
}

// TestNoPathGoesThroughALink: whatever a tree or a journal says, nothing is written, read or removed through a link that stands
// above it, outside of the working tree, or in a git folder, whatever it is called there.
func TestNoPathGoesThroughALink(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n", "folder/in", "1\n")
	outside := t.TempDir()
	require.NoError(t, os.WriteFile(outside+"/there", []byte("theirs\n"), 0o666))
	for link, to := range map[string]string{"link": outside, "hooks": ".git/hooks", "inner": "folder", "up": "..", "self": "."} {
		require.NoError(t, os.Symlink(to, filepath.Join(f.Dir, link)))
	}
	f.Git("init", "--quiet", "nested")
	r := f.Open(t)
	id := blobIn(t, r, "evil\n")
	for _, path := range []string{"link/evil", "link/there", "../evil", "a/../../evil", "hooks/pre-commit", "inner/in", "inner/new", "up/evil",
		"self/a", "self/self/new", ".git/hooks/pre-commit", ".GIT/hooks/x", ".git./x", ".git /x", "git~1/x", "GIT~1/x", ".g\u200cit/x",
		".git::$INDEX_ALLOCATION/x", "nested/.git/hooks/x", "a\\.git\\x/y", ".git", "folder/.Git", "/etc/passwd", "folder//in", "", "a/b"} {
		raw, err := r.ReadRaw(ctx, []string{path}, true)
		if err == nil {
			assert.Equal(t, repo.ModeNone, raw[0].Mode, "%s is not read", path)
		}
		work, err := r.ReadWorkFiles(ctx, []repo.Change{{Path: path, IndexMode: repo.ModeFile}})
		if err == nil {
			assert.Equal(t, repo.ModeNone, work[0].Mode, "%s is not read", path)
		}
		_, err = r.StoreFile(ctx, path)
		assert.Error(t, err, "%s is not stored", path)
		assert.False(t, r.Exists(path), path)
		for _, mode := range []repo.Mode{repo.ModeFile, repo.ModeSymlink, repo.ModeNone} {
			steps := []repo.FileStep{{Seen: repo.RawFile{Path: path}, To: repo.RawFile{Path: path, Mode: mode, ID: id}}}
			if mode == repo.ModeNone {
				steps[0].Seen = repo.RawFile{Path: path, Mode: repo.ModeFile, ID: blobIn(t, r, "theirs\n")}
			}
			l, err := r.NewLayout()
			require.NoError(t, err)
			if err = l.Add(ctx, steps, true); err == nil {
				err = l.CarryOut()
			}
			assert.Error(t, err, "%s is not written", path)
			l.Close()
		}
		_, _, err = r.LayOut(ctx, []repo.IndexEntry{{Path: path, Mode: repo.ModeFile, ID: id}})
		if !repo.IsWorkPath(path) {
			assert.ErrorIs(t, err, repo.ErrGitFolder, path)
		}
	}
	assert.Equal(t, "1\n", f.Read("folder/in"))
	assert.NoFileExists(t, filepath.Join(f.Dir, "folder/new"))
	for dir, want := range map[string]int{outside: 1, filepath.Dir(f.Dir): 1} {
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		if dir == outside {
			assert.Len(t, entries, want)
		}
		for _, e := range entries {
			assert.NotContains(t, e.Name(), "evil")
		}
	}
	evil, err := filepath.Glob(filepath.Join(f.Dir, ".git/hooks/pre-commit"))
	require.NoError(t, err)
	assert.Empty(t, evil)
	for _, name := range []string{"git", ".gitignore", "x.git", "git~10", ".github", "gitx", ".gi t", "....", "ü.git", ".gitmodules"} {
		assert.True(t, repo.IsWorkPath("dir/"+name), name)
	}
}

func TestRawFilesComeBack(t *testing.T) {
	f := fixture.New(t)
	f.Write(".gitattributes", "* text eol=crlf\n")
	f.Commit("base")
	for _, name := range oddNames {
		f.Write("d/"+name, "raw\r\nand \x00 mixed\n")
	}
	require.NoError(t, os.Symlink("nowhere", filepath.Join(f.Dir, "link")))
	paths := []string{"link", "absent"}
	for _, name := range oddNames {
		paths = append(paths, "d/"+name)
	}
	r := f.Open(t)
	files, err := r.ReadRaw(ctx, paths, true)
	require.NoError(t, err)
	require.NoError(t, os.RemoveAll(filepath.Join(f.Dir, "d")))
	require.NoError(t, os.Remove(filepath.Join(f.Dir, "link")))
	f.Write("absent", "in the way\n")
	require.NoError(t, layOut(t, r, files).CarryOut())
	again, err := r.ReadRaw(ctx, paths, false)
	require.NoError(t, err)
	for i := range files {
		assert.True(t, files[i].Is(again[i]), paths[i])
		assert.Equal(t, files[i].Permissions, again[i].Permissions, paths[i])
	}
	assert.NoFileExists(t, filepath.Join(f.Dir, "absent"))
	assert.Equal(t, "raw\r\nand \x00 mixed\n", f.Read("d/"+oddNames[0]))
}

// onEachKind does something with a working tree on the file system of its git folder, and on another one.
func onEachKind(t *testing.T, do func(t *testing.T, f *fixture.Repo)) {
	t.Run("one file system", func(t *testing.T) { do(t, fixture.New(t)) })
	t.Run("another one", func(t *testing.T) {
		other, err := os.MkdirTemp("/var/tmp", "bastel-test-")
		require.NoError(t, err)
		t.Cleanup(func() { os.RemoveAll(other) })
		f := fixture.New(t)
		f.Commit("first", "first", "1\n")
		f.Git("worktree", "add", "--quiet", "-b", "linked", filepath.Join(other, "linked"))
		do(t, fixture.Existing(t, filepath.Join(other, "linked")))
	})
}

// TestAFileIsReplacedOnlyByWhatWasSeen: permissions are kept; a save that is made meanwhile, at whatever moment, stays; what failed
// is taken back whole; and nothing is left beside the files.
func TestAFileIsReplacedOnlyByWhatWasSeen(t *testing.T) {
	onEachKind(t, func(t *testing.T, f *fixture.Repo) {
		f.Write(".gitattributes", "*.crlf text eol=crlf\n")
		f.Commit("base", "private", "1\n", "run", "#!/bin/sh\n", "w.crlf", "one\ntwo\n", "goes/away", "x\n", "z", "z\n")
		require.NoError(t, os.Chmod(filepath.Join(f.Dir, "private"), 0o600))
		r := f.Open(t)
		to := []repo.RawFile{{Path: "private", Mode: repo.ModeFile, ID: blobIn(t, r, "2\n")},
			{Path: "run", Mode: repo.ModeExecutable, ID: blobIn(t, r, "#!/bin/bash\n")},
			{Path: "w.crlf", Mode: repo.ModeFile, ID: blobIn(t, r, "three\r\n")},
			{Path: "new/link", Mode: repo.ModeSymlink, ID: blobIn(t, r, "../private")}, {Path: "goes/away"},
			{Path: "z", Mode: repo.ModeSymlink, ID: blobIn(t, r, "run")}}
		look := func() string {
			var b strings.Builder
			for _, f2 := range to {
				info, err := os.Lstat(filepath.Join(f.Dir, f2.Path))
				if err != nil {
					continue
				}
				data, _ := os.ReadFile(filepath.Join(f.Dir, f2.Path))
				fmt.Fprintln(&b, f2.Path, info.Mode(), string(data))
			}
			return b.String()
		}
		before := look()
		for _, saved := range []string{"w.crlf", "private", "new/link", "goes/away", "z"} {
			l := layOut(t, r, to)
			had, hadErr := os.ReadFile(filepath.Join(f.Dir, saved))
			f.Write(saved, "saved meanwhile\n")
			err := l.CarryOut()
			var moved *repo.FileMovedError
			require.ErrorAs(t, err, &moved, saved)
			assert.Equal(t, saved, moved.Path)
			assert.Equal(t, "saved meanwhile\n", f.Read(saved))
			_, err = l.TakeBack()
			require.NoError(t, err)
			assert.Equal(t, "saved meanwhile\n", f.Read(saved))
			require.NoError(t, os.Remove(filepath.Join(f.Dir, saved)))
			if hadErr == nil {
				require.NoError(t, os.WriteFile(filepath.Join(f.Dir, saved), had, map[bool]os.FileMode{true: 0o600, false: 0o644}[saved == "private"]))
			}
			_ = os.Remove(filepath.Join(f.Dir, "new"))
			assert.Equal(t, before, look(), saved)
			l.Close()
		}
		l := layOut(t, r, to)
		require.NoError(t, l.CarryOut())
		require.NoError(t, l.LookLate())
		assert.Empty(t, l.Late)
		after := look()
		assert.Equal(t, "three\r\n", f.Read("w.crlf"))
		assert.Equal(t, "2\n", f.Read("new/link"), "through the link")
		assert.NoDirExists(t, filepath.Join(f.Dir, "goes"))
		for name, want := range map[string]os.FileMode{"private": 0o600, "run": 0o755} {
			info, err := os.Stat(filepath.Join(f.Dir, name))
			require.NoError(t, err)
			assert.Equal(t, want, info.Mode().Perm(), name)
		}
		// A crash: what is done is found out by how it lies, and goes either way.
		for range 2 {
			l.Leave()
			l = reopened(t, r, l)
			changed, err := l.TakeBack()
			require.NoError(t, err)
			assert.Empty(t, changed)
			assert.Equal(t, before, look())
			l.Leave()
			l = reopened(t, r, l)
			changed, err = l.Resume()
			require.NoError(t, err)
			assert.Empty(t, changed)
			assert.Equal(t, after, look())
		}
		l.Close()
		left, err := filepath.Glob(filepath.Join(f.Dir, ".bastel*"))
		require.NoError(t, err)
		assert.Empty(t, left)
	})
}

func reopened(t *testing.T, r *repo.Repo, l *repo.Layout) *repo.Layout {
	again, err := r.OpenLayout(l.Name())
	require.NoError(t, err)
	t.Cleanup(again.Close)
	return again
}

// TestASaveIntoAnOpenFileIsFound: who opened a file before it was replaced, and writes into it after that, finds it at its place.
func TestASaveIntoAnOpenFileIsFound(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	r := f.Open(t)
	editor, err := os.OpenFile(filepath.Join(f.Dir, "a"), os.O_WRONLY, 0)
	require.NoError(t, err)
	l := layOut(t, r, []repo.RawFile{{Path: "a", Mode: repo.ModeFile, ID: blobIn(t, r, "2\n")}})
	require.NoError(t, l.CarryOut())
	_, err = editor.WriteString("saved late\n")
	require.NoError(t, err)
	require.NoError(t, editor.Close())
	require.NoError(t, l.LookLate())
	assert.Equal(t, []string{"a"}, l.Late)
	assert.Equal(t, "saved late\n", f.Read("a"))
}
