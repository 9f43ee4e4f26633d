package test

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/test/fixture"
)

// run runs a command and says how long it took.
func run(b *testing.B, dir string, stdin []byte, env []string, name string, args ...string) time.Duration {
	b.Helper()
	cmd := exec.Command(name, args...)
	cmd.Dir, cmd.Stdin, cmd.Env = dir, bytes.NewReader(stdin), append(os.Environ(), env...)
	var stderr bytes.Buffer
	cmd.Stderr = &stderr
	began := time.Now()
	require.NoError(b, cmd.Run(), "%s", stderr.String())
	return time.Since(began)
}

// against times what is measured and its baseline by turns, so that both meet the machine in the same state, and reports how many
// times the baseline it takes. Both run once before.
func against(b *testing.B, baseline, measured func()) {
	var times [2]time.Duration
	baseline()
	measured()
	b.ResetTimer()
	for range b.N {
		for i, do := range []func(){baseline, measured} {
			began := time.Now()
			do()
			times[i] += time.Since(began)
		}
	}
	b.ReportMetric(float64(times[1])/float64(times[0]), "x-baseline")
}

// program builds the program: what the tests run by that name is themselves, which take longer to start.
func program(b *testing.B) string {
	b.Helper()
	name := filepath.Join(b.TempDir(), "bastel")
	out, err := exec.Command("go", "build", "-o", name, "bastel/cmd/bastel").CombinedOutput()
	require.NoError(b, err, "%s", out)
	return name
}

// recorder is a git that notes which objects are asked for.
const recorder = `#!/bin/sh
if test "$1" = cat-file; then exec tee -a "$ASKED" | exec "$REAL_GIT" "$@"; fi
exec "$REAL_GIT" "$@"
`

// BenchmarkApply puts 200 commits onto a target that moved by 50, over 20,000
// files, as a whole process. The baseline reads the same objects through one
// cat-file --batch and packs the written ones with index-pack.
func BenchmarkApply(b *testing.B) {
	l := fixture.NewLarge(b, 20000, 50, 200)
	bastel, plan := program(b), filepath.Join(b.TempDir(), "plan.toml")
	text, err := exec.Command(bastel, "-C", l.Dir, "plan", "--onto", "main").Output()
	require.NoError(b, err)
	require.NoError(b, os.WriteFile(plan, text, 0o666))

	l.Git("tag", "orig")
	old := packsIn(b, l.Dir)

	// Once to know what is read and written.
	real, err := exec.LookPath("git")
	require.NoError(b, err)
	bin := b.TempDir()
	asked := filepath.Join(bin, "asked")
	require.NoError(b, os.WriteFile(filepath.Join(bin, "git"), []byte(recorder), 0o777))
	run(b, l.Dir, nil, []string{"PATH=" + bin + ":" + os.Getenv("PATH"), "REAL_GIT=" + real, "ASKED=" + asked}, bastel, "apply", plan)
	written := []byte(l.Git("rev-list", "--objects", "--no-object-names", "feature", "^main", "^orig"))
	pack, err := packOf(l.Dir, written)
	require.NoError(b, err)
	names := objectNames(b, asked)
	scratch := fixture.At(b, filepath.Join(b.TempDir(), "scratch"))
	forget := func() {
		l.Git("reset", "--quiet", "--hard", "orig")
		l.Git("update-ref", "-d", "BASTEL_JOURNAL")
		onlyOldPacks(b, l.Dir, old)
		onlyOldPacks(b, scratch.Dir, nil)
	}
	forget()
	fixture.Rest(b)
	run(b, l.Dir, nil, nil, bastel, "apply", plan) // once before, as elsewhere: what lies on the disk by now is slow to be removed
	forget()

	var ours, baseline time.Duration
	b.ResetTimer()
	for range b.N {
		ours += run(b, l.Dir, nil, nil, bastel, "apply", plan)
		forget()
		baseline += run(b, l.Dir, names, nil, "git", "cat-file", "--batch", "--buffer")
		baseline += run(b, scratch.Dir, pack, nil, "git", "index-pack", "--stdin")
	}
	b.ReportMetric(float64(ours)/float64(baseline), "x-baseline")
	b.ReportMetric(float64(ours.Milliseconds())/float64(b.N), "ms/apply")
	b.ReportMetric(float64(baseline.Milliseconds())/float64(b.N), "ms/baseline")
}

// packOf packs objects as the repository itself does, but without deltas.
func packOf(dir string, names []byte) ([]byte, error) {
	cmd := exec.Command("git", "pack-objects", "--stdout", "--window=0", "--no-reuse-object", "-q")
	cmd.Dir, cmd.Stdin = dir, bytes.NewReader(names)
	return cmd.Output()
}

func packsIn(b *testing.B, dir string) map[string]bool {
	found, err := filepath.Glob(filepath.Join(dir, ".git", "objects", "pack", "*"))
	require.NoError(b, err)
	set := map[string]bool{}
	for _, name := range found {
		set[name] = true
	}
	return set
}

func onlyOldPacks(b *testing.B, dir string, old map[string]bool) {
	for name := range packsIn(b, dir) {
		if !old[name] {
			require.NoError(b, os.Remove(name))
		}
	}
}

// objectNames gives the objects that were asked for, one on a line.
func objectNames(b *testing.B, file string) []byte {
	data, err := os.ReadFile(file)
	require.NoError(b, err)
	var names bytes.Buffer
	for line := range strings.Lines(string(data)) {
		if id, ok := strings.CutPrefix(line, "contents "); ok {
			names.WriteString(id)
		}
	}
	require.NotZero(b, names.Len())
	return names.Bytes()
}

