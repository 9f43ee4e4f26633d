package ui

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"

	"bastel/test/fixture"
)

// toMend are the keys that put the branch onto main and go to its conflicts.
var toMend = []string{"+No loose changes", "]", "+1 file +12 −12", ")", "+What does the series go onto?", "down", "enter",
	"+conflicts in the way", "!", "+entry 1 of 4, Newer packages"}

func TestMendByKeys(t *testing.T) {
	lockFile := []string{"+region 1 of 12", "+12 open", "1", "+region 2 of 12", "R", "+11 places: 1, in the rest of app.lock.",
		"+entry 2 of 4, A warmer guide"}
	guide := []string{"+region 1 of 2", "2", "+region 2 of 2", "1", "+entry 3 of 4"}
	old := []string{"+depth  region 1 of 1", "n", "+old.txt", "+deleted it", "1", "+depth", "2"}
	for name, test := range map[string]struct {
		steps []string
		check func(t *testing.T, f *fixture.Repo)
	}{
		"all of it": {join(lockFile, guide, old, []string{"+entry 4 of 4, Deeper", "1", "+all answered, the rest is clean", "a",
			"+became 4"}), func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "Newer packages\nA warmer guide\nNews of the old\nDeeper", f.Git("log", "--reverse", "--format=%s", "main.."))
			assert.Equal(t, 12, strings.Count(f.Read("app.lock"), "version 1.2."))
			assert.Equal(t, "# Guide\n\nGood day.\nSit down.\n\nThe quay is open.\nBring a rope.\n\nSee you.\n", f.Read("guide.md"))
			assert.Equal(t, "one\ntwo\nthree\n", f.Read("old.txt"))
			assert.Equal(t, "8 m\n", f.Read("depth"))
			f.Git("fsck", "--strict")
		}},
		"undo, redo and open again": {join(lockFile, []string{"2", "+region 2 of 2",
			"u", "+2 open here", "U", "+1 open here", "+┃ Good day.", "x", "+2 open", "+▒▒ open: region 1"}), nil},
		"lines and typing": {join(lockFile, []string{"space", "+ ■", "+┃ Good morning.", "'", "j", "space", "+┃ Sit down.", "m",
			"+The text for this place in guide.md", "ctrl+home", "Well. ", "ctrl+s",
			"+region 2 of 2", "{", "+┃ Well. Good morning.", "+┃ Sit down."}), nil},
		"both, turned, the base, nothing": {join(lockFile, []string{"3", "+region 2 of 2", "{", "+┃ Good morning.", "+┃ Good day.", "4",
			"+region 2 of 2", "{", "5", "+region 2 of 2", "{", "+┃ Hello.", "0", "+region 2 of 2", "{", "+┃ nothing"}), nil},
		"the whole file": {join(lockFile, []string{"f", "+guide.md as a whole", "down", "enter", "+entry 3 of 4", "{",
			"+the version of main"}), nil},
		"a look at the commit": {[]string{"enter", "+Which commit?", "colleague", "enter", "+Look", "+<ines@", "{",
			"+Look", "}", "+Look", "esc", "+Newer packages",
			"+region 1 of 12"}, nil},
		"ideas": {[]string{"*", "+Answers that could be right", "newer version", "enter", "+region 2 of 12", "{",
			"+┃   version 1.3.0"}, nil},
		"join first": {join(lockFile, guide, []string{"+depth  region 1 of 1", ";", "+join first", "1", "+asked once and not 2 times", "y",
			"+entry 3 of 3"}), func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "A warmer guide", f.Git("log", "-1", "--format=%s", "HEAD~2"))
		}},
		"markers are not done": {join(lockFile, []string{"m", "+The text for this place", "<<<<<<< ", "ctrl+s",
			"+looks like a conflict marker", "esc", "+2 open", "m", "+The text for this place", "ctrl+s", "+looks like a conflict marker",
			"y", "+1 open"}), nil},
		"nothing remembered": {[]string{";", "+remembered answers", "1", "+No answer is remembered yet"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			t.Setenv("XDG_CONFIG_HOME", t.TempDir())
			f := fixture.Quarrel(t, t.TempDir())
			d := newDriver(t, f.Dir)
			d.play(toMend...)
			d.play(test.steps...)
			if test.check != nil {
				test.check(t, f)
			}
		})
	}
}

