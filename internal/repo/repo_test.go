package repo_test

import (
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

var ctx = context.Background()

// oddNames are paths that tools trip over.
var oddNames = []string{"with space", "umläut/ß", "世界", "-leading", "quo\"te", "back\\slash", "new\nline", "tab\there", ":(top)x",
	"not utf\xff"}

func TestOpenFromAnywhereInside(t *testing.T) {
	f := fixture.New(t)
	f.Commit("first", "a/b/c", "x\n")
	linked := filepath.Join(t.TempDir(), "linked")
	f.Git("worktree", "add", "--quiet", linked)
	f.Git("-c", "protocol.file.allow=always", "submodule", "--quiet", "add", f.Dir, "sub")
	for dir, top := range map[string]string{
		f.Dir: f.Dir, f.Dir + "/a/b": f.Dir, linked + "/a": linked, f.Dir + "/sub/a": f.Dir + "/sub",
	} {
		r, err := repo.Open(ctx, dir)
		require.NoError(t, err)
		assert.Equal(t, top, r.Top())
		head, err := r.Head(ctx)
		require.NoError(t, err)
		assert.False(t, head.Commit.IsZero())
		require.NoError(t, r.Close())
	}
	t.Run("GIT_DIR", func(t *testing.T) {
		t.Setenv("GIT_DIR", f.Dir+"/.git")
		t.Setenv("GIT_WORK_TREE", f.Dir)
		r, err := repo.Open(ctx, t.TempDir())
		require.NoError(t, err)
		defer r.Close()
		assert.Equal(t, f.Dir, r.Top())
	})
}

func TestOpenSaysWhyNot(t *testing.T) {
	bare := fixture.At(t, filepath.Join(t.TempDir(), "bare.git"), "--bare")
	whole := fixture.New(t)
	olderGit, oldGit, broken := t.TempDir(), t.TempDir(), t.TempDir()
	require.NoError(t, os.WriteFile(olderGit+"/git", []byte("#!/bin/sh\necho git version 2.30.1\n"), 0o777))
	git, err := exec.LookPath("git")
	require.NoError(t, err)
	const script = "#!/bin/sh\ncase $1 in cat-file) exit 129;; version) echo git version %s;; *) exec %s \"$@\";; esac\n"
	require.NoError(t, os.WriteFile(oldGit+"/git", fmt.Appendf(nil, script, "2.35.9", git), 0o777))
	require.NoError(t, os.WriteFile(broken+"/git", fmt.Appendf(nil, script, "2.36.0", git), 0o777))
	for name, test := range map[string]struct {
		dir  string
		env  []string
		want error
	}{
		"nothing here":       {t.TempDir(), nil, repo.ErrNoRepository},
		"no such folder":     {t.TempDir() + "/gone", nil, repo.ErrNoRepository},
		"bare":               {bare.Dir, nil, repo.ErrBare},
		"inside the git dir": {whole.Dir + "/.git", nil, repo.ErrBare},
		"somebody else's":    {whole.Dir, []string{"GIT_TEST_ASSUME_DIFFERENT_OWNER", "1"}, repo.ErrForeignOwner},
		"old git":            {whole.Dir, []string{"PATH", oldGit}, repo.ErrGitTooOld},
		"older git":          {whole.Dir, []string{"PATH", olderGit}, repo.ErrGitTooOld},
		"its reader ends":    {whole.Dir, []string{"PATH", broken}, io.EOF},
		"no git":             {whole.Dir, []string{"PATH", t.TempDir()}, repo.ErrNoGit},
	} {
		t.Run(name, func(t *testing.T) {
			if test.env != nil {
				t.Setenv(test.env[0], test.env[1])
			}
			_, err := repo.Open(ctx, test.dir)
			assert.ErrorIs(t, err, test.want)
		})
	}
}

func TestOnlyListedCommandsRun(t *testing.T) {
	r := fixture.New(t).Open(t)
	for _, verb := range []string{"merge", "rebase", "commit", "add", "diff", "log"} {
		assert.ErrorIs(t, repo.RunForTest(r, verb), repo.ErrNotAllowed)
	}
}

func TestStatusKeepsOddNames(t *testing.T) {
	f := fixture.New(t)
	f.Commit("first", "kept", "x\n", "gone", "y\n")
	for _, name := range oddNames {
		f.Write(name, "text\n")
	}
	f.Write("kept", "changed\n")
	f.Git("rm", "--quiet", "gone")
	r := f.Open(t)
	changes, err := r.Status(ctx)
	require.NoError(t, err)
	loose := map[string]bool{}
	for _, c := range changes {
		loose[c.Path] = c.Loose
		assert.Equal(t, c.Path == "gone", c.Staged, c.Path)
	}
	for _, name := range append(oddNames, "kept") {
		assert.True(t, loose[name], "%q", name)
	}
	for _, name := range oddNames {
		one, err := r.Status(ctx, name)
		require.NoError(t, err)
		require.Len(t, one, 1, "%q is taken literally", name)
		work, err := r.ReadWorkFiles(ctx, one)
		require.NoError(t, err)
		assert.Equal(t, "text\n", string(work[0].Data))
	}
}

func TestFiltersAndLineEndsAreTheRepositorys(t *testing.T) {
	f := fixture.New(t)
	f.Write(".gitattributes", "*.txt text eol=crlf\n*.up filter=lower\n*.bin -diff\n")
	f.Git("config", "filter.lower.clean", "tr A-Z a-z")
	for name, text := range map[string]string{"a.txt": "one\r\ntwo\r\n", "b.up": "LOUD\n", "c.bin": "x\n", "d": "r\r\n"} {
		f.Write(name, text)
	}
	r := f.Open(t)
	changes, err := r.Status(ctx)
	require.NoError(t, err)
	work, err := r.ReadWorkFiles(ctx, changes)
	require.NoError(t, err)
	for i, c := range changes {
		if want, ok := map[string]string{"a.txt": "one\ntwo\n", "b.up": "loud\n", "c.bin": "x\n", "d": "r\r\n"}[c.Path]; ok {
			assert.Equal(t, want, string(work[i].Data), c.Path)
			assert.Equal(t, c.Path == "c.bin", work[i].Binary)
		}
	}
}

func TestCommitsComeBackByteForByte(t *testing.T) {
	text := rapid.StringMatching(`[ -~é\n]{0,40}`)
	line := rapid.StringMatching(`[!-~][ -~]{0,20}[!-~]`)
	rapid.Check(t, func(t *rapid.T) {
		id := fixture.ID(t, strings.Repeat("ab", 20))
		c := &repo.Commit{Tree: id, Author: line.Draw(t, "author"), Committer: line.Draw(t, "committer"), Message: text.Draw(t, "message")}
		for range rapid.IntRange(0, 2).Draw(t, "parents") {
			c.Parents = append(c.Parents, id)
		}
		for range rapid.IntRange(0, 2).Draw(t, "headers") {
			c.Extra = append(c.Extra, repo.Header{Key: "x" + rapid.StringMatching(`[a-z]{1,5}`).Draw(t, "key"),
				Value: line.Draw(t, "value") + "\n\n" + line.Draw(t, "more")})
		}
		parsed, err := repo.ParseCommit(c.Encode())
		require.NoError(t, err)
		assert.Equal(t, c, parsed)
	})
}

func TestWhatACommitSays(t *testing.T) {
	c := &repo.Commit{Author: "J\xf6rg <j@x.example> 86400 +0130", Encoding: "ISO-8859-1", Message: "\nGr\xfc\xdfe\naus Lund\n\nbody\n"}
	assert.Equal(t, "Grüße aus Lund", c.Subject())
	writer := c.Writer()
	assert.Equal(t, "Jörg", writer.Name)
	assert.Equal(t, "1970-01-02T01:30:00+01:30", writer.When.Format("2006-01-02T15:04:05-07:00"))
	require.NoError(t, c.SetMessage("Schöne Grüße\n"))
	assert.Equal(t, "Sch\xf6ne Gr\xfc\xdfe\n", c.Message, "the encoding stays where it can say the message")
	require.NoError(t, c.SetMessage("世界\n"))
	assert.Equal(t, "", c.Encoding)
	assert.Equal(t, "Jörg", c.Writer().Name, "the author is carried into the new encoding")
	for _, broken := range []string{"", "Nobody", "A <a@x> x +0000", "A <a@x> 1", "A <a@x> 99999999999999999999 +0000"} {
		assert.NotPanics(t, func() { repo.ParsePerson(broken) })
	}
}

// TestACommitIsEachReadersOwn: what one reader does with it, another one does not see.
func TestACommitIsEachReadersOwn(t *testing.T) {
	f := fixture.New(t)
	f.Commit("first", "a", "1\n")
	r, tip := f.Open(t), fixture.ID(t, f.Git("rev-parse", "HEAD"))
	for range 2 {
		commits, err := r.Commits(ctx, []repo.ID{tip, tip})
		require.NoError(t, err)
		for _, c := range commits {
			assert.Equal(t, "first", c.Subject())
			c.Message, c.Parents = "changed\n", append(c.Parents, tip)
		}
	}
	_, err := r.Commits(ctx, []repo.ID{tip, r.EmptyTree()})
	assert.ErrorIs(t, err, repo.ErrBadObject)
	_, err = r.Commits(ctx, []repo.ID{tip, fixture.ID(t, strings.Repeat("ab", 20))})
	assert.ErrorIs(t, err, repo.ErrMissingObject)
}

func TestObjectsOfBothFormats(t *testing.T) {
	for _, format := range []string{"sha1", "sha256"} {
		t.Run(format, func(t *testing.T) {
			f := fixture.New(t, "--object-format="+format)
			f.Commit("first", "dir/file", "text\n", "dir.x", "y\n", "top", "\x00\n")
			r := f.Open(t)
			o := r.NewOverlay()
			head, err := r.Head(ctx)
			require.NoError(t, err)
			c, err := r.Commit(ctx, head.Commit)
			require.NoError(t, err)
			tree, err := o.Tree(ctx, c.Tree)
			require.NoError(t, err)
			assert.Equal(t, c.Tree, r.HashObject(repo.KindTree, tree.Encode()))
			blob := o.Put(repo.KindBlob, []byte("new\n"))
			tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: "added", ID: blob})
			tree.Sort()
			next := &repo.Commit{Tree: o.PutTree(tree), Parents: []repo.ID{head.Commit}, Author: c.Author, Committer: c.Committer,
				Message: "second\n"}
			id := o.Put(repo.KindCommit, next.Encode())
			require.NoError(t, o.Flush(ctx, id))
			assert.Equal(t, "second", f.Git("log", "-1", "--format=%s", id.String()))
			assert.Equal(t, "new", f.Git("show", id.String()+":added"))
			f.Git("fsck", "--strict")
			_, err = r.Object(ctx, r.HashObject(repo.KindBlob, []byte("nowhere")))
			assert.ErrorIs(t, err, repo.ErrMissingObject)
			again, err := r.Object(ctx, blob)
			require.NoError(t, err, "the reader is still in step after a miss")
			assert.Equal(t, "new\n", string(again.Data))
		})
	}
}

