package stream

// LineAtCursor is the place of the line at the cursor in its hunk; -1: it is on none.
func (m *Model) LineAtCursor() int { return int(m.at().line) }
