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
	texts  app.Unfinished
	done   []string // of which what became of them may not be there yet
	number int
	keeper kit.Keeper
}

// kept gives what was written of a text when Bastel ended, if that was before it was done.
func (u *unfinished) kept(edit kit.Edit) (text string, ok bool) {
	found, ok := u.texts[app.UnfinishedKey(edit.Title, edit.Text)]
	return found.Text, ok
}

// keepWriting keeps what is being written, after each key that changes it.
func (m *Model) keepWriting(e *editor) tea.Cmd {
	texts := maps.Clone(m.unfinished.texts)
	if texts == nil {
		texts = app.Unfinished{}
	}
	if texts[e.key()] = (app.UnfinishedText{Text: e.written(), When: time.Now()}); e.area.Value() == e.before {
		delete(texts, e.key())
	}
	m.unfinished.texts = texts
	return m.storeWriting()
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
	return m.storeWriting()
}

// storeWriting writes all of them; an older state never goes over a newer one.
func (m *Model) storeWriting() tea.Cmd {
	m.unfinished.number++
	number, texts, a := m.unfinished.number, m.unfinished.texts, m.app
	return inBackground(func() tea.Msg {
		if err := m.unfinished.keeper.Keep(number, func() error { return a.KeepUnfinished(texts) }); err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		return nil
	})
}

// key names the text by what it is for.
func (e *editor) key() string { return app.UnfinishedKey(e.Title, e.begun) }
