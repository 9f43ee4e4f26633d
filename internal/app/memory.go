package app

import "runtime/debug"

// memoryLimit is from how many bytes on memory is collected as it must be.
const memoryLimit = 160 << 20

// SpendMemoryOnce has memory collected as good as never, as fits a command, which lives for a moment.
func SpendMemoryOnce() {
	debug.SetGCPercent(1600)
	debug.SetMemoryLimit(memoryLimit)
}

// SpendMemory has it collected seldom, as fits a screen: between its keys there is time for that, but not while one is drawn.
func SpendMemory() {
	debug.SetGCPercent(400)
	debug.SetMemoryLimit(memoryLimit)
}
