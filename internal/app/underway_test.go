package app_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// begun are operations that stop in a conflict, begun by the repository's own commands, and the command that gives each up.
var begun = map[string]struct{ begin, abort []string }{
	"merge":               {[]string{"merge", "main"}, []string{"merge", "--abort"}},
	"merge, put away":     {[]string{"-c", "merge.autoStash=true", "merge", "main"}, []string{"merge", "--abort"}},
	"rebase":              {[]string{"rebase", "main"}, []string{"rebase", "--abort"}},
	"rebase, put away":    {[]string{"-c", "rebase.autoStash=true", "rebase", "main"}, []string{"rebase", "--abort"}},
	"rebase, nowhere":     {[]string{"rebase", "main", "topic^0"}, []string{"rebase", "--abort"}},
	"cherry-pick":         {[]string{"cherry-pick", "main"}, []string{"cherry-pick", "--abort"}},
	"cherry-pick, two":    {[]string{"cherry-pick", "other", "main"}, []string{"cherry-pick", "--abort"}},
	"revert":              {[]string{"revert", "--no-edit", "HEAD~2"}, []string{"revert", "--abort"}},
	"pick without commit": {[]string{"cherry-pick", "--no-commit", "main"}, []string{"reset", "--merge"}},
}

// quarrel is a branch whose commits meet those of main, with an untracked file, and a loose one where the operation takes that.
func quarrel(t *testing.T, name string) *fixture.Repo {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n2\n3\n", "b", "b\n", "gone", "x\n", "loose", "l\n")
	f.Git("switch", "--quiet", "-c", "other")
	f.Commit("Other", "other", "o\n")
	f.Git("switch", "--quiet", "-c", "topic", "main")
	f.Commit("One", "a", "one\n2\n3\n")
	f.Commit("Two", "b", "bee\n")
	f.Commit("Three", "a", "uno\n2\n3\n", "new", "n\n")
	f.Git("switch", "--quiet", "main")
	f.Git("rm", "--quiet", "gone")
	f.Commit("Main", "a", "eins\n2\n3\n", "from", "main\n")
	f.Git("switch", "--quiet", "topic")
	f.Write("untracked", "u\n")
	if !strings.HasPrefix(name, "rebase") || strings.Contains(name, "put away") {
		f.Write("loose", "changed\n")
	}
	return f
}

// lies is all that an operation can change: HEAD, refs, index, files, and what is kept of what is under way.
func lies(t *testing.T, f *fixture.Repo) map[string]string {
	all := map[string]string{"refs": f.Git("for-each-ref", "--format=%(refname) %(objectname)", "refs/heads"),
		"index":  f.Git("ls-files", "-s"),
		"status": f.Git("status", "--porcelain"), "HEAD": f.Read(".git/HEAD")}
	require.NoError(t, filepath.WalkDir(f.Dir, func(path string, e fs.DirEntry, err error) error {
		name, _ := filepath.Rel(f.Dir, path)
		inGit := strings.HasPrefix(name, ".git/")
		kept := strings.HasPrefix(name, ".git/rebase-") || strings.HasPrefix(name, ".git/sequencer") ||
			inGit && strings.HasSuffix(name, "_HEAD") && !strings.HasSuffix(name, "ORIG_HEAD")
		if err == nil && !e.IsDir() && (!inGit || kept) {
			var data []byte
			data, err = os.ReadFile(path)
			all[name] = string(data)
		}
		return err
	}))
	return all
}

// TestGivingUp: all is then as the repository's own command leaves it, and undo brings what was under way back.
func TestGivingUp(t *testing.T) {
	for name, op := range begun {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			start := func() *fixture.Repo {
				f := quarrel(t, name)
				_, err := f.Run(op.begin...)
				require.Error(t, err, "it conflicts")
				return f
			}
			theirs, ours := start(), start()
			theirs.Git(op.abort...)
			before := lies(t, ours)
			a := opened.App(t, ours.Dir)
			if name == "pick without commit" {
				_, err := a.GiveUp(ctx)
				assert.ErrorContains(t, err, "Nothing waits here")
				return
			}
			_, err := a.GiveUp(ctx)
			require.NoError(t, err)
			after, want := lies(t, ours), lies(t, theirs)
			delete(want, ".git/REBASE_HEAD") // which some versions leave behind
			assert.Equal(t, want, after)
			undo(t, a)
			assert.Equal(t, before, lies(t, ours))
			redo(t, a)
			assert.Equal(t, after, lies(t, ours))
			ours.Git("fsck", "--strict")
		})
	}
}

// TestGivingUpRefuses where loose work would be lost, and changes nothing.
func TestGivingUpRefuses(t *testing.T) {
	f := quarrel(t, "merge")
	_, err := f.Run("merge", "main")
	require.Error(t, err)
	f.Write("from", "changed since\n")
	before := lies(t, f)
	_, err = opened.App(t, f.Dir).GiveUp(ctx)
	assert.ErrorContains(t, err, "from")
	assert.Equal(t, before, lies(t, f))
}

func undo(t *testing.T, a *app.App) {
	_, err := planning.Of(a).Undo(ctx)
	require.NoError(t, err)
}

func redo(t *testing.T, a *app.App) {
	_, err := planning.Of(a).Redo(ctx)
	require.NoError(t, err)
}
