// Package tmux drives the real application in a terminal: keys in, the screen out.
package tmux

import (
	"cmp"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/ask"
	"bastel/internal/cli"
	"bastel/internal/lifeline"
	"bastel/test/fixture"
)

// asMain makes this test binary be the application itself.
const asMain = "BASTEL_TEST_AS_MAIN"

func TestMain(m *testing.M) {
	ask.Main()
	lifeline.Main()
	if os.Getenv(asMain) != "" {
		os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
	}
	if _, err := exec.LookPath("tmux"); err != nil {
		fmt.Fprintln(os.Stderr, "These tests need tmux. Install it: apt-get install tmux, or brew install tmux.")
		os.Exit(1)
	}
	os.Exit(notForTheFirstTime(m.Run))
}

// notForTheFirstTime runs tests with a folder for state in which the application has been before.
func notForTheFirstTime(run func() int) int {
	state, err := os.MkdirTemp("", "state")
	if err == nil {
		defer os.RemoveAll(state)
		err = os.MkdirAll(filepath.Join(state, "bastel"), 0o777)
	}
	if err == nil {
		err = os.WriteFile(filepath.Join(state, "bastel", "started"), nil, 0o666)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	os.Setenv("XDG_STATE_HOME", state)
	return run()
}

// terminal is a tmux session that runs the application.
type terminal struct {
	t    *testing.T
	name string
}

// opened counts the sessions: each has a server of its own.
var opened atomic.Int32

func open(t *testing.T, dir string, width, height int, args ...string) *terminal {
	t.Helper()
	return inTerminal(t, dir, width, height, fmt.Sprintf("TERM=xterm-256color LC_ALL=%s %s=1 exec %s %s",
		cmp.Or(os.Getenv("BASTEL_TEST_LOCALE"), "C.UTF-8"), asMain, self(t), strings.Join(args, " ")))
}

// inTerminal opens a session that runs a command of the shell.
func inTerminal(t *testing.T, dir string, width, height int, command string) *terminal {
	t.Helper()
	term := &terminal{t, fmt.Sprintf("bastel-%d-%d-%s", os.Getpid(), opened.Add(1), strings.ReplaceAll(t.Name(), "/", "-"))}
	term.tmux("-f", os.DevNull, "new-session", "-d", "-s", "s", "-x", fmt.Sprint(width), "-y", fmt.Sprint(height), "-c", dir, command)
	application := strings.TrimSpace(term.tmux("display-message", "-p", "-t", "s", "#{pane_pid}"))
	t.Cleanup(func() {
		exec.Command("tmux", "-L", term.name, "kill-server").Run()
		term.waitForTheEnd(application, dir)
	})
	return term
}

// waitForTheEnd waits until the application is gone, and what it had started: before that
// it may still write into its folder, which then cannot be removed.
func (term *terminal) waitForTheEnd(application, dir string) {
	gone := func() bool { // or dead, and only not taken note of yet
		state, err := exec.Command("ps", "-o", "stat=", "-p", application).Output()
		return err != nil || strings.HasPrefix(string(state), "Z")
	}
	assert.Eventually(term.t, gone, patience, 10*time.Millisecond, "the application goes on")
	assert.Eventually(term.t, func() bool { return os.RemoveAll(dir) == nil }, patience, 10*time.Millisecond, "something writes on")
}

func self(t *testing.T) string {
	t.Helper()
	path, err := os.Executable()
	require.NoError(t, err)
	return path
}

func (term *terminal) tmux(args ...string) string {
	term.t.Helper()
	out, err := exec.Command("tmux", append([]string{"-L", term.name}, args...)...).CombinedOutput()
	require.NoError(term.t, err, "tmux %v: %s", args, out)
	return string(out)
}

func (term *terminal) screen() string { return term.tmux("capture-pane", "-p", "-t", "s") }

// keys sends keys as tmux names them.
func (term *terminal) keys(keys ...string) {
	term.t.Helper()
	args := []string{"send-keys", "-t", "s"}
	for _, key := range keys {
		if key == ";" {
			key = `\;` // by itself it parts commands of tmux
		}
		args = append(args, key)
	}
	term.tmux(args...)
}

func (term *terminal) text(text string) { term.tmux("send-keys", "-t", "s", "-l", text) }

// play sends keys, "text:..." as it is; it waits for what begins with a plus sign, and until
// what begins with a minus sign is gone.
func (term *terminal) play(steps ...string) {
	term.t.Helper()
	for _, step := range steps {
		switch rest, isText := strings.CutPrefix(step, "text:"); {
		case isText:
			term.text(rest)
		case len(step) > 1 && step[0] == '+':
			term.waitFor(step[1:])
		case len(step) > 1 && step[0] == '-':
			term.waitUntilGone(step[1:])
		default:
			term.keys(step)
		}
	}
}

// patience is how long a screen may take before the test gives up on it.
const patience = 20 * time.Second

// waitFor waits until the screen shows all the texts, at three looks: what a key answers must have been there for two frames, to be read.
func (term *terminal) waitFor(texts ...string) string {
	term.t.Helper()
	var shown string
	seen := 0
	ok := assert.Eventually(term.t, func() bool {
		shown = term.screen()
		seen++
		for _, text := range texts {
			if !strings.Contains(shown, text) {
				seen = 0
			}
		}
		return seen > 2 // looks are 20 ms apart
	}, patience, 20*time.Millisecond)
	if !ok {
		term.t.Fatalf("not on the screen: %q\n%s", texts, shown)
	}
	return shown
}

// waitUntilGone waits until the screen no longer shows the text.
func (term *terminal) waitUntilGone(text string) {
	term.t.Helper()
	if !assert.Eventually(term.t, func() bool { return !strings.Contains(term.screen(), text) }, patience, 20*time.Millisecond) {
		term.t.Fatalf("still on the screen: %q\n%s", text, term.screen())
	}
}

func makeDemo(t *testing.T) (work, shared *fixture.Repo) {
	t.Helper()
	dir := t.TempDir()
	cmd := exec.Command(self(t), "demo", "--no-open", "--dir", dir)
	cmd.Env = append(os.Environ(), asMain+"=1")
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	return fixture.Existing(t, dir+"/work"), fixture.Existing(t, dir+"/shared.git")
}

// TestTheWholeWay sorts, shapes and sends the demo by keys alone.
func TestTheWholeWay(t *testing.T) {
	work, shared := makeDemo(t)
	term := open(t, work.Dir, 142, 42)

	// Two hunks of one file into a commit, the leftover stays loose.
	term.waitFor("Now  loose changes", "3 hunks", "nothing in it yet")
	term.keys("n", "Enter")
	term.waitFor("1 hunk in 1 file", "2 hunks")
	term.keys("Enter")
	term.waitFor("2 hunks in 1 file")
	term.keys("a") // no message yet: the editor opens
	term.waitFor("Message of tray A")
	term.text("Give ships a berth that is deep enough")
	term.waitFor("subject 38 of 60")
	term.keys("C-s")
	term.waitUntilGone("Message of tray A")
	term.keys("a")
	term.waitFor("Made commit", "nothing in it yet", "12 commits ahead")
	changed := work.Git("show", "--format=", "HEAD")
	assert.Contains(t, changed, "Fits(b, ship)")
	assert.Contains(t, changed, `{"Fish Steps", 2, 18}`)
	assert.NotContains(t, changed, "DEBUG")
	assert.Equal(t, "berth/plan.go", work.Git("show", "--format=", "--name-only", "HEAD"))
	assert.Contains(t, work.Git("diff", "berth/plan.go"), "+func init()")
	loose := work.Git("diff") + work.Git("status", "--porcelain")

	// Out with the red theme; "more tide" below "tide offsets" and into it, with a
	// new message; "mooring depth" to the top.
	term.keys("]")
	term.waitFor("Next  stays where it begins", "12 commits, nothing planned yet")
	term.keys("j", "j", "x")
	term.waitFor("left out: 3  Try the red theme", "11 commits, the content changes")
	term.keys("j", "K")
	term.waitFor("C   more tide")
	term.keys("s")
	term.waitFor("from 2 5, message of 2")
	term.keys("m")
	term.waitFor("Message of entry B")
	term.keys("C-g", "BSpace")
	term.text("Work out tides per quay")
	term.waitFor("subject 23 of 60")
	term.keys("C-s")
	term.waitFor("B   Work out tides per quay", "message new")
	term.keys("j", "K", "K")
	term.waitFor("A   mooring depth", "10 commits, the content changes")
	before := work.Git("rev-parse", "HEAD")
	term.keys("a")
	term.waitFor("12 commits became 10.", "nothing planned yet")
	assert.Equal(t, loose, work.Git("diff")+work.Git("status", "--porcelain"), "loose work is as it was")
	assert.Contains(t, work.Read("web/board.css"), "#1d2b36", "the red theme is gone from the working tree too")

	// Taken back and done again.
	after := work.Git("rev-parse", "HEAD")
	term.play("u", "+? y does it.", "y")
	term.waitFor("Undid the apply")
	assert.Equal(t, before, work.Git("rev-parse", "HEAD"))
	assert.Contains(t, work.Read("web/board.css"), "#a3001b")
	term.keys("U")
	term.waitFor("Redid the apply")
	assert.Equal(t, after, work.Git("rev-parse", "HEAD"))

	// Sent, after a question, since commits there are replaced.
	term.keys("]", "]")
	term.waitFor("10 commits to send", "moved", "joined", "joins 2", "gone")
	term.keys("a")
	term.waitFor("On origin: 5 of yours replaced and 1 of yours removed. y sends.")
	term.keys("n")
	term.waitFor("Nothing was done.")
	assert.NotEqual(t, after, shared.Git("rev-parse", "feature/berth-board"))
	term.keys("a")
	term.waitFor("y sends.")
	term.keys("y")
	term.waitFor("Sent 10 commits.", "The remote has all of it.")
	term.keys("q")

	assert.Equal(t, after, shared.Git("rev-parse", "feature/berth-board"))
	assert.Equal(t, strings.Join([]string{"mooring depth", "Read the berth table", "Work out tides per quay", "parser again",
		"Show berths on the board", "newer chart-lines", "depth at fish steps was wrong", "Open at five in summer",
		"guide: the table", "Give ships a berth that is deep enough"}, "\n"),
		shared.Git("log", "--reverse", "--format=%s", "main~5..feature/berth-board"))
	assert.Empty(t, shared.Git("rev-list", "--merges", "feature/berth-board"))
	assert.Equal(t, loose, work.Git("diff")+work.Git("status", "--porcelain"))
	work.Git("fsck", "--strict")
	shared.Git("fsck", "--strict")
}

// TestSortingInOnePass: three intents, a leftover and a forgotten bit become three
// commits and one completed earlier commit.
func TestSortingInOnePass(t *testing.T) {
	work, _ := makeDemo(t)
	content := work.Read("berth/plan.go")
	term := open(t, work.Dir, 142, 42)
	message := func(text string) {
		term.keys("m")
		term.waitFor("Message of tray")
		term.text(text)
		term.waitFor(text)
		term.keys("C-s")
		term.waitUntilGone("Message of tray")
		term.waitFor(text)
	}
	term.waitFor("3 hunks", "▲ 1 leftover")
	term.keys("L")
	term.waitFor("Throw 1 leftover line away?")
	term.keys("y")
	term.waitFor("Thrown away: 1 leftover line.")
	term.waitUntilGone("▲ 1 leftover")
	term.keys("x") // the blank line that stood below it
	term.waitFor("Throw 1 hunk of berth/plan.go away?")
	term.keys("y")
	term.waitFor("2 hunks")

	// The forgotten bit goes home.
	term.keys("H")
	term.waitFor("1 of 6 hunks will join a commit", "joined by 1 hunk", "It changes lines that this commit was the last to change.")
	term.keys("Enter")
	term.waitFor("the commit as it is", "the commit as it will be", "length in")
	term.keys("Escape")
	term.waitFor("joined by 1 hunk")
	term.keys("a")
	term.waitFor("Joined 1 hunk to earlier commits", "Loose: 4")
	assert.Contains(t, work.Git("show", "HEAD~10:berth/table.go"), "length in metres")
	assert.Equal(t, "Read the berth table", work.Git("log", "-1", "--format=%s", "HEAD~10"))

	// Three intents into three trays, in one go down the stream.
	term.keys("g", "j", "1")
	term.waitFor("1 hunk in 1 file")
	term.keys("1")
	term.waitFor("2 hunks in 1 file")
	message("Give ships a berth that is deep enough")
	term.keys("2")
	term.waitFor("■ B", "a makes 2 commits")
	message("Ring the lock keeper")
	term.keys("3")
	term.waitFor("■ C", "a makes 3 commits")
	message("Name the board")
	term.keys("1")
	term.waitFor("No loose changes.", "3 hunks in 2 files")
	term.keys("a")
	term.waitFor("Made 3 commits", "14 commits ahead")
	assert.Equal(t, "Give ships a berth that is deep enough\nRing the lock keeper\nName the board",
		work.Git("log", "--reverse", "-3", "--format=%s"))
	assert.Equal(t, "berth/plan.go\nberth/plan_test.go", work.Git("show", "--format=", "--name-only", "HEAD~2"))
	assert.Equal(t, "docs/guide.md", work.Git("show", "--format=", "--name-only", "HEAD~1"))
	assert.Equal(t, "web/board.html", work.Git("show", "--format=", "--name-only", "HEAD"))
	assert.Empty(t, work.Git("status", "--porcelain"))

	// All of it comes back, step by step.
	term.play("u", "+? y does it.", "y")
	term.waitFor("Undid the commit", "a makes 3 commits")
	term.play("u", "+? y does it.", "y")
	term.waitFor("Undid the joining of hunks")
	term.play("u", "+? y does it.", "y")
	term.waitFor("Undid the discard")
	term.play("u", "+? y does it.", "y")
	term.waitFor("▲ 1 leftover")
	assert.Equal(t, content, work.Read("berth/plan.go"))
	work.Git("fsck", "--strict")
}

// follows waits until the repository is as the screen shows it.
func (term *terminal) follows(so func() bool) {
	term.t.Helper()
	assert.Eventually(term.t, so, patience, 20*time.Millisecond, "the repository follows")
}

func TestLinesAndWayBack(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	// Only the second line of the leftover, then back across the seam.
	term.keys("j", "j", "j", "j", "Space")
	term.waitFor("1 line marked", "■")
	term.keys("Enter")
	term.waitFor("1 hunk in 1 file")
	term.follows(func() bool { return strings.Count(work.Git("diff", "--cached"), "\n+func init") == 1 })
	assert.Equal(t, 1, strings.Count(work.Git("diff", "--cached", "--numstat"), "1\t0\tberth/plan.go"))
	term.play("C", "+Put what on the clipboard?", "+the hunk, as a patch", "1", "+programs reach it: the hunk")
	term.keys("l", "Enter")
	term.waitFor("nothing in it yet")
	term.follows(func() bool { return work.Git("diff", "--cached") == "" })
	term.keys("h", "f")
	term.waitFor("3 hunks in 1 file")
	term.keys("e")
	term.waitFor("No loose changes.", "in 5 files")
}

func TestDiscardAsksAndComesBack(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	before := work.Read("berth/plan.go")
	term.keys("x")
	term.waitFor("Throw 1 hunk of berth/plan.go away? y does; u brings it back.")
	term.keys("Escape")
	term.waitFor("Nothing was done.")
	assert.Equal(t, before, work.Read("berth/plan.go"))
	term.play("x", "+away?", "y")
	term.waitFor("Thrown away: 1 hunk of berth/plan.go.", "2 hunks")
	assert.NotContains(t, work.Read("berth/plan.go"), "DEBUG")
	term.play("u", "+? y does it.", "y")
	term.waitFor("Undid the discard", "3 hunks")
	assert.Equal(t, before, work.Read("berth/plan.go"))
}

// TestRegroupingIntoThree: eleven commits become three, with one divided, one dropped
// and new messages, by keys alone; left in the middle and come back to.
func TestRegroupingIntoThree(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	term.keys("]")
	term.waitFor("nothing planned yet", "2 files +32 −0")
	term.keys("j", "j", "x")
	term.waitFor("left out: 3  Try the red theme", "10 commits, the content changes")
	term.keys("d")
	term.waitFor("Now  mooring depth", "its parts, in order")
	term.keys("1")
	term.waitFor("1 hunk in 1 file")
	term.keys("a")
	term.waitFor("from 4.1", "from 4.2", "11 commits, the content changes")

	term.keys("g", "Space", "j", "Space", "j", "j", "Space", "s")
	term.waitFor("from 1 4.1 6", "9 commits, the content changes")
	term.keys("q")
	term = open2(t, term, work.Dir)
	term.waitFor("3 hunks")
	term.keys("]")
	term.waitFor("from 1 4.1 6", "from 4.2", "9 commits, the content changes")
	term.keys("g", "j", "Space", "j", "Space", "s")
	term.waitFor("from 2 5", "8 commits, the content changes")
	term.keys("g", "j", "j", "Space", "Space", "Space", "Space", "Space", "Space", "s")
	term.waitFor("from 4.2 7 8 9 10 11", "3 commits, the content changes")
	term.keys("m")
	term.waitFor("Message of entry C")
	term.keys("C-o")
	term.waitFor("Start from an earlier message")
	term.keys("Escape", "C-t") // the terminal tells the two as one
	term.waitFor("Add a trailer", "Signed-off-by: Ines Falk")
	term.keys("Enter")
	term.waitFor("Message of entry C", "Signed-off-by: Ines Falk")
	term.keys("C-s")
	term.waitFor("message new")
	term.keys("a")
	term.waitFor("11 commits became 3.", "3 commits, nothing planned yet")
	after := work.Git("rev-parse", "HEAD")
	assert.Equal(t, "Read the berth table\ntide offsets\nmooring depth, part 2", work.Git("log", "--reverse", "-3", "--format=%s"))
	assert.Equal(t, "berth/depth.go\nberth/table.go\nberths.csv", work.Git("show", "--format=", "--name-only", "HEAD~2"))
	term.play("u", "+? y does it.", "y")
	term.waitFor("Undid the apply", "3 commits, the content changes", "message new")
	term.keys("U")
	term.waitFor("Redid the apply")
	assert.Equal(t, after, work.Git("rev-parse", "HEAD"))
	work.Git("fsck", "--strict")
}

func TestOverlapsIdeasAndQuickWays(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	term.keys("]")
	term.waitFor("2 files +32 −0")
	term.keys("O")
	term.waitFor("files by commits", "■━━━━━━━━━━━━━━━━━━━■", "its lines are touched by 6, parser again,")
	term.keys("Enter")
	term.waitFor("berth/depth.go, commit by commit", "depth at fish steps was wrong")
	term.keys("Escape")
	term.waitFor("files by commits")
	term.keys("Escape")
	term.waitFor("nothing planned yet")
	term.keys("*")
	term.waitFor("Join 5, more tide, into 2", "1 2+5 3 4 6 7 8 9 10 11")
	term.keys("Enter")
	term.waitFor("from 2 5", "10 commits, content the same byte for byte")
	term.keys("u")
	term.waitFor("11 commits, nothing planned yet")
	term.keys("g", "j", "j", "A")
	term.waitFor("Done at once", "Leave it out")
	term.keys("x")
	term.waitFor("11 commits became 10.", "u undoes it")
	assert.NotContains(t, work.Git("log", "--format=%s"), "Try the red theme")
}

func TestConflictsAreForecastAndRefused(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	term.keys("]")
	term.waitFor("nothing planned yet")
	term.keys(")")
	term.waitFor("What does the series go onto?", "origin/main")
	term.text("origin/main")
	term.keys("Enter")
	term.waitFor("onto origin/main", "4 conflicts", "the target has this change already")
	head := work.Git("rev-parse", "HEAD")
	term.keys("a")
	term.waitFor("The plan has conflicts, and nothing was changed", "config/quay.toml, with ed01566 of Mira")
	assert.Equal(t, head, work.Git("rev-parse", "HEAD"))
	term.keys("Escape")
	term.waitFor("onto origin/main")
	// Left and come back to: the draft is still there.
	term.keys("q")
	again := open2(t, term, work.Dir)
	again.waitFor("3 hunks")
	again.keys("]")
	again.waitFor("onto origin/main", "4 conflicts")
	again.keys("z")
	again.waitFor("stays where it begins", "nothing planned yet")
}

// open2 opens the application once more after the first session has ended.
func open2(t *testing.T, first *terminal, dir string) *terminal {
	require.Eventually(t, func() bool { return exec.Command("tmux", "-L", first.name, "has-session").Run() != nil }, patience,
		20*time.Millisecond)
	return open(t, dir, 142, 42)
}

func TestUsefulScreensWhereLittleIs(t *testing.T) {
	t.Run("no repository", func(t *testing.T) {
		dir := t.TempDir()
		term := open(t, dir, 100, 30)
		term.waitFor("There is no repository here.", "+ make a repository here", "D open the demo")
		term.keys("+")
		term.waitFor("No commit yet in", "No loose changes.")
		assert.DirExists(t, dir+"/.git")
	})
	t.Run("empty repository", func(t *testing.T) {
		f := fixture.New(t)
		f.Write("first", "line\n")
		term := open(t, f.Dir, 100, 30)
		term.waitFor("No commit yet in work; the first will be on main", "first")
		term.keys("]")
		term.waitFor("There is no series to shape.", "Make one in Sort first")
		term.keys("]")
		term.waitFor("No conflict waits.")
		term.keys("]")
		term.waitFor("There is nothing to send.")
		term.keys("[", "[", "[", "f")
		term.waitFor("1 hunk in 1 file")
		term.keys("m")
		term.waitFor("Message of tray A")
		term.text("First")
		term.keys("C-s")
		term.waitUntilGone("Message of tray A")
		term.keys("a")
		term.waitFor("Made commit")
		assert.Equal(t, "First", f.Git("log", "--format=%s"))
	})
	t.Run("branch without own commits", func(t *testing.T) {
		f := fixture.New(t)
		f.Commit("base", "a", "1\n")
		f.Git("switch", "--quiet", "-c", "feature")
		term := open(t, f.Dir, 100, 30)
		term.waitFor("0 commits ahead of main")
		term.keys("]")
		term.waitFor("has no commits that main does not have")
	})
	t.Run("detached", func(t *testing.T) {
		f := fixture.New(t)
		f.Commit("base", "a", "1\n")
		f.Git("switch", "--quiet", "--detach")
		term := open(t, f.Dir, 100, 30)
		term.waitFor("On no branch")
		term.keys("]")
		term.waitFor("git switch -c NAME")
	})
}

func TestSmallScreenHelpAndFinder(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 80, 24)
	shown := term.waitFor("Now  loose changes", "Next →", "3 hunks")
	assert.NotContains(t, shown, "the commits to be")
	term.keys("Right")
	term.waitFor("← Now", "nothing in it yet")
	term.keys("Left")
	term.waitFor("Now  loose changes")
	term.keys("/")
	term.waitFor("Find in the changes")
	term.text("lock keeper")
	term.waitFor("the lock keeper.", "docs/guide.md")
	term.keys("Enter", "Space")
	term.waitFor("1 line marked", "■ ")
	term.keys("0", "?")
	term.waitFor("Now holds what you changed", "space")
	term.keys("Escape")
	term.waitUntilGone("Now holds what you changed")
	term.keys(":")
	term.waitFor("Find an action")
	term.text("fetch")
	term.waitFor("Fetch from the remote")
	term.keys("Enter")
	term.waitFor("Fetched from")
	term.tmux("resize-window", "-t", "s", "-x", "142", "-y", "42")
	term.waitFor("the commits to be on feature/berth-board")
	term.keys("w")
	term.waitFor("Journal: what was done here")
	term.keys("Escape")
	term.waitUntilGone("Journal: what was done here")
	term.tmux("resize-window", "-t", "s", "-x", "15", "-y", "5")
	term.waitFor("needs")
}

