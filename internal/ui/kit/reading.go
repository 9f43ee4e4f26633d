package kit

import (
	"context"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/repo"
)

// Addressed is a message for one screen; the frame passes it on.
type Addressed interface{ For() string }

// Reading is what a screen knows by reading it again and again. It keeps the latest value: an
// older reading, or one that failed, never replaces it.
type Reading[T any] struct {
	Value T
	Known bool  // there is a value
	Err   error // why the latest reading failed; nil: it did not

	begun, taken int // generations
	growing      int // the generation of which a part was taken
}

// Read is what one reading gave.
type Read[T any] struct {
	Screen     string
	Value      T
	Err        error
	generation int
	more       tea.Cmd // waits for what comes after; nil: this is all
}

// More waits for what comes after a part; nil: nothing does.
func (r Read[T]) More() tea.Cmd { return r.more }

// For is the screen that the reading is for.
func (r Read[T]) For() string { return r.Screen }

// Begin reads once more, in the background. What it gives comes as a Read, to be taken.
func (r *Reading[T]) Begin(ctx context.Context, screen string, read func(ctx context.Context) (T, error)) tea.Cmd {
	r.begun++
	generation := r.begun
	return func() tea.Msg {
		value, err := read(repo.Because(ctx, "reading for "+screen))
		return Read[T]{Screen: screen, Value: value, Err: err, generation: generation}
	}
}

// BeginParts reads once more, in the background, what is known in part before it is known whole. Each part comes as a Read;
// after one is taken, its More waits for the next. Parts that nobody waited for yet are passed over.
func (r *Reading[T]) BeginParts(ctx context.Context, screen string, read func(ctx context.Context, part func(T)) (T, error)) tea.Cmd {
	r.begun++
	generation := r.begun
	parts := make(chan Read[T], 1)
	var next tea.Cmd = func() tea.Msg {
		if part, ok := <-parts; ok {
			return part
		}
		return nil
	}
	return tea.Batch(next, func() tea.Msg {
		defer close(parts)
		value, err := read(repo.Because(ctx, "reading for "+screen), func(part T) {
			select {
			case <-parts: // an older one that nobody took
			default:
			}
			parts <- Read[T]{Screen: screen, Value: part, generation: generation, more: next}
		})
		return Read[T]{Screen: screen, Value: value, Err: err, generation: generation}
	})
}

// Take takes what a reading gave. It says whether that is a newer value than the one before.
func (r *Reading[T]) Take(read Read[T]) bool {
	if read.generation <= r.taken || read.generation < r.growing {
		return false
	}
	if read.more != nil {
		r.growing, r.Value, r.Known, r.Err = read.generation, read.Value, true, nil
		return true
	}
	r.taken = read.generation
	if r.Err = read.Err; read.Err != nil {
		return false
	}
	r.Value, r.Known = read.Value, true
	return true
}

// Pending says whether a newer reading than the one that is shown is under way.
func (r *Reading[T]) Pending() bool { return r.begun > r.taken }

// Supersede says that what is shown is newer than all that was begun to be read.
func (r *Reading[T]) Supersede() { r.taken = r.begun }

// Forget says that there is no value any more, and that what is being read is not wanted.
func (r *Reading[T]) Forget() {
	var none T
	r.Value, r.Known, r.Err = none, false, nil
	r.Supersede()
}
