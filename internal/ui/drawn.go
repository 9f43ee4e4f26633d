package ui

import (
	"bytes"
	"os"
	"sync/atomic"
	"time"

	"github.com/charmbracelet/x/ansi"
)

// terminal is where frames are written, and counts how often something was.
type terminal struct {
	*os.File
	written atomic.Int64
}

// Terminals that put text which goes to the left into order by themselves are told, while the application has the screen, that it is in
// order (ECMA-48, bidirectional support mode): they would reorder whole rows, across columns.
const (
	inOrder    = "\x1b[8l"
	notInOrder = "\x1b[8h"
)

// Write writes to the terminal.
func (t *terminal) Write(p []byte) (int, error) {
	defer t.written.Add(1)
	if bytes.Contains(p, []byte(ansi.ResetModeAltScreenSaveCursor)) {
		if _, err := t.File.WriteString(notInOrder); err != nil {
			return 0, err
		}
	}
	n, err := t.File.Write(p)
	if err == nil && bytes.Contains(p, []byte(ansi.SetModeAltScreenSaveCursor)) {
		_, err = t.File.WriteString(inOrder)
	}
	return n, err
}

// moment is a point in time, as what had been written by then tells it.
type moment struct {
	written int64
	when    time.Time
}

func (m *Model) now() moment {
	if m.screenOut == nil {
		return moment{}
	}
	return moment{m.screenOut.written.Load(), time.Now()}
}

// atLeast is how long it may take until what is written next is the frame after a moment, and not
// the one before it: two frames.
const atLeast = time.Second / 30

// drawnSince says whether a frame that was made after a moment has been written.
func (m *Model) drawnSince(then moment) bool {
	if m.screenOut == nil {
		return true
	}
	written := m.screenOut.written.Load() - then.written
	return written > 1 || written == 1 && time.Since(then.when) > atLeast
}