func join(lists ...[]string) (steps []string) {
	for _, list := range lists {
		steps = append(steps, list...)
	}
	return steps
}

// TestAnswersComeBack: leaving keeps what was answered; what was applied comes back in
// another branch by itself, and can be opened there.
func TestAnswersComeBack(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	f := fixture.Quarrel(t, t.TempDir())
	f.Git("switch", "--quiet", "-c", "second")
	f.Commit("Another one", "more", "1\n")
	f.Git("config", "branch.second.bastelStack", "keep")
	f.Git("switch", "--quiet", "topic")
	d := newDriver(t, f.Dir)
	d.play(join(toMend, []string{"2", "+region 2 of 12", "R", "+entry 2 of 4", "?", "+Now shows both sides", "esc"})...)
	again := newDriver(t, f.Dir)
	again.play("+No loose changes", "]", "+conflicts in the way", "!", "+entry 2 of 4", "+2 open", "1", "1", "+entry 3 of 4",
		"+depth", "2", "+old.txt", "1", "+entry 4 of 4", "1", "+the rest is clean", "a", "+became 3")
	f.Git("switch", "--quiet", "second")
	other := newDriver(t, f.Dir)
	other.play("+No loose changes", "]", "+1 file +12 −12", ")", "+What does the series go onto?", "down", "enter",
		"+the answers to its conflicts leave nothing", "+4 commits, the content changes", "]", "+reused from before", "+all answered",
		"x", "+1 open", ";", "+remembered answers", "1", "+Answers that come back", "enter", "+Forgot")
}

// TestWhatWaitsInTheWorkingTree: conflicts that another tool left are answered on the
// same screen, into files and index; a merge is finished here.
func TestWhatWaitsInTheWorkingTree(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	f := fixture.Quarrel(t, t.TempDir())
	_, err := f.Run("merge", "main")
	assert.Error(t, err)
	f.Git("config", "merge.conflictStyle", "diff3")
	d := newDriver(t, f.Dir)
	d.play("+merge", "[", "[", "+in conflict", "!", "+a merge that waits in the working tree", "+12 open", "1", "R", "+depth", "2",
		"+guide.md", "1", "a", "+Resolved 2 files")
	assert.Equal(t, "600 cm\n", f.Read("depth"))
	assert.Equal(t, 12, strings.Count(f.Read("app.lock"), "version 1.2."))
	d.play("+guide.md", "u", "+2 open", ";", "+mark as resolved", "1", "+There are conflict markers in", "esc", "1", "+region 2 of 2", "1",
		"+old.txt", "+deleted it", "2", "+all answered", "a", "+Message of the merge", "ctrl+s", "+The merge is made")
	assert.Equal(t, "Deeper\nThe colleague's work", f.Git("log", "-2", "--format=%s", "--no-walk=unsorted", "HEAD^1", "HEAD^2"))
	assert.Equal(t, "Merge branch 'main' into topic", strings.TrimSpace(f.Git("log", "-1", "--format=%B")),
		"as the repository's own command has it")
	assert.Empty(t, f.Git("status", "--porcelain"))
	_, err = os.Stat(filepath.Join(f.Dir, ".git", "MERGE_HEAD"))
	assert.ErrorIs(t, err, os.ErrNotExist)
	f.Git("fsck", "--strict")
}

