package tray

import (
	"bytes"
	"fmt"
	"slices"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// version is what a path holds in one place. The data is nothing where the content
// is too large to be read.
type version struct {
	Mode repo.Mode
	ID   repo.ID // zero: nothing there, or not stored yet
	data []byte
}

func (v version) same(o version) bool { return v.Mode == o.Mode && v.ID == o.ID }

// part says what of a version an event changes.
type part uint8

const (
	modePart    part = 1 << iota
	contentPart      // of a text the weave says it
)

// event is a step from one version to another at a layer.
type event struct {
	At       Layer
	Part     part
	Old, New version
}

// between lists the events from one version to another. Whether a file is
// executable goes apart from what it holds; everything else goes together.
func (s *LayeredFile) between(old, new version, at Layer) []event {
	// A large working file has no id before it is stored.
	content := s.whole && (old.ID != new.ID || s.stamp != "" && at == Loose)
	switch {
	case !content && old.Mode == new.Mode:
		return nil
	case !content:
		return []event{{at, modePart, old, new}}
	case old.Mode == new.Mode:
		return []event{{at, contentPart, old, new}}
	case old.Mode.IsFile() && new.Mode.IsFile():
		return []event{{at, modePart, old, new}, {at, contentPart, old, new}}
	}
	return []event{{at, modePart | contentPart, old, new}}
}

// after is the version once the event has happened.
func (e event) after(v version) version {
	if e.Part&modePart != 0 {
		v.Mode = e.New.Mode
	}
	if e.Part&contentPart != 0 {
		v.ID, v.data = e.New.ID, e.New.data
	}
	return v
}

// idle says that the event leaves everything as it is.
func (e event) idle() bool {
	return (e.Part&modePart == 0 || e.Old.Mode == e.New.Mode) && (e.Part&contentPart == 0 || e.Old.ID == e.New.ID)
}

// ofPresence says that the event makes a file or takes it away.
func (e event) ofPresence() bool { return e.Old.Mode == repo.ModeNone || e.New.Mode == repo.ModeNone }

// LayeredFile is one path through all layers.
type LayeredFile struct {
	Path    string
	From    string // the path that the file has before the layer Renamed; empty: this one
	Renamed Layer
	Blocked string // why it cannot be sorted

	head, index, work version // as they were read; the head is what the layers start from
	stamp             string  // of a large working file: size and time, which stand for its content
	binary, large     bool
	whole             bool // goes as a whole: not text on every side
	weave             weave
	events            []event
	alike             string // the file that a new one resembles, and how much
}

// plan works out the layers from what was read.
func (s *LayeredFile) plan() {
	versions := []version{s.head, s.index, s.work}
	s.whole = s.binary || s.large || s.Blocked != ""
	for _, v := range versions {
		s.whole = s.whole || v.Mode != repo.ModeNone && !v.Mode.IsFile() || merge.IsBinary(v.data)
	}
	s.events = append(s.between(s.head, s.index, A), s.between(s.index, s.work, Loose)...)
	if !s.whole {
		s.weave = newWeave(diff.Split(s.head.data), diff.Split(s.index.data), diff.Split(s.work.data))
	}
}

// when is the layer at which an event of a text shows: a file comes with its first
// line and goes with its last one.
func (s *LayeredFile) when(i int) Layer {
	e := s.events[i]
	at := e.At
	switch {
	case s.whole:
	case e.Old.Mode == repo.ModeNone:
		first := never
		for _, line := range s.weave {
			if line.Born > Head || i == 0 { // else it is a line of a file that was there before
				first = min(first, line.Born)
			}
		}
		if first < never {
			at = first
		}
	case e.New.Mode == repo.ModeNone:
		again := i+1 < len(s.events)
		found := Head
		for _, line := range s.weave {
			if line.Born == Head || !again {
				found = max(found, line.Dies)
			}
		}
		if found > Head {
			at = found
		}
	}
	return at
}

// at is what the path holds at a layer. A text's id stays zero until it is stored.
func (s *LayeredFile) at(l Layer) version {
	v := s.head
	for i, e := range s.events {
		if s.when(i) <= l {
			v = e.after(v)
		}
	}
	switch {
	case v.Mode == repo.ModeNone:
		return version{} // what it held before is nothing that is there
	case s.whole:
		return v
	}
	return version{Mode: v.Mode, data: append([]byte{}, diff.Assemble(s.weave.lines(l))...)}
}

// pathAt is where the file lies at a layer.
func (s *LayeredFile) pathAt(l Layer) string {
	if s.From != "" && l < s.Renamed {
		return s.From
	}
	return s.Path
}

// has says whether a layer changes anything here.
func (s *LayeredFile) has(l Layer) bool {
	if s.From != "" && s.Renamed == l {
		return true
	}
	for i := range s.events {
		if s.when(i) == l {
			return true
		}
	}
	return slices.ContainsFunc(s.weave, func(line woven) bool { return line.Born == l || line.Dies == l })
}

// drafts lists the trays from B on that hold something of the path.
func (s *LayeredFile) drafts() []Layer {
	var found [Last + 1]bool
	note := func(l Layer) {
		if l.IsDraft() {
			found[l] = true
		}
	}
	note(s.Renamed)
	for i := range s.events {
		note(s.when(i))
	}
	for _, line := range s.weave {
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

// file is what a layer changes, as hunks. The step ties its lines to the weave.
func (s *LayeredFile) file(l Layer, context int) (File, step) {
	old, new := s.at(l-1), s.at(l)
	f := File{Path: s.Path, Blocked: s.Blocked, Large: s.large, Binary: s.whole, Alike: s.alike,
		Old: repo.IndexEntry{Path: s.Path, Mode: old.Mode, ID: old.ID}, OldText: old.data,
		New: repo.IndexEntry{Path: s.Path, Mode: new.Mode, ID: new.ID}, NewText: new.data}
	if l == Loose {
		f.Stamp = s.stamp
	}
	if s.From != "" && s.Renamed == l {
		f.From = s.From
	} else if l < s.Renamed && s.From != "" {
		f.Path = s.From
	}
	var st step
	if !s.has(l) && s.Blocked == "" || old.Mode == repo.ModeNone && new.Mode == repo.ModeNone {
		return f, st
	}
	if !s.whole {
		st = s.weave.step(l)
		if bytes.Equal(old.data, new.data) && old.Mode != repo.ModeNone && new.Mode != repo.ModeNone {
			st.changes = nil // line ends that only the last line of a text lacks
		}
	}
	f.compareWith(st.old, st.new, st.changes, context)
	return f, st
}

// picked is what a Pick means in the weave.
func (s *LayeredFile) picked(p Pick, st step) map[int]bool {
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

// wants says whether a pick takes an event along.
func wants(p Pick, e event) bool {
	if e.ofPresence() && p.whole() {
		return true
	}
	for _, h := range p.File.Hunks {
		if p.Hunks[h.ID] && !h.HasLines() && h.Kind != Renamed && (h.Kind == ModeOnly) == (e.Part == modePart && !e.ofPresence()) {
			return true
		}
	}
	return false
}

// move takes what is picked from one layer to another. Errors: ErrBuildsOn.
func (s *LayeredFile) move(p Pick, st step, from, to Layer) error {
	w, err := s.weave.move(s.picked(p, st), from, to)
	if err != nil {
		return err
	}
	events, err := s.moveEvents(p, from, to)
	if err != nil {
		return err
	}
	s.weave, s.events = w, events
	if s.From != "" && s.Renamed == from && p.takesRename() {
		s.Renamed = to
	}
	return nil
}

func (p Pick) takesRename() bool {
	for _, h := range p.File.Hunks {
		if h.Kind == Renamed && p.Hunks[h.ID] {
			return true
		}
	}
	return false
}

// moveEvents gives the events after those that are picked have gone to a layer.
func (s *LayeredFile) moveEvents(p Pick, from, to Layer) ([]event, error) {
	events := slices.Clone(s.events)
	for i := range events {
		if events[i].At != from || !wants(p, events[i]) {
			continue
		}
		for _, earlier := range events[:i] {
			if earlier.Part&events[i].Part != 0 && to < earlier.At {
				return nil, buildsOn(earlier.At)
			}
		}
		events[i].At = to
	}
	return inOrder(events), nil
}

// inOrder makes one event of those that change the same and happen at once, or not
// in their order any more.
func inOrder(events []event) []event {
	for i := 0; i < len(events); i++ {
		for j := i + 1; j < len(events); j++ {
			a, b := events[i], events[j]
			if a.Part&b.Part != 0 && a.At >= b.At {
				events[j] = event{a.At, a.Part | b.Part, a.Old, b.New}
				events = slices.Delete(events, i, i+1)
				i = -1
				break
			}
		}
	}
	return slices.DeleteFunc(events, event.idle)
}

// discard takes what is picked of the loose changes back, and gives what the working
// file holds then.
func (s *LayeredFile) discard(p Pick, st step) version {
	s.weave = s.weave.discard(s.picked(p, st))
	s.events = slices.DeleteFunc(s.events, func(e event) bool { return e.At == Loose && wants(p, e) })
	return s.at(Loose)
}

// settle makes what a tray holds part of HEAD. Errors: ErrBuildsOn.
func (s *LayeredFile) settle(l Layer) error {
	w, err := s.weave.settle(l)
	if err != nil {
		return err
	}
	head := s.head
	var rest []event
	for i, e := range s.events {
		if s.when(i) != l {
			rest = append(rest, e)
			continue
		}
		for _, earlier := range rest {
			if earlier.Part&e.Part != 0 {
				return buildsOn(earlier.At)
			}
		}
		head = e.after(head)
	}
	s.head, s.events, s.weave = head, rest, w
	if s.From != "" && s.Renamed == l {
		s.From, s.Renamed = "", Head
	}
	return nil
}

// below puts an older version under HEAD's, whose difference becomes a change of
// the given layer.
func (s *LayeredFile) below(older version, at Layer) {
	if !s.whole && textual(older) {
		s.weave = s.weave.below(diff.Split(older.data), at)
	} else {
		s.whole, s.weave = true, nil
	}
	s.events = inOrder(append(s.between(older, s.head, at), s.events...))
	s.head = older
}

func textual(v version) bool {
	return v.Mode == repo.ModeNone || v.Mode.IsFile() && !merge.IsBinary(v.data) && (v.data != nil || v.ID.IsZero())
}

func (s *LayeredFile) blocked() error {
	return fmt.Errorf("%q %w: %s", s.Path, ErrBlocked, s.Blocked)
}
