package tray

import (
	"maps"
	"slices"

	"bastel/internal/repo"
)

// State is how the changes of a working tree were sorted: the messages of the trays, the authors of those that were commits
// before, and each file of which a tray from B on holds something, with what it was sorted against. Nothing but this is kept:
// what the files hold is read anew, and sorted as it was (sort).
type State struct {
	ID       repo.ID // of the tree that it was read from; zero: nothing is kept
	Messages map[Layer]string
	Authors  map[Layer]string // as a commit names them: "Name <address> seconds zone"
	files    map[string]storedFile
	recent   map[string]storedFile // how paths were sorted last, those in tray A alone too: not stored
}

// NothingKept is the state in which tray A is the only one.
func NothingKept() *State {
	return &State{Messages: map[Layer]string{}, Authors: map[Layer]string{}, files: map[string]storedFile{}, recent: map[string]storedFile{}}
}

// Clone gives a copy to be changed.
func (k *State) Clone() *State {
	return &State{ID: k.ID, Messages: maps.Clone(k.Messages), Authors: maps.Clone(k.Authors), files: maps.Clone(k.files),
		recent: maps.Clone(k.recent)}
}

// Remember takes over how paths were sorted last, so that equal lines stay where they were put.
func (k *State) Remember(last *State) {
	if last != nil {
		k.recent = maps.Clone(last.recent)
	}
}

// Forget has a tray neither message nor author any more.
func (k *State) Forget(l Layer) {
	delete(k.Messages, l)
	delete(k.Authors, l)
}

// Paths lists the paths of which a draft holds something.
func (k *State) Paths() []string { return slices.Sorted(maps.Keys(k.files)) }

// Layers lists the drafts that hold something.
func (k *State) Layers() []Layer {
	found := map[Layer]bool{}
	for _, stored := range k.files {
		f := LayeredFile{weave: stored.weave, Renamed: stored.Renamed, whole: stored.weave == nil}
		for _, c := range stored.Events {
			f.changes = append(f.changes, versionChange{At: c.At, Aspect: c.Part, Old: version{Mode: c.Old.Mode}, New: version{Mode: c.New.Mode}})
		}
		for _, l := range f.drafts() {
			found[l] = true
		}
	}
	return slices.Sorted(maps.Keys(found))
}

// alone says that trays hold something of a path, and it is no renamed one.
func (k *State) alone(path string) bool {
	stored, drafted := k.files[path]
	return drafted && len(stored.From) == 0
}

// WithFormer adds to some paths those that they had before a rename that a tray holds: only together they are one file. All paths, none
// named, stay all.
func (k *State) WithFormer(paths []string) []string {
	all := slices.Clone(paths)
	for _, path := range paths {
		for _, stored := range k.files {
			if len(stored.From) > 0 && (string(stored.Path) == path || string(stored.From) == path) {
				all = append(all, string(stored.Path), string(stored.From))
			}
		}
	}
	return all
}

// note keeps how a file is sorted now, or forgets it where no draft holds any of it.
func (k *State) note(r *repo.Repo, f *LayeredFile) {
	stored := f.stored(r)
	k.recent[f.Path] = stored
	if k.files[f.Path] = stored; len(f.drafts()) == 0 {
		delete(k.files, f.Path)
	}
}

// sort sorts a file that was read anew as it was sorted before. It says whether everything that the trays held is still there.
func (k *State) sort(f *LayeredFile) bool {
	stored, drafted := k.files[f.Path]
	if !drafted {
		stored = k.recent[f.Path]
	}
	switch {
	case stored.Path == nil:
		return true
	case stored.fits(f):
		stored.restore(f)
		return true
	}
	return !drafted || stored.adopt(f)
}

// fits says whether the file is as it was when it was sorted.
func (s storedFile) fits(f *LayeredFile) bool {
	return asStored(f.head, "") == s.Head && asStored(f.index, "") == s.Index && s.work(f) == s.Work && f.From == string(s.From) &&
		(f.Renamed == A) == (s.Renamed == A) && f.whole == (s.weave == nil) && f.Blocked == ""
}

// work is what the working file holds: of a large one that is as it was, what had been stored of it.
func (s storedFile) work(f *LayeredFile) storedVersion {
	work := asStored(f.work, f.stamp)
	if f.stamp != "" && work.Stamp == s.Work.Stamp {
		work.ID = s.Work.ID
	}
	return work
}

// restore sorts a file that fits.
func (s storedFile) restore(f *LayeredFile) {
	f.weave, f.Renamed, f.work.ID = s.weave, s.Renamed, s.work(f).ID
	filled := func(v storedVersion) version {
		for _, known := range []version{f.head, f.index, f.work} {
			if known.ID == v.ID {
				return version{v.Mode, v.ID, known.data}
			}
		}
		return version{Mode: v.Mode, ID: v.ID}
	}
	f.changes = nil
	for _, c := range s.Events {
		f.changes = append(f.changes, versionChange{c.At, c.Part, filled(c.Old), filled(c.New)})
	}
}

// adopt sorts what is still there of a file that has changed since. It says whether that is all.
func (s storedFile) adopt(f *LayeredFile) bool {
	lost := 0
	if f.weave != nil && s.weave != nil {
		f.weave, lost = f.weave.adopt(s.weave)
	} else if len(s.weave) > 0 {
		lost++
	}
	for _, c := range s.Events {
		if !c.At.IsDraft() {
			continue
		}
		found := f.work.Mode == c.New.Mode && f.work.ID == c.New.ID && f.index.same(f.work) // settled
		for i, fresh := range f.changes {
			if fresh.At == Loose && fresh.Aspect == c.Part && asStored(fresh.New, "") == c.New {
				f.changes[i].At, found = c.At, true
			}
		}
		if !found && f.whole {
			lost++
		}
	}
	if f.From != "" && f.From == string(s.From) && f.Renamed == Loose && s.Renamed.IsDraft() {
		f.Renamed = s.Renamed
	}
	return lost == 0
}
