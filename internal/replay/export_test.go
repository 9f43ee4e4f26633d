package replay

// Forget has an engine drop all that it computed, as it does by itself when that gets too much.
func (e *Engine) Forget() {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.forget()
}
