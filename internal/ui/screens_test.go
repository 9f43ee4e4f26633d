package ui

import (
	"cmp"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/ui/kit"
	"bastel/test/fixture"
)

// named are the keys that have no letter.
var named = map[string]rune{"enter": tea.KeyEnter, "esc": tea.KeyEscape, "up": tea.KeyUp, "down": tea.KeyDown, "left": tea.KeyLeft,
	"right": tea.KeyRight}

// press sends keys; a key of several letters that has no name is typed letter by letter.
func (d *driver) press(keys ...string) {
	for _, key := range keys {
		switch {
		case named[key] != 0:
			d.update(tea.KeyPressMsg{Code: named[key]})
		case key == "space":
			d.update(tea.KeyPressMsg{Code: tea.KeySpace, Text: " "})
		case strings.HasPrefix(key, "ctrl+"):
			code := cmp.Or(named[key[5:]], rune(key[5]))
			d.update(tea.KeyPressMsg{Code: code, Mod: tea.ModCtrl})
		default:
			for _, r := range key {
				d.update(tea.KeyPressMsg{Code: r, Text: string(r)})
			}
		}
	}
}

// gone takes messages until the frame does not show a text any more.
func (d *driver) gone(text string) {
	d.t.Helper()
	late := time.After(patience)
	for strings.Contains(d.frame(), text) {
		select {
		case msg := <-d.messages:
			d.update(msg)
		case <-late:
			require.Fail(d.t, "still on the screen: "+text, d.frame())
		}
	}
}

// play walks through steps: "+TEXT" waits for it on the screen, "-TEXT" until it has
// gone, anything else is a key.
func (d *driver) play(steps ...string) {
	d.t.Helper()
	for _, step := range steps {
		switch {
		case strings.HasPrefix(step, "+"):
			d.wait(step[1:])
		case strings.HasPrefix(step, "-") && len(step) > 1:
			d.gone(step[1:])
		default:
			d.press(step)
		}
	}
	for late := time.After(patience); d.m.behind(); { // the repository follows
		select {
		case msg := <-d.messages:
			d.update(msg)
		case <-late:
			require.Fail(d.t, "the repository does not follow", d.frame())
		}
	}
}

// numbered is a text of n lines, with some of them replaced.
func numbered(n int, changes map[int]string) string {
	var b strings.Builder
	for i := 1; i <= n; i++ {
		if text, ok := changes[i]; ok {
			b.WriteString(text)
			continue
		}
		fmt.Fprintf(&b, "line %d\n", i)
	}
	return b.String()
}

