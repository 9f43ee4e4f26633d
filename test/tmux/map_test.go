package tmux

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// quay is the bench with branches: a stack on topic, an early one of a colleague, three that are merged.
func quay(t *testing.T) *fixture.Repo {
	f, _ := bench(t)
	f.Git("branch", "--quiet", "upper", "topic")
	for _, name := range []string{"old-one", "old-two", "old-three"} {
		f.Git("branch", "--quiet", name, "main")
	}
	return f
}

// TestChangesAreAsideWithTheirBranch: where they are in the way they stay with the branch, and are there again.
func TestChangesAreAsideWithTheirBranch(t *testing.T) {
	f := quay(t)
	path := strings.TrimSpace(f.Git("diff", "--name-only"))
	f.Git("stash", "--quiet")
	f.Git("switch", "--quiet", "-c", "clash")
	f.Commit("Clash", path, "all of it otherwise\n")
	f.Git("switch", "--quiet", "topic")
	f.Git("stash", "pop", "--quiet")
	f.Write("new", "untracked\n")
	loose := f.Git("diff")
	term := open(t, f.Dir, 142, 42)
	term.play("+40 hunks", "[", "+▰ Map", "+▸topic", "/", "+Find on the chart", "text:clash", "Enter", "o", "+check out clash",
		"a", "+y puts all loose changes aside with topic", "y", "+were put aside")
	assert.Equal(t, "clash", f.Git("branch", "--show-current"))
	assert.Empty(t, f.Git("status", "--porcelain"))
	term.play("+~2", "/", "+Find on the chart", "text:topic", "Enter", "+put aside", "o", "+check out topic", "a", "+are back")
	assert.Equal(t, loose, f.Git("diff"))
	assert.Equal(t, "untracked\n", f.Read("new"))
}

// TestTheBranchesFromTheMap: find one, look at a commit, switch with loose changes there and back, make one from an old
// commit, delete three with undo.
func TestTheBranchesFromTheMap(t *testing.T) {
	f := quay(t)
	loose := f.Git("diff")
	term := open(t, f.Dir, 142, 42)
	term.play("+40 hunks", "[", "+▰ Map", "+▸topic", "+Add file 9")

	term.play("/", "+Find on the chart", "text:Add file 3", "Enter", "+Add file 3", "Enter",
		"+▰ ", "+file 3", "}", "+file 4", "Escape", "+hidden")

	term.play("C", "+Put what on the clipboard?", "+the short id", "3", "+reach it: the subject.")
	term.play("-", "+10  Add file 9", "-", "-+11  Add file 11")

	term.play("+", "+Name of the new branch", "text:early", "C-s", "+make early at", "a", "+done. u undoes it.")
	term.follows(func() bool { return f.Git("branch", "--list", "early") != "" })
	assert.Equal(t, f.Git("rev-parse", "topic~5"), f.Git("rev-parse", "early"))

	term.play("/", "+Find on the chart", "text:upper", "Enter", "o", "+check out upper", "a", "+check out upper: done.")
	assert.Equal(t, "upper", f.Git("branch", "--show-current"))
	assert.Equal(t, loose, f.Git("diff"), "loose changes came along")
	term.play("u", "+y does it", "y", "+Undid")
	assert.Equal(t, "topic", f.Git("branch", "--show-current"))
	assert.Equal(t, loose, f.Git("diff"))

	for _, name := range []string{"old-one", "old-two", "old-three"} {
		term.play("/", "+Find on the chart", "text:"+name, "Enter", "x", "+delete "+name)
	}
	term.play("a", "+3 steps done. u undoes all of it.")
	assert.Empty(t, f.Git("branch", "--list", "old-*"))
	term.play("u", "+y does it", "y", "+Undid")
	assert.Len(t, strings.Split(f.Git("branch", "--list", "old-*"), "\n"), 3)

	// The same three at once: the line has all of them; one is kept after all.
	term.play(";", "+delete merged", "Enter", "+delete old-one", "+delete old-three", "/", "+Find on the chart", "text:old-two",
		"Enter", "x",
		"-delete old-two", "a", "+2 steps done. u undoes all of it.")
	assert.Equal(t, "  old-two", f.Git("branch", "--list", "old-*"))
	term.play("u", "+y does it", "y", "+Undid")

	// Two points are compared: what either has, and what differs.
	term.play("/", "+Find on the chart", "text:old-one", "Enter", "Space", "+marked: old-one")
	term.play("/", "+Find on the chart", "text:topic", "Enter", "=", "+only in old-one: 0 commits",
		"+only in topic: 10 commits", "+file0", "Escape",
		"+hidden")

	// The branch at work against its target, by one key from another screen, and back there.
	term.play("]", "+▰ Sort", "=", "+▰ Map", "+only in origin/main: 1 commit", "+only in topic: 10 commits", "Escape", "+▰ Sort",
		"[", "+hidden")

	// What is not committed yet is a point as well, and a tag is a step.
	term.play(":", "text:compare with loose", "Enter", "+with what?", "Enter", "+the working tree", "+LINE 0", "Escape", "+hidden")
	term.play(":", "text:version", "+tag", "Enter", "+Name of the tag", "text:v1", "C-s", "+tag v1 at", "a", "+done. u undoes it.")
	assert.Equal(t, f.Git("rev-parse", "topic"), f.Git("rev-parse", "v1"))
	term.play("u", "+y does it", "y", "+Undid")
	assert.Empty(t, f.Git("tag"))

	// What cannot be is said, and what is planned is forgotten by z.
	term.play("/", "+Find on the chart", "text:topic", "Enter", "x", "+checked out here")
	term.play("/", "+Find on the chart", "text:old-one", "Enter", "x", "+delete old-one", "z", "-delete old-one")

	// What is done here is offered for the remote, as a step of its own.
	term.play("/", "+Find on the chart", "text:topic", "Enter", "m", "+New name of topic", "BSpace", "BSpace", "BSpace", "BSpace",
		"BSpace", "text:theme", "C-s", "+call topic theme", "a", "+The same there? topic on origin, to be called theme",
		"y", "+Done on the remote too.")
	assert.NotContains(t, f.Git("ls-remote", "origin"), "refs/heads/topic")
	assert.Contains(t, f.Git("ls-remote", "origin"), "refs/heads/theme")
	assert.Equal(t, "origin/theme", f.Git("rev-parse", "--abbrev-ref", "theme@{upstream}"))
}

