package tray

import (
	"slices"

	"bastel/internal/diff"
)

// How a file is sorted otherwise. Each of these replaces what the file holds, and changes nothing of what it held before, so that
// a copy of the file is how it was.

// lines are the places in the weave of the lines that a Pick means.
func (p Pick) lines(st step) map[int]bool {
	places := map[int]bool{}
	for _, h := range p.File.Hunks {
		for i, line := range h.Lines {
			if line.Op != diff.Keep && (p.Hunks[h.ID] || p.Lines[h.ID][i]) {
				places[st.place(line)] = true
			}
		}
	}
	return places
}

// wants says whether a Pick takes a change of the version along.
func (p Pick) wants(c versionChange) bool {
	if c.ofPresence() && p.whole() {
		return true
	}
	for _, h := range p.File.Hunks {
		if p.Hunks[h.ID] && !h.HasLines() && h.Kind != Renamed && (h.Kind == ModeOnly) == (c.Aspect == modeAspect && !c.ofPresence()) {
			return true
		}
	}
	return false
}

func (p Pick) takesRename() bool {
	return slices.ContainsFunc(p.File.Hunks, func(h Hunk) bool { return h.Kind == Renamed && p.Hunks[h.ID] })
}

// move takes what is picked from one layer to another. Errors: ErrBuildsOn.
func (f *LayeredFile) move(p Pick, st step, from, to Layer) error {
	woven, err := f.weave.move(p.lines(st), from, to)
	if err != nil {
		return err
	}
	changes, err := f.moveChanges(p, from, to)
	if err != nil {
		return err
	}
	f.weave, f.changes = woven, changes
	if f.From != "" && f.Renamed == from && p.takesRename() {
		f.Renamed = to
	}
	return nil
}

// moveChanges gives the changes of the version after those that are picked have gone to a layer. Errors: ErrBuildsOn.
func (f *LayeredFile) moveChanges(p Pick, from, to Layer) ([]versionChange, error) {
	changes := slices.Clone(f.changes)
	for i, c := range changes {
		if c.At != from || !p.wants(c) {
			continue
		}
		if at, builds := c.buildsOn(changes[:i], to); builds {
			return nil, buildsOn(at)
		}
		changes[i].At = to
	}
	return inOrder(changes), nil
}

// discard takes what is picked of the loose changes back, and gives what the working file holds then.
func (f *LayeredFile) discard(p Pick, st step) version {
	f.weave = f.weave.discard(p.lines(st))
	f.changes = slices.DeleteFunc(slices.Clone(f.changes), func(c versionChange) bool { return c.At == Loose && p.wants(c) })
	return f.at(Loose)
}

// settle makes what a tray holds part of HEAD. Errors: ErrBuildsOn.
func (f *LayeredFile) settle(l Layer) error {
	woven, err := f.weave.settle(l)
	if err != nil {
		return err
	}
	head := f.head
	var rest []versionChange
	for i, c := range f.changes {
		if f.shownAt(i) != l {
			rest = append(rest, c)
			continue
		}
		if at, builds := c.buildsOn(rest, Head); builds {
			return buildsOn(at)
		}
		head = c.applied(head)
	}
	f.head, f.changes, f.weave = head, rest, woven
	if f.From != "" && f.Renamed == l {
		f.From, f.Renamed = "", Head
	}
	return nil
}

// below puts an older version under HEAD's, whose difference becomes a change of the given layer.
func (f *LayeredFile) below(older version, at Layer) {
	if !f.whole && older.textual() {
		f.weave = f.weave.below(diff.Split(older.data), at)
	} else {
		f.whole, f.weave = true, nil
	}
	f.changes = inOrder(append(f.between(older, f.head, at), f.changes...))
	f.head = older
}