func TestReadersDoNotMixUpAnswers(t *testing.T) {
	f := fixture.New(t)
	var ids []repo.ID
	for i := range 40 {
		f.Write("x", strings.Repeat("line\n", i*50))
		ids = append(ids, fixture.ID(t, f.Git("hash-object", "-w", "x")))
	}
	r := f.Open(t)
	done := make(chan error)
	for n := range 8 {
		go func() {
			for i := range ids {
				at := (i*7 + n) % len(ids)
				object, err := r.Object(ctx, ids[at])
				if err == nil && len(object.Data) != at*250 {
					err = assert.AnError
				}
				if err != nil {
					done <- err
					return
				}
			}
			done <- nil
		}()
	}
	for range 8 {
		assert.NoError(t, <-done)
	}
}

func TestRefsMoveTogetherOrNotAtAll(t *testing.T) {
	f := fixture.New(t)
	one := fixture.ID(t, f.Commit("one"))
	two := fixture.ID(t, f.Commit("two", "x", "1"))
	r := f.Open(t)
	err := r.UpdateRefs(ctx, "test", repo.RefUpdate{Ref: "refs/heads/new", New: one},
		repo.RefUpdate{Ref: "refs/heads/main", New: one, Old: one})
	assert.ErrorIs(t, err, repo.ErrMoved)
	value, err := r.RefValue(ctx, "refs/heads/new")
	require.NoError(t, err)
	assert.True(t, value.IsZero(), "the first move did not happen either")
	require.NoError(t, r.UpdateRefs(ctx, "because", repo.RefUpdate{Ref: "refs/heads/main", New: one, Old: two}))
	assert.Contains(t, f.Git("reflog", "main"), "because")
	f.Write(".git/refs/heads/main.lock", "")
	assert.ErrorIs(t, r.UpdateRefs(ctx, "test", repo.RefUpdate{Ref: "refs/heads/main", New: two, Old: one}), repo.ErrLocked)
	f.Write(".git/index.lock", "")
	assert.ErrorIs(t, r.UpdateIndex(ctx, []repo.IndexEntry{{Path: "x"}}), repo.ErrLocked)
}

