package tmux

import (
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
func (term *terminal) rest() { term.restFor(150 * time.Millisecond) }

func (term *terminal) restFor(while time.Duration) {
	term.t.Helper()
	shown, since := term.screen(), time.Now()
	require.Eventually(term.t, func() bool {
		if now := term.screen(); now != shown {
			shown, since = now, time.Now()
		}
		return time.Since(since) > while
	}, patience, 50*time.Millisecond)
}

// bench is a repository in the midst of everything: a file of forty loose hunks, a branch of ten commits of which
// three are not sent, and a target that changed the same lines.
func bench(t *testing.T) (f, remote *fixture.Repo) {
	f = fixture.At(t, t.TempDir())
	text := func(mark string) string {
		var b strings.Builder
		for i := range 40 {
			fmt.Fprintf(&b, "%s %d\n%s", mark, i, strings.Repeat("between\n", 8))
		}
		return b.String()
	}
	shared := func(word string, upTo int) string {
		var b strings.Builder
		for i := range 10 {
			line := "plain"
			if i < upTo {
				line = word
			}
			fmt.Fprintf(&b, "%d %s\n", i, line)
			for n := range 6 {
				fmt.Fprintf(&b, "%d between, %d\n", i, n)
			}
		}
		return b.String()
	}
	f.Commit("base", "many", text("line"), "shared", shared("", 0))
	remote = f.Remote(t)
	f.Git("push", "--quiet", "--set-upstream", "origin", "main")
	f.Git("switch", "--quiet", "-c", "topic")
	for i := range 10 {
		f.Commit(fmt.Sprint("Add file ", i), fmt.Sprint("file", i), fmt.Sprint(i, "\n"), "shared", shared("topic", i+1))
		if i == 6 {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
		}
	}
	f.Git("switch", "--quiet", "main")
	f.Commit("Say it otherwise", "shared", shared("main", 10))
	f.Git("push", "--quiet", "origin", "main")
	f.Git("reset", "--quiet", "--hard", "HEAD~1")
	f.Git("switch", "--quiet", "topic")
	f.Write("many", text("LINE"))
	return f, remote
}

// ways lead to each screen of the bench.
var ways = map[string][]string{
	"Sort":  {"+40 hunks"},
	"Shape": {"+40 hunks", "]", "+10 commits, nothing planned yet"},
	"Mend": {"+40 hunks", "]", "+nothing planned yet", ")", "+What does the series go onto?", "text:origin/main", "Enter",
		"+10 conflicts", "]", "+1 open"},
	"Send":            {"+40 hunks", "]", "]", "]", "+3 commits to send"},
	"Map":             {"+40 hunks", "[", "+▰ Map", "+Add file 9"},
	"Reading through": {"+40 hunks", "]", "]", "]", "+3 commits to send", "v", "+0 of"},
}

// draft is all that a repository and Bastel hold of what was done here, but for times.
func draft(f *fixture.Repo) string {
	var b strings.Builder
	for _, args := range [][]string{{"rev-parse", "HEAD"}, {"diff", "--cached"},
		{"for-each-ref", "--format=%(objectname) %(refname)", "refs/heads"}} {
		b.WriteString(f.Git(args...) + "\n")
	}
	names, _ := filepath.Glob(filepath.Join(f.Dir, ".git", "bastel", "plan-*.toml"))
	for _, name := range names {
		data, err := os.ReadFile(name)
		if err == nil {
			b.Write(data)
		}
	}
	return b.String()
}

// shows is a screen without the repository's name, which each folder has its own of.
func shows(screen string) string {
	branch, rest, _ := strings.Cut(screen, " in ")
	return branch + strings.TrimLeft(rest, "abcdefghijklmnopqrstuvwxyz0123456789-")
}

// withoutNews is a screen but for its last rows, where news come and go.
func withoutNews(screen string) string {
	rows := strings.Split(strings.TrimRight(screen, "\n"), "\n")
	return strings.Join(rows[:len(rows)-3], "\n")
}

func repeat(n int, keys ...string) (all []string) {
	for range n {
		all = append(all, keys...)
	}
	return all
}

// TestLawOneNoKeyIsEverLost: forty keys at 30 ms do what they do when each of them is waited for,
// on every screen; and the screen then shows the same.
func TestLawOneNoKeyIsEverLost(t *testing.T) {
	for name, test := range map[string]struct {
		way  string
		keys []string
	}{
		"Sort":            {"Sort", repeat(40, "Enter")},
		"trays":           {"Sort", repeat(10, "1", "2", "n", "3")},
		"marks":           {"Sort", repeat(8, "Space", "j", "Space", "Enter", "Enter", "u")},
		"undo and redo":   {"Sort", repeat(8, "2", "3", "u", "u", "U")},
		"a message":       {"Sort", append(strings.Split("1mAddtheberthtable", ""), "C-s", "2", "m", "B", "C-s", "n", "n", "1")},
		"Map":             {"Map", repeat(8, "k", "x", "h", "j", "l")},
		"Shape":           {"Shape", repeat(8, "j", "K", "x", "j", "s")},
		"Mend":            {"Mend", repeat(5, "1", "2", "p", "u", "3", "n", "0", "x")},
		"Send":            {"Send", repeat(10, "h", "k", "l", "j")},
		"Reading through": {"Reading through", repeat(8, "v", "j", "n", "}", "v")},
		"across":          {"Sort", repeat(5, "Enter", "]", "j", "J", "]", "]", "[", "[", "[")},
	} {
		if often := name == test.way || name == "a message"; !often && fixture.Rounds(1, 2) == 1 {
			continue // in a soak
		}
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			var screens, drafts [2]string
			for i, slowly := range []bool{true, false} {
				f, _ := bench(t)
				term := open(t, f.Dir, 142, 42)
				term.play(ways[test.way]...)
				term.typed(test.keys, slowly)
				if !slowly {
					term.follows(func() bool { return draft(f) == drafts[0] })
				}
				term.restFor(time.Second) // until all is read again, on a busy machine too
				screens[i], drafts[i] = shows(term.screen()), draft(f)
				term.tmux("kill-server")
			}
			assert.Equal(t, drafts[0], drafts[1])
			assert.Equal(t, screens[0], screens[1])
		})
	}
}

