package repo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// LargeFile is the size from which on a file's content is not read for display, and
// LargestLoaded the size up to which it is if the user asks for it, in bytes.
const (
	LargeFile     = 16 << 20
	LargestLoaded = 256 << 20
)

// WorkFile is a path of the working tree as the repository would store it, by one reading of it.
type WorkFile struct {
	Mode   Mode   // ModeNone: gone
	Data   []byte // after the clean filters; a link's target; nothing where Large or Gone
	ID     ID     // of a submodule: the commit checked out in it
	Large  bool   // over LargeFile bytes: Data is not read
	Size   int64
	Binary bool  // by attribute; the content may say so too
	Failed error // why it could not be read; the rest says nothing then
	Stamp  string
	Raw    RawFile // how it lies on disk, by the same reading; without an id where it was not read, or there is no file

	converts rules  // what has its bytes be stored otherwise
	lies     []byte // its bytes, or a link's target
}

// KeepRaw writes the bytes of working files as they were read to the repository's objects, from where they can be brought back.
// Errors: *FileMovedError, of a file too large to have been read.
func (r *Repo) KeepRaw(ctx context.Context, files []WorkFile) ([]RawFile, error) {
	raw := make([]RawFile, len(files))
	var texts [][]byte
	for i, f := range files {
		switch raw[i] = f.Raw; {
		case f.Failed != nil:
			return nil, f.Failed
		case f.Mode == ModeNone || f.Mode == ModeSubmodule:
		case !f.Large:
			texts = append(texts, f.lies)
		default:
			now, err := r.ReadRaw(ctx, []string{f.Raw.Path}, true)
			if err != nil {
				return nil, err
			}
			if now[0].stat != f.Raw.stat {
				return nil, &FileMovedError{f.Raw.Path}
			}
			raw[i] = now[0]
		}
	}
	_, err := r.WriteBlobs(ctx, texts)
	return raw, err
}

// ReadWorkFiles reads working files with attributes and filters applied. The
// index mode of each path decides where the file system cannot tell (core.fileMode,
// core.symlinks, submodules).
func (r *Repo) ReadWorkFiles(ctx context.Context, changes []Change) ([]WorkFile, error) {
	from, err := r.openFolders()
	if err != nil {
		return nil, err
	}
	defer from.close()
	attributes, err := r.attributes(ctx, changes)
	if err != nil {
		return nil, err
	}
	trust, err := r.toldKinds(ctx)
	if err != nil {
		return nil, err
	}
	files := make([]WorkFile, len(changes))
	var convert []int
	for i, change := range changes {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		files[i], err = r.readWorkFile(ctx, from, change, trust)
		if err != nil {
			files[i] = WorkFile{Failed: fmt.Errorf("read %s: %w", strconv.Quote(change.Path), err)}
			continue
		}
		files[i].Binary, files[i].converts = attributes[i].binary, attributes[i].converts
		if files[i].Mode.IsFile() && !files[i].Large && files[i].converts.change(files[i].Data) {
			convert = append(convert, i)
		}
	}
	return files, r.clean(ctx, from, changes, files, convert)
}

// Prime asks for the rules and the stored contents of working files, all with one question
// each, so that reading some after the others asks no more.
func (r *Repo) Prime(ctx context.Context, changes []Change) error {
	attributes, err := r.attributes(ctx, changes)
	if err != nil {
		return err
	}
	some := make([]Change, 0, len(changes))
	for i, change := range changes {
		if attributes[i].converts != 0 && !change.Full {
			some = append(some, change)
		}
	}
	_, err = r.ReadWorkFiles(ctx, some)
	return err
}

// kindsTold says what of a working file's kind the file system can tell, by the configuration.
type kindsTold struct{ executable, links bool }

func (r *Repo) toldKinds(ctx context.Context) (t kindsTold, err error) {
	executable, err := r.Config(ctx, "core.fileMode")
	if err != nil {
		return t, err
	}
	links, err := r.Config(ctx, "core.symlinks")
	return kindsTold{Truth(executable, true), Truth(links, true)}, err
}

