package repo

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"
)

// AboveError names a link, or a file, that stands above a path of the working tree.
type AboveError struct {
	Path, By string
	Link     bool
}

func (e *AboveError) Error() string {
	if e.Link {
		return fmt.Sprintf("%q lies behind the link %q, through which nothing is read or written", e.Path, e.By)
	}
	return fmt.Sprintf("%q would lie in %q, which is a file", e.Path, e.By)
}

// Unwrap makes it one of what is in the way.
func (e *AboveError) Unwrap() error { return ErrInTheWay }

// ErrGitFolder is a path in a git folder, which holds no working files.
var ErrGitFolder = errors.New("it lies in a git folder, where no working file can be")

// folders opens the folders of the working tree that paths lie in. It is the one way to a working file: it follows no link, and
// enters no git folder. Not safe for concurrent use.
type folders struct {
	top  int
	path string // the folder that was opened last, and stays open
	last int
}

func (r *Repo) openFolders() (*folders, error) {
	top, err := unix.Open(r.top, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, fmt.Errorf("open the working tree: %w", &os.PathError{Op: "open", Path: r.top, Err: err})
	}
	return &folders{top: top, last: -1}, nil
}

func (f *folders) close() {
	f.forget()
	unix.Close(f.top)
}

// forget has the folders opened anew, where they may have been replaced or removed.
func (f *folders) forget() {
	if f.last >= 0 {
		unix.Close(f.last)
	}
	f.path, f.last = "", -1
}

// parentOf opens the folder that a path lies in, and gives the name in it; what is opened is closed by the next call. With make,
// folders that are missing are made. Errors: fs.ErrNotExist, *AboveError, ErrGitFolder.
func (f *folders) parentOf(path string, make bool) (fd int, name string, err error) {
	folder, name := "", path
	if at := strings.LastIndexByte(path, '/'); at >= 0 {
		folder, name = path[:at], path[at+1:]
	}
	if !isFileName(name) {
		return -1, "", fmt.Errorf("%q: %w", path, ErrGitFolder)
	}
	if folder == "" {
		return f.top, name, nil
	}
	if f.last >= 0 && f.path == folder {
		return f.last, name, nil
	}
	f.forget()
	fd, err = f.descend(path, folder, make)
	if err != nil {
		return -1, "", err
	}
	f.path, f.last = folder, fd
	return fd, name, nil
}

func (f *folders) descend(path, folder string, make bool) (int, error) {
	at := f.top
	for begin := 0; begin <= len(folder); {
		end := len(folder)
		if next := strings.IndexByte(folder[begin:], '/'); next >= 0 {
			end = begin + next
		}
		next, err := enter(at, folder[begin:end], make)
		if at != f.top {
			unix.Close(at)
		}
		switch {
		case errors.Is(err, syscall.ELOOP), errors.Is(err, syscall.ENOTDIR):
			return -1, &AboveError{path, folder[:end], errors.Is(err, syscall.ELOOP)}
		case err != nil:
			return -1, fmt.Errorf("folder %q: %w", folder[:end], err)
		}
		at, begin = next, end+1
	}
	return at, nil
}

// enter opens one folder in another one. ELOOP: it is a link.
func enter(at int, name string, make bool) (int, error) {
	if !isFileName(name) {
		return -1, ErrGitFolder
	}
	const how = unix.O_RDONLY | unix.O_DIRECTORY | unix.O_NOFOLLOW | unix.O_CLOEXEC
	fd, err := unix.Openat(at, name, how, 0)
	if make && errors.Is(err, unix.ENOENT) {
		if err = unix.Mkdirat(at, name, 0o777); err == nil || errors.Is(err, unix.EEXIST) {
			fd, err = unix.Openat(at, name, how, 0)
		}
	}
	if err == nil {
		return fd, nil
	}
	var stat unix.Stat_t
	if unix.Fstatat(at, name, &stat, unix.AT_SYMLINK_NOFOLLOW) == nil && stat.Mode&unix.S_IFMT == unix.S_IFLNK {
		err = syscall.ELOOP
	}
	return -1, err
}

// isAbsent says that nothing lies at a path: not there, below a file, or behind a link, through which no path goes.
func isAbsent(err error) bool {
	var above *AboveError
	return errors.Is(err, fs.ErrNotExist) || errors.As(err, &above)
}

// isFileName says whether a name may stand in a path of the working tree. A git folder may not, in no spelling that some file
// system takes for it: without case, with the marks that one passes over, shortened, or with what another one cuts off at the end.
func isFileName(name string) bool {
	if name == "" || name == "." || name == ".." {
		return false
	}
	for part := range strings.SplitSeq(name, `\`) { // which parts folders on some systems
		if isGitFolder(part) {
			return false
		}
	}
	return true
}

func isGitFolder(name string) bool {
	if len(name) < 4 || name[0] != '.' && name[0] != 'g' && name[0] != 'G' && name[0] < 0x80 {
		return false // nearly all
	}
	plain := strings.Map(func(r rune) rune {
		switch {
		case r >= 0x200c && r <= 0x200f, r >= 0x202a && r <= 0x202e, r >= 0x206a && r <= 0x206f, r == 0xfeff:
			return -1
		}
		return r
	}, name)
	plain, _, _ = strings.Cut(plain, ":")
	plain = strings.TrimRight(plain, ". ")
	return strings.EqualFold(plain, ".git") || strings.EqualFold(plain, "git~1")
}

// IsWorkPath says whether a path can be one of a working file.
func IsWorkPath(path string) bool {
	for name := range strings.SplitSeq(path, "/") {
		if !isFileName(name) {
			return false
		}
	}
	return true
}

// Folder is a folder of the user's that files are written into by their paths, as into the working tree: through no link, into no
// git folder, and over nothing.
type Folder struct{ in *folders }

// OpenFolder opens a folder.
func OpenFolder(dir string) (*Folder, error) {
	fd, err := unix.Open(dir, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, fmt.Errorf("open %s: %w", dir, err)
	}
	return &Folder{&folders{top: fd, last: -1}}, nil
}

// Close closes it.
func (f *Folder) Close() { f.in.close() }

// Has says whether something lies at a path.
func (f *Folder) Has(path string) (bool, error) {
	fd, name, err := f.in.parentOf(path, false)
	if err == nil {
		_, err = lookAt(fd, name)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return false, nil
	}
	return err == nil, err
}

// Write writes a new file, and the folders that it lies in.
func (f *Folder) Write(path string, data []byte) error {
	fd, name, err := f.in.parentOf(path, true)
	if err != nil {
		return err
	}
	file, err := unix.Openat(fd, name, unix.O_WRONLY|unix.O_CREAT|unix.O_EXCL|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0o666)
	if err != nil {
		return fmt.Errorf("make %q: %w", path, err)
	}
	opened := os.NewFile(uintptr(file), path)
	_, err = opened.Write(data)
	return errors.Join(err, opened.Close())
}

// Remove removes a file or a link, if it is there.
func (f *Folder) Remove(path string) error {
	fd, name, err := f.in.parentOf(path, false)
	if err == nil {
		err = unix.Unlinkat(fd, name, 0)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}