// TestLawTwoWhatIsShownIsTrue: while keys come, another program changes files, the index, refs,
// remote-tracking refs and the configuration; then every screen shows what a fresh start does, and
// the cursor is where the keys took it.
func TestLawTwoWhatIsShownIsTrue(t *testing.T) {
	for name, way := range ways {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			f, remote := bench(t)
			term := open(t, f.Dir, 142, 42)
			term.play(way...)
			changes := []func(){
				func() { f.Write("fresh", "1\n") },
				func() { f.Git("add", "fresh") },
				func() { f.Git("commit", "--quiet", "-m", "Another terminal's", "fresh") },
				func() {
					remote.Git("update-ref", "refs/heads/theirs", "main")
					f.Git("fetch", "--quiet")
				},
				func() { f.Git("branch", "deep/new", "main") },
				func() { f.Git("config", "bastel.check", "true") },
				func() { f.Write("other", "2\n") },
			}
			for i, key := range repeat(7, "j", "k", "j") {
				term.keys(key)
				if i%3 == 0 {
					changes[i/3]()
				}
				<-time.After(30 * time.Millisecond)
			}
			term.waitFor("11 commits")
			if name == "Sort" {
				term.keys("G")
			}
			term.keys("r")
			term.restFor(time.Second)
			before := term.screen()
			term.keys("r")
			term.restFor(time.Second)
			assert.Equal(t, withoutNews(before), withoutNews(term.screen()), "reading again changes nothing")
			now := shows(before)
			term.keys("q")
			again := open2(t, term, f.Dir)
			again.waitFor("40 hunks")
			again.rest()
			top := func(screen string) string { return strings.Join(strings.SplitN(screen, "\n", 3)[:1], "") }
			assert.Equal(t, top(now), top(shows(again.screen())), "the sentence at the top")
			if name == "Sort" {
				assert.Contains(t, now, "other")
			}
			if name == "Shape" || name == "Send" {
				assert.Contains(t, now, "Another terminal's")
			}
		})
	}
}

