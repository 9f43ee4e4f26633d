package tray

import (
	"errors"
	"fmt"

	"bastel/internal/diff"
)

// Layer says where in the row of commits-to-be a line comes or goes: with HEAD,
// with tray A, the index, with tray B, C, ..., or loosely in the working tree.
type Layer int8

// The layers. Those of the trays B to Z lie between A and Loose.
const (
	Head  Layer = 0
	A     Layer = 1
	Last  Layer = 26
	Loose Layer = 100
	never Layer = 101
)

// String is a tray's letter, or what the layer holds.
func (l Layer) String() string {
	switch {
	case l == Head:
		return "HEAD"
	case l >= A && l <= Last:
		return string(rune('A' + l - A))
	}
	return "the loose changes"
}

// ParseLayer reads a tray's letter.
func ParseLayer(letter string) (Layer, bool) {
	if len(letter) != 1 || letter[0] < 'A' || letter[0] > 'Z' {
		return 0, false
	}
	return A + Layer(letter[0]-'A'), true
}

// IsDraft says whether the layer is a tray that Bastel keeps, which A is not.
func (l Layer) IsDraft() bool { return l > A && l <= Last }

// ErrBuildsOn is a change that cannot go below the one it builds on.
var ErrBuildsOn = errors.New("builds on another change")

func buildsOn(l Layer) error {
	where := "what is in tray " + l.String()
	if !l.IsDraft() && l != A {
		where = l.String()
	}
	return fmt.Errorf("it %w: take %s along, or first", ErrBuildsOn, where)
}

// woven is one line with the layer that brings it and the one that takes it away.
type woven struct {
	Text       []byte
	Born, Dies Layer
	marked     bool // while a hunk is rewritten: part of it
	place      int  // while pieces are joined: where the line stood, counted from 1
}

// weave is a text in all of its layers at once: the lines of all of them in one
// row. The text at a layer is made of the lines born at it or before that have not
// died by then, so lines go from tray to tray without any merging, and in any order.
// (M. J. Rochkind, The Source Code Control System, IEEE TSE 1(4), 1975.)
type weave []woven

// newWeave weaves what HEAD, the index and the working tree hold.
func newWeave(head, index, work [][]byte) weave {
	w := make(weave, len(head), len(head)+len(work)/4)
	for i, line := range head {
		w[i] = woven{Text: line, Born: Head, Dies: never}
	}
	return w.with(index, A).with(work, Loose)
}

// with adds a text as a layer above all others. New lines of a block stand behind those that they
// replace: see diff.Pairs.
func (w weave) with(lines [][]byte, at Layer) weave {
	var places []int
	var old [][]byte
	for i, line := range w {
		if line.Dies == never {
			places, old = append(places, i), append(old, line.Text)
		}
	}
	changes := diff.Lines(old, lines)
	if len(changes) == 0 {
		return w
	}
	out := make(weave, 0, len(w)+len(lines)-len(old)+len(changes))
	next := 0
	copyUntil := func(end int, dies bool) {
		for ; next < end; next++ {
			line := w[next]
			if dies && line.Dies == never {
				line.Dies = at
			}
			out = append(out, line)
		}
	}
	for _, c := range changes {
		if c.OldStart < len(places) {
			copyUntil(places[c.OldStart], false)
		} else {
			copyUntil(len(w), false)
		}
		// A new line stands behind the one that it replaces, so that it takes its place where it is chosen alone.
		arrived := c.NewStart
		arrive := func(until int) {
			for ; arrived < until; arrived++ {
				out = append(out, woven{Text: lines[arrived], Born: at, Dies: never})
			}
		}
		for _, pair := range diff.Pairs(old[c.OldStart:c.OldEnd], lines[c.NewStart:c.NewEnd]) {
			if first := c.OldStart + pair[0]; first > 0 {
				copyUntil(places[first-1]+1, first > c.OldStart)
			}
			arrive(c.NewStart + pair[1])
			copyUntil(places[c.OldStart+pair[0]]+1, true)
			arrive(c.NewStart + pair[1] + 1)
		}
		if c.OldEnd > c.OldStart {
			copyUntil(places[c.OldEnd-1]+1, true)
		}
		arrive(c.NewEnd)
	}
	copyUntil(len(w), false)
	return out
}

// lines gives the text at a layer.
func (w weave) lines(at Layer) [][]byte {
	_, lines := w.alive(at)
	return lines
}

// step is what one layer changes, with the places in the weave of the lines before
// and after it.
type step struct {
	old, new           [][]byte
	oldPlace, newPlace []int
	changes            []diff.Change
}

