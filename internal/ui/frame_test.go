package ui

import (
	"bytes"
	"context"
	"log/slog"
	"os"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/ask"
	"bastel/internal/ui/kit"
	"bastel/test/fixture"
)

func TestMain(m *testing.M) {
	ask.Main()
	os.Exit(m.Run())
}

// driver runs the frame without a terminal.
type driver struct {
	t          testing.TB
	m          *Model
	messages   chan tea.Msg
	unreasoned unreasoned
}

func newDriver(t testing.TB, dir string) *driver { return newDriverUntil(t.Context(), t, dir) }

// newDriverUntil is one whose work ends with a context.
func newDriverUntil(ctx context.Context, t testing.TB, dir string) *driver {
	d := &driver{t: t, m: &Model{ctx: ctx, dir: dir, theme: kit.NewTheme(kit.Look{Ground: kit.Dark})},
		messages: make(chan tea.Msg, 100)}
	t.Cleanup(func() {
		if d.m.app != nil {
			d.m.app.Close()
		}
		d.unreasoned.Lock()
		defer d.unreasoned.Unlock()
		assert.Empty(t, d.unreasoned.lines, "processes of which the log says no reason")
	})
	if _, timed := t.(*testing.B); !timed {
		d.m.log = slog.New(slog.NewTextHandler(&d.unreasoned, &slog.HandlerOptions{Level: slog.LevelDebug}))
	}
	d.update(tea.WindowSizeMsg{Width: 142, Height: 42})
	d.run(d.m.open)
	return d
}

// unreasoned are the lines of a log in which a process has no reason.
type unreasoned struct {
	sync.Mutex
	lines []string
}

func (u *unreasoned) Write(line []byte) (int, error) {
	if bytes.Contains(line, []byte(`why=""`)) {
		u.Lock()
		defer u.Unlock()
		u.lines = append(u.lines, string(line))
	}
	return len(line), nil
}

func (d *driver) update(msg tea.Msg) {
	_, cmd := d.m.Update(msg)
	d.run(cmd)
}

// run carries a command out; what comes of it is for the next wait.
func (d *driver) run(cmd tea.Cmd) {
	if cmd == nil {
		return
	}
	go func() { d.take(cmd()) }()
}

// take passes a message on. A sequence's type is not exported; it is a list of commands.
func (d *driver) take(msg tea.Msg) {
	if batch, ok := msg.(tea.BatchMsg); ok {
		for _, cmd := range batch {
			d.run(cmd)
		}
		return
	}
	if list := reflect.ValueOf(msg); msg != nil && list.Kind() == reflect.Slice && list.Type().Elem() == reflect.TypeFor[tea.Cmd]() {
		for i := range list.Len() {
			if cmd := list.Index(i).Interface().(tea.Cmd); cmd != nil {
				d.take(cmd())
			}
		}
		return
	}
	d.messages <- msg
}

func (d *driver) frame() string { return ansi.Strip(d.m.View().Content) }

// patience is how long a frame may take before the test gives up on it.
const patience = 30 * time.Second

// wait takes messages until the frame shows a text.
func (d *driver) wait(text string) {
	d.t.Helper()
	late := time.After(patience)
	for !strings.Contains(d.frame(), text) {
		select {
		case msg := <-d.messages:
			d.update(msg)
		case <-late:
			require.Fail(d.t, "not on the screen: "+text, d.frame())
		}
	}
}

// TestAFetchElsewhereShowsUpByItself: what another terminal fetches is seen without a key.
func TestAFetchElsewhereShowsUpByItself(t *testing.T) {
	f := desk(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	f.Git("fetch", "--quiet")
	other := fixture.Existing(t, t.TempDir())
	other.Git("clone", "--quiet", "--branch", "main", remote.Dir, ".")
	other.Commit("theirs", "theirs", "1\n")
	other.Git("push", "--quiet", "origin", "main")
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	countProcesses(t).quiet(d) // the watching has begun
	f.Git("fetch", "--quiet")
	d.wait("1 behind")
	f.Git("pack-refs", "--all")
	f.Git("branch", "--quiet", "new/one")
	f.Git("update-ref", "refs/remotes/origin/main", "refs/remotes/origin/main~1")
	d.gone("1 behind")
}

// TestFilesThatChangeShowUpByThemselves: no key and no focus is needed, and the place
// is kept.
func TestFilesThatChangeShowUpByThemselves(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n", "dir/b", "1\n", "z", "1\n")
	f.Write("z", "2\n")
	d := newDriver(t, f.Dir)
	d.wait("z  ")
	f.Write("dir/b", "2\n")
	d.wait("dir/b")
	f.Write("new/folder/c", "3\n")
	d.wait("new/folder/c")
	f.Write("new/folder/d", "4\n")
	d.wait("new/folder/d")
	f.Git("add", "dir/b")
	d.wait("1 hunk in 1 file")
	assert.Contains(t, d.frame(), "▌  ┄┄┄ from line 1")
	f.Git("commit", "--quiet", "--message", "elsewhere")
	d.wait("nothing in it yet")
}
