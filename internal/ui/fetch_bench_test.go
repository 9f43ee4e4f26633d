package ui

import (
	"fmt"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/test/fixture"
)

// BenchmarkFetchFiveThousand fetches 5,000 branches that are new and 5,000 that moved, and
// draws a frame on every message meanwhile: the slowest of a hundred, and of all, against the time that a
// screen of 60 Hz has for one, and the whole against a plain fetch of the same.
func BenchmarkFetchFiveThousand(b *testing.B) {
	app.SpendMemory()
	const branches = 5000
	var frames []time.Duration
	ours, baseline := time.Duration(0), time.Duration(0)
	for b.Loop() {
		f := fixture.New(b)
		f.Commit("base", "a", "1\n")
		remote := f.Remote(b)
		f.Git("push", "--quiet", "--set-upstream", "origin", "main")
		point := func(from int, text string) {
			first := f.Commit("work", "f", text)
			f.Git("push", "--quiet", "origin", "HEAD:refs/keep/"+text)
			var commands strings.Builder
			for i := range branches {
				fmt.Fprintf(&commands, "update refs/heads/team/branch-%d %s\n", from+i, first)
			}
			cmd := exec.Command("git", "update-ref", "--stdin")
			cmd.Dir, cmd.Stdin = remote.Dir, strings.NewReader(commands.String())
			require.NoError(b, cmd.Run())
			f.Git("reset", "--quiet", "--hard", "HEAD~")
		}
		point(0, "before")
		f.Git("fetch", "--quiet")
		point(0, "moved")
		point(branches, "new")
		plain := fixture.Existing(b, filepath.Join(b.TempDir(), "plain"))
		require.NoError(b, exec.Command("cp", "-r", f.Dir, plain.Dir).Run())
		began := time.Now()
		plain.Git("fetch", "--quiet")
		baseline += time.Since(began)

		d := newDriver(b, f.Dir)
		d.wait("No loose changes")
		began = time.Now()
		d.press("F")
		for late := time.After(patience); !strings.Contains(d.frame(), "10000 branches changed"); {
			select {
			case msg := <-d.messages:
				at := time.Now()
				d.update(msg)
				d.m.View()
				frames = append(frames, time.Since(at))
			case <-late:
				require.Fail(b, "never fetched", d.frame())
			}
		}
		ours += time.Since(began)
	}
	slices.Sort(frames)
	b.ReportMetric(float64(frames[len(frames)*99/100])/float64(time.Second/60), "x-frame-p99")
	b.ReportMetric(float64(frames[len(frames)-1])/float64(time.Second/60), "x-frame-slowest")
	b.ReportMetric(float64(ours)/float64(baseline), "x-fetch")
}