// TestLawThreeOneBranchIsAtWork: it is named at the top of every screen, and is the same for Shape,
// Mend and Send; what is checked out stays as it is, and Sort's a asks.
func TestLawThreeOneBranchIsAtWork(t *testing.T) {
	f, _ := bench(t)
	f.Git("branch", "--quiet", "second", "topic~2")
	before := f.Git("rev-parse", "HEAD", "topic")
	term := open(t, f.Dir, 142, 42)
	term.play("+40 hunks", "b", "+second", "text:second", "Enter", "+second is at work")
	for _, there := range []string{"Sort", "Shape", "Mend", "Send"} {
		term.waitFor("second", "▰ "+there)
		top, _, _ := strings.Cut(term.screen(), "▰ "+there)
		assert.Contains(t, top, "second", there)
		switch there {
		case "Shape":
			term.waitFor("8 commits")
		case "Send":
			term.waitFor("origin has second")
		}
		if there != "Send" {
			term.keys("]")
		}
	}
	term.play("[", "[", "[", "+▰ Sort", "1", "+1 hunk in 1 file", "m", "text:One", "C-s", "+One", "a", "+y commits to topic")
	term.keys("Escape")
	assert.Equal(t, before, f.Git("rev-parse", "HEAD", "topic"))
	assert.Equal(t, "refs/heads/topic", f.Git("symbolic-ref", "HEAD"))
}

// TestLawFourUndoTakesTheLastThingBack: first in the view that is open; then it offers the last entry of the
// journal by its name and branch, and does no more than it said.
func TestLawFourUndoTakesTheLastThingBack(t *testing.T) {
	for name, test := range map[string]struct {
		way  string
		do   []string // two things
		back []string // what undo shows, one press after the other
	}{
		"Sort":  {"Sort", []string{"n", "1", "2", "+1 hunk in 1 file"}, []string{"u", "+Taken back.", "u", "-1 hunk in 1 file"}},
		"Shape": {"Shape", []string{"x", "j", "x", "+left out"}, []string{"u", "u", "+nothing planned yet"}},
		"Mend": {"Mend", []string{"1", "+entry 2 of 11", "1", "+entry 3 of 11"},
			[]string{"u", "+entry 2 of 11", "u", "+entry 1 of 11", "u", "[", "+nothing planned yet"}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			f, _ := bench(t)
			f.Write("more", "1\n")
			term := open(t, f.Dir, 142, 42)
			term.play("+40 hunks", "G", "+more", "1", "+1 hunk in 1 file", "m", "text:Say more", "C-s", "+Say more", "a", "+Made commit", "g")
			f.Git("push", "--quiet", "origin", "HEAD~1:refs/heads/elsewhere")
			made := f.Git("rev-parse", "HEAD")
			way := ways[test.way]
			for i := range way {
				way = append(way[:i:i], append([]string{strings.ReplaceAll(way[i], "10 commits", "11 commits")}, way[i+1:]...)...)
			}
			term.play(way...)
			was := draft(f)
			term.play(test.do...)
			term.play(test.back...)
			term.rest()
			assert.Equal(t, made, f.Git("rev-parse", "HEAD"))
			term.follows(func() bool { return test.way == "Mend" || draft(f) == was })
			term.play("u", "+Undo the commit: Say more, on topic? y does it.", "Escape", "+Nothing was done.")
			assert.Equal(t, made, f.Git("rev-parse", "HEAD"), "it was only offered")
			term.play("u", "+Undo the commit: Say more, on topic? y does it.", "y", "+Undid the commit: Say more")
			assert.Equal(t, made+"~1", made+"~1")
			assert.Equal(t, f.Git("rev-parse", made+"~1"), f.Git("rev-parse", "HEAD"))
		})
	}
}