func TestARemoteThatCannotBeReached(t *testing.T) {
	work, _ := makeDemo(t)
	work.Git("remote", "set-url", "origin", filepath.Join(t.TempDir(), "nowhere.git"))
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	term.keys("F")
	term.waitFor("there is no repository at its address", "does not appear to be a git repository", "Check the remote's address")
	term.keys("Escape")
	term.waitFor("Now  loose changes")
}

func TestTheMouse(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("3 hunks")
	term.keys("]")
	term.waitFor("nothing planned yet")
	// A click in SGR encoding on the fourth commit of Next, and the wheel down.
	term.text("\x1b[<0;100;13M\x1b[<0;100;13m")
	term.keys("x")
	term.waitFor("left out: 4  mooring depth")
}

func TestNoColour(t *testing.T) {
	t.Setenv("NO_COLOR", "1")
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.waitFor("+ ", "− ", "3 hunks")
	assert.NotContains(t, term.tmux("capture-pane", "-p", "-e", "-t", "s"), "\x1b[38")
}

// TestMendingByKeys: a lock file with a dozen places in three keys, prose by lines and
// typing, a second place that cannot be overlooked, a file that the other side deleted;
// leaving in the middle and coming back.
func TestMendingByKeys(t *testing.T) {
	f := fixture.Quarrel(t, t.TempDir())
	term := open(t, f.Dir, 142, 42)
	term.waitFor("No loose changes")
	term.keys("]")
	term.waitFor("nothing planned yet", "1 file +12")
	term.keys(")")
	term.waitFor("What does the series go onto?")
	term.keys("Down", "Enter")
	term.waitFor("conflicts in the way")
	term.keys("a")
	term.waitFor("The plan has conflicts, and nothing was changed")
	term.keys("Escape")
	term.waitUntilGone("and nothing was changed")
	term.keys("!")
	term.waitFor("entry 1 of 4, Newer packages", "region 1 of 12", "12 open", "your commit 1", "The colleague's work",
		"▒▒ open: region 1")
	term.keys("1")
	term.waitFor("11 open")
	term.keys("R")
	term.waitFor("11 places: 1, in the rest of app.lock.", "entry 2 of 4, A warmer guide", "region 1 of 2", "2 open")

	// Prose, a bit of both, line by line, and some typing.
	term.keys("Space", "'", "j", "Space")
	term.waitFor("┃ Good morning.", "┃ Sit down.", "1 open")
	term.keys("m")
	term.waitFor("The text for this place")
	term.keys("End")
	term.text(" Mind the step.")
	term.keys("C-s")
	term.waitFor("region 2 of 2", "1 open", "Mind the step.")
	term.keys("q")

	// The second place is further down; nothing goes on without it.
	again := open2(t, term, f.Dir)
	again.waitFor("No loose changes")
	again.keys("]")
	again.waitFor("conflicts in the way")
	again.keys("]")
	again.waitFor("entry 2 of 4", "region 2 of 2", "1 open", "▒▒ open: region 2")
	again.keys("2")
	again.waitFor("entry 3 of 4", "depth")
	again.keys("2")
	again.waitFor("old.txt", "deleted it", "▒▒ open ▒▒")
	again.keys("2")
	again.waitFor("entry 4 of 4, Deeper")
	again.keys("1")
	again.waitFor("all answered, the rest is clean")
	again.keys("a")
	again.waitFor("4 commits became 3")
	assert.Equal(t, "Deeper\nA warmer guide\nNewer packages", f.Git("log", "--format=%s", "main.."),
		"nothing is left of the news of a file that is gone")
	assert.Contains(t, f.Read("guide.md"), "Good morning. Mind the step.\nSit down.\n")
	assert.NoFileExists(t, filepath.Join(f.Dir, "old.txt"))
	again.play("u", "+? y does it.", "y")
	again.waitFor("Undid the apply")
}

