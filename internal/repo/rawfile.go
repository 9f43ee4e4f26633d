package repo

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// RawFile is a working file exactly as it lies on disk, without filters, by one reading of it.
type RawFile struct {
	Path string
	Mode Mode // ModeNone: not there
	ID   ID   // of its bytes, or of a link's target; zero where only its times were looked at
	// Permissions are those of a file that is there.
	Permissions fs.FileMode

	stat fileStat  // how the system knows it
	at   time.Time // when it was looked at; zero: it lies nowhere yet
}

// Is says whether two are the same file: their bytes and kind. Permissions do not count.
func (f RawFile) Is(o RawFile) bool { return f.Mode == o.Mode && f.ID == o.ID }

// reading is all that one opening of a working file gave: how it lies there, and its bytes.
type reading struct {
	RawFile
	folder bool   // a folder lies there
	own    bool   // it is a repository of its own
	data   []byte // of a file up to the size that was asked for, or a link's target
	whole  bool   // data is all of it
	size   int64
}

// readings is how often a file is read that changes while it is read.
const readings = 5

// read opens a working file once and reads it, up to a size in bytes; a larger one is only looked at. What is not there, or lies
// behind a link, has no mode.
func (f *folders) read(path string, most int64) (reading, error) {
	for range readings {
		at := time.Now()
		fd, name, err := f.parentOf(path, false)
		if err == nil {
			var found reading
			if found, err = readIn(fd, name, most); err == nil || !isAbsent(err) {
				found.Path, found.at = path, at
				if errors.Is(err, errReadAgain) {
					continue
				}
				return found, err
			}
		}
		if isAbsent(err) || errors.Is(err, ErrGitFolder) {
			return reading{RawFile: RawFile{Path: path, at: at}}, nil
		}
		return reading{}, fmt.Errorf("read %q: %w", path, err)
	}
	return reading{}, fmt.Errorf("read %q: %w", path, &FileMovedError{path})
}

// errReadAgain is a file that changed while it was read.
var errReadAgain = errors.New("it changed meanwhile")

func readIn(fd int, name string, most int64) (found reading, err error) {
	lies, err := lookAt(fd, name)
	if err != nil {
		return found, err
	}
	found.note(lies)
	switch {
	case lies.folder:
		found.folder = true
		_, err := lookAt(fd, name+"/.git")
		found.own = err == nil
		return found, nil
	case lies.stat.mode == ModeSymlink:
		found.data, err = readLink(fd, name, lies.size)
		found.whole = true
		return found, err
	case lies.stat.mode == ModeNone:
		return found, fmt.Errorf("neither file, link nor folder: %w", fs.ErrInvalid)
	case lies.size > most:
		return found, nil
	}
	file, err := openIn(fd, name)
	if err != nil {
		return found, err
	}
	defer file.Close()
	return found, found.fill(file)
}

func (r *reading) note(lies place) {
	r.Mode, r.stat, r.size = lies.stat.mode, lies.stat, lies.size
	if r.Mode.IsFile() {
		r.Permissions = lies.permissions
	}
}

// fill reads an open file. Errors: errReadAgain.
func (r *reading) fill(file *os.File) (err error) {
	before, err := lookInto(file)
	if err != nil {
		return err
	}
	r.note(before)
	r.data = make([]byte, before.size)
	if _, err := io.ReadFull(file, r.data); err != nil {
		return errReadAgain // it is shorter by now, or the next try says what is wrong
	}
	after, err := lookInto(file)
	if err != nil || after != before {
		return errors.Join(err, errReadAgain)
	}
	r.whole = true
	return nil
}

