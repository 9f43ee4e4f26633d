package repo

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"sort"
	"strconv"
	"strings"
)

// Mode is the mode of an entry in a tree or the index.
type Mode uint32

// The modes there are.
const (
	ModeNone       Mode = 0
	ModeTree       Mode = 0o040000
	ModeFile       Mode = 0o100644
	ModeExecutable Mode = 0o100755
	ModeSymlink    Mode = 0o120000
	ModeSubmodule  Mode = 0o160000
)

// IsFile says whether the mode is that of a regular file, executable or not.
func (m Mode) IsFile() bool { return m&0o170000 == 0o100000 }

// String gives the six octal digits that index and status use.
func (m Mode) String() string { return fmt.Sprintf("%06o", uint32(m)) }

// Entry is one name in a tree. The zero Entry stands for absence.
type Entry struct {
	Mode Mode
	Name string
	ID   ID
}

// IsZero says whether there is no entry.
func (e Entry) IsZero() bool { return e.Mode == ModeNone }

// Same says whether two entries have the same content and mode.
func (e Entry) Same(o Entry) bool { return e.Mode == o.Mode && e.ID == o.ID }

// Tree is a folder's entries in the order of the format: by name, folders as if
// their name ended in a slash.
type Tree []Entry

// ParseTree reads a tree object whose ids are idLen bytes long. Names and ids
// share one copy of the data.
func ParseTree(data []byte, idLen int) (Tree, error) {
	text := string(data)
	tree := make(Tree, 0, bytes.Count(data, []byte{0})) // one in each entry, and seldom more
	for at := 0; at < len(data); {
		span, err := spanOf(data[at:], idLen)
		if err != nil {
			return nil, fmt.Errorf("entry %d: %w", len(tree), err)
		}
		tree = append(tree, Entry{span.mode, text[at+span.name : at+span.id-1], ID{text[at+span.id : at+span.end]}})
		at += span.end
	}
	if !slices.IsSortedFunc(tree, Compare) { // some tool has made it so
		tree.Sort()
	}
	return tree, nil
}

// entrySpan says where the parts of an entry lie that a tree object begins with.
type entrySpan struct {
	mode          Mode
	name, id, end int // a zero byte is between name and id
}

func spanOf(data []byte, idLen int) (s entrySpan, err error) {
	at := 0
	for ; at < len(data) && data[at] != ' '; at++ {
		digit := data[at] - '0'
		if digit > 7 {
			return s, fmt.Errorf("no mode: %w", ErrBadObject)
		}
		s.mode = s.mode<<3 | Mode(digit)
	}
	s.name = at + 1
	if at == 0 || s.name >= len(data) {
		return s, fmt.Errorf("no name: %w", ErrBadObject)
	}
	length := bytes.IndexByte(data[s.name:], 0)
	s.id = s.name + length + 1
	if s.end = s.id + idLen; length < 1 || s.end > len(data) {
		return s, fmt.Errorf("cut off: %w", ErrBadObject)
	}
	return s, nil
}

// Encode writes the tree in the object format.
func (t Tree) Encode() []byte {
	size := 0
	for _, e := range t {
		size += len(e.Name) + len(e.ID.raw) + 8
	}
	data := make([]byte, 0, size)
	for _, e := range t {
		data = append(appendMode(data, e.Mode), ' ')
		data = append(data, e.Name...)
		data = append(data, 0)
		data = append(data, e.ID.raw...)
	}
	return data
}

// appendMode writes a mode as tree objects have it: octal, without zeros before it.
func appendMode(data []byte, mode Mode) []byte {
	switch mode { // by far the most, and writing numbers takes longer than all the rest of an entry
	case ModeTree:
		return append(data, "40000"...)
	case ModeFile:
		return append(data, "100644"...)
	}
	return strconv.AppendUint(data, uint64(mode), 8)
}

// Sort brings the entries into the order of the format.
func (t Tree) Sort() { sort.Slice(t, func(i, j int) bool { return Compare(t[i], t[j]) < 0 }) }

// Named is the entry of a name, a file's or a folder's; the zero entry where there is none. It takes O(log entries) of a sorted tree.
func (t Tree) Named(name string) Entry {
	for _, mode := range []Mode{ModeFile, ModeTree} {
		if at, found := slices.BinarySearchFunc(t, Entry{Mode: mode, Name: name}, Compare); found && t[at].Name == name {
			return t[at]
		}
	}
	return Entry{}
}

// With gives the tree with some names changed; the zero entry takes a name away. What lies between them is copied as a whole.
func (t Tree) With(changed map[string]Entry) Tree {
	type place struct {
		at  int // in the tree
		put Entry
	}
	var places []place // without an entry: what is there goes
	for name, entry := range changed {
		for _, mode := range []Mode{ModeFile, ModeTree} {
			at, found := slices.BinarySearchFunc(t, Entry{Mode: mode, Name: name}, Compare)
			if found {
				places = append(places, place{at: at})
			}
			if !entry.IsZero() && (entry.Mode == ModeTree) == (mode == ModeTree) {
				places = append(places, place{at, entry})
			}
		}
	}
	slices.SortFunc(places, func(a, b place) int {
		return cmp.Or(a.at-b.at, Compare(a.put, b.put))
	})
	edited := make(Tree, 0, len(t)+len(changed))
	from := 0
	for _, p := range places {
		edited, from = append(edited, t[from:max(from, p.at)]...), max(from, p.at)
		if !p.put.IsZero() {
			edited = append(edited, p.put)
		} else {
			from = p.at + 1
		}
	}
	return append(edited, t[from:]...)
}

// Compare orders entries as trees do.
func Compare(a, b Entry) int {
	n := min(len(a.Name), len(b.Name))
	if c := strings.Compare(a.Name[:n], b.Name[:n]); c != 0 {
		return c
	}
	return int(after(a, n)) - int(after(b, n))
}

// after is the byte that follows the first n of a name, as the order sees it.
func after(e Entry, n int) byte {
	switch {
	case n < len(e.Name):
		return e.Name[n]
	case e.Mode == ModeTree:
		return '/'
	}
	return 0
}

// EmptyTree is the id of the tree without entries, which every repository has.
func (r *Repo) EmptyTree() ID { return r.emptyTree }

// HashObject computes the id that an object has in this repository.
func (r *Repo) HashObject(kind Kind, data []byte) ID {
	h := r.newHash()
	var room [32]byte
	h.Write(append(strconv.AppendInt(append(append(room[:0], kind...), ' '), int64(len(data)), 10), 0))
	h.Write(data)
	return ID{string(h.Sum(nil))}
}