// TestTwoBranchesLandFromAThird: each is squashed to one commit, the second put onto the first, then both are planned to
// land, seen as they will be, asked about, and on the remote; nothing is checked out.
func TestTwoBranchesLandFromAThird(t *testing.T) {
	work, shared := makeDemo(t)
	loose := work.Git("diff")
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "[", "+▰ Map", "+▸"+branch)
	goTo := func(name string) { term.play("/", "+Find on the chart", "text:"+name, "Enter", "-Find on the chart") }
	goTo("ropes")
	term.play(")", "+▰ Shape", "+ropes again", "Down", "s", "+from 1 2", ")", "+go onto?", "text:origin/main", "+0 conflicts", "Enter",
		"+onto origin/main", "a", "+2 commits became 1", "[", "[", "+▰ Map")
	goTo("lights")
	term.play(")", "+▰ Shape", "+more lamps", "Down", "s", "+from 1 2", "Down", "s", "+from 1 2 3", ")", "+go onto?", "text:ropes",
		"+0 conflicts", "Enter", "+onto ropes", "a", "+3 commits became 1", "[", "[", "+▰ Map")

	before := shared.Git("rev-parse", "main")
	goTo("ropes")
	term.play("V", "+▸ land ropes", "V", "-▸ land ropes", "V", "+▸ land ropes")
	goTo("lights")
	term.play("V", "+▸ land lights", "++ List the mooring ropes", "++ lamps of the mole")
	term.play("W", "+Draw into which file", "C-s", "+Written: ", "a", "+Land ropes, then lights on the shared remote", "Escape",
		"-Land ropes, then")
	assert.Equal(t, before, shared.Git("rev-parse", "main"), "a alone lands nothing")
	term.play("a", "+on the shared remote?", "+land, and delete", "1", "+2 branches landed: main on origin is at", "-▸ land",
		"+at the cursor")
	assert.Equal(t, work.Git("rev-parse", "lights"), shared.Git("rev-parse", "main"))
	assert.Equal(t, before, shared.Git("rev-parse", "main~2"), "two commits came")
	assert.Equal(t, branch, work.Git("branch", "--show-current"))
	assert.Equal(t, loose, work.Git("diff"))
	assert.Contains(t, work.Read("branches.svg"), "List the mooring ropes")
}

