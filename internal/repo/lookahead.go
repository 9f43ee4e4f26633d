package repo

import (
	"context"
	"os"
	"time"
)

// lookAhead is a look at all files that was begun before it was known which of them matter.
type lookAhead struct {
	index string // stamp of the index then
	began time.Time
	done  chan struct{}
	out   []byte
	err   error
}

// LookAhead begins to look which files differ from the index, for a LooseOrStaged of many paths that follows on other work.
// Ending it gives up what was not asked for by then.
func (r *Repo) LookAhead(ctx context.Context) (end func()) {
	ctx, stop := context.WithCancel(ctx)
	ahead := &lookAhead{index: r.indexStamp().b.String(), began: time.Now(), done: make(chan struct{})}
	r.ahead.Store(ahead)
	go func() {
		defer close(ahead.done)
		ahead.out, ahead.err = r.run(ctx, nil, differing("diff-files")...)
	}()
	return func() {
		r.ahead.CompareAndSwap(ahead, nil)
		stop()
		<-ahead.done
	}
}

// seenAhead is what the look found, if index and paths are as they were when it began; it serves once.
func (r *Repo) seenAhead(ctx context.Context, paths []string) ([]byte, bool) {
	ahead := r.ahead.Swap(nil)
	if ahead == nil || ahead.index != r.indexStamp().b.String() {
		return nil, false
	}
	for _, path := range paths {
		info, err := os.Lstat(r.WorkPath(path))
		if err != nil || !info.ModTime().Before(ahead.began.Add(-tick)) {
			return nil, false
		}
	}
	select {
	case <-ahead.done:
		return ahead.out, ahead.err == nil
	case <-ctx.Done():
		return nil, false
	}
}

// tick is how coarse the clock of files may be.
const tick = 10 * time.Millisecond
