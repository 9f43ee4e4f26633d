// Package tray sorts changes into what the next commits will hold. Tray A is the
// index itself; trays B to Z are kept by Bastel (State). A path with all its layers,
// HEAD, the trays and the working tree, is a LayeredFile; what one layer changes is listed
// as hunks with lasting ids (Read), found by an id or a path (Resolve), and taken
// from layer to layer (Move).
//
// Making commits, and moving refs, is left to the use cases.
//
// Its tests promise: any moves between layers keep every byte, and what is in memory is what is read
// afterwards.
package tray

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Kind says what sort of change a hunk is.
type Kind string

// The kinds of hunks. Those other than Text, New and Deleted go as a whole.
const (
	Text      Kind = "text"
	New       Kind = "new"     // all of a file that was not there
	Deleted   Kind = "deleted" // all of a file that is gone
	ModeOnly  Kind = "mode"    // executable or not
	Type      Kind = "type"    // a file became a link, or the like
	Renamed   Kind = "renamed"
	Binary    Kind = "binary"
	Large     Kind = "large" // too long to be compared
	Symlink   Kind = "symlink"
	Submodule Kind = "submodule"
	Blocked   Kind = "blocked" // not for sorting: an unsettled merge, or a file that cannot be read
)

// Hunk is a piece of change that can be put into a tray.
type Hunk struct {
	ID   string
	Kind Kind
	diff.Hunk
	Note string // for kinds without lines: what changed, in a few words
}

// HasLines says whether single lines of the hunk can be picked.
func (h Hunk) HasLines() bool { return len(h.Lines) > 0 }

// File is a changed path with both of its sides.
type File struct {
	Path             string
	Old, New         repo.IndexEntry // ModeNone: absent
	OldText, NewText []byte
	Hunks            []Hunk
	Binary           bool // declared so by attribute
	Large            bool
	Blocked          string // why it cannot be sorted
	Stamp            string // of a large working file: size and time, which stand for its content
	From             string // the path it had before, where this renames it
	Alike            string // of a new file: which one it resembles, in a few words
}

// compare fills in the hunks.
func (f *File) compare(context int) {
	old, new := diff.Split(f.OldText), diff.Split(f.NewText)
	f.compareWith(old, new, diff.Lines(old, new), context)
}

// compareWith does so with changes that are known already.
func (f *File) compareWith(old, new [][]byte, changes []diff.Change, context int) {
	switch {
	case f.Blocked != "":
		f.whole(Blocked, f.Blocked)
		return
	case f.Old.Mode != repo.ModeNone && f.New.Mode != repo.ModeNone && f.Old.Mode != f.New.Mode &&
		!(f.Old.Mode.IsFile() && f.New.Mode.IsFile()):
		f.whole(Type, fmt.Sprintf("%s becomes %s", describe(f.Old.Mode), describe(f.New.Mode)))
		return
	case f.has(repo.ModeSubmodule):
		f.whole(Submodule, fmt.Sprintf("%s becomes %s", orNothing(f.Old.ID), orNothing(f.New.ID)))
		return
	case f.has(repo.ModeSymlink):
		f.whole(Symlink, fmt.Sprintf("%s becomes %s", target(f.Old, f.OldText), target(f.New, f.NewText)))
		return
	}
	if f.Old.Mode != f.New.Mode && f.Old.Mode != repo.ModeNone && f.New.Mode != repo.ModeNone {
		f.whole(ModeOnly, fmt.Sprintf("%s becomes %s", describe(f.Old.Mode), describe(f.New.Mode)))
	}
	if f.From != "" {
		f.whole(Renamed, "renamed from "+f.From)
	}
	f.compareContent(old, new, changes, context)
}

// forgetTexts keeps of a file what is shown of it: the hunks, with their lines in
// memory of their own.
func (f *File) forgetTexts() {
	size := 0
	for _, h := range f.Hunks {
		for _, line := range h.Lines {
			size += len(line.Text)
		}
	}
	kept := make([]byte, 0, size)
	for _, h := range f.Hunks {
		for i, line := range h.Lines {
			start := len(kept)
			kept = append(kept, line.Text...)
			h.Lines[i].Text = kept[start:len(kept):len(kept)]
		}
	}
	f.OldText, f.NewText = nil, nil
}