// desk is a repository with two commits on a branch and loose changes of many kinds.
func desk(t *testing.T) *fixture.Repo {
	f := fixture.New(t)
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	f.Commit("base", "a.go", numbered(40, nil), "moved.txt", numbered(9, nil), "spaces.txt", "one\ntwo\nthree\n", "bin", "\x00\x01",
		".gitignore", "*.o\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("Change ten", "a.go", numbered(40, map[int]string{10: "ten\n"}))
	f.Commit("Change thirty", "a.go", numbered(40, map[int]string{10: "ten\n", 30: "thirty\n"}))
	f.Write("a.go", numbered(40, map[int]string{10: "TEN\n", 20: "twenty\n\tprintln(\"x\")\n", 30: "thirty\n"}))
	require.NoError(t, os.Rename(filepath.Join(f.Dir, "moved.txt"), filepath.Join(f.Dir, "there.txt")))
	f.Write("spaces.txt", "one\n\ttwo\nthree\nfour\n")
	f.Write("bin", "\x00\x02\x03")
	f.Write("x.o", "")
	return f
}

func TestSortByKeys(t *testing.T) {
	for name, test := range map[string]struct {
		steps []string
		check func(t *testing.T, f *fixture.Repo, frame string)
	}{
		"kinds": {[]string{"+was moved.txt", "+2 bytes become 3", "+▲ 1 leftover"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.NotContains(t, frame, "  moved.txt ", "the rename is one file")
		}},
		"context": {[]string{"+2 hunks", "+line 7", ">", "+line 4", "<", "-line 4", "<", "-line 7", "<", "-line 9"},
			func(t *testing.T, f *fixture.Repo, frame string) {
				assert.Contains(t, frame, "TEN")
			}},
		"white space": {[]string{"+2 hunks", "_", "+white space hidden", "ctrl+n", "ctrl+n"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.NotContains(t, frame, "− two")
			assert.Contains(t, frame, "+ four")
		}},
		"cut": {[]string{"+2 hunks", "n", "j", "j", "j", "j", "j", "j", "d", "+cut off here", "1", "+1 hunk in 1 file"},
			func(t *testing.T, f *fixture.Repo, frame string) {
				assert.Equal(t, "+\tprintln(\"x\")", lastLine(f.Git("diff", "--cached", "--unified=0")))
			}},
		"ignored": {[]string{"+2 hunks", ";", "+ignored files", "2", "+x.o"}, nil},
		"two trays and back": {[]string{"+2 hunks", "2", "+■ B", "+1 hunk in 1 file", "1", "+a makes 2 commits", "right", "2",
			"+2 hunks in 1 file", "e", "-2 hunks in 1 file", "+2 hunks"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.Empty(t, f.Git("diff", "--cached"))
			_, err := f.Run("rev-parse", "--verify", "--quiet", "BASTEL_TRAYS")
			assert.Error(t, err, "nothing is kept")
		}},
		"sorting taken back and done again": {[]string{"+2 hunks", "1", "2", "+1 hunk in 1 file", "u", "u", "+Taken back.",
			"-1 hunk in 1 file", "U", "U", "+Done again.", "n", "u"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.Equal(t, "a.go", f.Git("diff", "--cached", "--name-only"))
			_, err := f.Run("rev-parse", "--verify", "--quiet", "BASTEL_TRAYS")
			assert.Error(t, err, "tray B is empty again")
		}},
		"choose a tray": {[]string{"+2 hunks", "t", "+a new tray", "down", "enter", "+■ B", "+into tray B", "enter", "+1 hunk in 1 file"}, nil},
		"one tray's commit": {[]string{"+2 hunks", "2", "+1 hunk in 1 file", "m", "+Message of tray B", "Only B", "ctrl+s", "+Only B", "A",
			"+Made commit"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.Equal(t, "Only B", f.Git("log", "-1", "--format=%s"))
		}},
		"edit on the way": {[]string{"+2 hunks", "i", "+The text for tray A at this place in a.go", "X", "ctrl+s", "+Edited, and in tray A."},
			func(t *testing.T, f *fixture.Repo, frame string) {
				assert.Contains(t, f.Git("show", ":a.go"), "Xline 7\n")
				assert.NotContains(t, f.Read("a.go"), "Xline 7")
			}},
		"homes, another home, left": {[]string{"+2 hunks", "H", "+joined by 1 hunk", "?", "+▰ The hunks' way home", "esc",
			"+It changes lines that this commit was the last to change.",
			"t", "+Which commit", "down", "enter", "space", "+0 of", "esc", "+loose changes"},
			func(t *testing.T, f *fixture.Repo, frame string) {
				assert.Equal(t, "Change thirty", f.Git("log", "-1", "--format=%s"))
			}},
		"amend content": {[]string{"+2 hunks", "1", "+1 hunk in 1 file", "M", "+Add tray A to it", "enter", "+Amended"},
			func(t *testing.T, f *fixture.Repo, frame string) {
				assert.Equal(t, "2\t2\ta.go", f.Git("show", "--numstat", "--format="))
			}},
		"amend author": {[]string{"+2 hunks", "M", "+Its author", "@", "+Author of the last commit",
			"Mira Lund <mira@quay.example>", "ctrl+s", "+Amended"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.Equal(t, "Mira Lund", f.Git("log", "-1", "--format=%an"))
		}},
		"amend what is sent asks": {[]string{"+2 hunks", "M", "+Its message", "m", "+Message of the last commit", "!",
			"ctrl+s", "+has this commit already", "n", "+Nothing was done."}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.Equal(t, "Change thirty", f.Git("log", "-1", "--format=%s"))
		}},
		"commits back to loose": {[]string{"+2 hunks", ";", "+loosen commits", "down", "up", "enter", "+from which one on", "enter",
			"+Loose changes", "enter", "+1 commit loosened"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.Equal(t, "Change ten", f.Git("log", "-1", "--format=%s"))
		}},
		"sweep, and back": {[]string{"+▲ 1 leftover", "L", "+Throw 1 leftover line away?", "y", "+Thrown away", "-▲ 1 leftover", "u",
			"+Undo the discard: ", "y", "+▲ 1 leftover"}, func(t *testing.T, f *fixture.Repo, frame string) {
			assert.Contains(t, f.Read("a.go"), "println")
		}},
		"check": {[]string{"+2 hunks", "1", "+1 hunk in 1 file", "T", "+the answer is no"}, nil},
		"check that is not allowed yet": {[]string{"+bastel allow", "+2 hunks", "1", "+1 hunk in 1 file", "T",
			"+which you have not allowed here", "n", "+Nothing was done", "T", "+y allows it", "y", "+the answer is no"}, nil},
		"search": {[]string{"+2 hunks", "/", "four", "+spaces.txt", "enter", "space", "+1 line marked", "0",
			"-1 line marked"}, nil},
		"read": {[]string{"+2 hunks", "v", "+unread", "v", "+hidden, read"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			f := desk(t)
			allowed(t, f, "bastel.check", "echo the answer is no; exit 1")
			if name == "check that is not allowed yet" {
				f.Git("config", "bastel.check", "true && echo the answer is no; exit 1")
			}
			if name == "amend what is sent asks" {
				f.Git("update-ref", "refs/remotes/origin/topic", "HEAD")
			}
			d := newDriver(t, f.Dir)
			d.play(test.steps...)
			if test.check != nil {
				test.check(t, f, d.frame())
			}
			f.Git("fsck", "--strict")
		})
	}
}

