package tray_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"bastel/internal/tray"
	"bastel/test/fixture"
)

// TestChosenLinesTakeTheirPartnersPlace: blocks are made of lines that are kept, changed, taken out and added, each
// known by its name; any lines of them staged give the text that the names say, byte for byte.
func TestChosenLinesTakeTheirPartnersPlace(t *testing.T) {
	d, random := newDesk(t), fixture.Random(t, 11)
	for round := range fixture.Rounds(60, 5000) {
		var old, new string
		type line struct{ old, new string } // one of them empty: added, taken out
		var items []line
		for i := range 1 + random.Intn(12) {
			name := fmt.Sprintf("name%d of%d round%d", i, i*7+3, i*13+5)
			item := line{name + " before\n", name + " before\n"}
			switch n := random.Intn(5); {
			case n < 2:
				item.new = name + " after\n"
			case n == 2 && round%2 == 0: // not both in one block: they could be said to replace each other
				item.new = ""
			case n == 2:
				item = line{"", fmt.Sprintf("+%d\n", i)}
			}
			items = append(items, item)
			old, new = old+item.old, new+item.new
		}
		if random.Intn(3) == 0 { // the last line lacks its end
			items = append(items, line{"the end", []string{"the end\n", "the end, at last", "the end"}[random.Intn(3)]})
			old, new = old+"the end", new+items[len(items)-1].new
		}
		d.Commit("state", "x", old)
		d.Write("x", new)
		chosen, words := map[string]bool{}, []string{}
		for _, file := range d.list(t, tray.Loose) {
			for _, h := range file.Hunks {
				var picked []string
				for i, l := range h.Lines {
					if l.Op != ' ' && random.Intn(2) == 0 {
						chosen[string(l.Op)+string(l.Text)] = true
						picked = append(picked, fmt.Sprint(i+1))
					}
				}
				if len(picked) > 0 {
					words = append(words, h.ID+":"+strings.Join(picked, ","))
				}
			}
		}
		if len(words) == 0 {
			continue
		}
		var want []string
		for _, item := range items {
			if item.old != "" && (item.old == item.new || !chosen["-"+item.old]) {
				want = append(want, item.old)
			}
			if item.new != "" && item.old != item.new && chosen["+"+item.new] {
				want = append(want, item.new)
			}
		}
		for i := range want[:max(0, len(want)-1)] {
			want[i] = strings.TrimSuffix(want[i], "\n") + "\n"
		}
		d.move(t, tray.Loose, tray.A, words...)
		staged, err := exec.Command("git", "-C", d.Dir, "show", ":x").Output()
		require.NoError(t, err)
		require.Equal(t, strings.Join(want, ""), string(staged), "round %d: %q becomes %q, chosen %v", round, old, new, chosen)
	}
}

// TestOnlyWhatChangesIsShown: a link or a submodule that changed in one layer is shown in that one.
func TestOnlyWhatChangesIsShown(t *testing.T) {
	d := newDesk(t)
	link := func(to string) {
		_ = os.Remove(filepath.Join(d.Dir, "link"))
		require.NoError(t, os.Symlink(to, filepath.Join(d.Dir, "link")))
	}
	link("a")
	d.Commit("base", "sub/inside", "x\n", "mode", "x\n")
	d.Git("rm", "-q", "-r", "--cached", "sub")
	d.Git("-C", "sub", "init", "-q")
	d.Git("-C", "sub", "commit", "-q", "--allow-empty", "-m", "one")
	d.Git("-c", "advice.addEmbeddedRepo=false", "add", "-A")
	d.Git("commit", "-q", "-m", "with a submodule")
	link("b")
	d.Git("-C", "sub", "commit", "-q", "--allow-empty", "-m", "two")
	require.NoError(t, os.Chmod(filepath.Join(d.Dir, "mode"), 0o755))
	paths := func(l tray.Layer) (list []string) {
		for _, file := range d.list(t, l) {
			list = append(list, file.Path)
		}
		return list
	}
	all := []string{"link", "mode", "sub"}
	require.Equal(t, all, paths(tray.Loose))
	require.Empty(t, paths(tray.A))
	d.move(t, tray.Loose, tray.A, all...)
	require.Equal(t, all, paths(tray.A))
	require.Empty(t, paths(tray.Loose))
}
