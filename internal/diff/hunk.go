package diff

// Op says what happens to a line.
type Op byte

// The signs of lines.
const (
	Keep   Op = ' '
	Remove Op = '-'
	Add    Op = '+'
)

// Line is one line of a hunk. Old and New are its numbers in the two texts,
// counted from 0, or -1 where it is not in that text.
type Line struct {
	Op       Op
	Old, New int
	Text     []byte
}

// Hunk is a group of changes with lines of context around them. Starts are
// counted from 0.
type Hunk struct {
	OldStart, OldLines int
	NewStart, NewLines int
	Lines              []Line
}

// Context is the usual number of unchanged lines around a change.
const Context = 3

// Hunks groups changes that are at most twice the context apart.
func Hunks(oldLines, newLines [][]byte, changes []Change, context int) []Hunk {
	var hunks []Hunk
	for first := 0; first < len(changes); {
		last := first
		for last+1 < len(changes) && changes[last+1].OldStart-changes[last].OldEnd <= 2*context {
			last++
		}
		hunks = append(hunks, makeHunk(oldLines, newLines, changes[first:last+1], context))
		first = last + 1
	}
	return hunks
}

func makeHunk(oldLines, newLines [][]byte, changes []Change, context int) Hunk {
	first, last := changes[0], changes[len(changes)-1]
	before := min(context, first.OldStart)
	after := min(context, len(oldLines)-last.OldEnd)
	h := Hunk{OldStart: first.OldStart - before, NewStart: first.NewStart - before}
	h.OldLines = last.OldEnd + after - h.OldStart
	h.NewLines = last.NewEnd + after - h.NewStart
	h.Lines = make([]Line, 0, h.OldLines+h.NewLines)
	i, j := h.OldStart, h.NewStart
	keep := func(until int) {
		for ; i < until; i, j = i+1, j+1 {
			h.Lines = append(h.Lines, Line{Keep, i, j, oldLines[i]})
		}
	}
	for _, c := range changes {
		keep(c.OldStart)
		for ; i < c.OldEnd; i++ {
			h.Lines = append(h.Lines, Line{Remove, i, -1, oldLines[i]})
		}
		for ; j < c.NewEnd; j++ {
			h.Lines = append(h.Lines, Line{Add, -1, j, newLines[j]})
		}
	}
	keep(h.OldStart + h.OldLines)
	return h
}

// Assemble puts lines together that may come from several texts. A line that lacks
// its line end, being the last of its own text, gets one when another follows, in
// the style of that text.
func Assemble(lines [][]byte) []byte {
	var t text
	t.add(lines...)
	return t.bytes
}

type text struct {
	bytes []byte
	open  bool // the last line lacks its end
	crlf  bool // the last complete line ended in CR LF
}

func (t *text) add(lines ...[]byte) {
	for _, line := range lines {
		if t.open {
			if t.crlf {
				t.bytes = append(t.bytes, '\r')
			}
			t.bytes = append(t.bytes, '\n')
		}
		t.bytes = append(t.bytes, line...)
		n := len(line)
		t.open = n == 0 || line[n-1] != '\n'
		if !t.open {
			t.crlf = n > 1 && line[n-2] == '\r'
		}
	}
}
