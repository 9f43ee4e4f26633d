package repo

import (
	"fmt"
	"io/fs"
	"os"
	"time"

	"golang.org/x/sys/unix"
)

// statOf is what the system says of a file or a link; ok is false for everything else.
func statOf(path string) (fileStat, bool) { return statBelow(unix.AT_FDCWD, path) }

// statBelow is the same of a path below an open folder, the way to which need not be gone again.
func statBelow(folder int, path string) (fileStat, bool) {
	place, err := lookAt(folder, path)
	return place.stat, err == nil && place.stat.mode != ModeNone
}

// place is what lies at a path, by one look at it.
type place struct {
	stat        fileStat // its mode is ModeNone for what is neither file nor link
	folder      bool
	size        int64
	permissions fs.FileMode
}

// lookAt looks at a name in an open folder. Errors: fs.ErrNotExist.
func lookAt(folder int, name string) (place, error) {
	var stat unix.Stat_t
	if err := unix.Fstatat(folder, name, &stat, unix.AT_SYMLINK_NOFOLLOW); err != nil {
		return place{}, fmt.Errorf("look at %q: %w", name, err)
	}
	return placeOf(&stat), nil
}

// lookInto looks at an open file.
func lookInto(file *os.File) (place, error) {
	var stat unix.Stat_t
	if err := unix.Fstat(int(file.Fd()), &stat); err != nil {
		return place{}, fmt.Errorf("look at %q: %w", file.Name(), err)
	}
	return placeOf(&stat), nil
}

func placeOf(stat *unix.Stat_t) place {
	p := place{size: stat.Size, permissions: fs.FileMode(stat.Mode & 0o777)}
	switch stat.Mode & unix.S_IFMT {
	case unix.S_IFLNK:
		p.stat.mode = ModeSymlink
	case unix.S_IFREG:
		if p.stat.mode = ModeFile; stat.Mode&unix.S_IXUSR != 0 {
			p.stat.mode = ModeExecutable
		}
	case unix.S_IFDIR:
		p.folder = true
	}
	p.stat.changed, p.stat.modified = halves(stat.Ctim), halves(stat.Mtim)
	p.stat.number, p.stat.user, p.stat.group, p.stat.size = uint32(stat.Ino), stat.Uid, stat.Gid, uint32(stat.Size)
	return p
}

func halves(t unix.Timespec) instant {
	seconds, nanoseconds := t.Unix()
	return instant{uint32(seconds), uint32(nanoseconds)}
}

// grain is how far apart the times that the file's system notes may be.
func (i instant) grain() time.Duration {
	if i.nanoseconds == 0 {
		return coarsest
	}
	return tick
}

// settled says that at a time, a change after what this is of would have shown in its times.
func (s fileStat) settled(at time.Time) bool {
	return s.changed.time().Add(s.changed.grain()).Before(at) && s.modified.time().Add(s.modified.grain()).Before(at)
}
