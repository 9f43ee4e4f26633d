package ui

import (
	"maps"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/ui/kit"
)

// unfinished are the texts that are being written, as they are kept in case of a crash.
type unfinished struct {
	texts   app.Unfinished
	done    []string // of which what became of them may not be there yet
	due     bool     // they are to be written, or are being written
	changed bool     // since the writing that is under way began
}

// afterTyping is how long after a key what is being written is kept: keys that follow each other
// closely are kept at once, and do not wait for the disk.
const afterTyping = 10 * time.Millisecond

type keepWriting struct{}

type keptWriting struct{ err error }

// kept gives what was written of a text when Bastel ended, if that was before it was done.
func (u *unfinished) kept(edit kit.Edit) (text string, ok bool) {
	found, ok := u.texts[app.UnfinishedKey(edit.Title, edit.Text)]
	return found.Text, ok
}

// keepText keeps what is being written, after each key that changes it.
func (m *Model) keepText(e *editor) tea.Cmd {
	texts := maps.Clone(m.unfinished.texts)
	if texts == nil {
		texts = app.Unfinished{}
	}
	if texts[e.key()] = (app.UnfinishedText{Text: e.written(), When: time.Now()}); e.area.Value() == e.before {
		delete(texts, e.key())
	}
	m.unfinished.texts = texts
	return m.writeSoon()
}

// doneWriting says that a text is done: it is kept until what became of it is there.
func (m *Model) doneWriting(e *editor) { m.unfinished.done = append(m.unfinished.done, e.key()) }

// forgetWriting forgets texts of which all that they led to is done.
func (m *Model) forgetWriting() tea.Cmd {
	if len(m.unfinished.done) == 0 || m.queue.open > 0 || m.behind() || m.work != nil {
		return nil
	}
	texts := maps.Clone(m.unfinished.texts)
	for _, key := range m.unfinished.done {
		delete(texts, key)
	}
	changed := len(texts) != len(m.unfinished.texts)
	m.unfinished.texts, m.unfinished.done = texts, nil
	if !changed {
		return nil
	}
	return m.writeSoon()
}

// writeSoon has the texts written, one writing at a time.
func (m *Model) writeSoon() tea.Cmd {
	if m.unfinished.changed = true; m.unfinished.due {
		return nil
	}
	m.unfinished.due = true
	return inBackground(tea.Tick(afterTyping, func(time.Time) tea.Msg { return keepWriting{} }))
}

// storeWriting writes all of them.
func (m *Model) storeWriting() tea.Cmd {
	m.unfinished.changed = false
	texts, a := m.unfinished.texts, m.app
	return func() tea.Msg { return keptWriting{a.KeepUnfinished(texts)} }
}

// keepLastWriting keeps what was written last when the screen is gone already.
func (m *Model) keepLastWriting() error {
	if m.app == nil || !m.unfinished.due {
		return nil
	}
	return m.app.KeepUnfinished(m.unfinished.texts)
}

// haveKeptWriting goes on with what was written meanwhile.
func (m *Model) haveKeptWriting(msg keptWriting) tea.Cmd {
	if msg.err != nil {
		m.say(kit.Notice{Text: app.Explain(msg.err), Trouble: true})
	}
	if m.unfinished.due = false; m.unfinished.changed {
		return m.writeSoon()
	}
	return nil
}

// key names the text by what it is for.
func (e *editor) key() string { return app.UnfinishedKey(e.Title, e.begun) }