// TestTakingFromElsewhere: commits of another branch come as entries, as loose changes,
// or by a merge; what meets is answered on the same screen.
func TestTakingFromElsewhere(t *testing.T) {
	from := func(branch, which string) []string {
		return []string{"Y", "+Take commits from which branch?", branch, "enter", "+Take which commit", which, "enter", "+how?"}
	}
	for name, test := range map[string]struct {
		steps []string
		check func(t *testing.T, f *fixture.Repo)
	}{
		"as entries": {join(from("elsewhere", "Add more"), []string{"enter", "+from +", "a", "+became 5"}), func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "Add more, Mira Lund", f.Git("log", "-1", "--format=%s, %an", "HEAD~3"))
		}},
		"as loose changes": {join(from("elsewhere", "Add more"), []string{"down", "enter", "+Taken: 1 file changed", "[", "+more", "u",
			"+? y does it.", "y", "+No loose changes"}), nil},
		"loose, with a conflict": {join(from("main", "all of them"), []string{"down", "enter", "+1 commit taken as loose changes",
			"+12 open",
			"2", "R", "+in the rest of", "R", "+all answered", "a", "+Resolved 4 files",
			"+No conflict waits"}), func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "600 cm\n", f.Read("depth"))
			assert.Equal(t, " M app.lock\n M depth\n M guide.md\n D old.txt", f.Git("status", "--porcelain"))
			assert.Equal(t, "Deeper", f.Git("log", "-1", "--format=%s"))
		}},
		"stopped": {join(from("main", "all of them"), []string{"down", "enter", "+12 open", ";", "+stop taking", "3",
			"+Stopped taking those commits"}), func(t *testing.T, f *fixture.Repo) {
			assert.Empty(t, f.Git("status", "--porcelain"))
		}},
		"by a merge": {[]string{")", "+What does the series go onto?", "merge elsewhere", "enter", "+merges", "+5 commits", "a", "+became 5"},
			func(t *testing.T, f *fixture.Repo) {
				assert.Equal(t, "Merge elsewhere into topic\nDeeper\nAdd more", f.Git("log", "--format=%s", "--no-walk=unsorted", "HEAD", "HEAD^1",
					"HEAD^2"))
			}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Setenv("XDG_CONFIG_HOME", t.TempDir())
			f := fixture.Quarrel(t, t.TempDir())
			f.Git("switch", "--quiet", "-c", "elsewhere", "main~1")
			f.Write("more", "m\n")
			f.Git("add", "more")
			f.Git("commit", "--quiet", "--author", "Mira Lund <mira@lanternquay.example>", "--message", "Add more")
			f.Git("switch", "--quiet", "topic")
			d := newDriver(t, f.Dir)
			d.play("+No loose changes", "]", "+1 file +12 −12", "g")
			d.play(test.steps...)
			if test.check != nil {
				test.check(t, f)
			}
			f.Git("fsck", "--strict")
		})
	}
}

// TestWhatAnAnswerDeletesIsNamedBefore: the files of a folder, and who made it one.
func TestWhatAnAnswerDeletesIsNamedBefore(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("add c", "c", "c\n")
	f.Git("switch", "--quiet", "main")
	f.ByMira().Commit("A folder c", "c/in", "in\n", "c/other", "o\n")
	f.Git("switch", "--quiet", "topic")
	d := newDriver(t, f.Dir)
	d.play("+No loose changes", "]", "+nothing planned yet", ")", "+What does the series go onto?", "down", "enter", "+conflict",
		"!", "+Mira", "+a folder of 2 files, which the other answer deletes", "++ c/in", "++ c/other")
}

// TestTheListOfConflicts: all of them by rows, marked and answered from there, and undone by one key.
func TestTheListOfConflicts(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	f := fixture.Quarrel(t, t.TempDir())
	d := newDriver(t, f.Dir)
	d.play(join(toMend, []string{"e", "+17 questions, 17 open", "+12 open ", "+2 open, uncertain", "+At the cursor", "?",
		"+▰ All conflicts", "esc",
		"G", "+depth  region 1 of 1", "g", "space", "space", "+■", "1", "+14 places, in 2 files: 1.", "+17 questions, 3 open", "u",
		"+17 questions, 17 open", "U", "+3 open", "-", "+List which conflicts?", "o", "+only what is open", "-app.lock", "-", "a", "+app.lock",
		"g", "x", "+app.lock is open again.", "+15 open", "+12 open ", "2", "+12 places, in app.lock: 2.", "n", "enter", "-questions",
		"+1 open here", "e", "+questions", "esc", "-questions"})...)
}

