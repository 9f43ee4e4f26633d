package kit

import (
	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
)

// Keeper writes drafts one after the other, in the order in which they were given: an older one
// never goes over a newer one.
type Keeper struct{ last chan struct{} }

// Keep gives what writes a draft once all that were given before it are written. It must be run,
// since later ones wait for it.
func (k *Keeper) Keep(write func() error) func() error {
	written, done := k.Written(), make(chan struct{})
	k.last = done
	return func() error {
		defer close(done)
		written()
		return write()
	}
}

// Command keeps a draft beside the screen, and says what went wrong.
func (k *Keeper) Command(write func() error) tea.Cmd {
	keep := k.Keep(write)
	return func() tea.Msg {
		if err := keep(); err != nil {
			return Notice{Text: app.Explain(err), Trouble: true}
		}
		return nil
	}
}

// Written gives what waits until all that were given by now are written.
func (k *Keeper) Written() func() {
	last := k.last
	return func() {
		if last != nil {
			<-last
		}
	}
}