// TestALandingThatComesTooLate: somebody pushed between the question and the answer. Nothing lands; the key that is
// offered leads to where the branch is put onto what came.
func TestALandingThatComesTooLate(t *testing.T) {
	work, shared := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "[", "+▰ Map", "/", "+Find on the chart", "text:ropes", "Enter", ")", "+▰ Shape", "+ropes again", ")",
		"+go onto?", "text:origin/main", "+0 conflicts", "Enter", "+onto origin/main", "a", "+2 commits", "[", "[", "+▰ Map",
		"/", "+Find on the chart", "text:ropes", "Enter", "V", "+▸ land ropes", "a", "+on the shared remote?")
	theirs := shared.Git("-c", "user.name=Mira Lund", "-c", "user.email=mira@quay.example", "commit-tree", "-p", "main", "-m", "In between",
		"main^{tree}")
	shared.Git("update-ref", "refs/heads/main", theirs)
	term.play("2", "+main on origin has moved on", "y", "+▰ Shape", "+ropes is at work now", ")", "+go onto?", "text:origin/main",
		"+0 conflicts", "Enter", "+onto origin/main")
	assert.Equal(t, theirs, shared.Git("rev-parse", "main"))
	assert.Equal(t, theirs, work.Git("rev-parse", "origin/main"))
	assert.Equal(t, branch, work.Git("branch", "--show-current"))
}

// TestFromTheMapIntoThePlan: a branch is put onto the marked point, and another one brought into it by a merge; nothing is
// checked out.
func TestFromTheMapIntoThePlan(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	find := func(name string) {
		term.play("/", "+Find on the chart", "text:"+name, "Enter", "-Find on the chart")
	}
	term.play("+3 hunks", "[", "+▰ Map", "+▸"+branch)
	find("lights-colours")
	term.play("Space", "+marked: lights-colours")
	find("ropes")
	term.play(")", "+▰ Shape", "+onto lights-colours", "+ropes again", "a", "+2 commits", "[", "[", "+▰ Map")
	assert.Equal(t, work.Git("rev-parse", "lights-colours"), work.Git("rev-parse", "ropes~2"))

	find("List the mooring")
	term.play("Space", "+marked: ")
	find("ropes")
	term.play(":", "text:sits on", "+the marked", "Enter", "+▰ Shape", "+1 commit since", "+ropes again", "[", "[", "+▰ Map")

	find("less-ink")
	term.play("Y", "+▰ Shape", "+Merge less-ink into ropes")
	assert.Equal(t, branch, work.Git("branch", "--show-current"))
	term.play("a", "+u undoes")
	assert.Equal(t, work.Git("rev-parse", "less-ink"), work.Git("rev-parse", "ropes^2"))
}

// TestTakingBackFromTheMap: a commit that later ones build on is taken back by an entry that says why; its conflict is
// answered in Mend, and the branch gets one commit more.
func TestTakingBackFromTheMap(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "[", "+▰ Map", "+▸"+branch, "/", "+Find on the chart", "text:mooring depth", "Enter", "+mooring depth",
		":", "text:revert", "Enter", "+▰ Shape", "+Why is it reverted?", "+Revert \"mooring depth\"", "C-End", "text:Too deep.", "C-s",
		"+Revert \"mooring depth\"", "+1 conflict", "]", "+▰ Mend", "+ open")
	for range 6 {
		term.play("1")
	}
	term.play("a", "+12 commits")
	assert.Contains(t, work.Git("log", "-1", "--format=%B"), "Too deep.")
	assert.Equal(t, "guide: the table", work.Git("log", "-1", "--format=%s", "HEAD~1"))
	term.play("u", "+y does it", "y", "+Undid")
	assert.Equal(t, "guide: the table", work.Git("log", "-1", "--format=%s"))
}

// TestAFilesStory: from a line in Sort, from a difference, from another screen: the commits that changed the file, through
// its renaming, all of its text then, what differs from a marked one, and the commit; esc leads back each time.
func TestAFilesStory(t *testing.T) {
	work, _ := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "I", "+berth/plan.go  1 commit up to HEAD", "+Start the harbour office's program", "Escape", "+▰ Sort",
		"[", "+▰ Map", "I", "+its story is told", "/", "+Find on the chart", "text:handbook", "Enter", "Enter",
		"+renamed from docs/guide.md",
		"I", "+docs/handbook.md  3 commits", "+was docs/guide.md", "+what d65acf5 changed of it", "j", "+what 62d51d6 changed of it",
		"e", "+all of it as of 62d51d6", "+## Every morning", "/", "+Find in what Next shows", "text:too long", "Enter",
		"+▌    9   ## When a ship is too long", "Left", "Space", "k", "+from 62d51d6 to d65acf5", "+# Handbook of", "Enter",
		"+d65acf5  Call the guide a handbook", "Escape", "+docs/handbook.md  3 commits", "Escape", "+renamed from docs/guide.md",
		"Escape", "+hidden")

	// A line tells who wrote it: one of the guide is Mira's.
	term.play("]", "+▰ Sort", "]", "+▰ Shape", "G", "Enter", "+what ff50a77 changes", "j", "j", "I", "+docs/guide.md",
		"+Start the harbour office's program", "Escape", "+▰ Shape", "+what ff50a77 changes")

	// From a read-through, and from a conflict.
	term.play("Escape", "+nothing planned yet", "]", "]", "+▰ Send", "v", "+0 of 11", "Right", "I", "+berth/table.go",
		"Escape", "+0 of 11 commits read", "Escape", "+commits to send", "[", "[", "+▰ Shape", ")", "+go onto?", "text:origin/main", "Enter",
		"+4 conflicts", "!", "+▰ Mend", "I", "+commits up to", "Escape", "+▰ Mend")
}

