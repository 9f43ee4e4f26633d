package kit

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

// Written gives what waits until all that were given by now are written.
func (k *Keeper) Written() func() {
	last := k.last
	return func() {
		if last != nil {
			<-last
		}
	}
}