// openIn opens a file, never a link, and never waits for a pipe's other end.
func openIn(fd int, name string) (*os.File, error) {
	file, err := unix.Openat(fd, name, unix.O_RDONLY|unix.O_NOFOLLOW|unix.O_NONBLOCK|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	return os.NewFile(uintptr(file), name), nil
}

func readLink(fd int, name string, size int64) ([]byte, error) {
	for room := size + 1; ; room *= 2 {
		target := make([]byte, room)
		n, err := unix.Readlinkat(fd, name, target)
		if err != nil || int64(n) < room {
			return target[:max(n, 0)], err
		}
	}
}

// ReadWorkBytes gives the bytes of a working file as they lie there.
func (r *Repo) ReadWorkBytes(path string) ([]byte, error) {
	from, err := r.openFolders()
	if err != nil {
		return nil, err
	}
	defer from.close()
	found, err := from.read(path, LargestLoaded)
	if err == nil && (!found.Mode.IsFile() || !found.whole) {
		err = fmt.Errorf("read %q: no file, or too large: %w", path, fs.ErrInvalid)
	}
	return found.data, err
}

// raw is what was read as a raw file, named by its bytes.
func (r *Repo) raw(found reading) RawFile {
	if found.whole {
		found.ID = r.HashObject(KindBlob, found.data)
	}
	return found.RawFile
}

// storedAtOnce is how many bytes of files are in memory until they are written to the repository.
const storedAtOnce = 64 << 20

// ReadRaw tells what lies at the given paths. With store the bytes are written to the repository's objects, from where they can
// be brought back: the very bytes that are told of.
func (r *Repo) ReadRaw(ctx context.Context, paths []string, store bool) ([]RawFile, error) {
	from, err := r.openFolders()
	if err != nil {
		return nil, err
	}
	defer from.close()
	files := make([]RawFile, len(paths))
	var texts [][]byte
	held := 0
	keep := func() error {
		_, err := r.WriteBlobs(ctx, texts)
		texts, held = nil, 0
		return err
	}
	for i, path := range paths {
		found, err := from.read(path, LargeFile)
		switch {
		case err != nil:
			return nil, err
		case found.own:
			return nil, fmt.Errorf("read %q: it is a repository of its own: %w", path, fs.ErrInvalid)
		case found.Mode.IsFile() && !found.whole:
			if files[i], err = r.readLarge(ctx, from, path, store); err != nil {
				return nil, err
			}
			continue
		}
		files[i] = r.raw(found)
		if store && found.Mode != ModeNone {
			texts = append(texts, found.data)
			if held += len(found.data); held > storedAtOnce {
				if err := keep(); err != nil {
					return nil, err
				}
			}
		}
	}
	return files, keep()
}

// readLarge names a file by its bytes without having them in memory, and stores them if that is asked for.
func (r *Repo) readLarge(ctx context.Context, from *folders, path string, store bool) (RawFile, error) {
	file := RawFile{Path: path}
	id, lies, at, err := r.streamed(from, path, func(opened *os.File, size int64) (ID, error) {
		if !store {
			return r.hashFile(opened, size)
		}
		return r.storeStream(ctx, opened, "--no-filters")
	})
	file.ID, file.Mode, file.Permissions, file.stat, file.at = id, lies.stat.mode, lies.permissions, lies.stat, at
	return file, err
}

// streamed has an open file read as a whole, and once more where it changed meanwhile.
func (r *Repo) streamed(from *folders, path string, read func(file *os.File, size int64) (ID, error)) (id ID, lies place, at time.Time,
	err error) {
	for range readings {
		at = time.Now()
		id, lies, err = streamOnce(from, path, read)
		if !errors.Is(err, errReadAgain) {
			break
		}
	}
	if err != nil {
		err = fmt.Errorf("read %q: %w", path, err)
	}
	return id, lies, at, err
}

func streamOnce(from *folders, path string, read func(file *os.File, size int64) (ID, error)) (id ID, lies place, err error) {
	fd, name, err := from.parentOf(path, false)
	if err != nil {
		return id, lies, err
	}
	file, err := openIn(fd, name)
	if err != nil {
		return id, lies, err
	}
	defer file.Close()
	if lies, err = lookInto(file); err != nil {
		return id, lies, err
	}
	if !lies.stat.mode.IsFile() {
		return id, lies, fmt.Errorf("not a file any more: %w", fs.ErrInvalid)
	}
	if id, err = read(file, lies.size); err != nil {
		return id, lies, err
	}
	after, err := lookInto(file)
	if err == nil && after != lies {
		err = errReadAgain
	}
	return id, lies, err
}

func (r *Repo) hashFile(file io.Reader, size int64) (ID, error) {
	hash := r.newHash()
	fmt.Fprintf(hash, "%s %d\x00", KindBlob, size)
	if n, err := io.Copy(hash, file); err != nil || n != size {
		return ID{}, errors.Join(err, errReadAgain)
	}
	return ID{string(hash.Sum(nil))}, nil
}

// storeStream stores what is read from an open file.
func (r *Repo) storeStream(ctx context.Context, file io.Reader, how string) (ID, error) {
	out, err := r.invoke(ctx, invocation{args: []string{"hash-object", "-w", "--stdin", how}, stdin: file})
	if err != nil {
		return ID{}, err
	}
	return ParseID(strings.TrimSpace(string(out)))
}

// StoreFile stores a working file's content, filters applied, without reading it
// into memory, and gives its id.
func (r *Repo) StoreFile(ctx context.Context, path string) (ID, error) {
	from, err := r.openFolders()
	if err != nil {
		return ID{}, err
	}
	defer from.close()
	id, _, _, err := r.streamed(from, path, func(file *os.File, _ int64) (ID, error) {
		return r.storeStream(ctx, file, "--path="+path)
	})
	return id, err
}
