//go:build unix

package repo

import (
	"os"
	"syscall"

	"golang.org/x/sys/unix"
)

// fileNumber tells files of one name apart that were put in each other's place.
func fileNumber(info os.FileInfo) uint64 {
	if stat, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(stat.Ino)
	}
	return 0
}

// statOf is what the system says of a file or a link; ok is false for everything else.
func statOf(path string) (fileStat, bool) { return statAt(unix.AT_FDCWD, path) }

// statBelow is the same of a path below an open folder, the way to which need not be gone again.
func statBelow(folder *os.File, path string) (fileStat, bool) { return statAt(int(folder.Fd()), path) }

func statAt(folder int, path string) (s fileStat, ok bool) {
	var stat unix.Stat_t
	if err := unix.Fstatat(folder, path, &stat, unix.AT_SYMLINK_NOFOLLOW); err != nil {
		return fileStat{}, false
	}
	switch stat.Mode & unix.S_IFMT {
	case unix.S_IFLNK:
		s.mode = ModeSymlink
	case unix.S_IFREG:
		if s.mode = ModeFile; stat.Mode&unix.S_IXUSR != 0 {
			s.mode = ModeExecutable
		}
	default:
		return fileStat{}, false
	}
	s.changed, s.modified = halves(stat.Ctim), halves(stat.Mtim)
	s.number, s.user, s.group, s.size = uint32(stat.Ino), stat.Uid, stat.Gid, uint32(stat.Size)
	return s, true
}

func halves(t unix.Timespec) instant {
	seconds, nanoseconds := t.Unix()
	return instant{uint32(seconds), uint32(nanoseconds)}
}
