package ui

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/ui/kit"
	"bastel/internal/ui/mend"
	"bastel/internal/ui/shape"
	"bastel/test/fixture"
)

// faults makes commands of the repository fail.
type faults struct {
	counter
	list string
}

// withFaults counts processes, and has those fail that are told to.
func withFaults(t *testing.T) faults {
	real, err := exec.LookPath("git")
	require.NoError(t, err)
	bin := t.TempDir()
	f := faults{counter{t, filepath.Join(bin, "log")}, filepath.Join(bin, "faults")}
	script := fmt.Sprintf(`#!/bin/sh
echo "$*" >>%[1]s
if read -r fault often <%[2]s; then
	case " $* " in *" $fault "*)
		if [ "$often" = once ]; then : >%[2]s; fi
		echo "fatal: the disk is tired" >&2
		exit 128;;
	esac
fi
exec %[3]s "$@"
`, f.log, f.list, real)
	f.set("")
	require.NoError(t, os.WriteFile(filepath.Join(bin, "git"), []byte(script), 0o777))
	t.Setenv("PATH", bin+string(os.PathListSeparator)+os.Getenv("PATH"))
	return f
}

// set says which command fails, and whether once or always.
func (f faults) set(fault string) {
	require.NoError(f.t, os.WriteFile(f.list, []byte(fault+"\n"), 0o666))
}

// commands are those that were started, each once.
func (f faults) commands(lines []string) (list []string) {
	for _, line := range lines {
		words := strings.Fields(line)
		for len(words) > 2 && strings.HasPrefix(words[0], "-") { // -c NAME=VALUE, -C DIR
			words = words[1:]
			if !strings.HasPrefix(words[0], "-") && strings.ContainsAny(words[0], "=/") {
				words = words[1:]
			}
		}
		if !slices.Contains(list, words[0]) {
			list = append(list, words[0])
		}
	}
	return list
}

// lies are what a screen must not say because something could not be read.
var lies = []string{"No loose changes.", "There is no series", "This branch has no commits", "There is nothing to send", "No conflicts"}

// rest takes messages until all that keys led to is on the screen.
func (d *driver) rest() {
	d.t.Helper()
	late := time.After(patience)
	for {
		still := time.After(60 * time.Millisecond)
		select {
		case msg := <-d.messages:
			d.update(msg)
		case <-still:
			if d.m.queue.open == 0 && !d.m.behind() {
				return
			}
		case <-late:
			require.Fail(d.t, "it does not come to rest", d.frame())
		}
	}
}

// either takes messages until the frame shows one of two texts, and gives it.
func (d *driver) either(one, other string) string {
	d.t.Helper()
	late := time.After(patience)
	for {
		if frame := d.frame(); strings.Contains(frame, one) || strings.Contains(frame, other) {
			return frame
		}
		select {
		case msg := <-d.messages:
			d.update(msg)
		case <-late:
			require.Fail(d.t, "neither on the screen: "+one+", "+other, d.frame())
		}
	}
}