func lastLine(text string) string {
	lines := strings.Split(text, "\n")
	return lines[len(lines)-1]
}

func TestAMessageBeginsWithTheTemplate(t *testing.T) {
	f := desk(t)
	f.Write(".git/template", "\n\nWhy:\n# a hint\n")
	f.Git("config", "commit.template", ".git/template")
	d := newDriver(t, f.Dir)
	d.play("+2 hunks", "1", "+1 hunk in 1 file", "m", "+what tray A will commit", "+TEN", "+Why:", "+# a hint",
		"Added a thing.", "+needs no full stop", "+as an order", "ctrl+t",
		"+Signed-off-by: Ines Falk", "enter", "+Signed-off-by", "ctrl+s", "+Added a thing.", "a", "+Made commit")
	message := strings.TrimSpace(f.Git("log", "-1", "--format=%B"))
	assert.Equal(t, "Added a thing.\n\nWhy:\n\nSigned-off-by: Ines Falk <ines@lanternquay.example>", message)
	d.play("+no message yet", "1", "+1 hunk in 1 file", "m", "+Message of tray A", "Fix it", "enter", "enter", "#12 is why", "ctrl+s",
		"+Fix it", "a", "+Made commit")
	assert.Contains(t, f.Git("log", "-1", "--format=%B"), "#12 is why", "a line of one's own stays")
	d.play("m", "+Message of tray A", "So: ", "ctrl+o", "+Put in an earlier message", "thirty", "enter", "+So: Change thirty", "+Why:", "esc",
		"esc", "+Nothing was changed.")
}

// TestTheCaretBeginsWhereTheSubjectGoes: what is typed into a template never becomes a part of one of its hints.
func TestTheCaretBeginsWhereTheSubjectGoes(t *testing.T) {
	for template, want := range map[string]string{"# a hint\n": "x\n", "\n# a hint\n": "x\n", "Ticket: \n# a hint": "Ticket: x\n",
		"one\n\ntwo\n": "onex\n\ntwo", "": "x"} {
		e := newEditor(kit.Edit{Message: &app.Writing{Template: template, Comment: "#"}}, kit.NewTheme(kit.Look{Ground: kit.Dark}))
		e.update(press("x"), &Model{})
		assert.Equal(t, want, e.text(), "%q", template)
	}
}

