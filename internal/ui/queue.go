package ui

import (
	"cmp"
	"fmt"
	"slices"
	"time"
	"unicode"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// queue keeps keys in their order: one that comes while what the one before it began is not on
// the screen yet waits for that, so that it acts on what it would have been pressed for.
type queue struct {
	typed    []tea.KeyPressMsg
	open     int       // commands of earlier keys that are under way, and what they led to
	since    time.Time // when the first of them began
	progress time.Time // when something of them was last done
	tracking bool      // what is handled now comes of a key
	key      string    // the one that is acted on, or was last
	starting bool      // the first screen is being read: keys wait for it, however long that takes
}

// hurry is how long keys wait for work that reports how far it is, such as a push: it says that
// it runs, and keys act at once again. For a step that is short by its nature they wait, however
// busy the machine is, up to atMost.
const (
	hurry  = time.Second
	atMost = 30 * time.Second
)

// finished is what came of a tracked command.
type finished struct{ msg tea.Msg }

// unattended is a command that no key waits for: it goes on for long, or for ever.
type unattended struct{ cmd tea.Cmd }

// inBackground has nobody wait for a command.
func inBackground(cmd tea.Cmd) tea.Cmd {
	if cmd == nil {
		return nil
	}
	return func() tea.Msg { return unattended{cmd} }
}

// track counts a command as under way until what it led to is handled.
func (m *Model) track(cmd tea.Cmd) tea.Cmd {
	if cmd == nil || !m.queue.tracking {
		return cmd
	}
	if m.queue.open++; m.queue.open == 1 {
		m.queue.since, m.queue.progress = time.Now(), time.Now()
	}
	return func() tea.Msg { return finished{cmd()} }
}

// haveFinished goes on with what a tracked command gave.
func (m *Model) haveFinished(msg finished) tea.Cmd {
	m.queue.progress = time.Now()
	if m.queue.open--; m.queue.open == 0 {
		defer func() { m.queue.starting = m.queue.starting && m.queue.open > 0 }()
	}
	before := m.queue.tracking
	m.queue.tracking = true
	defer func() { m.queue.tracking = before }()
	switch inner := msg.msg.(type) {
	case nil:
		return nil
	case unattended:
		return inner.cmd
	case tea.BatchMsg:
		return tea.Batch(m.trackEach(inner)...)
	case kit.Sequence:
		return tea.Sequence(m.trackEach(inner)...)
	}
	cmd, taken := m.handle(msg.msg)
	if !taken {
		return kit.Show(msg.msg) // the program's own, which no key waits for
	}
	return m.track(cmd)
}

// trackEach counts each of several commands as under way.
func (m *Model) trackEach(cmds []tea.Cmd) []tea.Cmd {
	tracked := make([]tea.Cmd, len(cmds))
	for i, cmd := range cmds {
		tracked[i] = m.track(cmd)
	}
	return tracked
}

// carriesCommands says whether a message only brings commands to be started: it changes nothing that is shown.
func carriesCommands(msg tea.Msg) bool {
	if done, ok := msg.(finished); ok {
		msg = done.msg
	}
	switch msg.(type) {
	case nil, unattended, tea.BatchMsg, kit.Sequence:
		return true
	}
	return false
}

// wake has waiting keys looked at again.
type wake struct{}

func wakeLater() tea.Cmd {
	return inBackground(tea.Tick(hurry, func(time.Time) tea.Msg { return wake{} }))
}

// hangs says whether what keys wait for does not get on: who leaves then need not wait.
func (m *Model) hangs() bool {
	return (m.queue.open > 0 || m.behind()) && time.Since(m.queue.progress) > hurry
}

// leaves says whether a key leaves: only a page takes it otherwise.
func (m *Model) leaves(msg tea.KeyPressMsg) bool {
	return m.page == nil && action.Is(action.Leave, msg.String())
}

// waits says whether keys wait for what came before them.
func (m *Model) waits() bool {
	switch {
	case m.failed != nil:
		return false
	case !m.opened:
		return true
	}
	bound := atMost
	if m.work != nil && m.work.progress.Load() != nil {
		bound = hurry
	}
	return m.queue.open > 0 && (m.queue.starting || time.Since(m.queue.since) < bound)
}

// waitsBehind says whether a key needs the repository as it is shown, which is not so far yet.
func (m *Model) waitsBehind(msg tea.KeyPressMsg) bool {
	if !m.behind() || m.page != nil {
		return false
	}
	found, ok := kit.FindKey(m.actions(), msg.String())
	return ok && !found.AtOnce
}

// leaving says whether a key that leaves waits already: another one does not.
func (m *Model) leaving() bool { return slices.ContainsFunc(m.queue.typed, m.leaves) }

// key takes a key, or two: a terminal tells esc with a key right after it as that key with alt. Alt means something in a
// text only, so elsewhere both are taken, and none is lost.
func (m *Model) key(msg tea.KeyPressMsg) tea.Cmd {
	if msg.Mod&tea.ModAlt == 0 || m.writesText() && msg.Code != tea.KeyEscape { // two esc in one reading are two
		return m.take(msg)
	}
	return tea.Batch(m.take(tea.KeyPressMsg{Code: tea.KeyEscape}), m.take(withoutAlt(msg)))
}

// writesText says whether keys go into a text.
func (m *Model) writesText() bool {
	switch m.page.(type) {
	case *editor, *questioner:
		return true
	}
	return false
}

func withoutAlt(msg tea.KeyPressMsg) tea.KeyPressMsg {
	msg.Mod &^= tea.ModAlt
	if msg.Mod&tea.ModCtrl != 0 || !unicode.IsPrint(msg.Code) {
		return msg
	}
	msg.Text = string(msg.Code)
	if msg.Mod&tea.ModShift != 0 {
		msg.Text = string(cmp.Or(msg.ShiftedCode, unicode.ToUpper(msg.Code)))
	}
	return msg
}

// take takes a key, at once or in its turn.
func (m *Model) take(msg tea.KeyPressMsg) tea.Cmd {
	waits := m.waits() || m.waitsBehind(msg) || len(m.queue.typed) > 0
	switch {
	case !waits || msg.String() == "esc":
		return m.act(msg)
	case m.leaves(msg) && (!m.opened || m.queue.starting || m.hangs() || m.leaving()):
		return m.act(msg)
	}
	m.queue.typed = append(m.queue.typed, msg)
	if m.leaves(msg) {
		return wakeLater()
	}
	return nil
}

// act does what a key says; what that leads to is tracked.
func (m *Model) act(msg tea.KeyPressMsg) tea.Cmd {
	m.logKey(msg)
	m.queue.key = action.KeyName(msg.String())
	before := m.queue.tracking
	m.queue.tracking = true
	defer func() { m.queue.tracking = before }()
	return m.track(m.press(msg))
}

// logKey writes a key into the log, and notes it for who looks into a fault; of what is typed into a text, only that it was.
func (m *Model) logKey(msg tea.KeyPressMsg) {
	screen, key := "", msg.String()
	if m.screen() != nil {
		screen = m.screen().Name()
	}
	switch m.page.(type) {
	case *editor, *questioner, *chooser:
		key = "(typed)"
	}
	m.did(screen, key)
	if m.log != nil {
		m.log.Debug("key", "key", key, "screen", screen)
	}
}

// nextKeys does what waiting keys say whose turn it is.
func (m *Model) nextKeys() tea.Cmd {
	if m.hangs() && m.leaving() {
		return tea.Quit
	}
	var cmds []tea.Cmd
	for len(m.queue.typed) > 0 && !m.waits() && !m.waitsBehind(m.queue.typed[0]) {
		msg := m.queue.typed[0]
		m.queue.typed = m.queue.typed[1:]
		cmds = append(cmds, m.act(msg))
	}
	return tea.Batch(cmds...)
}

// stopSearches has nothing come any more of what keys began to look for, as if it had come and been left; nor does anything of keys
// that were typed after it, for what it would have shown.
func (m *Model) stopSearches() bool {
	if !m.searches.Stop() {
		return false
	}
	said := "What was being looked for is not shown."
	if dropped := len(m.queue.typed); dropped > 0 {
		m.queue.typed = nil
		said += " Dropped with it: " + wording.Count(dropped, "key") + " typed after it."
	}
	m.say(kit.Notice{Text: said})
	return true
}

// beforeQuestion drops the keys that were typed before a question was there to be read: they
// do not answer it. It says how many.
func (m *Model) beforeQuestion() string {
	dropped := len(m.queue.typed)
	if m.queue.typed = nil; dropped == 0 {
		return ""
	}
	return fmt.Sprintf(" (%s typed before this was asked: dropped.)", wording.Count(dropped, "key"))
}
