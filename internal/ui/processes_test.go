package ui

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// counter counts the repository's processes that are started.
type counter struct {
	t   *testing.T
	log string
}

func countProcesses(t *testing.T) counter {
	real, err := exec.LookPath("git")
	require.NoError(t, err)
	bin := t.TempDir()
	c := counter{t, filepath.Join(bin, "log")}
	script := fmt.Sprintf("#!/bin/sh\necho \"$*\" >>%s\nexec %s \"$@\"\n", c.log, real)
	require.NoError(t, os.WriteFile(filepath.Join(bin, "git"), []byte(script), 0o777))
	t.Setenv("PATH", bin+string(os.PathListSeparator)+os.Getenv("PATH"))
	return c
}

func (c counter) started() []string {
	data, _ := os.ReadFile(c.log) // nothing was started yet
	return strings.FieldsFunc(string(data), func(r rune) bool { return r == '\n' })
}

// quiet takes messages until nothing is started or said any more, and then for as long as
// changes could still be told.
func (c counter) quiet(d *driver) {
	before := -1
	for now := len(c.started()); now != before || d.m.queue.open > 0; now = len(c.started()) {
		before = now
		late := time.After(400 * time.Millisecond)
		for waiting := true; waiting; {
			select {
			case msg := <-d.messages:
				d.update(msg)
			case <-late:
				waiting = false
			}
		}
	}
}

// of counts what is started by something, until all is quiet again.
func (c counter) of(d *driver, do func()) []string {
	c.quiet(d)
	before := len(c.started())
	do()
	c.quiet(d)
	return c.started()[before:]
}

// TestAKeyReadsNothingAgain: what nothing has changed is not read again, so a step starts no
// more processes than it needs itself, however many commits and branches there are.
func TestAKeyReadsNothingAgain(t *testing.T) {
	f := desk(t)
	for i := range 60 {
		f.Git("branch", fmt.Sprint("old/", i))
	}
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("fetch", "--quiet")
	f.Git("switch", "--quiet", "-c", "long")
	for i := range 60 {
		f.Git("commit", "--quiet", "--allow-empty", "-m", fmt.Sprint("commit ", i))
	}
	c := countProcesses(t)
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	c.quiet(d)
	assert.LessOrEqual(t, len(c.started()), 15, "opening: %s", strings.Join(c.started(), "\n"))
	c.of(d, func() { d.press("r") }) // opening has just written into the configuration
	sorted := c.of(d, func() { d.press("enter") })
	assert.LessOrEqual(t, len(sorted), 3, "a hunk into a tray: %s", strings.Join(sorted, "\n"))
	assert.Empty(t, c.of(d, func() { d.press("j"); d.press("space") }), "a move, a mark")
	saved := c.of(d, func() { f.Write("a.go", f.Read("a.go")+"// saved\n") })
	assert.NotEmpty(t, saved, "a file that is saved is seen")
	assert.LessOrEqual(t, len(saved), 6, "a file that is saved: %s", strings.Join(saved, "\n"))
	c.of(d, func() { d.press("]"); d.wait("62 commits") })
	assert.LessOrEqual(t, len(c.of(d, func() { d.press("x") })), 1, "an edit of the plan")
}

// TestAnAnswerStartsOneProcess: an answer in Mend keeps the draft and forecasts it, and reads nothing again.
func TestAnAnswerStartsOneProcess(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	f := fixture.Quarrel(t, t.TempDir())
	c := countProcesses(t)
	d := newDriver(t, f.Dir)
	d.play(toMend...)
	for _, key := range []string{"2", "1", "u"} {
		answered := c.of(d, func() { d.press(key) })
		assert.LessOrEqual(t, len(answered), 1, "%s: %s", key, strings.Join(answered, "\n"))
	}
}

// TestTheMemoryHolds: what other programs do is seen, whatever is remembered.
func TestTheMemoryHolds(t *testing.T) {
	f := desk(t)
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("fetch", "--quiet")
	r := f.Open(t)
	for round := range 12 {
		head, err := r.Head(t.Context())
		require.NoError(t, err)
		assert.Equal(t, f.Git("rev-parse", "HEAD"), head.Commit.String())
		assert.Equal(t, f.Git("symbolic-ref", "HEAD"), head.Ref)
		refs, err := r.Refs(t.Context(), "refs")
		require.NoError(t, err)
		var names []string
		for _, ref := range refs {
			names = append(names, ref.ID.String()+" "+ref.Name)
		}
		assert.Equal(t, f.Git("for-each-ref", "--format=%(objectname) %(refname)"), strings.Join(names, "\n"))
		value, err := r.Config(t.Context(), "bastel.check")
		require.NoError(t, err)
		now, _ := f.Run("config", "bastel.check")
		assert.Equal(t, now, value)
		changes, err := r.Status(t.Context())
		require.NoError(t, err)
		files, err := r.ReadWorkFiles(t.Context(), changes)
		require.NoError(t, err)
		for i, file := range files {
			if changes[i].Path == "a.go" {
				assert.Equal(t, f.Git("hash-object", "a.go"), r.HashObject("blob", file.Data).String())
			}
		}
		switch round % 6 {
		case 0:
			f.Git("branch", fmt.Sprint("b", round))
		case 1:
			f.Git("pack-refs", "--all")
		case 2:
			f.Git("switch", "--quiet", "-c", fmt.Sprint("deep/er/", round))
			f.Git("config", "bastel.check", fmt.Sprint("true ", round))
		case 3:
			f.Commit("more", "more", fmt.Sprint(round))
			f.Git("push", "--quiet", "origin", "HEAD:refs/heads/more")
		case 4:
			f.Write(".gitattributes", map[bool]string{true: "*.go text eol=crlf\n", false: "*.go -text\n"}[round < 6])
			f.Write("a.go", "one\r\ntwo\r\n")
		case 5:
			f.Git("update-ref", "-d", fmt.Sprint("refs/heads/b", round-5))
		}
	}
}
