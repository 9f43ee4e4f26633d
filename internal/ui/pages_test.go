package ui

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/ui/kit"
	"bastel/test/fixture"
)

func TestTheGaugeOfAMessage(t *testing.T) {
	theme := kit.NewTheme(kit.Look{Ground: kit.Dark})
	for text, want := range map[string]string{
		"":                                    "subject 0 of 60",
		"Short":                               "subject 5 of 60",
		"世界":                                  "subject 4 of 60",
		strings.Repeat("x", 61):               "the subject is long",
		"Subject\nbody":                       "leave a blank line below the subject",
		"Subject\n\nbody":                     "subject 7 of 60",
		"S\n\n" + strings.Repeat("word ", 20): "a line of the body is longer than 72",
	} {
		e := newEditor(kit.Edit{Text: text, Message: &app.Writing{}}, theme)
		got, _ := e.gauge(theme)
		assert.Contains(t, got, want, text)
	}
}

func TestLeavingTheEditorAsksOnce(t *testing.T) {
	m := &Model{}
	escape := tea.KeyPressMsg{Code: tea.KeyEscape}
	open := func() *editor {
		e := newEditor(kit.Edit{Text: "text"}, kit.NewTheme(kit.Look{Ground: kit.Dark}))
		m.page = e
		return e
	}
	open().update(escape, m)
	assert.Nil(t, m.page, "nothing was written, so nothing can be lost")
	e := open()
	e.update(press("x"), m)
	e.update(escape, m)
	assert.NotNil(t, m.page)
	assert.Contains(t, e.keys(), "press esc again")
	e.update(escape, m)
	assert.Nil(t, m.page)
}

func press(key string) tea.KeyPressMsg { return tea.KeyPressMsg{Text: key, Code: []rune(key)[0]} }

func TestTheChooserNarrowsDown(t *testing.T) {
	m := &Model{theme: kit.NewTheme(kit.Look{Ground: kit.Dark})}
	took := ""
	option := func(label string) kit.Option {
		return kit.Option{Label: label, Detail: "detail of " + label, Do: func() tea.Cmd { took = label; return nil }}
	}
	c := &chooser{Choose: kit.Choose{Options: []kit.Option{option("squash"), option("message"), option("move up"), option("move down")}}}
	m.page = c
	for _, key := range "mo up" {
		c.update(press(string(key)), m)
	}
	assert.Len(t, c.matches(), 1, "all words, in any order")
	for range "mo up" {
		c.update(tea.KeyPressMsg{Code: tea.KeyBackspace}, m)
	}
	c.update(press("m"), m)
	c.update(tea.KeyPressMsg{Code: tea.KeyDown}, m)
	c.update(tea.KeyPressMsg{Code: tea.KeyDown}, m)
	c.update(tea.KeyPressMsg{Code: tea.KeyDown}, m)
	c.update(tea.KeyPressMsg{Code: tea.KeyEnter}, m)
	assert.Equal(t, "move down", took, "the cursor stops at the last one")
	assert.Nil(t, m.page)
	for _, size := range []kit.Size{{Width: 40, Height: 9, Narrow: true}, {Width: 142, Height: 36}, {Width: 20, Height: 4, Narrow: true}} {
		for _, line := range c.panel(size, m.theme) {
			assert.Equal(t, size.Width, ansi.StringWidth(line))
		}
	}
}

// TestChoicesWithTheSameSubjectAreReadOutApart: commits may have the same one.
func TestChoicesWithTheSameSubjectAreReadOutApart(t *testing.T) {
	m := &Model{theme: kit.NewTheme(kit.Look{Ground: kit.Dark})}
	options := []kit.Option{{Label: "again", Key: "1111111"}, {Label: "again", Key: "2222222"}}
	c := &chooser{Choose: kit.Choose{Options: options}, looks: map[string]string{}}
	for _, option := range options {
		m.haveLooked(looked{c, nameOf(option), "text of " + option.Key})
	}
	for at, option := range options {
		c.cursor = at
		assert.Contains(t, c.said(c.matches()), "text of "+option.Key)
	}
}