// BenchmarkForecastEdit forecasts the same plan anew after one edit in its middle,
// against the whole forecast of a fresh engine.
func BenchmarkForecastEdit(b *testing.B) {
	app.SpendMemory()
	for _, size := range []struct{ files, commits int }{{2000, 200}, {20000, 200}, {2000, 2000}} {
		b.Run(fmt.Sprint(size.files, " files, ", size.commits, " commits"), func(b *testing.B) {
			benchmarkForecastEdit(b, size.files,
				size.commits)
		})
	}
}

func benchmarkForecastEdit(b *testing.B, files, commits int) {
	ctx := context.Background()
	l := fixture.NewLarge(b, files, 50, commits)
	a, _, err := app.Open(ctx, l.Dir)
	require.NoError(b, err)
	defer a.Close()
	plan, err := a.NewPlan(ctx, "main", "")
	require.NoError(b, err)
	onto := fixture.ID(b, l.Git("rev-parse", "main"))
	began := time.Now()
	engine := replay.New(a.Repo)
	_, err = engine.Run(ctx, plan, onto, "Ines <i@x.example> 1 +0000", nil)
	require.NoError(b, err)
	whole := time.Since(began)
	edited := plan
	b.ResetTimer()
	for i := range b.N {
		edited = edited.Move(commits/2+i%40, commits/2-1)
		_, err = engine.Run(ctx, edited, onto, "Ines <i@x.example> 1 +0000", nil)
		require.NoError(b, err)
	}
	b.ReportMetric(float64(b.Elapsed())/float64(b.N)/float64(whole), "x-whole")
	b.ReportMetric(float64(whole.Milliseconds()), "ms/whole")
	b.ReportMetric(float64(b.Elapsed())/float64(b.N)/float64(time.Second/60), "x-frame")
}

// BenchmarkDiff compares 50,000 lines with 2,000 edits; the baseline is what the
// repository's own comparison of the two files takes.
func BenchmarkDiff(b *testing.B) {
	app.SpendMemory()
	dir := b.TempDir()
	var old, new bytes.Buffer
	for i := range 50000 {
		line := fmt.Sprintf("line %d is like %d others\n", i, i%23)
		old.WriteString(line)
		if i%25 == 7 {
			line = fmt.Sprintf("edited %d\n", i)
		}
		new.WriteString(line)
	}
	require.NoError(b, os.WriteFile(filepath.Join(dir, "old"), old.Bytes(), 0o666))
	require.NoError(b, os.WriteFile(filepath.Join(dir, "new"), new.Bytes(), 0o666))
	against(b, func() {
		cmd := exec.Command("git", "diff", "--no-index", "old", "new")
		cmd.Dir = dir
		require.Error(b, cmd.Run(), "status 1 says that they differ")
	}, func() {
		a, c := diff.Split(old.Bytes()), diff.Split(new.Bytes())
		changes := diff.Lines(a, c)
		require.Len(b, diff.Hunks(a, c, changes, 3), 2000)
	})
}

// BenchmarkMergeText merges 50,000 lines with 500 changes on each side, against the
// repository's own merging of the same files.
func BenchmarkMergeText(b *testing.B) {
	app.SpendMemory()
	dir := b.TempDir()
	var sides [3]bytes.Buffer // base, left, right
	for i := range 50000 {
		line := fmt.Sprintf("line %d is like %d others\n", i, i%23)
		for side := range sides {
			if side > 0 && i%100 == 30*side {
				fmt.Fprintf(&sides[side], "side %d edited %d\n", side, i)
			} else {
				sides[side].WriteString(line)
			}
		}
	}
	for i, name := range []string{"base", "left", "right"} {
		require.NoError(b, os.WriteFile(filepath.Join(dir, name), sides[i].Bytes(), 0o666))
	}
	var theirs []byte
	against(b, func() {
		cmd := exec.Command("git", "merge-file", "-p", "left", "base", "right")
		cmd.Dir = dir
		var err error
		theirs, err = cmd.Output()
		require.NoError(b, err)
	}, func() {
		merged, ok := merge.Resolved(merge.Text(sides[0].Bytes(), sides[1].Bytes(), sides[2].Bytes()))
		require.True(b, ok)
		require.Equal(b, len(theirs), len(merged))
	})
}

// BenchmarkMergeRenames merges a tree of 20,000 files of which one side renamed 500,
// half of them with a change, and the other side changed the same ones, against the
// repository's own merging of the two commits. Each run opens the repository anew.
func BenchmarkMergeRenames(b *testing.B) {
	app.SpendMemory()
	l := fixture.NewLarge(b, 20000, 0, 0)
	base := l.Git("rev-parse", "HEAD")
	l.Rename(500)
	l.Git("branch", "renamed")
	l.Git("reset", "--quiet", "--hard", base)
	l.ChangeEvery(500)
	fixture.Rest(b)
	ctx, theirs := context.Background(), ""
	against(b, func() {
		theirs = l.Git("-c", "merge.renameLimit=1000", "merge-tree", "--write-tree", "renamed", "HEAD")
	}, func() {
		r := l.Open(b)
		var trees [3]repo.ID
		for i, name := range []string{base, "renamed", "HEAD"} {
			id, err := r.Resolve(ctx, name)
			require.NoError(b, err)
			c, err := r.Commit(ctx, id)
			require.NoError(b, err)
			trees[i] = c.Tree
		}
		tree, conflicts, err := merge.Trees(ctx, r.NewOverlay(), trees[0], trees[1], trees[2])
		require.NoError(b, err)
		require.Empty(b, conflicts)
		require.Equal(b, theirs, tree.String())
	})
}
