package kit

import "sync"

// Keeper writes drafts one after the other, and never an older one over a newer.
type Keeper struct {
	mu     sync.Mutex
	latest int
}

// Keep writes the draft of a number, unless one of a higher number was written.
func (k *Keeper) Keep(number int, write func() error) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	if number < k.latest {
		return nil
	}
	k.latest = number
	return write()
}
