package ui

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/ui/action"
	"bastel/internal/ui/chart"
	"bastel/test/fixture"
)

// notAtRandom are keys that leave, start other programs, or change how things are looked at, which a
// fresh start does not remember.
var notAtRandom = []string{"q", "ctrl+c", "D", "E", "ctrl+e", "i", "<", ">", "_", "-", "v", "b", "("}

// randomKeys are all others that the table knows, and some text.
func randomKeys() []string {
	keys := []string{"y", "text", "more"}
	for _, row := range action.Table {
		keys = append(keys, row.Keys...)
		for _, a := range row.Actions {
			keys = append(keys, a.Keys...)
		}
	}
	slices.Sort(keys)
	return slices.DeleteFunc(slices.Compact(keys), func(key string) bool { return slices.Contains(notAtRandom, key) })
}

// hand presses random keys in one terminal while others are at work.
type hand struct {
	t      *rapid.T
	f      *fixture.Repo
	d      *driver
	faults faults
	keys   *rapid.Generator[string]
	files  int
	did    []string // for whoever reads a failure
}

func (h *hand) note(format string, args ...any) { h.did = append(h.did, fmt.Sprintf(format, args...)) }

// press sends keys, and takes in what has come meanwhile, or not.
func (h *hand) press(t *rapid.T) {
	for _, key := range rapid.SliceOfN(h.keys, 1, 8).Draw(t, "keys") {
		if screen := h.d.m.screen(); screen != nil && screen.Name() == chart.Name && (key == "right" || key == "l") {
			continue // there it opens a branch's commits, which a fresh start does not remember
		}
		h.note("%s", key)
		h.d.press(key)
		for range rapid.IntRange(0, 3).Draw(t, "messages") {
			select {
			case msg := <-h.d.messages:
				h.d.update(msg)
			case <-time.After(5 * time.Millisecond):
			}
		}
	}
}

// outside has another program change something.
func (h *hand) outside(t *rapid.T) {
	h.files++
	name := fmt.Sprint("new-", h.files)
	ways := map[string]func(){
		"a save":   func() { h.f.Write(name, "1\n") },
		"a change": func() { h.f.Write("a.go", numbered(40, map[int]string{h.files % 40: name + "\n", 30: "thirty\n"})) },
		"staging":  func() { h.f.Run("add", "--all") },
		"a commit": func() {
			h.f.Write(name, "1\n")
			h.f.Run("add", name)
			h.f.Run("commit", "--quiet", "-m", "Another's "+name)
		},
		"a branch":   func() { h.f.Run("branch", "side/"+name) },
		"their push": func() { h.f.Run("update-ref", "refs/remotes/origin/main", "main~0") },
		"packing":    func() { h.f.Run("pack-refs", "--all") },
		"a setting":  func() { h.f.Run("config", "bastel.check", "true "+name) },
		"a removal":  func() { _ = os.Remove(filepath.Join(h.f.Dir, "spaces.txt")) }, // it may be gone already
		"unstaging":  func() { h.f.Run("reset", "--quiet") },
	}
	names := make([]string, 0, len(ways))
	for name := range ways {
		names = append(names, name)
	}
	slices.Sort(names)
	way := rapid.SampledFrom(names).Draw(t, "outside")
	h.note("(%s)", way)
	h.faults.set("")
	ways[way]()
}

// fail has a command fail, once or from now on.
func (h *hand) fail(t *rapid.T) {
	fault := rapid.SampledFrom([]string{"status", "for-each-ref", "ls-files", "rev-list", "merge-base", "update-index", "update-ref",
		"hash-object", "write-tree", "index-pack", "config", "cat-file", "check-attr", "read-tree"}).Draw(t, "fault")
	often := rapid.SampledFrom([]string{"once", "always"}).Draw(t, "often")
	h.note("(%s fails %s)", fault, often)
	h.faults.set(fault + " " + often)
}

func (h *hand) heal(*rapid.T) {
	h.note("(all works)")
	h.faults.set("")
}

func (h *hand) wait(*rapid.T) { h.d.rest() }

