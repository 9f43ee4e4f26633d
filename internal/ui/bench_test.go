package ui

import (
	"bytes"
	"context"
	"fmt"
	"os/exec"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	tea "charm.land/bubbletea/v2"
	uv "github.com/charmbracelet/ultraviolet"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/ui/stream"
	"bastel/test/fixture"
)

// renderer turns frames into what is written to a terminal, as Bubble Tea's own does with each.
type renderer struct {
	cells  uv.ScreenBuffer
	screen *uv.TerminalRenderer
	out    bytes.Buffer
}

func newRenderer() *renderer {
	r := &renderer{cells: uv.NewScreenBuffer(142, 42)}
	r.screen = uv.NewTerminalRenderer(&r.out, []string{"TERM=xterm-256color", "COLORTERM=truecolor"})
	r.screen.SetFullscreen(true)
	return r
}

func (r *renderer) draw(content string) {
	r.cells.Clear()
	uv.NewStyledString(content).Draw(r.cells, r.cells.Bounds())
	r.screen.Render(r.cells.RenderBuffer)
	_ = r.screen.Flush() // it writes into memory
	r.out.Reset()
}

// oneFrame is the time that a screen of 60 Hz has for a frame.
const oneFrame = float64(time.Second / 60)

// BenchmarkSortAHunk is a hunk into a tray, or back, in a tree of 20,000 files: until its effect is
// in a frame, and until the repository has followed and all is read again.
func BenchmarkSortAHunk(b *testing.B) {
	app.SpendMemory()
	l := fixture.NewLarge(b, 20000, 0, 3)
	text := l.Read("folder000/file00001.txt")
	l.Write("folder000/file00001.txt", "first\n"+text+"last\n")
	fixture.Rest(b)
	d := newDriver(b, l.Dir)
	d.wait("2 hunks")
	d.rest() // until then keys wait for the first screen
	r := newRenderer()
	r.draw(d.m.View().Content)
	var shown, settled, baseline time.Duration
	for b.Loop() {
		d.press("h", "g")
		began := time.Now()
		d.press("1")
		r.draw(d.m.View().Content)
		shown += time.Since(began)
		require.Contains(b, d.frame(), "2 hunks in 1 file")
		for d.m.behind() || d.m.queue.open > 0 || d.m.where.Pending() {
			d.update(<-d.messages)
			r.draw(d.m.View().Content)
		}
		settled += time.Since(began)
		d.press("u")
		for d.m.behind() || d.m.queue.open > 0 || d.m.where.Pending() {
			d.update(<-d.messages)
		}
		began = time.Now()
		require.NoError(b, exec.Command("git", "-C", l.Dir, "status", "--porcelain").Run())
		baseline += time.Since(began)
	}
	b.ReportMetric(float64(shown)/float64(b.N)/oneFrame, "x-frame")
	b.ReportMetric(float64(settled.Milliseconds())/float64(b.N), "ms/settled")
	b.ReportMetric(float64(settled)/float64(baseline), "x-status")
}

// BenchmarkKeyToFrame is a key and the whole frame after it, among 50,000 changed
// lines in one file. The metric that counts is the slowest of a hundred, against the
// time that a screen of 60 Hz has for a frame.
func BenchmarkKeyToFrame(b *testing.B) {
	app.SpendMemory()
	f := fixture.New(b)
	var old, new strings.Builder
	for i := range 25000 {
		fmt.Fprintf(&old, "\tcount := compute(%d)\n", i)
		fmt.Fprintf(&new, "\tcount := computeAnew(%d) // again\n", i)
	}
	f.Commit("base", "long.go", old.String())
	f.Write("long.go", new.String())
	d := newDriver(b, f.Dir)
	d.wait("+25000")
	keys := []tea.KeyPressMsg{{Code: tea.KeyDown}, {Code: tea.KeyPgDown}, {Code: 'n', Text: "n"}, {Code: tea.KeySpace, Text: " "},
		{Code: tea.KeyUp}}
	r := newRenderer()
	var times []time.Duration
	for b.Loop() {
		began := time.Now()
		_, cmd := d.m.Update(keys[len(times)%len(keys)])
		r.draw(d.m.View().Content)
		times = append(times, time.Since(began))
		d.colour(cmd) // which there is time for until the next key comes
	}
	slices.Sort(times)
	p99 := times[len(times)*99/100]
	b.ReportMetric(float64(p99)/oneFrame, "x-frame-p99")
}

// colour carries out what reads colours, and has them taken.
func (d *driver) colour(cmd tea.Cmd) {
	if cmd == nil {
		return
	}
	switch msg := cmd().(type) {
	case tea.BatchMsg:
		for _, cmd := range msg {
			d.colour(cmd)
		}
	case unattended:
		d.colour(msg.cmd)
	case stream.Coloured:
		d.m.Update(msg)
	}
}

// BenchmarkOpenTenThousand opens the application on 10,000 changed files up to the
// first frame with content, against a git status of the same repository, and says how
// much memory the process has taken by then, in megabytes.
func BenchmarkOpenTenThousand(b *testing.B) {
	app.SpendMemory()
	f := fixture.New(b)
	var files []string
	for i := range 10000 {
		files = append(files, fmt.Sprintf("dir%d/file%d.txt", i%100, i), strings.Repeat(fmt.Sprintf("line of %d\n", i), 20))
	}
	f.Commit("base", files...)
	for i := range 10000 {
		f.Write(files[2*i], files[2*i+1]+"changed\n")
	}
	fixture.Rest(b)
	baseline := time.Duration(0)
	for b.Loop() {
		began := time.Now()
		require.NoError(b, exec.Command("git", "-C", f.Dir, "status", "--porcelain").Run())
		baseline += time.Since(began)
		ctx, end := context.WithCancel(b.Context())
		d := newDriverUntil(ctx, b, f.Dir)
		d.wait("dir0/file0.txt")
		b.StopTimer() // what is read on would be in the way of the next one
		end()
		require.NoError(b, d.m.app.Close())
		for d.m.queue.open > 0 {
			d.update(<-d.messages)
		}
		b.StartTimer()
	}
	ours := b.Elapsed() - baseline
	b.ReportMetric(float64(ours)/float64(baseline), "x-status")
	b.ReportMetric(float64(ours.Milliseconds())/float64(b.N), "ms/open")
	var usage syscall.Rusage
	require.NoError(b, syscall.Getrusage(syscall.RUSAGE_SELF, &usage))
	b.ReportMetric(float64(usage.Maxrss)/1024, "MB-peak")
}