func (r *Repo) readWorkFile(ctx context.Context, from *folders, change Change, trust kindsTold) (WorkFile, error) {
	most := int64(LargeFile)
	if change.Full {
		most = LargestLoaded
	}
	found, err := from.read(change.Path, most)
	switch {
	case err != nil:
		return WorkFile{}, errors.Unwrap(err)
	case found.folder && change.IndexMode == ModeSubmodule:
		id, err := r.submoduleHead(ctx, change.Path)
		if errors.Is(err, errNotCheckedOut) { // its empty folder stands for what the index has
			id, err = change.IndexID, nil
		}
		return WorkFile{Mode: ModeSubmodule, ID: id, Raw: found.RawFile}, err
	case found.Mode == ModeNone: // or a folder took its place
		return WorkFile{Raw: found.RawFile}, nil
	}
	file := WorkFile{Mode: found.Mode, Size: found.size, Data: found.data, lies: found.data, Raw: r.raw(found), Large: !found.whole,
		Stamp: fmt.Sprint(found.size, found.stat)}
	switch {
	case !file.Mode.IsFile():
	case !trust.links && change.IndexMode == ModeSymlink:
		file.Mode = ModeSymlink
	case !trust.executable:
		file.Mode = ModeFile
		if change.IndexMode == ModeExecutable {
			file.Mode = ModeExecutable
		}
	}
	return file, nil
}

// Exists says whether anything lies at a path of the working tree.
func (r *Repo) Exists(path string) bool {
	from, err := r.openFolders()
	if err != nil {
		return false
	}
	defer from.close()
	fd, name, err := from.parentOf(path, false)
	if err == nil {
		_, err = lookAt(fd, name)
	}
	return err == nil
}

// InTheWay lists what lies where a file would have to lie that is not there yet: itself, a file in the place of one of its
// folders, or the files of a folder in its own place. What goes anyway is not in the way.
func (r *Repo) InTheWay(path string, goes func(path string) bool) (found []string) {
	for i, c := range []byte(path) {
		if c != '/' {
			continue
		}
		info, err := os.Lstat(filepath.Join(r.top, filepath.FromSlash(path[:i])))
		if err != nil {
			return nil
		}
		if !info.IsDir() {
			if goes(path[:i]) {
				return nil
			}
			return []string{path[:i]}
		}
	}
	_ = filepath.WalkDir(filepath.Join(r.top, filepath.FromSlash(path)), func(name string, entry fs.DirEntry, err error) error {
		below, outside := filepath.Rel(r.top, name)
		if err == nil && outside == nil && !entry.IsDir() && !goes(filepath.ToSlash(below)) {
			found = append(found, filepath.ToSlash(below))
		}
		return nil // what is not there, or cannot be read, is left to whoever writes
	})
	return found
}

type attributeInfo struct {
	converts rules
	binary   bool
}

// rules are what has files be stored otherwise than they lie.
type rules uint8

const (
	byFilter   rules = 1 << iota // anything may change
	byLineEnds                   // only line ends, of which all that lie as they are stored stay
)

// change says whether they could make another content of this one.
func (r rules) change(data []byte) bool {
	return r&byFilter != 0 || r&byLineEnds != 0 && bytes.IndexByte(data, '\r') >= 0
}

// attributes asks which paths are converted between working tree and repository,
// and which are declared binary.
func (r *Repo) attributes(ctx context.Context, changes []Change) ([]attributeInfo, error) {
	infos := make([]attributeInfo, len(changes))
	if len(changes) == 0 {
		return infos, nil
	}
	autocrlf, err := r.Config(ctx, "core.autocrlf")
	if err != nil {
		return nil, err
	}
	always := autocrlf != "" && Truth(autocrlf, true) // "input" is one more
	for i := range changes {
		if always {
			infos[i].converts = byLineEnds
		}
	}
	var ask []int
	var before []*stamps // as what they say is asked for: a change after that is another answer
	var answers bytes.Buffer
	for i, change := range changes {
		now := r.attributeStamp([]string{change.Path})()
		if known, ok := r.known("attributes "+change.Path, now); ok {
			infos[i].take(known)
			continue
		}
		ask, before = append(ask, i), append(before, now)
		answers.WriteString(change.Path)
		answers.WriteByte(0)
	}
	if len(ask) == 0 {
		return infos, nil
	}
	names := []string{"text", "eol", "filter", "ident", "working-tree-encoding", "diff"}
	out, err := r.run(ctx, answers.Bytes(), append([]string{"check-attr", "-z", "--stdin"}, names...)...)
	if err != nil {
		return nil, fmt.Errorf("read attributes: %w", err)
	}
	fields := strings.SplitAfter(string(out), "\x00") // path, attribute, value, over and over
	each := 3 * len(names)
	if len(fields) != each*len(ask)+1 {
		return nil, fmt.Errorf("read attributes: unexpected answer of %d fields", len(fields))
	}
	for n, i := range ask {
		answer := []byte(strings.Join(fields[each*n:each*(n+1)], ""))
		infos[i].take(answer)
		r.keep("attributes "+changes[i].Path, before[n], answer)
	}
	return infos, nil
}

