package app_test

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/journal"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// keptWork is a repository with a discard in the journal and a hunk in a tray, made in a
// linked working tree if linked says so.
func keptWork(t *testing.T, linked bool) (f *fixture.Repo, a *app.App, discarded, inTray string) {
	f = opened.Feature(t)
	if linked {
		dir := filepath.Join(t.TempDir(), "linked tree")
		f.Git("worktree", "add", "--quiet", "-b", "other", dir)
		f = fixture.Existing(t, dir)
	}
	a = opened.App(t, f.Dir)
	f.Write("thrown", "thrown away\n")
	discarded = f.Git("hash-object", "thrown")
	_, err := sorting.Of(a).Discard(ctx, sorting.TrayMove{Selected: tray.SelectFiles("thrown"), View: tray.Plain})
	require.NoError(t, err)
	f.Write("new", "only in a tray\n")
	_, err = sorting.Of(a).Move(ctx, sorting.TrayMove{From: tray.Loose, To: tray.A + 1, Selected: tray.SelectFiles("new"), View: tray.Plain})
	require.NoError(t, err)
	inTray = f.Git("rev-parse", tray.Ref(a.Repo))
	return f, a, discarded, inTray
}

// TestTheJournalStaysOurs: what is Bastel's own is in no list of refs and no walk over all of
// them, goes out with no mirror, and outlives maintenance from whichever working tree, also
// half a year later: the dates of these tests are long past.
func TestTheJournalStaysOurs(t *testing.T) {
	for name, linked := range map[string]bool{"main": false, "linked": true} {
		t.Run(name, func(t *testing.T) {
			f, a, discarded, inTray := keptWork(t, linked)
			mirror := fixture.At(t, filepath.Join(t.TempDir(), "mirror"), "--bare")
			f.Git("push", "--quiet", "--mirror", mirror.Dir)
			assert.NotContains(t, mirror.Git("for-each-ref"), "astel")
			assert.NotContains(t, f.Git("for-each-ref"), "astel")
			assert.NotContains(t, f.Git("log", "--all", "--format=%s %an"), "discard")
			for _, from := range strings.Split(f.Git("worktree", "list", "--porcelain"), "\n") {
				if dir, ok := strings.CutPrefix(from, "worktree "); ok {
					fixture.Existing(t, dir).Git("gc", "--quiet", "--prune=now")
					fixture.Existing(t, dir).Git("prune", "--expire=now")
				}
			}
			assert.Equal(t, "blob", f.Git("cat-file", "-t", discarded))
			assert.Equal(t, "tree", f.Git("cat-file", "-t", inTray))
			assert.Equal(t, "discard: changes of thrown", f.Git("log", "-1", "--format=%s", journal.Ref(a.Repo)), "a subject for whoever looks")
			_, err := planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			assert.Equal(t, "thrown away\n", f.Read("thrown"))
			f.Git("fsck", "--strict")
		})
	}
}

