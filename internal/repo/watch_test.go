package repo_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestWhatChangedIsTold: what another program changes is told by its topic, and no other than that.
func TestWhatChangedIsTold(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n", "deep/er/b", "1\n", ".gitignore", "*.log\nout/\n")
	require.NoError(t, os.MkdirAll(filepath.Join(f.Dir, "hollow/inside"), 0o777))
	f.Write("logs/a.log", "1\n")
	f.Write("out/a", "1\n")
	f.Git("branch", "other")
	linked := fixture.Existing(t, filepath.Join(t.TempDir(), "linked"))
	f.Git("worktree", "add", "--quiet", linked.Dir, "other")
	told, err := f.Open(t).Watch(t.Context())
	require.NoError(t, err)
	for _, test := range []struct {
		name string
		do   func()
		want repo.Topics
	}{
		{"a file", func() { f.Write("deep/er/b", "2\n") }, repo.Files},
		{"a file in an empty folder", func() { f.Write("hollow/inside/x", "1\n") }, repo.Files},
		{"a file beside ignored ones", func() { f.Write("logs/x", "1\n") }, repo.Files},
		{"an ignored folder", func() { f.Write("out/b", "1\n") }, 0},
		{"a new folder", func() { f.Write("new/c", "1\n") }, repo.Files},
		{"what is ignored", func() { f.Write(".git/info/exclude", "new\n") }, repo.Files},
		{"staging", func() { f.Git("add", "deep") }, repo.Index},
		{"a branch", func() { f.Git("branch", "fresh/one") }, repo.Refs},
		{"a branch in a new folder", func() { f.Git("branch", "fresh/two") }, repo.Refs},
		{"a switch in a linked working tree", func() { linked.Git("checkout", "--quiet", "--detach") }, repo.Refs},
		{"packing", func() { f.Git("pack-refs", "--all") }, repo.Refs},
		{"a remote's ref", func() { f.Git("update-ref", "refs/remotes/origin/main", "HEAD") }, repo.Refs},
		{"configuration", func() { f.Git("config", "bastel.check", "true") }, repo.Configuration},
		{"a merge", func() {
			require.NoError(t, os.WriteFile(filepath.Join(f.Dir, ".git/MERGE_HEAD"), []byte(f.Git("rev-parse", "HEAD")+"\n"), 0o666))
		}, repo.UnderWay},
		{"objects alone", func() { f.Git("hash-object", "-w", "a") }, 0},
	} {
		test.do()
		patience := 10 * time.Second
		if test.want == 0 {
			patience = 500 * time.Millisecond
		}
		var topics repo.Topics
		for late := time.After(patience); topics&test.want == 0; {
			select {
			case more := <-told:
				topics |= more
				if test.want == 0 {
					assert.Zero(t, topics, test.name)
				}
				continue
			case <-late:
			}
			break
		}
		assert.Equal(t, test.want, topics, test.name)
	}
}

// waitForTheClockOfFiles waits until what is written now has another time than what was written before.
func waitForTheClockOfFiles(t *testing.T, f *fixture.Repo) {
	now := func() time.Time {
		f.Write(".git/clock", "x")
		info, err := os.Stat(filepath.Join(f.Dir, ".git", "clock"))
		require.NoError(t, err)
		return info.ModTime()
	}
	before := now()
	require.Eventually(t, func() bool { return now().Sub(before) > 20*time.Millisecond }, 10*time.Second, time.Millisecond)
}

// What another program did after the first reading had begun, and before all folders were watched, is told once they are.
func TestWhatChangedBeforeTheWatchIsTold(t *testing.T) {
	t.Parallel()
	for name, test := range map[string]struct {
		do   func(f *fixture.Repo)
		want repo.Topics
	}{
		"nothing":          {func(*fixture.Repo) {}, 0},
		"one of many":      {func(f *fixture.Repo) { f.Write("many7", "changed once more\n") }, repo.Files},
		"a file":           {func(f *fixture.Repo) { f.Write("a", "other\n") }, repo.Files},
		"a changed one":    {func(f *fixture.Repo) { f.Write("b", "changed once more\n") }, repo.Files},
		"what is staged":   {func(f *fixture.Repo) { f.Git("add", "b") }, repo.Files | repo.Index},
		"a branch":         {func(f *fixture.Repo) { f.Git("branch", "fresh") }, repo.Refs},
		"a commit on HEAD": {func(f *fixture.Repo) { f.Git("commit", "--quiet", "--allow-empty", "-m", "x") }, repo.Refs},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			f := fixture.New(t)
			f.Commit("base", "a", "one\n", "b", "two\n")
			f.Write("b", "changed\n")
			for i := range 1500 { // more than are known one by one
				f.Write(fmt.Sprint("many", i), "new\n")
			}
			waitForTheClockOfFiles(t, f)
			r, ctx := f.Open(t), context.Background()
			r.BeginStatus(ctx)
			before, err := r.Status(ctx)
			require.NoError(t, err)
			require.Len(t, before, 1501)
			test.do(f)
			told, err := r.Watch(ctx)
			require.NoError(t, err)
			var topics repo.Topics
			select {
			case topics = <-told:
			case <-time.After(map[bool]time.Duration{true: time.Second, false: 10 * time.Second}[test.want == 0]):
			}
			assert.Equal(t, test.want, topics&(repo.Refs|repo.Files|repo.Index))
		})
	}
}

// A status that was begun early says what one says that was asked for later, whatever happens to the index and HEAD in between.
func TestStatusBegunEarly(t *testing.T) {
	t.Parallel()
	f := fixture.New(t)
	f.Commit("base", "a", "one\n", "b", "two\n")
	r, ctx := f.Open(t), context.Background()
	f.Write("a", "x\n")
	for _, do := range []func(){func() {}, func() { f.Git("add", "a") }, func() { f.Git("commit", "--quiet", "-m", "x") }} {
		r.BeginStatus(ctx)
		do()
		early, err := r.Status(ctx)
		require.NoError(t, err)
		now, err := f.Open(t).Status(ctx)
		require.NoError(t, err)
		if !assert.Equal(t, now, early) {
			return
		}
	}
}