// TestLinesThatAreTypedEndAsTheFilesDo: whoever types into a file with CRLF writes that, and sees none of it.
func TestLinesThatAreTypedEndAsTheFilesDo(t *testing.T) {
	for text, want := range map[string]string{"a\r\nb\r\n": "a\r\nb\r\nx\r\ny\r", "": "x\r\ny\r"} {
		e := newEditor(kit.Edit{Text: text, CRLF: true}, kit.NewTheme(kit.Look{Ground: kit.Dark}))
		e.area.MoveToEnd()
		if text != "" {
			e.area.InsertString("\n")
		}
		e.area.InsertString("x\ny")
		assert.Equal(t, want, e.text(), "%q", text)
		assert.NotContains(t, e.area.Value(), shownReturn)
		e.set(want)
		assert.Equal(t, want, e.text(), "as the user's own editor gives it back")
	}
	f := fixture.New(t)
	f.Commit("base", "a", "one\r\ntwo\r\n", "b", "one\r\ntwo")
	f.Write("a", "one\r\nTWO\r\n")
	f.Write("b", "one\r\nTWO")
	d := newDriver(t, f.Dir)
	d.play("+2 files", "i", "+The text for tray A", "down", "right", "right", "right", "enter", "more", "ctrl+s",
		"+Edited", "ctrl+n", "j", "i",
		"+The text for tray A", "down", "right", "right", "right", " more", "ctrl+s", "+Edited", "+2 files")
	assert.Equal(t, "one\r\nTWO\r\nmore\r", f.Git("cat-file", "-p", ":a"), "but for the last line end, which is trimmed")
	assert.Equal(t, "one\r\nTWO more", f.Git("cat-file", "-p", ":b"))
}

// TestHooksSeeATextWhenItIsBegun: what the hook makes of it is in the editor, and is not made again; a refusal names the entry.
func TestHooksSeeATextWhenItIsBegun(t *testing.T) {
	f := desk(t)
	f.Git("checkout", "--quiet", ".")
	f.Hook("prepare-commit-msg", `sed -i "1s/^/[T-1 $2] /" "$1" && echo '# a hint' >>"$1"`)
	d := newDriver(t, f.Dir)
	d.play("+there.txt", "1", "+1 hunk in 1 file", "m", "+[T-1 ]", "+# a hint", "Add it", "ctrl+s", "+[T-1 ] Add it", "m",
		"+Message of tray A",
		"-# a hint", "ctrl+s", "+[T-1 ] Add it", "a", "+Made commit")
	assert.Equal(t, "[T-1 ] Add it", f.Git("log", "-1", "--format=%s"))
	d.play("]", "+3 commits, nothing planned yet", "g", "m", "+[T-1 commit] Change ten", " more", "ctrl+s", "+message new",
		"m", "+Message of entry A", "ctrl+s")
	f.Hook("commit-msg", "echo not so >&2; exit 1")
	tip := f.Git("rev-parse", "HEAD")
	d.play("a", "+Entry A, “[T-1 commit]", "+The commit-msg hook refused, and nothing was changed.", "+not so", "esc")
	assert.Equal(t, tip, f.Git("rev-parse", "HEAD"))
	f.Hook("commit-msg", "")
	d.play("a", "+became 3")
	assert.Equal(t, "[T-1 commit] Change ten more", f.Git("log", "-1", "--format=%s", "HEAD~2"))
}