func TestUnfinishedOperations(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "x", "1\n")
	f.Git("switch", "--quiet", "-c", "other")
	f.Commit("theirs", "x", "2\n")
	f.Git("switch", "--quiet", "main")
	f.Commit("ours", "x", "3\n")
	r := f.Open(t)
	_, busy := r.Unfinished()
	assert.False(t, busy)
	for verb, end := range map[string][]string{
		"merge": {"merge", "--abort"}, "rebase": {"rebase", "--abort"}, "cherry-pick": {"cherry-pick", "--abort"},
		"revert": {"revert", "--abort"},
	} {
		target := "other"
		if verb == "revert" {
			target = "HEAD~1"
		}
		_, err := f.Run(verb, target)
		require.Error(t, err, "%s stops at the conflict", verb)
		op, busy := r.Unfinished()
		assert.True(t, busy)
		assert.Equal(t, verb, op.Name)
		f.Git(end...)
	}
	f.Git("bisect", "start")
	op, _ := r.Unfinished()
	assert.Equal(t, "bisect", op.Name)
}

func TestUnsettledPaths(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "loose", "1\n", "staged", "1\n", "both", "1\n", "touched", "1\n", "clean", "1\n", "gone", "1\n", "apart", "1\n")
	for _, name := range []string{"staged", "both"} {
		f.Write(name, "2\n")
		f.Git("add", name)
	}
	for _, name := range []string{"loose", "both", "apart"} {
		f.Write(name, "3\n")
	}
	require.NoError(t, os.Remove(filepath.Join(f.Dir, "gone")))
	then := time.Now().Add(-time.Hour)
	require.NoError(t, os.Chtimes(filepath.Join(f.Dir, "touched"), then, then))
	r := f.Open(t)
	some := []string{"loose", "staged", "both", "touched", "clean", "gone"}
	want := []string{"both", "gone", "loose", "staged"}
	base := f.Git("rev-parse", "HEAD:clean")
	has := func(paths []string) (list []repo.IndexEntry) {
		for _, path := range paths {
			list = append(list, repo.IndexEntry{Path: path, Mode: repo.ModeFile, ID: fixture.ID(t, base)})
		}
		return list
	}
	look, err := r.LookAt(ctx, has(some))
	require.NoError(t, err)
	assert.Equal(t, want, look.Paths())
	look, err = r.LookAt(ctx, has(append(some, "n1", "n2", "n3", "n4")))
	require.NoError(t, err)
	assert.Equal(t, append(want[:3:3], "n1", "n2", "n3", "n4", "staged"), look.Paths(), "many paths are asked for in another way")
}