// TestAConflictThatAnotherToolLeft is mended on the same screen, stacked where there is
// no room for two halves.
func TestAConflictThatAnotherToolLeft(t *testing.T) {
	f := fixture.Quarrel(t, t.TempDir())
	_, err := f.Run("merge", "--quiet", "main")
	require.Error(t, err)
	term := open(t, f.Dir, 80, 24)
	term.waitFor("a merge begun outside Bastel waits")
	term.waitFor("a merge that waits in the working tree", "your branch topic", "the branch merged in", "open: region 1")
	term.keys("2", "R", "R", "R")
	term.waitFor("all answered")
	term.keys("a")
	term.waitFor("Message of the merge", "Merge branch")
	term.keys("C-s")
	term.waitFor("The merge is made")
	assert.Empty(t, f.Git("status", "--porcelain"))
	assert.Equal(t, f.Git("rev-parse", "main^{tree}"), f.Git("rev-parse", "HEAD^{tree}"), "all of it was taken from there")
}

// TestMendingInTheUsersEditor: the file comes with markers, the base among them, in a
// folder where the other files lie too. While markers stand it is not done.
func TestMendingInTheUsersEditor(t *testing.T) {
	f := fixture.Quarrel(t, t.TempDir())
	script := filepath.Join(t.TempDir(), "editor")
	require.NoError(t, os.WriteFile(script, []byte("#!/bin/sh\ncd \"$(dirname \"$1\")\" && test -f kept && test -f guide.md || exit 1\n"+
		"if grep -q half \"$1\"; then sed -i -e '/^[<|=>]\\{7\\}/d' -e '/half/d' \"$1\"; else echo half >>\"$1\"; fi\n"), 0o777))
	f.Git("config", "core.editor", script)
	term := open(t, f.Dir, 142, 42)
	term.waitFor("No loose changes")
	term.keys("]")
	term.waitFor("nothing planned yet")
	term.keys(")")
	term.waitFor("What does the series go onto?")
	term.keys("Down", "Enter")
	term.waitFor("conflicts in the way")
	term.keys("!")
	term.waitFor("entry 1 of 4", "12 open")
	term.keys("E")
	term.waitFor("looks like a conflict marker", "counts as unfinished")
	term.keys("n")
	term.waitUntilGone("looks like a conflict marker")
	term.waitFor("12 open")
	term.keys("E")
	term.waitFor("entry 2 of 4")
	term.keys("{")
	term.waitFor("text of your own:", "version 1.2.0", "version 1.3.0", "version 1.1.0")
}

// TestASuspendedApplicationComesBackWhole: also where a question is open.
func TestASuspendedApplicationComesBackWhole(t *testing.T) {
	work, _ := makeDemo(t)
	term := &terminal{t, fmt.Sprintf("bastel-%d-%d-suspended", os.Getpid(), opened.Add(1))}
	term.tmux("-f", os.DevNull, "new-session", "-d", "-s", "s", "-x", "142", "-y", "42", "-c", work.Dir, "bash --norc --noprofile")
	shell := strings.TrimSpace(term.tmux("display-message", "-p", "-t", "s", "#{pane_pid}"))
	t.Cleanup(func() {
		exec.Command("tmux", "-L", term.name, "kill-server").Run()
		term.waitForTheEnd(shell, work.Dir)
	})
	term.text("PS1='shell: '; TERM=xterm-256color " + asMain + "=1 " + self(t))
	term.play("Enter", "+3 hunks", "x", "+Throw 1 hunk", "C-z", "+shell: ")
	assert.NotContains(t, term.screen(), "3 hunks", "the screen of the shell is as it was")
	term.play("text:fg", "Enter", "+Throw 1 hunk", "n", "+Nothing was done", "j", "q", "+shell: ")
}
