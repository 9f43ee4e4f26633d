package ui

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"runtime"
	"runtime/debug"
	"syscall"

	"bastel/internal/app"
	"bastel/internal/lifeline"

	tea "charm.land/bubbletea/v2"
)

// guarded is the application, which a fault of its own ends in good order: the terminal is left clean, drafts are kept, and what
// there is to say of the fault is written into a file.
type guarded struct {
	*Model
	crash *crash
}

// crash is a fault of the application, and where it was.
type crash struct {
	what  string
	stack []byte
}

// crashed is a fault in a command.
type crashed struct{ *crash }

// newCrash describes a fault. A text that was put together for it may have content of files in it, and stays out.
func newCrash(value any) *crash {
	what := fmt.Sprintf("%T", value)
	var fault runtime.Error
	if err, ok := value.(error); ok && errors.As(err, &fault) {
		what = fault.Error()
	}
	return &crash{what, debug.Stack()}
}

// Update answers a message. After a fault there is nothing more to do than to leave.
func (g *guarded) Update(msg tea.Msg) (model tea.Model, cmd tea.Cmd) {
	if fault, ok := msg.(crashed); ok && g.crash == nil {
		g.crash = fault.crash
	}
	if g.crash != nil {
		return g, tea.Quit
	}
	defer func() {
		if value := recover(); value != nil {
			g.crash = newCrash(value)
			model, cmd = g, tea.Quit
		}
	}()
	_, cmd = g.Model.Update(msg)
	return g, guard(cmd)
}

// guard has a command, and those that it gives, tell of a fault.
func guard(cmd tea.Cmd) tea.Cmd {
	if cmd == nil {
		return nil
	}
	return func() (msg tea.Msg) {
		defer func() {
			if value := recover(); value != nil {
				msg = crashed{newCrash(value)}
			}
		}()
		msg = cmd()
		if batch, ok := msg.(tea.BatchMsg); ok {
			for i := range batch {
				batch[i] = guard(batch[i])
			}
		}
		return msg
	}
}

// mostDone is how many keys are remembered for a fault's sake.
const mostDone = 40

// did notes a key on a screen for who looks into a fault.
func (m *Model) did(screen, key string) {
	if m.done = append(m.done, screen+"\t"+key); len(m.done) > mostDone {
		m.done = m.done[1:]
	}
	m.line.Did(screen, key)
}

// heed ends the application in good order for signals that would end it in none. Those that ask for a stack get one.
func heed(ctx context.Context, end context.CancelCauseFunc, send func(tea.Msg)) {
	signals := make(chan os.Signal, 1)
	signal.Notify(signals, syscall.SIGHUP, syscall.SIGQUIT, syscall.SIGABRT)
	go func() {
		defer signal.Stop(signals) // a second one ends it as usual
		select {
		case <-ctx.Done():
		case s := <-signals:
			if s == syscall.SIGHUP {
				end(fmt.Errorf("the terminal was closed: %w", context.Canceled))
				return
			}
			stacks := make([]byte, 1<<20)
			send(crashed{&crash{s.String(), stacks[:runtime.Stack(stacks, true)]}})
		}
	}()
}

// ErrCrashed is a fault of the application itself.
var ErrCrashed = errors.New("the application met a fault of its own, and ended")

// report says what happened, and where what is known of it lies.
func (g *guarded) report() error {
	screen := "opening"
	if g.screen() != nil {
		screen = g.screen().Name()
	}
	name, err := lifeline.Write(app.Version(), g.crash.what+", on "+screen, g.done, string(g.crash.stack))
	if err != nil {
		return errors.Join(ErrCrashed, err)
	}
	return fmt.Errorf("%w. Drafts are kept. What is known of it, without content of files, is in %s: send it along with what you did",
		ErrCrashed, name)
}
