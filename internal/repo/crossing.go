package repo

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// Some of a working tree may lie on another file system than the rest. Nothing can be renamed there from a layout: what comes is
// copied beside its place first, and what goes is copied from there.

// swap puts a file of the layout and one of the working tree in each other's place.
func (l *Layout) swap(from string, fd int, name string) error {
	err := swap(l.fd, from, fd, name)
	if !errors.Is(err, unix.EXDEV) {
		return err
	}
	beside := l.beside(name)
	if err := l.copyTo(l.fd, from, fd, beside); err != nil {
		return err
	}
	if err := swap(fd, beside, fd, name); err != nil {
		return errors.Join(err, unix.Unlinkat(fd, beside, 0))
	}
	if err := unix.Unlinkat(l.fd, from, 0); err != nil {
		return err
	}
	if err := l.copyTo(fd, beside, l.fd, from); err != nil {
		return err
	}
	return unix.Unlinkat(fd, beside, 0)
}

// move moves a file between layout and working tree to where nothing lies. Errors: fs.ErrExist.
func (l *Layout) move(fromDir int, from string, toDir int, to string) error {
	err := moveNew(fromDir, from, toDir, to)
	if !errors.Is(err, unix.EXDEV) {
		return err
	}
	if toDir == l.fd { // it is taken away in one step, and copied then
		beside := l.beside(from)
		if err := moveNew(fromDir, from, fromDir, beside); err != nil {
			return err
		}
		if err := l.copyTo(fromDir, beside, toDir, to); err != nil {
			return errors.Join(err, moveNew(fromDir, beside, fromDir, from))
		}
		return unix.Unlinkat(fromDir, beside, 0)
	}
	beside := l.beside(to)
	if err := l.copyTo(fromDir, from, toDir, beside); err != nil {
		return err
	}
	if err := moveNew(toDir, beside, toDir, to); err != nil {
		return errors.Join(err, unix.Unlinkat(toDir, beside, 0))
	}
	return unix.Unlinkat(fromDir, from, 0)
}

// beside is a name beside a file under which it lies for a moment.
func (l *Layout) beside(name string) string { return ".bastel-" + filepath.Base(l.dir) + "-" + name }

// copyTo copies a file or a link with its permissions and the time of its content, synced.
func (l *Layout) copyTo(fromDir int, from string, toDir int, to string) error {
	l.crossed = true
	lies, err := lookAt(fromDir, from)
	if err != nil {
		return err
	}
	if lies.stat.mode == ModeSymlink {
		target, err := readLink(fromDir, from, lies.size)
		if err == nil {
			err = unix.Symlinkat(string(target), toDir, to)
		}
		return err
	}
	in, err := openIn(fromDir, from)
	if err != nil {
		return err
	}
	defer in.Close()
	fd, err := unix.Openat(toDir, to, unix.O_WRONLY|unix.O_CREAT|unix.O_EXCL|unix.O_CLOEXEC, 0o600)
	if err != nil {
		return err
	}
	out := os.NewFile(uintptr(fd), to)
	_, err = io.Copy(out, in)
	if err == nil {
		err = out.Chmod(lies.permissions)
	}
	if err == nil {
		err = out.Sync()
	}
	if err = errors.Join(err, out.Close()); err == nil {
		modified := unix.Timespec{Sec: int64(lies.stat.modified.seconds), Nsec: int64(lies.stat.modified.nanoseconds)}
		err = unix.UtimesNanoAt(toDir, to, []unix.Timespec{modified, modified}, unix.AT_SYMLINK_NOFOLLOW)
	}
	if err != nil {
		return errors.Join(fmt.Errorf("copy %q to its file system: %w", to, err), unix.Unlinkat(toDir, to, 0))
	}
	return nil
}