// TestAKeyBeforeAChoiceChoosesIt, until something is typed.
func TestAKeyBeforeAChoiceChoosesIt(t *testing.T) {
	took := ""
	option := func(key, label string) kit.Option {
		return kit.Option{Key: key, Label: label, Do: func() tea.Cmd { took = label; return nil }}
	}
	for name, c := range map[string]struct {
		options []kit.Option
		typed   string
		want    string
	}{
		"by its place":     {[]kit.Option{option("ab12", "one"), option("", "two 2")}, "2", "two 2"},
		"by a key it has":  {[]kit.Option{option("1", "one"), option("0", "none")}, "0", "none"},
		"text goes before": {[]kit.Option{option("", "one"), option("", "two 2")}, "t2", ""},
		"there is no such": {[]kit.Option{option("", "one")}, "7", ""},
	} {
		t.Run(name, func(t *testing.T) {
			took = ""
			m := &Model{theme: kit.NewTheme(kit.Look{Ground: kit.Dark})}
			page := &chooser{Choose: kit.Choose{Options: c.options}}
			m.page = page
			for _, key := range c.typed {
				page.update(press(string(key)), m)
			}
			assert.Equal(t, c.want, took)
			assert.Equal(t, c.want == "", m.page != nil)
		})
	}
}

// TestAListThatFindsNothingStaysOpen: the key after it is not for what lies below.
func TestAListThatFindsNothingStaysOpen(t *testing.T) {
	m := &Model{width: 80, height: 24, theme: kit.NewTheme(kit.Look{Ground: kit.Dark})}
	took := false
	c := &chooser{Choose: kit.Choose{Options: []kit.Option{{Label: "main", Do: func() tea.Cmd { took = true; return nil }}}}}
	m.page = c
	for _, key := range "hidden" {
		c.update(press(string(key)), m)
	}
	c.update(tea.KeyPressMsg{Code: tea.KeyEnter}, m)
	assert.Equal(t, page(c), m.page)
	assert.False(t, took)
	assert.Contains(t, m.notice.Text, "Nothing fits “hidden”.")
}

// TestANoticeNeverTakesAKey: it has the rows that it needs, above the line of keys, and what has no room is read by a key.
func TestANoticeNeverTakesAKey(t *testing.T) {
	m := &Model{width: 40, height: 24, theme: kit.NewTheme(kit.Look{Ground: kit.Dark})}
	m.say(kit.Notice{Text: "short \x1b[2J"})
	assert.Equal(t, "short ␛[2J", m.notice.Text)
	assert.Len(t, m.news(), 1)
	m.say(kit.Notice{Text: "head\nserver said something that is longer than a line\nmore"})
	assert.Len(t, m.news(), 4)
	assert.Nil(t, m.page)
	m.say(kit.Notice{Text: "head\n" + strings.Repeat("more\n", 20)})
	rows := m.news()
	assert.Len(t, rows, 6, "a quarter of the screen")
	assert.Equal(t, 2+len(rows), m.bottomRows(), "it is counted as it is drawn")
	assert.Contains(t, ansi.Strip(rows[0]), "head")
	assert.Contains(t, ansi.Strip(rows[5]), "… 16 lines more: ctrl+r reads all")
	m.hush()
	assert.Len(t, m.news(), 1)
	m.readNotice()
	assert.Equal(t, "head", m.page.(*text).heading, "it can be read later too")
}

func TestFailuresSayWhatToDo(t *testing.T) {
	for err, want := range map[error]string{
		repo.ErrNoRepository: "bastel demo", repo.ErrBare: "open a clone", repo.ErrForeignOwner: "safe.directory",
		repo.ErrGitTooOld: "2.36", repo.ErrLocked: "lock file",
	} {
		what, todo := failure(fmt.Errorf("open x: %w", err))
		assert.Contains(t, todo, want)
		assert.True(t, strings.HasSuffix(what, "."))
	}
}

func TestGroundsOfTheEnvironment(t *testing.T) {
	for value, want := range map[string]kit.Background{"": kit.Unknown, "15;0": kit.Dark, "0;15": kit.Light, "0;default;15": kit.Light,
		"x": kit.Unknown} {
		t.Setenv("COLORFGBG", value)
		assert.Equal(t, want, groundOfEnvironment(), value)
	}
}