// TestLawFiveADraftIsNeverLost: trays, messages, what is being written, plans, answers, ticks and notes are there again
// after leaving, and after a kill, at any moment; keys that came just before leaving have their effect.
func TestLawFiveADraftIsNeverLost(t *testing.T) {
	for name, test := range map[string]struct {
		way  string
		keys []string
		then []string // to where it shows again
	}{
		"Sort":   {"Sort", append(repeat(6, "1", "2", "3"), "m", "O", "n", "e", "C-s"), []string{"+ hunks"}},
		"a text": {"Sort", []string{"1", "m", "H", "a", "l", "f"}, []string{"+39 hunks", "m", "+Half"}},
		"Shape":  {"Shape", repeat(6, "x", "j", "j", "K"), []string{"+40 hunks", "]", "+left out"}},
		"Mend":   {"Mend", repeat(4, "1", "2", "p", "3"), []string{"+40 hunks", "]", "]", "+region"}},
		"Reading through": {"Reading through", append(repeat(6, "v"), "m", "W", "h", "y", "C-s"),
			[]string{"+40 hunks", "]", "]", "]", "+3 commits to send", "v", "+Why"}},
	} {
		ends := []string{"left", "killed", "killed at once"}
		first := len(name) % len(ends) // another one for each
		for n := range fixture.Rounds(1, len(ends)) {
			end := ends[(first+n)%len(ends)]
			t.Run(name+", "+end, func(t *testing.T) {
				t.Parallel()
				f, _ := bench(t)
				term := open(t, f.Dir, 142, 42)
				term.play(ways[test.way]...)
				for _, key := range test.keys {
					term.keys(key)
					<-time.After(30 * time.Millisecond)
				}
				pid := strings.TrimSpace(term.tmux("display-message", "-p", "-t", "s", "#{pane_pid}"))
				was := ""
				switch {
				case end == "left" && name != "a text":
					term.keys("q")
				case end == "killed":
					if name == "Sort" { // the last of the keys: on a busy machine the screen rests before they all had their effect
						term.follows(func() bool { return keeps(f, "One") })
					}
					term.rest()
					term.follows(func() bool { before := was; was = draft(f); return was == before })
					fallthrough
				default:
					if name == "a text" { // it is kept by itself: once that is so nothing takes it away
						term.follows(func() bool { return keeps(f, "Half") })
					}
					require.NoError(t, exec.Command("kill", "-9", pid).Run())
				}
				again := open2(t, term, f.Dir)
				if end == "killed at once" { // the last keys may not have had their effect; what there is, is whole
					again.waitFor(" hunks")
					f.Git("fsck", "--strict")
					return
				}
				again.play(test.then...)
				again.rest()
				if was != "" {
					assert.Equal(t, was, draft(f))
				}
				if name == "Sort" {
					assert.Equal(t, 6, strings.Count(f.Git("diff", "--cached"), "\n@@ "))
					again.play("t", "+One", "Escape")
				}
				f.Git("fsck", "--strict")
			})
		}
	}
}

// keeps says whether a text lies among what Bastel keeps in the repository.
func keeps(f *fixture.Repo, text string) bool {
	if trays, err := f.Run("cat-file", "-p", "BASTEL_TRAYS:trays.json"); err == nil && strings.Contains(trays, text) {
		return true
	}
	names, _ := filepath.Glob(filepath.Join(f.Dir, ".git", "bastel", "*"))
	return slices.ContainsFunc(names, func(name string) bool {
		data, err := os.ReadFile(name)
		return err == nil && strings.Contains(string(data), text)
	})
}

// TestLawSevenChoosersLieBesideWhatTheyAreAbout: never over it. The choice at the cursor is read out in Next, and a digit
// before a choice is its key.
func TestLawSevenChoosersLieBesideWhatTheyAreAbout(t *testing.T) {
	for name, test := range map[string]struct {
		way, key, asks string
		about          string // what stays on the screen
		said           string // of the second choice
		digit, then    string // a choice, and what comes of it
	}{
		"Sort":  {"Sort", "b", "Which branch is at work?", "loose changes", "not checked out", "2", "is at work now"},
		"Shape": {"Shape", ")", "What does the series go onto?", "10 commits", "10 conflicts", "1", "nothing planned yet"},
		"Send":  {"Send", "B", "Where does topic land?", "Ines Falk", "of the branch to land there", "1", "The branch lands on"},
	} {
		for _, size := range [][2]int{{142, 42}, {80, 24}} {
			t.Run(fmt.Sprint(name, " ", size[0]), func(t *testing.T) {
				t.Parallel()
				f, _ := bench(t)
				f.Git("branch", "--quiet", "second", "topic~2")
				term := open(t, f.Dir, size[0], size[1])
				if size[0] < 100 {
					term.play("+40 hunks")
					for range map[string]int{"Sort": 0, "Shape": 1, "Send": 3}[test.way] {
						term.keys("]")
					}
					term.waitFor("▰ " + test.way)
				} else {
					term.play(ways[test.way]...)
				}
				term.play(test.key, "+"+test.asks, "Down", "+"+test.said)
				assert.Contains(t, term.screen(), test.about)
				term.play(test.digit, "+"+test.then)
			})
		}
	}
}