// TestTakingFromAnotherBranch: a hunk comes as a loose change, lines as an entry of the plan, a file as it is there, also one
// that lies deleted here; each goes again by u.
func TestTakingFromAnotherBranch(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	settings := filepath.Join(os.Getenv("XDG_CONFIG_HOME"), "bastel", "settings.toml")
	require.NoError(t, os.MkdirAll(filepath.Dir(settings), 0o777))
	require.NoError(t, os.WriteFile(settings, []byte("check = 'grep -q headlines ropes/list.txt'\n"), 0o666))
	work, _ := makeDemo(t)
	loose := work.Git("diff")
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "[", "+▰ Map", "+▸"+branch, "/", "+Find on the chart", "text:Tie ropes", "Escape", "/", "+Find on the chart",
		"text:ropes again", "Enter", "Enter", "+back to the chart")
	term.play("Y", "+Take 1 hunk of ropes/list.txt how?", "+as loose changes", "l", "+to answer first")
	term.play("[", "[", "[", "+▰ Map")
	assert.Equal(t, loose, work.Git("diff"), "nothing was changed yet")

	term.play(":", "text:stop taking", "+Mend: stop taking", "Enter", "+▰ Mend", ";", "+stop taking", "3", "[", "[", "[", "+▰ Map",
		"Escape", "+hidden", "/", "+Find on the chart", "text:List the mooring", "Enter", "Enter", "+ropes/list.txt", "j", "Space", "+■", "Y",
		"+Take 1 line of", "e", "+▰ Shape", "+List the mooring ropes", "+12 commits", "u", "+11 commits")
	term.play("[", "[", "+▰ Map", "Y", "+Take 1 line of", "t", "+Into which tray?", "b", "+Taken into tray B",
		"u", "+y does it", "y", "+Undid")
	assert.Equal(t, loose, work.Git("diff"))
	assert.NoFileExists(t, work.Dir+"/ropes/list.txt")
	term.play("C-n", "Y", "+the whole file as it is there", "w", "+is as it is there")
	assert.Equal(t, work.Git("show", "ropes~1:ropes/list.txt"), strings.TrimSpace(work.Read("ropes/list.txt")))
	term.play("u", "+y does it", "y", "+Undid")
	assert.Equal(t, loose, work.Git("diff"))
	assert.NoFileExists(t, work.Dir+"/ropes/list.txt")

	// Taken again, into a tray; checked as it would be committed, and committed, with all else as it lies.
	term.play("C-n", "Y", "+Take 1 line of", "t", "+Into which tray?", "b", "+Taken into tray B", "]", "+▰ Sort", "+1 hunk in 1 file", "l",
		"G", "T", "+The check passed", "Escape", "+m message", "m", "+Message of tray B", "text:List ropes", "C-s",
		"-Message of tray B", "A", "+Made commit")
	assert.Equal(t, "8 headlines", work.Git("show", "HEAD:ropes/list.txt"))
	assert.Equal(t, loose, work.Git("diff"))
}

// TestLostAndFound: a branch that was deleted, and a text that was thrown away, are in one list, read out, and back by a key.
func TestLostAndFound(t *testing.T) {
	work, _ := makeDemo(t)
	ropes, board := work.Git("rev-parse", "ropes"), work.Git("diff", "web/board.html")
	term := open(t, work.Dir, 142, 42)
	term.play("+3 hunks", "C-n", "C-n", "C-n", "+web/board.html", "x", "+Throw", "y", "+Thrown away", "[", "+▰ Map", "/",
		"+Find on the chart", "text:ropes", "Enter", "x", "+delete ropes", "a", "+y does it", "y", "+done")
	term.play(":", "text:lost and found", "Enter", "+What is to be found again?", "+branch ropes, deleted", "+thrown away", "+ropes again",
		"1", "+make ropes at", "a", "+done")
	term.play(":", "text:lost and found", "Enter", "+What is to be found again?", "+web/board.html", "1", "+as before that was thrown away")
	assert.Equal(t, ropes, work.Git("rev-parse", "ropes"))
	assert.Equal(t, board, work.Git("diff", "web/board.html"))
	term.play(":", "text:lost and found", "Enter", "+nothing is lost", "Escape")
}
