package repo

import (
	"bytes"
	"encoding/binary"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// What the index's own file tells without a process (gitformat-index): which of some paths are just as they were when the
// index noted them. That is certain or it is not said; whatever is out of the ordinary is left to the repository's commands.

// instant is a time as the index notes it: seconds and nanoseconds.
type instant struct{ seconds, nanoseconds uint32 }

func (i instant) time() time.Time { return time.Unix(int64(i.seconds), int64(i.nanoseconds)) }

// fileStat is what the index notes of a file, to know it by. Numbers are cut to 32 bits.
type fileStat struct {
	changed, modified         instant
	number, user, group, size uint32
	mode                      Mode
}

// indexed is an entry of the index's file.
type indexed struct {
	path  []byte
	id    []byte
	stat  fileStat
	plain bool // it is no side of a conflict, and has no flag
}

// unsettled gives, of what a tree has at some paths, the paths of which the index's file does not show that index and
// working file are the same as the tree. It reads the whole file, and looks at each of the paths.
func (r *Repo) unsettled(has []IndexEntry) (paths []string) {
	data, written, err := readWithTime(filepath.Join(r.gitDir, "index"))
	if err != nil || os.Getenv("GIT_INDEX_FILE") != "" {
		data = nil
	}
	has = slices.Clone(has)
	slices.SortFunc(has, func(a, b IndexEntry) int { return strings.Compare(a.Path, b.Path) })
	settled := make([]bool, len(has))
	folders := map[string]bool{"": true}
	at := 0
	sound := walkIndex(data, r.idLen, func(e indexed) {
		for at < len(has) && has[at].Path < string(e.path) {
			at++
		}
		if at == len(has) || has[at].Path != string(e.path) {
			return
		}
		if h := has[at]; e.plain && e.stat.mode == h.Mode && string(e.id) == h.ID.raw && !e.stat.racy(written) {
			now, ok := statOf(r.WorkPath(h.Path))
			settled[at] = ok && now == e.stat && r.inFolders(h.Path, folders)
		}
	})
	for i, h := range has {
		if !sound || !settled[i] {
			paths = append(paths, h.Path)
		}
	}
	return paths
}

// inFolders says that all above a path are folders, and no links to others. What was found is known from then on.
func (r *Repo) inFolders(path string, known map[string]bool) bool {
	above := path[:max(0, strings.LastIndexByte(path, '/'))]
	is, ok := known[above]
	if !ok {
		info, err := os.Lstat(r.WorkPath(above))
		is = err == nil && info.IsDir() && r.inFolders(above, known)
		known[above] = is
	}
	return is
}

// coarsest is how far apart the times of a disk may be that has none below a second.
const coarsest = 3 * time.Second

// racy says that a file was written so shortly before the index that a change after that may have left the same time. The
// clock of files goes in steps, but not back: what changes after the index was written has its time, or a later one.
func (s fileStat) racy(written time.Time) bool {
	noted := s.modified.time()
	if s.modified.nanoseconds == 0 {
		noted = noted.Add(coarsest)
	}
	return !noted.Before(written)
}

// readWithTime reads a file, and when it was written.
func readWithTime(name string) ([]byte, time.Time, error) {
	file, err := os.Open(name)
	if err != nil {
		return nil, time.Time{}, err
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return nil, time.Time{}, err
	}
	data := make([]byte, info.Size())
	_, err = io.ReadFull(file, data)
	return data, info.ModTime(), err
}

// Sizes of the format, in bytes.
const (
	indexHead  = 12 // signature, version and number of entries
	entryStats = 40 // of an entry, before its id
	entryFlags = 2
)

// Flags of an entry.
const (
	nameAlone = 0x0fff // the rest says something of the entry
	moreFlags = 0x4000
)

// walkIndex hands over the entries of an index's file in their order, which is that of the paths; their bytes must not be
// kept. It is false for a file that is not whole by itself, or not understood.
func walkIndex(data []byte, idLen int, take func(indexed)) bool {
	if len(data) < indexHead+idLen || string(data[:4]) != "DIRC" {
		return false
	}
	version, count := binary.BigEndian.Uint32(data[4:]), binary.BigEndian.Uint32(data[8:])
	if version < 2 || version > 4 {
		return false
	}
	rest := data[indexHead : len(data)-idLen] // a sum of everything ends it
	var path []byte
	for range count {
		name := entryStats + idLen + entryFlags
		if len(rest) < name {
			return false
		}
		flags := binary.BigEndian.Uint16(rest[name-entryFlags:])
		if flags&moreFlags != 0 {
			name += entryFlags
		}
		var size int
		var ok bool
		if path, size, ok = entryPath(rest, name, version, path); !ok {
			return false
		}
		take(indexed{path: path, id: rest[entryStats : entryStats+idLen], stat: noted(rest), plain: flags&^nameAlone == 0})
		rest = rest[size:]
	}
	return onlyOptional(rest)
}

// entryPath reads an entry's path, given the one before, and gives the entry's size.
func entryPath(entry []byte, name int, version uint32, before []byte) (path []byte, size int, ok bool) {
	kept := []byte(nil)
	if version == 4 { // only the end of a path is there, after how much of the one before goes
		cut, digits := 0, 0
		if cut, digits = offset(entry[min(name, len(entry)):]); digits == 0 || cut > len(before) {
			return nil, 0, false
		}
		name += digits
		kept = before[:len(before)-cut]
	}
	length := bytes.IndexByte(entry[min(name, len(entry)):], 0)
	if length < 0 {
		return nil, 0, false
	}
	path, size = entry[name:name+length], name+length+1
	if version == 4 {
		return slices.Concat(kept, path), size, true
	}
	size = (name + length + 8) &^ 7
	return path, size, size <= len(entry)
}

// offset reads a number as packs write distances; no digits: there is none.
func offset(data []byte) (n, digits int) {
	for i, c := range data[:min(len(data), 8)] {
		if n = n<<7 | int(c&0x7f); c&0x80 == 0 {
			return n, i + 1
		}
		n++
	}
	return 0, 0
}

// onlyOptional says that all extensions are of the kind that may be passed over: their names begin with a capital letter.
func onlyOptional(extensions []byte) bool {
	for len(extensions) >= 8 {
		size := uint64(binary.BigEndian.Uint32(extensions[4:]))
		if extensions[0] < 'A' || extensions[0] > 'Z' || size > uint64(len(extensions)-8) {
			return false
		}
		extensions = extensions[8+size:]
	}
	return len(extensions) == 0
}

func noted(entry []byte) fileStat {
	field := func(i int) uint32 { return binary.BigEndian.Uint32(entry[4*i:]) }
	return fileStat{changed: instant{field(0), field(1)}, modified: instant{field(2), field(3)},
		number: field(5), mode: Mode(field(6)), user: field(7), group: field(8), size: field(9)}
}
