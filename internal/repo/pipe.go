package repo

import (
	"errors"
	"io"
	"os"
	"runtime"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// How long a reader goes on looking for what comes next before it sleeps, and how often it looks.
const (
	attention = 500 * time.Microsecond
	lookAgain = 10 * time.Microsecond
)

// attentive reads a pipe into which a process writes many small pieces. To wake a reader that sleeps costs the writer more than
// the writing, so it stays awake between them, and lets others of this program work meanwhile.
type attentive struct{ pipe syscall.RawConn }

// attend reads from a pipe attentively, unless there is but one processor, which the writer needs.
func attend(pipe io.Reader) io.Reader {
	file, ok := pipe.(*os.File)
	if !ok || runtime.GOMAXPROCS(0) == 1 {
		return pipe
	}
	connection, err := file.SyscallConn()
	if err != nil {
		return pipe
	}
	return attentive{connection}
}

func (a attentive) Read(p []byte) (n int, err error) {
	closed := a.pipe.Read(func(fd uintptr) (done bool) {
		n, err = look(int(fd), p)
		return !errors.Is(err, unix.EAGAIN) // or it sleeps until there is something
	})
	switch {
	case closed != nil:
		return 0, closed
	case err != nil:
		return 0, &os.PathError{Op: "read", Path: "pipe", Err: err}
	case n == 0 && len(p) > 0:
		return 0, io.EOF
	}
	return n, nil
}

// look reads what is there, and waits a little for it.
func look(fd int, p []byte) (n int, err error) {
	began := time.Now()
	for {
		n, err = unix.Read(fd, p)
		waited := time.Since(began)
		if !errors.Is(err, unix.EINTR) && !(errors.Is(err, unix.EAGAIN) && waited < attention) {
			return n, err
		}
		for time.Since(began) < waited+lookAgain {
			runtime.Gosched()
		}
	}
}
