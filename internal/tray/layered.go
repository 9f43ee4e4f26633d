package tray

import (
	"bytes"
	"fmt"
	"slices"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// LayeredFile is one path through all layers, from HEAD to the working tree. Of a text the weave says which line comes and goes
// with which layer; what else changes, and all of what is no text, is a list of changes of the version, each at its layer.
type LayeredFile struct {
	Path    string
	From    string // the path that the file has before the layer Renamed; empty: this one
	readAt  string // From as it was read, whatever becomes of the rename: HEAD, the index or both have the file there
	Renamed Layer
	Blocked string // why it cannot be sorted

	head, index, work version       // as they were read; the head is what the layers start from
	lies              repo.WorkFile // the working file as it was read
	stamp             string        // of a large working file: size and time, which stand for its content
	binary, large     bool
	whole             bool // goes as a whole: not text on every side
	weave             weave
	changes           []versionChange
	alike             string // the file that a new one resembles, and how much
}

// layOut works out the layers from what was read: the index is tray A, and what it lacks is loose.
func (f *LayeredFile) layOut() {
	f.whole = f.binary || f.large || f.Blocked != ""
	for _, v := range []version{f.head, f.index, f.work} {
		f.whole = f.whole || v.Mode != repo.ModeNone && !v.Mode.IsFile() || merge.IsBinary(v.data)
	}
	f.changes = append(f.between(f.head, f.index, A), f.between(f.index, f.work, Loose)...)
	if !f.whole {
		f.weave = newWeave(diff.Split(f.head.data), diff.Split(f.index.data), diff.Split(f.work.data))
	}
}

// between lists the changes from one version to another, at a layer.
func (f *LayeredFile) between(old, new version, at Layer) []versionChange {
	// A large working file has no id before it is stored.
	content := f.whole && (old.ID != new.ID || f.stamp != "" && at == Loose)
	switch {
	case !content && old.Mode == new.Mode:
		return nil
	case !content:
		return []versionChange{{at, modeAspect, old, new}}
	case old.Mode == new.Mode:
		return []versionChange{{at, contentAspect, old, new}}
	case old.Mode.IsFile() && new.Mode.IsFile():
		return []versionChange{{at, modeAspect, old, new}, {at, contentAspect, old, new}}
	}
	return []versionChange{{at, modeAspect | contentAspect, old, new}}
}

// at is what the path holds at a layer. A text's id stays zero until it is stored.
func (f *LayeredFile) at(l Layer) version {
	v := f.head
	for i, c := range f.changes {
		if f.shownAt(i) <= l {
			v = c.applied(v)
		}
	}
	switch {
	case v.Mode == repo.ModeNone:
		return version{} // what it held before is nothing that is there
	case f.whole:
		return v
	}
	return version{Mode: v.Mode, data: append([]byte{}, diff.Assemble(f.weave.lines(l))...)}
}

// shownAt is the layer at which a change of the version shows: a text comes with its first line, and goes with its last one.
func (f *LayeredFile) shownAt(i int) Layer {
	c := f.changes[i]
	switch {
	case f.whole:
		return c.At
	case c.Old.Mode == repo.ModeNone:
		return f.firstLine(i == 0, c.At)
	case c.New.Mode == repo.ModeNone:
		return f.lastLine(i+1 < len(f.changes), c.At)
	}
	return c.At
}

// firstLine is the layer that brings the first line of a file that comes; without lines the given one. What lies in HEAD
// are lines of a file that was there before, unless that is what comes.
func (f *LayeredFile) firstLine(fromHead bool, without Layer) Layer {
	first := never
	for _, line := range f.weave {
		if line.Born > Head || fromHead {
			first = min(first, line.Born)
		}
	}
	if first == never {
		return without
	}
	return first
}

// lastLine is the layer that takes the last line of a file that goes; without lines the given one. Of one that comes again only
// what HEAD had counts.
func (f *LayeredFile) lastLine(again bool, without Layer) Layer {
	last := Head
	for _, line := range f.weave {
		if line.Born == Head || !again {
			last = max(last, line.Dies)
		}
	}
	if last == Head {
		return without
	}
	return last
}

// pathAt is where the file lies at a layer.
func (f *LayeredFile) pathAt(l Layer) string {
	if f.From != "" && l < f.Renamed {
		return f.From
	}
	return f.Path
}

// has says whether a layer changes anything here.
func (f *LayeredFile) has(l Layer) bool {
	if f.From != "" && f.Renamed == l {
		return true
	}
	for i := range f.changes {
		if f.shownAt(i) == l {
			return true
		}
	}
	return slices.ContainsFunc(f.weave, func(line woven) bool { return line.Born == l || line.Dies == l })
}

// drafts lists the trays from B on that hold something of the path.
func (f *LayeredFile) drafts() []Layer {
	var found [Last + 1]bool
	note := func(l Layer) {
		if l.IsDraft() {
			found[l] = true
		}
	}
	note(f.Renamed)
	for i := range f.changes {
		note(f.shownAt(i))
	}
	for _, line := range f.weave {
		note(line.Born)
		note(line.Dies)
	}
	var list []Layer
	for l, is := range found {
		if is {
			list = append(list, Layer(l))
		}
	}
	return list
}

// file is what a layer changes, as hunks. The step ties their lines to the weave.
func (f *LayeredFile) file(l Layer, context int) (File, step) {
	old, new := f.at(l-1), f.at(l)
	file := File{Path: f.Path, Blocked: f.Blocked, Large: f.large, Binary: f.whole, Alike: f.alike,
		Old: repo.IndexEntry{Path: f.Path, Mode: old.Mode, ID: old.ID}, OldText: old.data,
		New: repo.IndexEntry{Path: f.Path, Mode: new.Mode, ID: new.ID}, NewText: new.data}
	if l == Loose {
		file.Stamp = f.stamp
	}
	if f.From != "" && f.Renamed == l {
		file.From = f.From
	} else if l < f.Renamed && f.From != "" {
		file.Path = f.From
	}
	var st step
	if !f.has(l) && f.Blocked == "" || old.Mode == repo.ModeNone && new.Mode == repo.ModeNone {
		return file, st
	}
	if !f.whole {
		st = f.weave.step(l)
		if bytes.Equal(old.data, new.data) && old.Mode != repo.ModeNone && new.Mode != repo.ModeNone {
			st.changes = nil // line ends that only the last line of a text lacks
		}
	}
	file.compareWith(st.old, st.new, st.changes, context)
	return file, st
}

func (f *LayeredFile) blocked() error {
	return fmt.Errorf("%q %w: %s", f.Path, ErrBlocked, f.Blocked)
}
