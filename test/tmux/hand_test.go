package tmux

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// typed sends keys with a pause between them: as fast as a hand that repeats them, or slowly,
// each when the screen is at rest.
func (term *terminal) typed(keys []string, slowly bool) {
	term.t.Helper()
	for _, key := range keys {
		term.keys(key)
		if slowly {
			term.rest()
		} else {
			<-time.After(30 * time.Millisecond)
		}
	}
	term.rest()
}

// rest waits until the screen has not changed for a while.
func (term *terminal) rest() {
	shown, since := term.screen(), time.Now()
	require.Eventually(term.t, func() bool {
		if now := term.screen(); now != shown {
			shown, since = now, time.Now()
		}
		return time.Since(since) > 150*time.Millisecond
	}, patience, 25*time.Millisecond)
}

// manyHunks is a repository with a file of forty hunks, and a branch of ten commits.
func manyHunks(t *testing.T) *fixture.Repo {
	f := fixture.At(t, t.TempDir())
	text := func(mark string) string {
		var b strings.Builder
		for i := range 40 {
			fmt.Fprintf(&b, "%s %d\n%s", mark, i, strings.Repeat("between\n", 8))
		}
		return b.String()
	}
	f.Commit("base", "many", text("line"))
	f.Git("switch", "--quiet", "-c", "topic")
	for i := range 10 {
		f.Commit(fmt.Sprint("Add file ", i), fmt.Sprint("file", i), fmt.Sprint(i, "\n"))
	}
	f.Write("many", text("LINE"))
	return f
}

// TestLawOneNoKeyIsEverLost: forty keys at 30 ms do what they do when each of them is waited for,
// on every screen; and the screen then shows the same.
func TestLawOneNoKeyIsEverLost(t *testing.T) {
	repeat := func(n int, keys ...string) (all []string) {
		for range n {
			all = append(all, keys...)
		}
		return all
	}
	for name, test := range map[string]struct {
		begin []string // until the screen is there
		keys  []string
		check func(f *fixture.Repo) string
	}{
		"Sort":   {[]string{"+40 hunks"}, repeat(40, "Enter"), func(f *fixture.Repo) string { return f.Git("diff", "--cached", "--numstat") }},
		"trays":  {[]string{"+40 hunks"}, repeat(10, "1", "2", "n", "3"), func(f *fixture.Repo) string { return f.Git("diff", "--cached") }},
		"marks":  {[]string{"+40 hunks"}, repeat(8, "Space", "j", "Space", "Enter", "Enter", "u"), func(f *fixture.Repo) string { return f.Git("diff", "--cached") }},
		"Shape":  {[]string{"+40 hunks", "]", "+10 commits, nothing planned yet"}, repeat(8, "j", "K", "x", "j", "s"), func(f *fixture.Repo) string { return f.Git("rev-parse", "topic") }},
		"across": {[]string{"+40 hunks"}, repeat(5, "Enter", "]", "j", "J", "]", "]", "[", "[", "["), func(f *fixture.Repo) string { return f.Git("diff", "--cached") }},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			var screens, outcomes [2]string
			for i, slowly := range []bool{true, false} {
				f := manyHunks(t)
				term := open(t, f.Dir, 142, 42)
				term.play(test.begin...)
				term.typed(test.keys, slowly)
				screens[i], outcomes[i] = term.screen(), test.check(f)
				term.tmux("kill-server")
			}
			name := func(screen string) string { _, rest, _ := strings.Cut(screen, " is on "); return rest } // each folder has its own
			assert.Equal(t, outcomes[0], outcomes[1])
			assert.Equal(t, name(screens[0]), name(screens[1]))
			assert.NotEmpty(t, outcomes[0])
		})
	}
}
