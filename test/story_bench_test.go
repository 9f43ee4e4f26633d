package test

import (
	"bytes"
	"context"
	"fmt"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"bastel/internal/app/charting"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// written is a line of commits of which every hundredth changes a line of one file of a thousand, which is renamed half way.
func written(b *testing.B, commits int) *fixture.Repo {
	f := fixture.At(b, b.TempDir())
	lines := make([]string, 1000)
	for i := range lines {
		lines[i] = fmt.Sprintf("line %d as it was at first", i)
	}
	var in bytes.Buffer
	name := "first name"
	for i := range commits {
		fmt.Fprintf(&in, "commit refs/heads/main\ncommitter Oskar <o@x.example> %d +0000\ndata 5\nentry\n", 1700000000+i*60)
		if i%100 == 0 {
			if i > commits/2 && name == "first name" {
				fmt.Fprintf(&in, "D \"%s\"\n", name)
				name = "other name"
			}
			lines[(i*7/100)%len(lines)] = fmt.Sprintf("line of commit %d", i)
			text := strings.Join(lines, "\n") + "\n"
			fmt.Fprintf(&in, "M 100644 inline \"%s\"\ndata %d\n%s\n", name, len(text), text)
		}
		in.WriteString("\n")
	}
	cmd := exec.Command("git", "-C", f.Dir, "fast-import", "--quiet")
	cmd.Stdin = &in
	out, err := cmd.CombinedOutput()
	require.NoError(b, err, "%s", out)
	f.Git("reset", "--quiet", "--hard", "main")
	return f
}

// BenchmarkStory reads the story of a file through 100,000 commits, a thousand of which changed it, and who wrote each of
// its lines, against the repository's own commands.
func BenchmarkStory(b *testing.B) {
	ctx := context.Background()
	f := written(b, 100_000)
	a := charting.Of(opened.App(b, f.Dir))
	var story, lines, log, blame time.Duration
	timed := func(took *time.Duration, do func()) {
		began := time.Now()
		do()
		*took += time.Since(began)
	}
	for b.Loop() {
		var s charting.Story
		timed(&story, func() {
			var err error
			s, err = a.Story(ctx, "main", "other name")
			require.NoError(b, err)
			require.Len(b, s.Versions, 1000)
		})
		timed(&lines, func() {
			_, err := s.Wrote(ctx, 500)
			require.NoError(b, err)
		})
		timed(&log, func() { f.Git("log", "--follow", "--format=%H", "--", "other name") })
		timed(&blame, func() { f.Git("blame", "--porcelain", "main", "--", "other name") })
	}
	b.ReportMetric(float64(story)/float64(log), "x-log")
	b.ReportMetric(float64(lines)/float64(blame), "x-blame")
	b.ReportMetric(float64(story.Milliseconds())/float64(b.N), "ms/story")
	b.ReportMetric(float64(lines.Milliseconds())/float64(b.N), "ms/lines")
}