// TestUndoNeverGetsStuck: a step that cannot be undone can be passed over.
func TestUndoNeverGetsStuck(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.play("+2 hunks", "x", "+Throw", "y", "+Thrown away", "-TEN")
	f.Write("a.go", "something else\n")
	d.play("w", "+Journal: what was done here", "enter", "+a.go", "+− TEN", "+bastel rescue 1 -o DIR", "esc", "u", "+? y does it.", "y",
		"+in the same places", "+the text that would come back.", "+pass it over", "enter", "-pass it over", "+Nothing was changed.", "u",
		"+? y does it.", "y", "+pass it over", "pass it", "enter", "+Passed over the discard", "u", "+There is nothing to undo.")
	assert.Equal(t, "something else\n", f.Read("a.go"))
}

func TestALargeFileIsLoadedOnDemand(t *testing.T) {
	f := fixture.New(t)
	large := strings.Repeat(strings.Repeat("a long line ", 16)+"\n", 100000) // more than is read unasked
	f.Commit("base", "big", large)
	f.Write("big", large+"and one more\n")
	d := newDriver(t, f.Dir)
	d.play("+too large to be shown", "y", "+and one more", "1", "+1 hunk in 1 file")
	assert.Equal(t, "1\t0\tbig", f.Git("diff", "--cached", "--numstat"))
}