// whole holds that a frame fills the screen, whatever was done.
func (h *hand) whole(t *rapid.T) {
	rows := strings.Split(h.d.m.View().Content, "\n")
	if len(rows) != h.d.m.height {
		t.Fatalf("%d rows after %s", len(rows), strings.Join(h.did, " "))
	}
	for _, row := range rows {
		if ansi.StringWidth(row) > h.d.m.width {
			t.Fatalf("too wide after %s: %q", strings.Join(h.did, " "), row)
		}
	}
}

// views are what a driver shows at the beginning of each screen, and of the trays.
func (d *driver) views(quiet func()) (views []string) {
	for range 6 {
		d.press("esc", "esc")
		d.rest()
	}
	for range 2 { // a file's story is told on the first screen, and leads back to where it was asked for
		d.press("[", "[", "[", "[")
		d.rest()
		d.press("esc", "esc", "esc")
		d.rest()
	}
	d.press("[", "[", "[", "[", "r")
	quiet()
	now := func() string { // the left half, with the cursor at its beginning
		d.press("0", "h", "g")
		d.rest()
		var rows []string
		for i, row := range strings.Split(d.frame(), "\n")[:d.m.height-d.m.bottomRows()] {
			if i > d.m.topRows() {
				row = string([]rune(row)[:60])
			}
			rows = append(rows, strings.TrimRight(row, " "))
		}
		return strings.Join(rows, "\n")
	}
	views = append(views, now())
	d.press("t")
	d.rest()
	views = append(views, strings.Join(strings.Split(d.frame(), "\n")[d.m.topRows():d.m.height-d.m.bottomRows()], "\n"))
	d.press("esc")
	for range 3 {
		d.press("]")
		d.rest()
		d.press("esc", "esc") // a view may be open there still, such as the hunks' way home
		quiet()
		views = append(views, now())
	}
	return views
}

// workOnSame makes the branch at work the one that it is in another start: ) of Map chooses one, which is not for the next time.
func (d *driver) workOnSame(other *driver) {
	work, err := other.m.app.AtWork(d.t.Context())
	require.NoError(d.t, err)
	require.NoError(d.t, d.m.app.WorkOn(d.t.Context(), work.Branch()))
	d.rest()
	d.run(d.m.refresh())
	d.rest()
}

// TestRandomKeys: whatever keys come, while readings and writings fail and another program is at work, nothing
// panics, the repository is whole, and in the end every screen shows what a fresh start does, drafts and all.
func TestRandomKeys(t *testing.T) {
	fixture.FewerChecks(t, "1")
	require.NoError(t, flag.Set("rapid.shrinktime", "0s")) // what depends on time does not come again
	faults := withFaults(t)
	rapid.Check(t, func(rt *rapid.T) {
		faults.set("")
		f := desk(t)
		f.Remote(t)
		f.Git("push", "--quiet", "origin", "main", "topic~1:refs/heads/topic")
		f.Git("fetch", "--quiet")
		d := newDriver(t, f.Dir)
		d.wait("2 hunks")
		h := &hand{t: rt, f: f, d: d, faults: faults, keys: rapid.SampledFrom(randomKeys())}
		defer func() { // a panic says nothing of how it came
			if p := recover(); p != nil {
				t.Logf("after %s", strings.Join(h.did, " "))
				panic(p)
			}
		}()
		rt.Repeat(map[string]func(*rapid.T){
			"keys": h.press, "more keys": h.press, "still more": h.press, "another program": h.outside, "fault": h.fail, "heal": h.heal,
			"wait": h.wait, "": h.whole,
		})
		h.heal(rt)
		d.rest()
		if d.m.where.Err != nil { // the last reading failed, which the screen says, and how it is tried again
			d.press("esc", "esc", "r")
			d.rest()
		}
		quiet := func() { faults.quiet(d) }
		quiet()
		live := d.views(quiet)
		fresh := newDriver(t, f.Dir)
		fresh.wait("On ")
		fresh.workOnSame(d)
		again := fresh.views(func() { faults.quiet(fresh) })
		for i := range live {
			require.Equal(rt, again[i], live[i], "after %s", strings.Join(h.did, " "))
		}
		f.Git("fsck", "--strict")
		d.m.app.Close()
		fresh.m.app.Close()
	})
}
