package ui

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"
	"time"

	"bastel/internal/app"

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

// write puts what there is to say of the fault into a file, and gives its name.
func (c *crash) write(version, screen string) (string, error) {
	dir, err := os.UserCacheDir()
	if err != nil {
		dir = os.TempDir()
	}
	dir = filepath.Join(dir, "bastel")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", fmt.Errorf("write what is known of the fault: %w", err)
	}
	name := filepath.Join(dir, "crash-"+time.Now().Format("20060102-150405")+".txt")
	lines := []string{"bastel " + version, "fault: " + c.what, "screen: " + screen, "system: " + runtime.GOOS + "/" + runtime.GOARCH,
		"terminal: " + os.Getenv("TERM"), "", string(c.stack)}
	if err := os.WriteFile(name, []byte(strings.Join(lines, "\n")), 0o600); err != nil {
		return "", fmt.Errorf("write what is known of the fault: %w", err)
	}
	return name, nil
}

// ErrCrashed is a fault of the application itself.
var ErrCrashed = errors.New("the application met a fault of its own, and ended")

// report says what happened, and where what is known of it lies.
func (g *guarded) report() error {
	screen := "opening"
	if g.screen() != nil {
		screen = g.screen().Name()
	}
	name, err := g.crash.write(app.Version(), screen)
	if err != nil {
		return errors.Join(ErrCrashed, err)
	}
	return fmt.Errorf("%w. Drafts are kept. What is known of it, without content of files, is in %s: send it along with what you did",
		ErrCrashed, name)
}