// TestWhatIsOpenNeverFlips: a merge that another tool begins does not take the keys that are typed at a plan's conflict.
func TestWhatIsOpenNeverFlips(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	f := fixture.Quarrel(t, t.TempDir())
	d := newDriver(t, f.Dir)
	d.play(toMend...)
	_, err := f.Run("merge", "main")
	assert.Error(t, err)
	d.play("r", "+begun outside Bastel", "+entry 1 of 4", "1", "+your commit 1.", "+entry 1 of 4", "e", "+▸ the plan of topic",
		"+a merge that waits",
		"!", "+▸ a merge that waits", "esc", "+1 your branch topic", "!", "+entry 1 of 4")
}

// TestLongLinesAreWhole: they wrap on all sides, and the base is reached, in the smallest terminal too.
func TestLongLinesAreWhole(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	f := fixture.New(t)
	long := strings.Repeat("The tide table lists the depth of each quay. ", 6)
	f.Commit("base", "a.md", "# A\n\n"+"Base. "+long+"\n\nTail.\n", "tabs", "a\n\tb\nc")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("Ours", "a.md", "# A\n\n"+"Ours. "+long+"\n\nTail.\n", "tabs", "a\n\tb \nc")
	f.Git("switch", "--quiet", "main")
	f.Commit("Theirs", "a.md", "# A\n\n"+"Theirs. "+long+"\n\nTail.\n", "tabs", "a\n        b\nc")
	f.Git("switch", "--quiet", "topic")
	newDriver(t, f.Dir).play("+No loose changes", "]", "+nothing planned yet", ")", "+What does the series go onto?", "down", "enter",
		"+conflict", "?", "+Now holds the branch", "esc")
	for _, size := range []tea.WindowSizeMsg{{Width: 142, Height: 42}, {Width: 60, Height: 20}} {
		d := newDriver(t, f.Dir)
		d.update(size)
		d.play("+No loose changes", "]", "+conflict", "!", "+Ours.", "'", "+Theirs.", "'", "+Base.", "=",
			"+changed of the base", "'", "+3+ Ours.",
			"n", "+→   b·", "'", "'", "+→   b", "+(no line end)")
	}
}

// TestWhatWaitsIsFinishedHere: a rebase that another tool began goes on, is given up, or is taken over, and undo brings it back.
func TestWhatWaitsIsFinishedHere(t *testing.T) {
	for name, test := range map[string]struct {
		begin []string
		steps []string
		check func(t *testing.T, f *fixture.Repo)
	}{
		"a rebase goes on": {[]string{"rebase", "main"}, []string{"+12 open", "1", "R", "+all answered", "a",
			"+entry 2 of 4, A warmer guide", "1",
			"1", "+entry 3 of 4", "1", "1", "+the rest is clean", "a", "+became 4"},
			func(t *testing.T, f *fixture.Repo) {
				assert.Equal(t, "Newer packages\nA warmer guide\nNews of the old\nDeeper", f.Git("log", "--reverse", "--format=%s", "main.."))
				assert.Equal(t, 12, strings.Count(f.Read("app.lock"), "version 1.2."))
			}},
		"a rebase is given up": {[]string{"rebase", "main"}, []string{"+12 open", "A", "+What becomes of the rebase", "g",
			"+all is as before it began",
			"u", "+y does it", "y", "+12 open", "A", "+What becomes", "g", "+all is as before it began"}, func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "Deeper", f.Git("log", "-1", "--format=%s", "topic"))
			assert.Equal(t, "refs/heads/topic", f.Git("symbolic-ref", "HEAD"))
		}},
		"a rebase is taken over": {[]string{"rebase", "main"}, []string{"+12 open", "1", "R", "+all answered", "A",
			"+What becomes of the rebase", "t",
			"+Taken over: the plan of topic", "[", "+onto", "+conflicts in the way"}, nil},
		"a step is skipped": {[]string{"rebase", "main"}, []string{"+12 open", "A", "+What becomes of the rebase", "s", "+Skipped.",
			"+A warmer guide"}, nil},
		"a pick is made": {[]string{"cherry-pick", "main"}, []string{"+12 open", "2", "R", "R", "R", "+all answered", "a",
			"+Message of the cherry-pick", "ctrl+s", "+The cherry-pick is made"}, func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "The colleague's work", f.Git("log", "-1", "--format=%s"))
			assert.Empty(t, f.Git("status", "--porcelain"))
		}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Setenv("XDG_CONFIG_HOME", t.TempDir())
			f := fixture.Quarrel(t, t.TempDir())
			_, err := f.Run(test.begin...)
			assert.Error(t, err)
			d := newDriver(t, f.Dir)
			d.play(join([]string{"+begun outside", "+▰ Mend"}, test.steps)...)
			if test.check != nil {
				test.check(t, f)
			}
			f.Git("fsck", "--strict")
		})
	}
}