func (f *File) compareContent(old, new [][]byte, changes []diff.Change, context int) {
	kind := Text
	if f.Old.Mode == repo.ModeNone {
		kind = New
	} else if f.New.Mode == repo.ModeNone {
		kind = Deleted
	}
	switch {
	case f.Large:
		if f.Old.ID != f.New.ID || f.Stamp != "" {
			f.whole(Large, "too large to be shown line by line")
		}
		return
	case f.Binary || merge.IsBinary(f.OldText) || merge.IsBinary(f.NewText):
		if kind != Text || string(f.OldText) != string(f.NewText) {
			f.whole(Binary, fmt.Sprintf("%d bytes become %d", len(f.OldText), len(f.NewText)))
		}
		return
	}
	for _, h := range diff.Hunks(old, new, changes, context) {
		f.add(Hunk{Kind: kind, Hunk: h})
	}
	if kind != Text && len(changes) == 0 {
		f.whole(kind, "an empty file")
	}
}

func (f *File) has(mode repo.Mode) bool { return f.Old.Mode == mode || f.New.Mode == mode }

func describe(mode repo.Mode) string {
	switch mode {
	case repo.ModeExecutable:
		return "an executable file"
	case repo.ModeSymlink:
		return "a link"
	case repo.ModeSubmodule:
		return "a submodule"
	}
	return "a plain file"
}

func orNothing(id repo.ID) string {
	if id.IsZero() {
		return "nothing"
	}
	return id.Short()
}

func target(e repo.IndexEntry, text []byte) string {
	if e.Mode == repo.ModeNone {
		return "nothing"
	}
	return string(text)
}

func (f *File) whole(kind Kind, note string) { f.add(Hunk{Kind: kind, Note: note}) }

// add gives a hunk its id: a hash of the path, the kind and the lines, without
// line numbers, so that it stays the same while other hunks come and go. Equal
// hunks of one file are told apart by their order.
func (f *File) add(h Hunk) {
	for again := 0; ; again++ {
		h.ID = f.hashOf(h, again)
		if f.hunk(h.ID) < 0 {
			break
		}
	}
	f.Hunks = append(f.Hunks, h)
}

// idBytes is how many bytes of a hash a hunk's id has; it is written in hexadecimal digits.
const idBytes = 6

func (f *File) hashOf(h Hunk, again int) string {
	sum := sha256.New()
	fmt.Fprintf(sum, "%q %s %d\n", f.Path, h.Kind, again)
	switch {
	case h.HasLines():
		for _, line := range h.Lines {
			sum.Write([]byte{byte(line.Op)})
			sum.Write(line.Text)
		}
	case h.Kind == Renamed:
		fmt.Fprint(sum, h.Note)
	case h.Kind == ModeOnly || h.Kind == Type:
		fmt.Fprintf(sum, "%s %s", f.Old.Mode, f.New.Mode)
	default:
		fmt.Fprintf(sum, "%s %s %s %s %d\n", f.Old.ID, f.New.ID, f.Stamp, h.Note, len(f.OldText))
		sum.Write(f.OldText)
		sum.Write(f.NewText)
	}
	return hex.EncodeToString(sum.Sum(nil)[:idBytes])
}

// IDs lists the ids of all hunks of files that can be sorted.
func IDs(files []File) []string {
	var ids []string
	for _, f := range files {
		if f.Blocked != "" {
			continue
		}
		for _, h := range f.Hunks {
			ids = append(ids, h.ID)
		}
	}
	return ids
}

// hunk finds a hunk by its id.
func (f *File) hunk(id string) int {
	for i := range f.Hunks {
		if f.Hunks[i].ID == id {
			return i
		}
	}
	return -1
}

// Counts counts the lines that are added and removed.
func (f *File) Counts() (added, removed int) {
	for _, h := range f.Hunks {
		for _, line := range h.Lines {
			switch line.Op {
			case diff.Add:
				added++
			case diff.Remove:
				removed++
			}
		}
	}
	return added, removed
}
