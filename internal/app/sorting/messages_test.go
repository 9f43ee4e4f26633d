package sorting_test

import (
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/opened"
)

func TestAddTrailer(t *testing.T) {
	const signed = "Signed-off-by: A <a@b.example>"
	for text, want := range map[string]string{
		"Subject":                                 "Subject\n\n" + signed + "\n",
		"Subject\n\nBody.\n":                      "Subject\n\nBody.\n\n" + signed + "\n",
		"Subject\n\nReviewed-by: B <b@b>\n":       "Subject\n\nReviewed-by: B <b@b>\n" + signed + "\n",
		"Subject\n\n" + signed + "\n":             "Subject\n\n" + signed + "\n",
		"Subject\n\nNote: this is no trailer b\n": "Subject\n\nNote: this is no trailer b\n" + signed + "\n",
		"Fixes: 12\n":                             "Fixes: 12\n\n" + signed + "\n",
	} {
		assert.Equal(t, want, app.AddTrailer(text, signed), text)
	}
	assert.Equal(t, "a\nc\n", app.WithoutComments("a\n#b\nc\n", "#"))
	assert.Equal(t, "a\n;b\n", app.WithoutComments("a\n;b\n", ""))
}

func TestCleanAs(t *testing.T) {
	const text = "Subject  \n\n\n# a heading\nbody\n# ------------------------ >8 ------------------------\nbelow\n\n"
	for cleanup, want := range map[string]string{
		"":           "Subject\n\n# a heading\nbody\n# ------------------------ >8 ------------------------\nbelow\n",
		"whitespace": "Subject\n\n# a heading\nbody\n# ------------------------ >8 ------------------------\nbelow\n",
		"strip":      "Subject\n\nbody\nbelow\n",
		"scissors":   "Subject\n\n# a heading\nbody\n",
		"verbatim":   text,
	} {
		assert.Equal(t, want, app.CleanAs(cleanup, "#", text), cleanup)
	}
	f := opened.Feature(t)
	f.Git("config", "commit.cleanup", "verbatim")
	f.Write("a", "changed\n")
	f.Git("add", "a")
	made, err := opened.Commit(opened.App(t, f.Dir), "Kept  \n\n\n# as it is\n", nil)
	require.NoError(t, err)
	commit, err := f.Open(t).Commit(ctx, made.Commits[0])
	require.NoError(t, err)
	assert.Equal(t, "Kept  \n\n\n# as it is\n", commit.Message)
}

func TestJoinedMessages(t *testing.T) {
	one, two := "One\n\nWhy.\n\nFixes: 1\nSigned-off-by: A <a@x>\n", "Two\n\nSigned-off-by: A <a@x>\nFixes: 2\n"
	assert.Equal(t, []string{one, two, "One\n\nWhy.\n\nTwo\n\nFixes: 1\nSigned-off-by: A <a@x>\nFixes: 2\n"},
		app.Joined([]string{one, two, one}))
	assert.Equal(t, []string{one}, app.Joined([]string{one, one}))
	assert.Equal(t, []string{"Fixes: 1", "Signed-off-by: A <a@x>", "Fixes: 2"}, app.TrailersOf([]string{one, two}))
}

func TestWhatHelpsToWrite(t *testing.T) {
	f := opened.Feature(t)
	f.Git("config", "core.commentChar", ";")
	f.Git("config", "commit.template", "nowhere")
	f.Git("commit", "--quiet", "--allow-empty", "--author", "Mira Lund <mira@quay.example>", "-m", "four")
	w, err := opened.App(t, f.Dir).Writing(ctx)
	require.NoError(t, err)
	assert.Equal(t, ";", w.Comment)
	assert.Empty(t, w.Template, "a template that is not there counts as none")
	assert.Equal(t, "four\n", w.Earlier[0])
	assert.Equal(t, []string{"Signed-off-by: Ines Falk <ines@lanternquay.example>", "Co-authored-by: Mira Lund <mira@quay.example>"},
		w.Trailers)
}

// TestALockedIndexLeavesTheBranch: commits made from trays move the branch, and
// then the index; the next start does what is left.
func TestALockedIndexLeavesTheBranch(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	f.Write("a", "1\nnew\n2\n3\n4\n")
	_, err := sorting.Of(a).Move(ctx, sorting.TrayMove{From: tray.Loose, To: tray.A + 1, Selected: tray.SelectFiles("a"), View: tray.Plain})
	require.NoError(t, err)
	lock := filepath.Join(f.Dir, ".git", "index.lock")
	require.NoError(t, os.WriteFile(lock, nil, 0o666))
	head := f.Git("rev-parse", "HEAD")
	_, err = sorting.Of(a).CommitTrays(ctx, []sorting.Draft{{Tray: tray.A + 1, Message: "new"}})
	require.ErrorIs(t, err, repo.ErrLocked)
	assert.Equal(t, head, f.Git("rev-parse", "HEAD"), "it is before, not between")
	require.NoError(t, os.Remove(lock))
	_, err = sorting.Of(a).CommitTrays(ctx, []sorting.Draft{{Tray: tray.A + 1, Message: "new"}})
	require.NoError(t, err)
	assert.Empty(t, f.Git("status", "--porcelain"))
}

func TestCommitsAreMadeOfTraysThatStandAlone(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	f.Write("a", "1\nx\n2\n3\n4\n")
	move := func(from, to tray.Layer, words ...string) {
		t.Helper()
		_, err := sorting.Of(a).Move(ctx, sorting.TrayMove{From: from, To: to, Selected: tray.SelectFiles(words...), View: tray.Plain})
		require.NoError(t, err)
	}
	move(tray.Loose, tray.A, "a")
	f.Write("a", "1\n2\n3\n4\n")
	move(tray.Loose, tray.A+1, "a")
	_, err := sorting.Of(a).CommitTrays(ctx, []sorting.Draft{{Tray: tray.A + 1, Message: "take it away"}})
	assert.Contains(t, opened.Refusal(t, err), "take what is in tray A along")
	assert.True(t, errors.Is(err, tray.ErrBuildsOn))
	made, err := sorting.Of(a).CommitTrays(ctx, []sorting.Draft{{Tray: tray.A + 1, Message: "take it away"},
		{Tray: tray.A, Message: "bring it"}})
	require.NoError(t, err)
	assert.Len(t, made.Commits, 2)
	assert.Equal(t, "bring it\ntake it away", f.Git("log", "--reverse", "-2", "--format=%s"))
	_, err = sorting.Of(a).CommitTrays(ctx, []sorting.Draft{{Tray: tray.A + 2, Message: "nothing"}})
	assert.Contains(t, opened.Refusal(t, err), "Tray C is empty")
}

// TestASwitchInBetweenIsNoticed: a hook that goes elsewhere while a commit is made stands for
// any other program that does.
func TestASwitchInBetweenIsNoticed(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	f.Git("branch", "elsewhere")
	f.Hook("commit-msg", "git symbolic-ref HEAD refs/heads/elsewhere\n")
	f.Write("a", "new\n")
	f.Git("add", "a")
	before := f.Git("for-each-ref")
	_, err := opened.Commit(a, "mine", nil)
	assert.Contains(t, opened.Refusal(t, err), "Another commit or branch is checked out")
	assert.Equal(t, before, f.Git("for-each-ref"))
	assert.Equal(t, "M  a", f.Git("status", "--porcelain"))
}
