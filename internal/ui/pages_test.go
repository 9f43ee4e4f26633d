package ui

import (
	"fmt"
	"strings"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"

	"bastel/internal/repo"
	"bastel/internal/ui/kit"
)

func TestTheGaugeOfAMessage(t *testing.T) {
	theme := kit.NewTheme(kit.Dark)
	for text, want := range map[string]string{
		"":                                    "subject 0 of 60",
		"Short":                               "subject 5 of 60",
		"世界":                                  "subject 4 of 60",
		strings.Repeat("x", 61):               "the subject is long",
		"Subject\nbody":                       "leave a blank line below the subject",
		"Subject\n\nbody":                     "subject 7 of 60",
		"S\n\n" + strings.Repeat("word ", 20): "a line of the body is longer than 72",
	} {
		e := newEditor(kit.Edit{Text: text, Message: &kit.MessageHelp{}}, theme)
		got, _ := e.gauge(theme)
		assert.Contains(t, got, want, text)
	}
}

func TestLeavingTheEditorAsksOnce(t *testing.T) {
	m := &Model{}
	escape := tea.KeyPressMsg{Code: tea.KeyEscape}
	open := func() *editor {
		e := newEditor(kit.Edit{Text: "text"}, kit.NewTheme(kit.Dark))
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
	m := &Model{theme: kit.NewTheme(kit.Dark)}
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
	for _, line := range c.view(kit.Size{Width: 40, Height: 9}, m) {
		assert.Equal(t, 40, ansi.StringWidth(line))
	}
}

func TestNoticesFitOrGetAPage(t *testing.T) {
	m := &Model{width: 40}
	m.say(kit.Notice{Text: "short \x1b[2J"})
	assert.Equal(t, "short ␛[2J", m.notice.Text)
	m.say(kit.Notice{Text: "head\nserver said\nmore"})
	assert.Equal(t, &text{heading: "head", lines: []string{"server said", "more"}}, m.page)
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
	for value, want := range map[string]kit.Ground{"": kit.Unknown, "15;0": kit.Dark, "0;15": kit.Light, "0;default;15": kit.Light, "x": kit.Unknown} {
		t.Setenv("COLORFGBG", value)
		assert.Equal(t, want, groundOfEnvironment(), value)
	}
}
