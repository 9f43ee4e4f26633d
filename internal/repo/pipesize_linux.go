package repo

import (
	"io"
	"os"

	"golang.org/x/sys/unix"
)

// roomInPipe is how much a process may write before somebody reads it: as much as the system lets everybody have.
const roomInPipe = 1 << 20

// enlarge lets the process at the other end of a pipe go on writing while what it wrote is worked on. Where that is not allowed the
// pipe stays as it is, and the two wait for each other more often.
func enlarge(pipe io.Reader) {
	file, ok := pipe.(*os.File)
	if !ok {
		return
	}
	if connection, err := file.SyscallConn(); err == nil {
		_ = connection.Control(func(fd uintptr) { _, _ = unix.FcntlInt(fd, unix.F_SETPIPE_SZ, roomInPipe) })
	}
}