// TestEscapeAndAKeyAreTwo: what a terminal tells as one key with alt, where the two came right after each other.
func TestEscapeAndAKeyAreTwo(t *testing.T) {
	for want, msg := range map[string]tea.KeyPressMsg{
		"j": {Code: 'j', Mod: tea.ModAlt}, "G": {Code: 'g', Mod: tea.ModAlt | tea.ModShift}, "]": {Code: ']', Mod: tea.ModAlt},
		"?": {Code: '/', ShiftedCode: '?', Mod: tea.ModAlt | tea.ModShift}, "space": {Code: tea.KeySpace, Mod: tea.ModAlt},
		"ctrl+t": {Code: 't', Mod: tea.ModAlt | tea.ModCtrl}, "down": {Code: tea.KeyDown, Mod: tea.ModAlt},
		"esc": {Code: tea.KeyEscape, Mod: tea.ModAlt}, "enter": {Code: tea.KeyEnter, Mod: tea.ModAlt},
	} {
		assert.Equal(t, want, withoutAlt(msg).String())
	}
	assert.Equal(t, "J", withoutAlt(tea.KeyPressMsg{Code: 'j', Mod: tea.ModAlt | tea.ModShift}).Text)
}

// TestKeysInTheirLineAreWhole: in every width the line says what each key does, or leaves it out.
func TestKeysInTheirLineAreWhole(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Write("a", "2\n")
	d := newDriver(t, f.Dir)
	d.wait("from line 1")
	d.rest()
	known := map[string]bool{}
	for _, a := range d.m.actions() {
		known[a.Key()+" "+a.Name] = true
	}
	for width := 60; width < 200; width++ {
		d.update(tea.WindowSizeMsg{Width: width, Height: 42})
		for part := range strings.SplitSeq(strings.TrimSpace(ansi.Strip(d.m.keysLine())), "   ") {
			if part = strings.TrimSpace(part); part != "" {
				assert.True(t, known[part], "%d: %q", width, part)
			}
		}
	}
}

// What a message is for stands in Now, scrolls by its keys, and is a page of its own where there is little room.
func TestAMessageStandsBesideWhatItIsFor(t *testing.T) {
	for _, width := range []int{142, 80} {
		d := newDriver(t, desk(t).Dir)
		d.update(tea.WindowSizeMsg{Width: width, Height: 24})
		d.play("+loose changes", "enter", "m", "+Message of tray A")
		if width < narrowBelow {
			d.play("-what tray A will commit", "ctrl+down", "+what tray A will commit", "-subject 0", "ctrl+down", "Say", "+subject 3", "+Say")
		} else {
			d.play("+what tray A will commit", "ctrl+down", "Say", "+subject 3", "+Say", "+what tray A will commit")
		}
		d.play("esc", "esc", "+Nothing was changed.")
	}
	d := newDriver(t, desk(t).Dir)
	d.play("+loose changes", "]", "+stays where it begins", "m", "+Message of entry", "+is made of", "esc", "+Nothing was changed.")
}

// With commit.verbose the user's own editor gets what the message is for, which does not come back into the message.
func TestTheOwnEditorGetsWhatTheMessageIsFor(t *testing.T) {
	f := desk(t)
	f.Git("config", "commit.verbose", "true")
	d := newDriver(t, f.Dir)
	d.play("+loose changes", "1", "+1 hunk in 1 file", "m", "+what tray A will commit", "+TEN", "Say TEN", "+Say TEN")
	e := d.m.page.(*editor)
	text := e.forOwnEditor()
	assert.True(t, strings.HasPrefix(text, "Say TEN\n\n#"), text)
	assert.Contains(t, text, "\n+TEN\n")
	file := filepath.Join(t.TempDir(), "text")
	require.NoError(t, os.WriteFile(file, []byte("More. "+text), 0o666))
	d.update(composed{editor: e, file: file})
	assert.Equal(t, "More. Say TEN", strings.TrimSpace(e.written()))
	e.Message.Verbose = false
	assert.Equal(t, "More. Say TEN", e.forOwnEditor())
}