func (w weave) step(at Layer) step {
	var s step
	open := false
	for i, line := range w {
		before, after := line.Born < at && line.Dies >= at, line.Born <= at && line.Dies > at
		if !before && !after {
			continue
		}
		if before == after {
			open = false
		} else if !open {
			open = true
			s.changes = append(s.changes, diff.Change{OldStart: len(s.old), OldEnd: len(s.old), NewStart: len(s.new), NewEnd: len(s.new)})
		}
		if before {
			s.old, s.oldPlace = append(s.old, line.Text), append(s.oldPlace, i)
		}
		if after {
			s.new, s.newPlace = append(s.new, line.Text), append(s.newPlace, i)
		}
		if open {
			last := &s.changes[len(s.changes)-1]
			last.OldEnd, last.NewEnd = len(s.old), len(s.new)
		}
	}
	return s
}

// place finds a line of the step in the weave.
func (s step) place(line diff.Line) int {
	if line.Op == diff.Remove {
		return s.oldPlace[line.Old]
	}
	return s.newPlace[line.New]
}

// forgets counts the lines that a move would leave nowhere: text of a tray that is
// neither in HEAD nor in the working tree.
func (w weave) forgets(picked map[int]bool, from, to Layer) (n int) {
	for i, line := range w {
		if picked[i] && line.Born == from && to >= line.Dies {
			n++
		}
	}
	return n
}

// move takes the picked changes of one layer to another. Errors: ErrBuildsOn.
func (w weave) move(picked map[int]bool, from, to Layer) (weave, error) {
	out := make(weave, 0, len(w))
	for i, line := range w {
		if picked[i] {
			switch {
			case line.Born == from:
				line.Born = to
			case line.Dies == from && to < line.Born:
				return nil, buildsOn(line.Born)
			case line.Dies == from:
				line.Dies = to
			}
		}
		if line.Born < line.Dies { // else it is never there
			out = append(out, line)
		}
	}
	return out, nil
}

// discard takes picked loose changes back out of the working tree's text.
func (w weave) discard(picked map[int]bool) weave {
	out := make(weave, 0, len(w))
	for i, line := range w {
		switch {
		case picked[i] && line.Born == Loose:
			continue
		case picked[i] && line.Dies == Loose:
			line.Dies = never
		}
		out = append(out, line)
	}
	return out
}

// takeMarked gives the places of the marked lines, without their marks. Errors:
// ErrBuildsOn, if one of them is not there yet at the layer.
func (w weave) takeMarked(at Layer) ([]int, error) {
	var places []int
	for i := range w {
		if !w[i].marked {
			continue
		}
		w[i].marked = false
		if w[i].Born > at {
			return nil, buildsOn(w[i].Born)
		}
		if at < w[i].Dies {
			places = append(places, i)
		}
	}
	return places, nil
}

// rewrite gives part of a layer's text other lines: those at the places become the
// given ones. The layers above see them turned back, so that the working tree's
// text stays as it is.
func (w weave) rewrite(places []int, lines [][]byte, at Layer) weave {
	old := make([][]byte, len(places))
	for i, place := range places {
		old[i] = w[place].Text
	}
	fresh := map[int][]woven{} // before the place
	gone := map[int]bool{}
	end := len(w)
	if len(places) > 0 {
		end = places[len(places)-1] + 1
	}
	for _, c := range diff.Lines(old, lines) {
		before := end
		if c.OldEnd < len(places) {
			before = places[c.OldEnd]
		}
		fresh[before] = wovenAll(lines[c.NewStart:c.NewEnd], at, Loose)
		for _, place := range places[c.OldStart:c.OldEnd] {
			gone[place] = true
		}
	}
	return w.respun(fresh, func(i int, line woven) []woven {
		if !gone[i] {
			return []woven{line}
		}
		// The layer takes it away, or never brings it; the working tree has it still.
		var left []woven
		if line.Dies == never {
			left = append(left, woven{Text: line.Text, Born: Loose, Dies: never})
		}
		if line.Born < at {
			left = append(left, woven{Text: line.Text, Born: line.Born, Dies: at})
		}
		return left
	})
}

// wovenAll makes lines of one layer, which another one takes away.
func wovenAll(texts [][]byte, born, dies Layer) []woven {
	lines := make([]woven, len(texts))
	for i, text := range texts {
		lines[i] = woven{Text: text, Born: born, Dies: dies}
	}
	return lines
}

// respun gives a weave with fresh lines before some places, in which each line became what keep makes of it.
func (w weave) respun(fresh map[int][]woven, keep func(i int, line woven) []woven) weave {
	out := make(weave, 0, len(w))
	for i, line := range w {
		out = append(append(out, fresh[i]...), keep(i, line)...)
	}
	return append(out, fresh[len(w)]...)
}

