package ui

import (
	"os"
	"sync/atomic"
	"time"
)

// terminal is where frames are written, and counts how often something was.
type terminal struct {
	*os.File
	written atomic.Int64
}

// Write writes to the terminal.
func (t *terminal) Write(p []byte) (int, error) {
	n, err := t.File.Write(p)
	t.written.Add(1)
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