// take reads what check-attr says of one path.
func (a *attributeInfo) take(answer []byte) {
	fields := strings.Split(string(answer), "\x00")
	for at := 0; at+2 < len(fields); at += 3 {
		attribute, value := fields[at+1], fields[at+2]
		switch {
		case attribute == "diff":
			a.binary = value == "unset"
		case value == "unspecified" || value == "unset":
		case attribute == "text" || attribute == "eol":
			a.converts |= byLineEnds
		default:
			a.converts |= byFilter
		}
	}
}

// clean replaces the data of the files at the given places by what the
// repository would store, filters applied.
func (r *Repo) clean(ctx context.Context, from *folders, changes []Change, files []WorkFile, places []int) error {
	for range readings {
		ids, left, err := r.stored(ctx, from, changes, files, places)
		if err != nil {
			return err
		}
		for i, id := range ids {
			object, err := r.Object(ctx, id)
			if err != nil {
				return err
			}
			files[i].Data = object.Data
		}
		if places = left; len(places) == 0 {
			return nil
		}
	}
	for _, i := range places {
		files[i] = WorkFile{Failed: fmt.Errorf("read %s: %w", strconv.Quote(changes[i].Path), &FileMovedError{changes[i].Path})}
	}
	return nil
}

// stored gives, by their places, what the repository would store of files that were read, filters applied. The command reads them
// itself: those that lie otherwise by then were read anew, and are left to be asked for once more.
func (r *Repo) stored(ctx context.Context, from *folders, changes []Change, files []WorkFile, places []int) (ids map[int]ID, left []int,
	err error) {
	ids = map[int]ID{}
	var ask []int
	var rules []*stamps
	var in bytes.Buffer
	for _, i := range places {
		now := r.attributeStamp([]string{changes[i].Path})()
		if known, ok := r.known(storedKey(changes[i].Path, files[i].Raw.ID), now); ok {
			if ids[i], err = ParseID(string(known)); err != nil {
				return nil, nil, err
			}
			continue
		}
		ask, rules = append(ask, i), append(rules, now)
		in.WriteString(QuotePath(changes[i].Path) + "\n")
	}
	if len(ask) == 0 {
		return ids, nil, nil
	}
	out, err := r.run(ctx, in.Bytes(), "hash-object", "-w", "--stdin-paths")
	lines := strings.Fields(string(out))
	if err == nil && len(lines) != len(ask) {
		err = fmt.Errorf("%d answers for %d files", len(lines), len(ask))
	}
	for n, i := range ask {
		if r.readAgain(ctx, from, changes[i], &files[i]) {
			if files[i].Mode.IsFile() && !files[i].Large {
				left = append(left, i)
			}
			continue
		}
		if err != nil {
			continue
		}
		if ids[i], err = ParseID(lines[n]); err == nil {
			r.keep(storedKey(changes[i].Path, files[i].Raw.ID), rules[n], []byte(lines[n]))
		}
	}
	if err != nil && len(left) > 0 { // a file that went meanwhile fails them all
		return ids, places, nil
	}
	if err != nil {
		return nil, nil, fmt.Errorf("apply filters: %w", err)
	}
	return ids, left, nil
}

// readAgain reads a file once more, and says whether it is another one by now.
func (r *Repo) readAgain(ctx context.Context, from *folders, change Change, file *WorkFile) bool {
	again, err := r.readWorkFile(ctx, from, change, kindsTold{true, true})
	switch {
	case err != nil:
		*file = WorkFile{Failed: fmt.Errorf("read %s: %w", strconv.Quote(change.Path), err)}
		return true
	case again.Raw.ID == file.Raw.ID && again.Mode.IsFile():
		return false
	case again.Mode.IsFile(): // what the index says of its mode counts as before
		again.Mode = file.Mode
	}
	again.Binary, again.converts = file.Binary, file.converts
	*file = again
	return true
}

// storedKey is what the stored content of a file depends on besides the rules for it.
func storedKey(path string, bytes ID) string { return "stored " + bytes.String() + " " + path }

// QuotePath writes a path as the commands read it from a line: in C quotes.
func QuotePath(path string) string {
	var b strings.Builder
	b.WriteByte('"')
	for i := range len(path) {
		switch c := path[i]; {
		case c == '"' || c == '\\':
			b.WriteByte('\\')
			b.WriteByte(c)
		case c < 0x20 || c >= 0x7f:
			fmt.Fprintf(&b, `\%03o`, c)
		default:
			b.WriteByte(c)
		}
	}
	b.WriteByte('"')
	return b.String()
}