// settle makes a tray's changes part of HEAD. Errors: ErrBuildsOn, if they build on
// those of a tray that is not settled yet.
func (w weave) settle(at Layer) (weave, error) {
	out := make(weave, 0, len(w))
	for _, line := range w {
		if line.Dies == at {
			if line.Born != Head {
				return nil, buildsOn(line.Born)
			}
			continue
		}
		if line.Born == at {
			line.Born = Head
		}
		out = append(out, line)
	}
	return out, nil
}

// below puts an older text under the weave: what lies between the two becomes a
// change of the given layer.
func (w weave) below(older [][]byte, at Layer) weave {
	var places []int
	var head [][]byte
	for i, line := range w {
		if line.Born == Head {
			places, head = append(places, i), append(head, line.Text)
		}
	}
	born := map[int]bool{}
	fresh := map[int][]woven{} // before the place
	for _, c := range diff.Lines(older, head) {
		before := len(w)
		if c.NewStart < len(places) {
			before = places[c.NewStart]
		}
		fresh[before] = wovenAll(older[c.OldStart:c.OldEnd], Head, at)
		for _, place := range places[c.NewStart:c.NewEnd] {
			born[place] = true
		}
	}
	return w.respun(fresh, func(i int, line woven) []woven {
		if born[i] {
			line.Born = at
		}
		if line.Born >= line.Dies {
			return nil
		}
		return []woven{line}
	})
}

// adopt sorts a fresh weave as an older one was sorted: changes that are still
// there go into the trays they were in. It counts the lines that are not there any
// more. Changes that were committed or staged meanwhile are settled, not lost.
func (w weave) adopt(old weave) (weave, int) {
	places := old.placesIn(w)
	lost := 0
	w = append(weave{}, w...)
	own := map[int][]woven{} // text that only trays hold, by the place before which it stands
	for i, line := range old {
		isBorn, dies := line.Born.IsDraft(), line.Dies.IsDraft()
		switch place := places[i]; {
		case !isBorn && !dies:
		case place < 0 && isBorn && line.Dies != never: // the tray's own text
			if next, ok := anchor(places, i); ok {
				own[next] = append(own[next], line)
			} else {
				lost++
			}
		case place < 0:
			if isBorn {
				lost++
			}
		case isBorn && w[place].Born == Loose:
			w[place].Born = line.Born
		case dies && w[place].Dies == Loose:
			w[place].Dies = line.Dies
		case dies && w[place].Dies == never:
			lost++
		}
	}
	if len(own) == 0 {
		return w, lost
	}
	out := make(weave, 0, len(w)+len(own))
	for i := range len(w) + 1 {
		out = append(out, own[i]...)
		if i < len(w) {
			out = append(out, w[i])
		}
	}
	return out, lost
}

// placesIn finds where each line is in another weave of the same file; -1: it is not there. The texts of HEAD, of the index
// and of the working tree are compared each by itself: in which order the lines of a block stand that replace
// each other is another matter after each edit of it.
func (w weave) placesIn(o weave) []int {
	places := make([]int, len(w))
	for i := range places {
		places[i] = -1
	}
	for _, at := range []Layer{Head, Loose, A} {
		olds, oldTexts := w.alive(at)
		news, newTexts := o.alive(at)
		old, new := 0, 0
		for _, c := range append(diff.Lines(oldTexts, newTexts), diff.Change{OldStart: len(olds), OldEnd: len(olds)}) {
			for ; old < c.OldStart; old, new = old+1, new+1 {
				if places[olds[old]] < 0 {
					places[olds[old]] = news[new]
				}
			}
			old, new = c.OldEnd, c.NewEnd
		}
	}
	return places
}

// alive gives the places and texts of the lines that are there at a layer.
func (w weave) alive(at Layer) (places []int, texts [][]byte) {
	for i, line := range w {
		if line.Born <= at && at < line.Dies {
			places, texts = append(places, i), append(texts, line.Text)
		}
	}
	return places, texts
}

// anchor finds where a line goes that has no place of its own: behind the line that
// stood before it, else before the one that stood behind it.
func anchor(places []int, i int) (int, bool) {
	for before := i - 1; before >= 0 && before >= i-anchorReach; before-- {
		if places[before] >= 0 {
			return places[before] + 1, true
		}
	}
	for after := i + 1; after < len(places) && after <= i+anchorReach; after++ {
		if places[after] >= 0 {
			return places[after], true
		}
	}
	return 0, len(places) == 1
}

// anchorReach is how far away a line may be that another one is placed by.
const anchorReach = 50
