package repo

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
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
	entry []byte // all of it
	plain bool   // it is no side of a conflict, and has no flag
}

func (e indexed) stat() fileStat { return noted(e.entry) }

// notedMemory is what the index's file told last of some paths.
type notedMemory struct {
	sync.Mutex
	stamp string
	has   []IndexEntry
	stats []fileStat
}

// notedOf gives what the index's file notes of the files of which it has what a tree has, in the order of their paths; zero
// where it has not, or cannot say so for certain. It is read as a whole, and again only once it is another one.
func (r *Repo) notedOf(has []IndexEntry) []fileStat {
	r.noted.Lock()
	defer r.noted.Unlock()
	now := r.indexStamp()
	if r.noted.stamp == now.b.String() && slices.Equal(r.noted.has, has) {
		return r.noted.stats
	}
	stats := r.readNoted(has)
	r.noted.stamp, r.noted.has, r.noted.stats = "", has, stats
	if now.settled() {
		r.noted.stamp = now.b.String()
	}
	return stats
}

func (r *Repo) readNoted(has []IndexEntry) []fileStat {
	stats := make([]fileStat, len(has))
	if os.Getenv("GIT_INDEX_FILE") != "" {
		return stats
	}
	file, err := os.Open(filepath.Join(r.gitDir, "index"))
	if err != nil {
		return stats // who asks the commands is told why
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return stats
	}
	written, at := info.ModTime(), 0
	_, sound := walkIndex(file, info.Size(), r.idLen, func(e indexed) {
		for at < len(has) && has[at].Path < string(e.path) {
			at++
		}
		if at == len(has) || has[at].Path != string(e.path) {
			return
		}
		if h, stat := has[at], e.stat(); e.plain && stat.mode == h.Mode && string(e.id) == h.ID.raw && !stat.racy(written) {
			stats[at] = stat
		}
	})
	if !sound {
		clear(stats)
	}
	return stats
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

// Sizes of the format, in bytes.
const (
	indexHead  = 12 // signature, version and number of entries
	entryStats = 40 // of an entry, before its id
	entryFlags = 2
)

// indexWindow is how many bytes of it are in memory at a time. Paths are shorter.
const indexWindow = 64 << 10

// Flags of an entry.
const (
	nameAlone = 0x0fff // the rest says something of the entry
	moreFlags = 0x4000
)

// walkIndex hands over the entries of an index's file of a size in their order, which is that of the paths; their bytes must
// not be kept. It gives the tree that is made of all of them, where the file knows it. It is false for a file that is not whole by
// itself, or not understood.
func walkIndex(file io.Reader, size int64, idLen int, take func(indexed)) (tree ID, sound bool) {
	in := bufio.NewReaderSize(io.LimitReader(file, size-int64(idLen)), indexWindow) // a sum of everything ends it
	head, err := in.Peek(indexHead)
	if err != nil || string(head[:4]) != "DIRC" {
		return ID{}, false
	}
	version, count := binary.BigEndian.Uint32(head[4:]), binary.BigEndian.Uint32(head[8:])
	if version < 2 || version > 4 {
		return ID{}, false
	}
	_, _ = in.Discard(indexHead)
	var path []byte
	for range count {
		window, _ := in.Peek(in.Buffered())
		e, length, ok := entryOf(window, version, idLen, path)
		if !ok {
			window, _ = in.Peek(indexWindow) // what is left, if it is less
			e, length, ok = entryOf(window, version, idLen, path)
		}
		if !ok {
			return ID{}, false
		}
		take(e)
		path = e.path
		_, _ = in.Discard(length)
	}
	return readExtensions(in, idLen)
}

// entryOf reads the entry with which a part of an index's file begins, given the path before, and gives its length.
func entryOf(data []byte, version uint32, idLen int, before []byte) (e indexed, length int, ok bool) {
	name := entryStats + idLen + entryFlags
	if len(data) < name {
		return e, 0, false
	}
	flags := binary.BigEndian.Uint16(data[name-entryFlags:])
	if flags&moreFlags != 0 {
		name += entryFlags
	}
	path, length, ok := entryPath(data, name, version, before)
	return indexed{path: path, id: data[entryStats : entryStats+idLen], entry: data, plain: flags&^nameAlone == 0}, length, ok
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

// readExtensions finds among the extensions the tree of the whole index. It is false where one of them may not be passed over: the
// names of those that may begin with a capital letter.
func readExtensions(in *bufio.Reader, idLen int) (tree ID, sound bool) {
	for {
		head, err := in.Peek(8)
		if err != nil {
			return tree, len(head) == 0
		}
		if head[0] < 'A' || head[0] > 'Z' {
			return ID{}, false
		}
		length := 8 + int(binary.BigEndian.Uint32(head[4:]))
		if string(head[:4]) == "TREE" {
			data, _ := in.Peek(min(length, 8+32+idLen))
			tree = wholeTree(data[8:], idLen)
		}
		if _, err := in.Discard(length); err != nil {
			return ID{}, false
		}
	}
}

// wholeTree reads the first record of the trees that an index knows, which is that of the top folder: a name, which it has none,
// after that how many entries and folders it has. With fewer than no entries, something changed since it was known.
func wholeTree(records []byte, idLen int) ID {
	line, id, ok := bytes.Cut(records, []byte("\n"))
	if !ok || len(line) < 2 || line[0] != 0 || line[1] == '-' || len(id) < idLen {
		return ID{}
	}
	return ID{string(id[:idLen])}
}

func noted(entry []byte) fileStat {
	field := func(i int) uint32 { return binary.BigEndian.Uint32(entry[4*i:]) }
	return fileStat{changed: instant{field(0), field(1)}, modified: instant{field(2), field(3)},
		number: field(5), mode: Mode(field(6)), user: field(7), group: field(8), size: field(9)}
}

// setStats writes into an index's whole file by what the system knows the files at some paths, and sums it up anew. What is not
// understood stays as it is: the repository then finds out by itself that nothing changed.
func setStats(data []byte, r *Repo, of func(path string, noted fileStat) (fileStat, bool)) {
	if len(data) < indexHead+r.idLen || string(data[:4]) != "DIRC" {
		return
	}
	version, count := binary.BigEndian.Uint32(data[4:]), binary.BigEndian.Uint32(data[8:])
	if version < 2 || version > 4 {
		return
	}
	end := len(data) - r.idLen
	at := indexHead
	var path []byte
	for range count {
		e, length, ok := entryOf(data[at:end], version, r.idLen, path)
		if !ok {
			return
		}
		if now, ok := of(string(e.path), e.stat()); ok {
			for i, field := range map[int]uint32{0: now.changed.seconds, 1: now.changed.nanoseconds, 2: now.modified.seconds,
				3: now.modified.nanoseconds, 5: now.number, 9: now.size} {
				binary.BigEndian.PutUint32(e.entry[4*i:], field)
			}
		}
		path, at = e.path, at+length
	}
	sum := data[end:]
	if bytes.Equal(sum, make([]byte, r.idLen)) {
		return // it is not summed up
	}
	hash := r.newHash()
	hash.Write(data[:end])
	copy(sum, hash.Sum(nil))
}