// TestTheUsersConfigurationIsAFile: where it is a device, as root would replace it, it is left alone.
func TestTheUsersConfigurationIsAFile(t *testing.T) {
	f := fixture.New(t)
	r, err := repo.Open(t.Context(), f.Dir)
	require.NoError(t, err)
	defer r.Close()
	before, err := os.Stat(os.DevNull)
	require.NoError(t, err)
	require.ErrorIs(t, r.SetOwnConfig(t.Context(), "bastel.background", "dark"), repo.ErrNoConfigFile)
	after, err := os.Stat(os.DevNull)
	require.NoError(t, err)
	require.Equal(t, before.Mode(), after.Mode())
	file := filepath.Join(t.TempDir(), "config")
	t.Setenv("GIT_CONFIG_GLOBAL", file)
	require.NoError(t, r.SetOwnConfig(t.Context(), "bastel.background", "dark"))
	require.FileExists(t, file)
}

// TestTruthsOfTheConfiguration are what the repository's own command makes of them; what is none is taken otherwise.
func TestTruthsOfTheConfiguration(t *testing.T) {
	f := fixture.New(t)
	for _, value := range []string{"true", "Yes", "ON", "1", "2", "-1", "0", "00", "no", "Off", "FALSE", "input", "copies", "hook.sh", "y"} {
		said, err := f.Run("-c", "core.fileMode="+value, "config", "--type=bool", "core.fileMode")
		for _, otherwise := range []bool{true, false} {
			want := otherwise
			if err == nil {
				want = said == "true"
			}
			assert.Equal(t, want, repo.Truth(value, otherwise), value)
		}
	}
}