// TestColumnsAreRemembered: one key everywhere shows differences in two columns, and the next start has them so; a terminal
// that is too narrow says so, and shows one.
func TestColumnsAreRemembered(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "c", "+Differences are in two columns", "++ func init() {", "]",
		"+▰ Shape", "G", "Enter", "+what ff50a77 changes", "+┊")
	term.play("q")
	term = open2(t, term, work.Dir)
	term.play("+3 hunks", "+┊", "c", "+Differences are in one column.", "-┊", "c", "+┊", "q")
	require.Eventually(t, func() bool { return exec.Command("tmux", "-L", term.name, "has-session").Run() != nil }, patience,
		20*time.Millisecond)
	term = open(t, work.Dir, 100, 30)
	term.play("+3 hunks", "-┊", "c", "+one column", "c", "+Two columns need 110 columns")
}

// TestLookAtWhatWillBe: an entry that is joined, and has another message, is looked at as the commit that will come of it.
func TestLookAtWhatWillBe(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "]", "+nothing planned yet", "G", "s", "+from 10 11", "m", "+Message of entry J", "text:, said anew", "C-s",
		"+Open at five in summer, said anew", "Enter", "+what entry J will hold", "+from 10, 11",
		"+Ines Falk <ines@lanternquay.example>", "+config/quay.toml",
		"+docs/guide.md", "Escape", "+from 10 11", "k", "Enter", "+what 7930dee changes")
}

// TestInASCII: where the locale has no other characters, all is drawn with those of ASCII, and nothing is out of its column.
func TestInASCII(t *testing.T) {
	work, _ := makeDemo(t)
	t.Setenv("BASTEL_TEST_LOCALE", "C")
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "+--- from line 29", "]", "+nothing planned yet", "+------", "[", "+3 hunks", "[", "+origin/main", "+---")
	assert.NotContains(t, strings.Map(func(r rune) rune {
		if r > 127 {
			return '!'
		}
		return -1
	}, term.screen()), "!")
}

// TestATourForTheFirstTime is offered once, in a line, and goes on by what it asks for being done.
func TestATourForTheFirstTime(t *testing.T) {
	work, _ := makeDemo(t)
	t.Setenv("XDG_STATE_HOME", t.TempDir())
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "+Z begins a tour of 8 steps", "Z", "+Tour, 1 of 8: Put the hunk", "Down", "+Tour, 1 of 8",
		"Enter", "+Tour, 2 of 8: Undo it: u", "u", "+Tour, 3 of 8: Go on to Shape", "]", "+Tour, 4 of 8: Change the plan",
		"+nothing planned yet", "[", "+In Shape, F4: Change the plan", "F4", "G", "s", "+from 10 11", "+Tour, 5 of 8: Apply the plan",
		"u", "+nothing planned yet", "+Tour, 6 of 8: Go on to Mend", "]", "+Tour, 7 of 8: Go on to Send", "]", "+▰ Send",
		"+Tour, 8 of 8: Find", ":", "+Find", "Escape", "+That was the tour", "F4", "G", "s", "u",
		"-That was the tour", "Z", "+Tour, 1 of 8", "q")
	term = open2(t, term, work.Dir)
	term.play("+3 hunks", "-begins a tour", "q")
	require.Eventually(t, func() bool { return exec.Command("tmux", "-L", term.name, "has-session").Run() != nil }, patience,
		20*time.Millisecond)
	t.Setenv("XDG_STATE_HOME", t.TempDir())
	term = open(t, work.Dir, 142, 42)
	term.play("+begins a tour", "Down", "-begins a tour", "-Tour,")
}
