package test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/test/fixture"
)

// harbour is a line of commits, with branches of three commits each spread over its last tenth.
func harbour(b *testing.B, commits, branches int) *fixture.Repo {
	f := fixture.At(b, b.TempDir())
	var in bytes.Buffer
	commit := func(ref string, mark, from, when int) {
		fmt.Fprintf(&in, "commit %s\nmark :%d\ncommitter Oskar <o@x.example> %d +0000\ndata 5\nentry\n", ref, mark, 1700000000+when*60)
		if from > 0 {
			fmt.Fprintf(&in, "from :%d\n", from)
		}
		in.WriteString("\n")
	}
	for i := range commits {
		commit("refs/heads/main", i+1, i, i)
	}
	mark := commits
	for i := range branches {
		from := commits - commits/10 + i*(commits/10)/branches
		for range 3 {
			mark++
			commit(fmt.Sprintf("refs/heads/branch-%d", i), mark, from, commits+i)
			from = mark
		}
	}
	cmd := exec.Command("git", "-C", f.Dir, "fast-import", "--quiet")
	cmd.Stdin = &in
	out, err := cmd.CombinedOutput()
	require.NoError(b, err, "%s", out)
	f.Git("reset", "--quiet", "--hard", "main")
	return f
}

// BenchmarkChart draws 5,000 branches on a line of 100,000 commits, without a commit graph: names, tips and dates, which are
// there first, against for-each-ref with dates; then the nearest moorings of all, of those on show, and of all.
func BenchmarkChart(b *testing.B) {
	ctx := context.Background()
	f := harbour(b, 100_000, 5000)
	fixture.Rest(b)
	var tips, nearest, shown, all, baseline time.Duration
	for b.Loop() {
		for _, part := range []struct {
			took *time.Duration
			do   func(a *charting.App) error
		}{
			{&tips, func(a *charting.App) error { _, err := a.Tips(ctx); return err }},
			{&nearest, func(a *charting.App) error { return nearestFirst(ctx, a) }},
			{&shown, func(a *charting.App) error { _, err := a.Chart(ctx, charting.Show{}); return err }},
			{&all, func(a *charting.App) error { _, err := a.Chart(ctx, charting.Show{All: true}); return err }},
		} {
			a, _, err := app.Open(ctx, f.Dir)
			require.NoError(b, err)
			began := time.Now()
			require.NoError(b, part.do(charting.Of(a)))
			*part.took += time.Since(began)
			a.Close()
		}
		began := time.Now()
		f.Git("for-each-ref", "--format=%(refname) %(objectname) %(committerdate)", "refs/heads")
		baseline += time.Since(began)
	}
	b.ReportMetric(float64(tips)/float64(baseline), "x-for-each-ref")
	b.ReportMetric(float64(nearest.Milliseconds())/float64(b.N), "ms/nearest")
	b.ReportMetric(float64(shown.Milliseconds())/float64(b.N), "ms/shown")
	b.ReportMetric(float64(all.Milliseconds())/float64(b.N), "ms/all")
	b.ReportMetric(float64(baseline.Milliseconds())/float64(b.N), "ms/for-each-ref")
}

// nearestFirst waits for the first part of a chart of all branches.
func nearestFirst(ctx context.Context, a *charting.App) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	_, err := a.Grow(ctx, charting.Show{All: true}, func(charting.Chart) { stop() })
	if errors.Is(err, context.Canceled) {
		return nil
	}
	return err
}
