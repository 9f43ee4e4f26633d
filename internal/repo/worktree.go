package repo

import (
	"bytes"
	"context"
	"fmt"
	"io"
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

// WorkFile is a path of the working tree as the repository would store it.
type WorkFile struct {
	Mode   Mode   // ModeNone: gone
	Data   []byte // after the clean filters; a link's target; nothing where Large or Gone
	ID     ID     // of a submodule: the commit checked out in it
	Large  bool   // over LargeFile bytes: Data is not read
	Size   int64
	Binary bool  // by attribute; the content may say so too
	Failed error // why it could not be read; the rest says nothing then
	Stamp  string

	converts bool // a rule, or the configuration, has its bytes be stored otherwise
}

// ReadWorkFiles reads working files with attributes and filters applied. The
// index mode of each path decides where the file system cannot tell (core.fileMode,
// core.symlinks, submodules).
func (r *Repo) ReadWorkFiles(ctx context.Context, changes []Change) ([]WorkFile, error) {
	root, err := os.OpenRoot(r.top)
	if err != nil {
		return nil, fmt.Errorf("open the working tree: %w", err)
	}
	defer root.Close()
	files := make([]WorkFile, len(changes))
	attributes, err := r.attributes(ctx, changes)
	if err != nil {
		return nil, err
	}
	fileMode, err := r.Config(ctx, "core.fileMode")
	if err != nil {
		return nil, err
	}
	var convert []int
	for i, change := range changes {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		files[i], err = r.readWorkFile(ctx, root, change, Truth(fileMode, true))
		if err != nil {
			files[i] = WorkFile{Failed: fmt.Errorf("read %s: %w", strconv.Quote(change.Path), err)}
			continue
		}
		files[i].Binary, files[i].converts = attributes[i].binary, attributes[i].converts
		if files[i].Mode.IsFile() && !files[i].Large && attributes[i].converts {
			convert = append(convert, i)
		}
	}
	return files, r.clean(ctx, changes, files, convert)
}

// Prime asks for the rules and the stored contents of working files, all with one question
// each, so that reading some after the others asks no more.
func (r *Repo) Prime(ctx context.Context, changes []Change) error {
	attributes, err := r.attributes(ctx, changes)
	if err != nil {
		return err
	}
	var paths []string
	for i, change := range changes {
		info, err := os.Lstat(r.WorkPath(change.Path))
		if err == nil && attributes[i].converts && info.Mode().IsRegular() && info.Size() <= LargeFile {
			paths = append(paths, change.Path)
		}
	}
	_, err = r.stored(ctx, paths)
	return err
}

func (r *Repo) readWorkFile(ctx context.Context, root *os.Root, change Change, trustModes bool) (WorkFile, error) {
	name := filepath.FromSlash(change.Path)
	info, err := root.Lstat(name)
	if isAbsent(err) {
		return WorkFile{}, nil
	}
	if err != nil {
		return WorkFile{}, err
	}
	stamp := fmt.Sprint(info.Size(), info.ModTime().UnixNano(), info.Mode())
	switch {
	case info.Mode()&fs.ModeSymlink != 0:
		target, err := root.Readlink(name)
		return WorkFile{Mode: ModeSymlink, Data: []byte(target), Size: int64(len(target)), Stamp: stamp}, err
	case info.IsDir():
		if change.IndexMode != ModeSubmodule {
			return WorkFile{}, nil // a folder took the file's place
		}
		id, err := r.submoduleHead(ctx, change.Path)
		return WorkFile{Mode: ModeSubmodule, ID: id}, err
	case !info.Mode().IsRegular():
		return WorkFile{}, fmt.Errorf("neither file, link nor folder: %w", fs.ErrInvalid)
	}
	file := WorkFile{Mode: ModeFile, Size: info.Size(), Stamp: stamp}
	if trustModes && info.Mode()&0o100 != 0 || !trustModes && change.IndexMode == ModeExecutable {
		file.Mode = ModeExecutable
	}
	if info.Size() > LargestLoaded || info.Size() > LargeFile && !change.Full {
		file.Large = true
		return file, nil
	}
	opened, err := root.Open(name)
	if err != nil {
		return file, err
	}
	defer opened.Close()
	file.Data, err = io.ReadAll(opened)
	return file, err
}

// Exists says whether anything lies at a path of the working tree.
func (r *Repo) Exists(path string) bool {
	_, err := os.Lstat(filepath.Join(r.top, filepath.FromSlash(path)))
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

func (r *Repo) submoduleHead(ctx context.Context, path string) (ID, error) {
	out, err := r.invoke(ctx, invocation{args: []string{"rev-parse", "--verify", "--quiet", "HEAD"}, dir: filepath.Join(r.top, path)})
	if err != nil {
		return ID{}, fmt.Errorf("submodule: %w", err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

type attributeInfo struct{ converts, binary bool }

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
		infos[i].converts = always
	}
	var ask []int
	var answers bytes.Buffer
	for i, change := range changes {
		known, ok := r.known("attributes "+change.Path, r.attributeStamp([]string{change.Path})())
		if ok {
			infos[i].take(known)
			continue
		}
		ask = append(ask, i)
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
		r.keep("attributes "+changes[i].Path, r.attributeStamp([]string{changes[i].Path})(), answer)
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
		case value != "unspecified" && value != "unset":
			a.converts = true
		}
	}
}

// clean replaces the data of the files at the given places by what the
// repository would store, filters applied.
func (r *Repo) clean(ctx context.Context, changes []Change, files []WorkFile, places []int) error {
	paths := make([]string, len(places))
	for n, i := range places {
		paths[n] = changes[i].Path
	}
	ids, err := r.stored(ctx, paths)
	if err != nil {
		return err
	}
	for n, i := range places {
		object, err := r.Object(ctx, ids[n])
		if err != nil {
			return err
		}
		files[i].Data = object.Data
	}
	return nil
}

// stored gives what the repository would store of files, filters applied, each by its id.
func (r *Repo) stored(ctx context.Context, paths []string) ([]ID, error) {
	ids := make([]ID, len(paths))
	var ask []int
	var before []*stamps
	var in bytes.Buffer
	for n, path := range paths {
		now := r.storedStamp(path)
		if known, ok := r.known("stored "+path, now); ok {
			var err error
			if ids[n], err = ParseID(string(known)); err != nil {
				return nil, err
			}
			continue
		}
		ask, before = append(ask, n), append(before, now)
		in.WriteString(QuotePath(path))
		in.WriteByte('\n')
	}
	if len(ask) == 0 {
		return ids, nil
	}
	out, err := r.run(ctx, in.Bytes(), "hash-object", "-w", "--stdin-paths")
	if err != nil {
		return nil, fmt.Errorf("apply filters: %w", err)
	}
	lines := strings.Fields(string(out))
	if len(lines) != len(ask) {
		return nil, fmt.Errorf("apply filters: %d answers for %d files", len(lines), len(ask))
	}
	for k, n := range ask {
		if ids[n], err = ParseID(lines[k]); err != nil {
			return nil, err
		}
		r.keep("stored "+paths[n], before[k], []byte(lines[k]))
	}
	return ids, nil
}

// storedStamp is what the stored content of a file depends on: the file, and the rules for it.
func (r *Repo) storedStamp(path string) *stamps {
	s := r.attributeStamp([]string{path})()
	s.add(r.WorkPath(path))
	return s
}

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
