package app

import "runtime/debug"

// SpendMemory has memory collected seldom, up to a limit: a command lives for a moment, and between the keys of a
// screen there is time for it, but not while one is drawn.
func SpendMemory() {
	debug.SetGCPercent(400)
	debug.SetMemoryLimit(160 << 20)
}
