package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// lockFile is held by the one process that changes a working tree. The system lets go of it
// when the process ends, however that happens; its content says who holds it.
const lockFile = "writer.lock"

// lockPatience is how long a step waits for another one that is under way.
const lockPatience = 2 * time.Second

// held marks a context whose step has the lock already.
type held struct{}

// HoldLock takes the lock for a whole step, its reading too: what it works out stays true until it is written.
// The step goes on with the context that it gives.
func (a *App) HoldLock(ctx context.Context) (context.Context, func(), error) {
	unlock, err := a.lock(ctx)
	return context.WithValue(ctx, held{}, true), unlock, err
}

// lock waits until no other Bastel changes this working tree, or says which one does.
func (a *App) lock(ctx context.Context) (unlock func(), err error) {
	if ctx.Value(held{}) != nil {
		return func() {}, nil
	}
	late := time.After(lockPatience)
	for {
		unlock, holder, err := a.tryLock()
		if err == nil && holder == "" {
			err = a.nothingLeft(unlock)
		}
		if err != nil || holder == "" {
			return unlock, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-late:
			return nil, Refuse("Another Bastel is changing this working tree (process %s). Nothing was changed. Wait until it is done, then "+
				"repeat.", holder)
		case <-time.After(10 * time.Millisecond):
		}
	}
}

// nothingLeft refuses where a step is left half done, and lets go of the lock then: another one would build on it.
func (a *App) nothingLeft(unlock func()) error {
	_, found, err := a.readNote()
	if !found || err != nil {
		return nil // what cannot be read is said at the start, and passed over
	}
	unlock()
	return Refuse("A step is left half done here, so nothing else is changed. bastel doctor says which; bastel doctor --finish or " +
		"bastel doctor --take-back ends it.")
}

// tryLock takes the lock if it is free, or else says who holds it.
func (a *App) tryLock() (unlock func(), holder string, err error) {
	dir, err := a.Repo.StateDir()
	if err != nil {
		return nil, "", err
	}
	file, err := os.OpenFile(filepath.Join(dir, lockFile), os.O_RDWR|os.O_CREATE|syscall.O_NONBLOCK, 0o666)
	if err != nil {
		return nil, "", fmt.Errorf("lock the working tree: %w", err)
	}
	err = syscall.Flock(int(file.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
	if errors.Is(err, syscall.EWOULDBLOCK) {
		defer file.Close()
		who, _ := io.ReadAll(io.LimitReader(file, 32)) // without a name it is held all the same
		return nil, cmp.Or(strings.TrimSpace(string(who)), "unknown"), nil
	}
	if err != nil {
		file.Close()
		return nil, "", fmt.Errorf("lock the working tree: %w", err)
	}
	// All names have one length, so that each covers the one before. A lock whose holder has none is held all the same.
	fmt.Fprintf(file, "%-15d\n", os.Getpid())
	return func() { file.Close() }, "", nil
}