// TestForgettingIsForGood: the text is unreachable afterwards, what is left can be undone,
// and a forgetting that was cut off between its two steps is gone on with.
func TestForgettingIsForGood(t *testing.T) {
	f, a, discarded, _ := keptWork(t, false)
	f.Git("update-ref", "-d", "BASTEL_TRAYS")
	f.Write("a", "1\n")
	f.Git("add", "a")
	_, err := opened.Commit(a, "more", nil)
	require.NoError(t, err)
	n, err := a.Journal.Count(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	n, err = a.ForgetEntries(ctx, func(e journal.Entry) bool { return e.Kind == journal.Discard })
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	f.Git("gc", "--quiet", "--prune=now")
	_, err = f.Run("cat-file", "-e", discarded)
	assert.Error(t, err, "nothing holds the text any more")
	end := f.Git("rev-parse", "BASTEL_JOURNAL")
	f.Git("update-ref", "BASTEL_JOURNAL_BESIDE", end)
	f.Git("update-ref", "-d", "BASTEL_JOURNAL")
	a.Close()
	a = opened.App(t, f.Dir)
	assert.Equal(t, end, f.Git("rev-parse", "BASTEL_JOURNAL"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "three", f.Git("log", "-1", "--format=%s"))
	n, err = a.ForgetEntries(ctx, func(journal.Entry) bool { return true })
	require.NoError(t, err)
	assert.Equal(t, 2, n)
	entries, err := a.Journal.Entries(ctx)
	require.NoError(t, err)
	assert.Empty(t, entries)
	f.Git("fsck", "--strict")
}

// TestLettingAllExpire takes the journal along, as it says, and keeps nothing from going on.
func TestLettingAllExpire(t *testing.T) {
	for name, linked := range map[string]bool{"main": false, "linked": true} {
		t.Run(name, func(t *testing.T) {
			f, a, _, _ := keptWork(t, linked)
			a.Close()
			f.Git("reflog", "expire", "--all", "--expire=now", "--expire-unreachable=now")
			f.Git("gc", "--quiet", "--prune=now")
			a = opened.App(t, f.Dir)
			entries, err := a.Journal.Entries(ctx)
			require.NoError(t, err)
			assert.Empty(t, entries)
			f.Write("a", "1\n")
			_, err = sorting.Of(a).Discard(ctx, sorting.TrayMove{Selected: tray.SelectFiles("a"), View: tray.Plain})
			require.NoError(t, err)
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			assert.Equal(t, "1\n", f.Read("a"))
			n, err := a.ForgetEntries(ctx, func(journal.Entry) bool { return true })
			require.NoError(t, err)
			assert.Equal(t, 2, n)
			f.Git("fsck", "--strict")
		})
	}
}

// TestANoteOfAnyKindKeepsNothingFromOpening: a fifo, a device, a link, something huge, broken
// or newer in the note's place is named and passed over.
func TestANoteOfAnyKindKeepsNothingFromOpening(t *testing.T) {
	for name, lay := range map[string]func(file string) error{
		"fifo":   func(file string) error { return mkfifo(file) },
		"device": func(file string) error { return os.Symlink("/dev/zero", file) },
		"link":   func(file string) error { return os.Symlink("nowhere", file) },
		"folder": func(file string) error { return os.Mkdir(file, 0o777) },
		"huge":   func(file string) error { return os.WriteFile(file, make([]byte, 1<<20), 0o666) },
		"broken": func(file string) error { return os.WriteFile(file, []byte(`{"format":`), 0o666) },
		"newer":  func(file string) error { return os.WriteFile(file, []byte(`{"format":"bastel-unfinished/9"}`), 0o666) },
	} {
		t.Run(name, func(t *testing.T) {
			f := opened.Feature(t)
			require.NoError(t, os.Mkdir(filepath.Join(f.Dir, ".git", "bastel"), 0o777))
			require.NoError(t, lay(filepath.Join(f.Dir, ".git", "bastel", "unfinished.json")))
			a, said, err := app.Open(ctx, f.Dir)
			require.NoError(t, err)
			defer a.Close()
			assert.Contains(t, said, "cannot be read")
		})
	}
}

// TestOneWriter: a second Bastel waits for the first, or says who it is.
func TestOneWriter(t *testing.T) {
	f := opened.Feature(t)
	a, b := opened.App(t, f.Dir), opened.App(t, f.Dir)
	f.Write("a", "x\n")
	f.Git("add", "a")
	unlock, err := a.LockForTest(ctx)
	require.NoError(t, err)
	_, err = opened.Commit(b, "second", nil)
	assert.Contains(t, opened.Refusal(t, err), "Another Bastel is changing this working tree (process ")
	unlock()
	_, err = opened.Commit(b, "second", nil)
	assert.NoError(t, err)
}

func mkfifo(name string) error { return syscall.Mkfifo(name, 0o666) }