// TestEachReadingFails: whatever cannot be read, once or always, what was known stays on the screen, it is
// said that it may be older, and r reads it again once that can be done.
func TestEachReadingFails(t *testing.T) {
	commit := func(f *fixture.Repo, n int) string {
		f.Commit(fmt.Sprint("Change more ", n), "more", fmt.Sprintln(n))
		return fmt.Sprint("Change more ", n)
	}
	for name, test := range map[string]struct {
		open   []string                                   // until the screen is there
		shown  string                                     // and stays
		change func(f *fixture.Repo, n int) (news string) // what is shown after it
	}{
		"Sort": {[]string{"+2 hunks"}, "a.go", func(f *fixture.Repo, n int) string {
			_ = os.Remove(filepath.Join(f.Dir, fmt.Sprint("a-", n-1))) // the first one is not there
			f.Write(fmt.Sprint("a-", n), "1\n")
			return fmt.Sprint("  a-", n, " ")
		}},
		"Map":   {[]string{"+2 hunks", "[", "+Change thirty"}, "topic", commit},
		"Shape": {[]string{"+2 hunks", "]", "+Change thirty"}, "Change thirty", commit},
		"Mend": {[]string{"+2 hunks", "]", "+Change thirty", ")", "+What does the series go onto", "main", "enter", "+conflict", "]",
			"+region 1 of"}, "region 1 of", func(f *fixture.Repo, n int) string {
			commit(f, n)
			return fmt.Sprintf("%d commits ahead", n+2)
		}},
		"Send": {[]string{"+2 hunks", "]", "]", "]", "+Change thirty"}, "Change thirty", commit},
	} {
		t.Run(name, func(t *testing.T) {
			f := desk(t)
			f.Remote(t)
			f.Git("branch", "other", "main")
			f.Git("stash", "--quiet", "--include-untracked")
			f.Git("switch", "--quiet", "main")
			f.Commit("Ten otherwise", "a.go", numbered(40, map[int]string{10: "otherwise\n"}))
			f.Git("switch", "--quiet", "topic")
			f.Git("stash", "pop", "--quiet")
			f.Git("push", "--quiet", "origin", "main", "topic")
			f.Git("fetch", "--quiet")
			faults := withFaults(t)
			d := newDriver(t, f.Dir)
			d.play(test.open...)
			faults.quiet(d)
			before := len(faults.started())
			news := test.change(f, 1)
			mine := len(faults.started())
			d.press("r")
			d.wait(news)
			d.rest()
			read := faults.commands(faults.started()[mine:])
			require.NotEmpty(t, read, "%d, %d", before, mine)
			n := 1
			for _, command := range read {
				for _, often := range []string{"once", "always"} {
					n++
					news := test.change(f, n)
					faults.set(command + " " + often) // before the change is told
					for range 2 {
						d.press("r", "j", "k")
						d.rest()
						frame := d.either(news, "r tries again") // what another reading brings may be under way
						assert.Contains(t, frame, test.shown, "%s fails %s", command, often)
						for _, lie := range lies {
							assert.NotContains(t, frame, lie, "%s fails %s", command, often)
						}
					}
					faults.set("")
					d.press("r")
					d.wait(news)
					d.gone("r tries again")
				}
			}
		})
	}
}

// TestOpeningFails: whatever fails while a repository is opened and first read, r opens it once that works.
func TestOpeningFails(t *testing.T) {
	f := desk(t)
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	faults := withFaults(t)
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	faults.quiet(d)
	for _, command := range faults.commands(faults.started()) {
		faults.set(command + " always")
		d := newDriver(t, f.Dir)
		for d.frame(); d.m.app == nil && d.m.failed == nil; {
			d.update(<-d.messages)
		}
		d.rest()
		for _, lie := range lies {
			assert.NotContains(t, d.frame(), lie, "%s fails", command)
		}
		faults.set("")
		d.press("r")
		d.wait("2 hunks")
		d.gone("r tries again")
	}
}

// TestAForecastThatFails: where the plan cannot be forecast, that nothing conflicts is not known: what was known stays.
func TestAForecastThatFails(t *testing.T) {
	f := desk(t)
	f.Git("stash", "--quiet", "--include-untracked")
	f.Git("switch", "--quiet", "main")
	f.Commit("Ten otherwise", "a.go", numbered(40, map[int]string{10: "otherwise\n"}))
	f.Git("switch", "--quiet", "topic")
	d := newDriver(t, f.Dir)
	d.play("+No loose changes", "]", "+Change thirty", ")", "+What does the series go onto", "main", "enter", "+conflict", "]", "+region 1 of")
	d.rest()
	plan := d.m.screenNamed(shape.Name).(*shape.Model).Plan()
	d.update(kit.ForScreen{Screen: mend.Name, Msg: kit.Forecasted{Plan: plan, Err: errors.New("a forecast that failed")}})
	assert.Contains(t, d.frame(), "region 1 of")
	assert.Contains(t, d.frame(), "r tries again")
	assert.Contains(t, d.frame(), "a forecast that failed")
}