// TestKeysToMend: as many keys as a decision has, from where the screen opens; what is waited for is no key.
func TestKeysToMend(t *testing.T) {
	commits := func(f *fixture.Repo, name, ours, theirs string) {
		f.Commit("base", name, "a\nb\nc\n", "kept", "k\n")
		f.Git("switch", "--quiet", "-c", "topic")
		f.Commit("Ours", name, ours)
		f.Git("switch", "--quiet", "main")
		f.Commit("Theirs", name, theirs)
		f.Git("switch", "--quiet", "topic")
	}
	for name, test := range map[string]struct {
		make  func(f *fixture.Repo)
		begin []string
		keys  []string // with what is waited for
		most  int
		check func(t *testing.T, f *fixture.Repo)
	}{
		"a lock file of one side": {nil, []string{"rebase", "main"}, []string{"2", "R", "+all answered"}, 2, nil},
		"imports of both": {func(f *fixture.Repo) {
			commits(f, "a.go", "a\nb\nuse x;\nc\n", "a\nb\nuse w;\nc\n")
		}, []string{"merge", "main"}, []string{"*", "+sorted", "1", "+┃ use w;", "+┃ use x;"}, 2, nil},
		"changed and deleted": {func(f *fixture.Repo) {
			commits(f, "a", "a\nb\nd\n", "")
			f.Git("switch", "--quiet", "main")
			f.Git("rm", "--quiet", "a")
			f.Commit("Gone", "kept", "kk\n")
			f.Git("switch", "--quiet", "topic")
		}, []string{"merge", "main"}, []string{"2", "+all answered"}, 1, nil},
		"three that conflict": {func(f *fixture.Repo) {
			commits(f, "a", "a\none\nc\n", "a\nuno\nc\n")
			f.Commit("Two", "a", "a\nb\nc\n")
			f.Commit("Three", "a", "a\none\nc\n")
		}, []string{"rebase", "main"}, []string{"2", "+all answered", "a", "+entry 2 of 3", "2", "+the rest is clean", "a",
			"+became 0"}, 4, func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "refs/heads/topic", f.Git("symbolic-ref", "HEAD"))
			assert.Empty(t, f.Git("status", "--porcelain"))
		}},
		"given up": {nil, []string{"rebase", "main"}, []string{"A", "+What becomes", "g", "+as before it began"}, 3, nil},
		"skipped":  {nil, []string{"cherry-pick", "main"}, []string{"A", "+What becomes", "s", "+Skipped"}, 3, nil},
	} {
		t.Run(name, func(t *testing.T) {
			t.Setenv("XDG_CONFIG_HOME", t.TempDir())
			f := fixture.New(t)
			if test.make != nil {
				test.make(f)
			} else {
				f = fixture.Quarrel(t, t.TempDir())
			}
			_, err := f.Run(test.begin...)
			assert.Error(t, err)
			newDriver(t, f.Dir).play(join([]string{"+▰ Mend", "+open"}, test.keys)...)
			pressed := 0
			for _, key := range test.keys {
				if !strings.HasPrefix(key, "+") {
					pressed++
				}
			}
			assert.LessOrEqual(t, pressed, test.most)
			if test.check != nil {
				test.check(t, f)
			}
		})
	}
}