func TestShapeByKeys(t *testing.T) {
	for name, test := range map[string]struct {
		steps []string
		check func(t *testing.T, f *fixture.Repo)
	}{
		"a new commit": {[]string{"+", "+Message of a new, empty commit", "Begin", "ctrl+s", "+from +", "a",
			"+3 commits, nothing planned yet"}, func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "Change ten\nBegin\nChange thirty", f.Git("log", "--reverse", "--format=%s", "main.."))
		}},
		"author": {[]string{"@", "+Its author", "enter", "+Author of entry A", "ctrl+u", "Mira Lund <mira@quay.example>", "ctrl+s",
			"+author or date new", "a", "+became 2"}, func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "Mira Lund", f.Git("log", "-1", "--format=%an", "HEAD~1"))
		}},
		"no author": {[]string{"@", "+Its author", "enter", "+Author of entry A", "ctrl+u", "nobody", "ctrl+s",
			"+write it as Name <address>"}, nil},
		"marked at once": {[]string{",", "+Mark which entries?", "y", "+2 entries marked: s joins them", ",", "n", "+Nothing is marked.", ",",
			"t", "+which text?", "THIRTY", "enter", "+1 entry marked", "x", "+left out: 2"}, nil},
		"search": {[]string{"/", "+Find an entry", "thirty", "+entry B", "enter", "-Find an entry", "x", "+left out: 2", "/", "+left out", "ten",
			"enter", "x", "+left out: 1"}, nil},
		"to the end": {[]string{"t", "+Before which entry?", "/", "to the end", "enter", "+A   Change thirty", "t",
			"+Before which entry?", "enter", "-A   Change thirty"}, nil},
		"to a place": {[]string{"t", "+Before which entry?", "Q", "+No choice has the key Q", "/", "to the end", "enter",
			"+A   Change thirty", "u", "+A   Change ten", "U", "+A   Change thirty"}, nil},
		"leave out marked ones": {[]string{"space", "space", "x", "+left out: 1", "+left out: 2", "+0 commits, the content changes", "a",
			"+This branch has no commits that main does not have."}, nil},
		"start elsewhere": {[]string{"(", "+After which commit", "base", "enter", "+2 commits since"}, nil},
		"another branch": {[]string{"b", "+Which branch is at work?", "other", "enter", "+at work is other, not checked out", "+Now  other",
			"A", "+Done at once", "x", "+1 commit"}, func(t *testing.T, f *fixture.Repo) {
			assert.Equal(t, "Other two", f.Git("log", "--format=%s", "main..other"))
			assert.Equal(t, "topic", f.Git("branch", "--show-current"))
		}},
		"the end's content": {[]string{"x", "+1 commit, the content changes", "=", "+left out: 1 Change ten"}, nil},
		"overlaps": {[]string{"O", "+files by commits", "?", "+▰ Overlaps", "esc", "+no other commit touches its lines", "enter",
			"+commit by commit", "esc", "esc", "+nothing planned yet"}, nil},
		"check each": {[]string{"T", "+the check failed on 1 entry", "esc", "-failed on", "+check failed", ";", "+check's output", "1",
			"+no ten here"}, nil},
		"draw": {[]string{"W", "+Draw into which file", "ctrl+u", "plan.svg", "ctrl+s", "+Written:"}, func(t *testing.T, f *fixture.Repo) {
			assert.Contains(t, f.Read("plan.svg"), "<svg")
		}},
		"divide, and leave it": {[]string{"d", "+its parts, in order", "?", "+▰ A divided commit", "esc", "+its parts, in order", "1",
			"+1 hunk in 1 file", "a", "+two parts at least", "esc", "+nothing planned yet"}, nil},
		"a divided commit is as it was left": {[]string{"d", "+its parts, in order", "1", "+1 hunk in 1 file", "esc", "+nothing planned yet",
			"d", "+1 hunk in 1 file", "u", "-1 hunk in 1 file", "U", "+1 hunk in 1 file", "2", "h", "2", "esc", "+nothing planned yet"}, nil},
		"reword at once": {[]string{"A", "+Reword it", "enter", "+Message of entry A", "!", "ctrl+s", "+became 2"},
			func(t *testing.T, f *fixture.Repo) {
				assert.Equal(t, "Change ten!", f.Git("log", "-1", "--format=%s", "HEAD~1"))
			}},
		"the journal tells": {[]string{"A", "+Reword it", "enter", "+Message of entry A", "!", "ctrl+s", "+became 2", "w", "+Journal",
			"enter", "+ became "}, nil},
		"places in a file": {[]string{"O", "+a.go  2 places", "-", "+   line 10", "+   line 30", "j", "enter", "+commit by commit", "esc",
			"j", "-", "-line 30", "esc", "+nothing planned yet"}, nil},
		"content at the end": {[]string{"x", "+the content changes", "=", "+What changes in the content", "enter",
			"+what is different at the end", "+− ten", "+left out: 1 Change ten", "esc", "u", "+nothing planned yet", "=",
			"+stays the same, byte for byte"}, nil},
		"insert what is loose": {[]string{"-WRITE n", "+", "+A new commit after entry A", "all that is loose", "enter",
			"+Message of the new commit", "Add n", "ctrl+s", "+3 commits, content the same", "+B   Add n", "a", "+became 3"},
			func(t *testing.T, f *fixture.Repo) {
				assert.Equal(t, "Change ten\nAdd n\nChange thirty", f.Git("log", "--reverse", "--format=%s", "main.."))
				assert.Empty(t, f.Git("status", "--porcelain"))
			}},
		"sweep finds nothing": {[]string{"L", "+No commit of the branch has leftovers."}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			f := desk(t)
			allowed(t, f, "bastel.check", "grep -q thirty a.go || { echo no ten here; exit 1; }")
			f.Git("branch", "other", "main")
			f.Git("checkout", "--quiet", "--force", "other")
			f.Git("clean", "--quiet", "--force")
			f.Commit("Other one", "o", "1\n")
			f.Commit("Other two", "o2", "2\n")
			f.Git("checkout", "--quiet", "topic")
			d := newDriver(t, f.Dir)
			d.play("+No loose changes", "]", "+1 file +1 −1", "g")
			for i, step := range test.steps { // "+" by itself is a key
				if step == "+" {
					d.press("+")
					continue
				}
				if name, ok := strings.CutPrefix(step, "-WRITE "); ok {
					f.Write(name, "new\n")
					d.play("[", "+"+name, "]", "+nothing planned yet")
					continue
				}
				d.play(test.steps[i])
			}
			if test.check != nil {
				test.check(t, f)
			}
			f.Git("fsck", "--strict")
		})
	}
}

// allowed sets something in the repository's own configuration that starts something, and allows it.
func allowed(t *testing.T, f *fixture.Repo, key, value string) {
	f.Git("config", key, value)
	a, _, err := app.Open(t.Context(), f.Dir)
	require.NoError(t, err)
	defer a.Close()
	require.NoError(t, a.AllowHere())
}
