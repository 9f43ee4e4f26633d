// Package lifeline leaves the terminal as it was, whatever ends the application: a signal that nobody can catch, a fault in any
// goroutine, the system's own memory running out. A second process, which is Bastel started for that, waits at the end of a pipe; when
// the pipe breaks without a good-bye it sets the terminal right, and writes down what is known of a fault: version, screen, the last
// actions and the stack, never contents of files.
//
// Its tests promise: what is written holds no text that a fault was about; the terminal itself is tested in test/tmux.
package lifeline

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// environment carries a charge to the process that waits; without it a program is no such process.
const environment = "BASTEL_LIFELINE"

// charge is what the process that waits has to know.
type charge struct {
	Modes   unix.Termios `json:"modes"`
	Version string       `json:"version"`
	Crash   string       `json:"crash"` // the file that the system of the language writes a fault into
}

// goodbye is the line that ends the waiting.
const goodbye = "\x00bye"

// Line ties the application to the process that waits; nil is tied to none.
type Line struct {
	mu    sync.Mutex
	pipe  *os.File
	crash *os.File
}

// Tie starts the process that waits, for the terminal as it is now. Where that cannot be there is none: the application works
// without.
func Tie(terminal *os.File, version string) *Line {
	l := &Line{}
	modes, err := unix.IoctlGetTermios(int(terminal.Fd()), getTermios)
	if err != nil {
		return l
	}
	dir, err := Folder()
	if err != nil {
		return l
	}
	crash, err := os.CreateTemp(dir, "running-")
	if err != nil {
		return l
	}
	data, err := json.Marshal(charge{Modes: *modes, Version: version, Crash: crash.Name()})
	if err == nil {
		err = l.start(terminal, string(data))
	}
	if err == nil {
		err = debug.SetCrashOutput(crash, debug.CrashOptions{})
	}
	if l.crash = crash; err != nil {
		l.Untie()
	}
	return l
}

func (l *Line) start(terminal *os.File, charge string) error {
	program, err := os.Executable()
	if err != nil {
		return err
	}
	in, out, err := os.Pipe()
	if err != nil {
		return err
	}
	defer in.Close()
	cmd := exec.Command(program)
	cmd.Env = append(os.Environ(), environment+"="+charge)
	cmd.Stdin, cmd.ExtraFiles = in, []*os.File{terminal}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true} // what the terminal tells its own processes is not for it
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("start what watches the terminal: %w", errors.Join(err, out.Close()))
	}
	l.pipe = out
	go func() { _ = cmd.Wait() }()
	return nil
}

// Did notes an action by its name, on a screen. It never waits long: the other end reads all the time.
func (l *Line) Did(screen, action string) {
	l.say(screen + "\t" + strings.ReplaceAll(action, "\n", " "))
}

func (l *Line) say(line string) {
	if l == nil {
		return
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.pipe != nil {
		_, _ = io.WriteString(l.pipe, line+"\n") // without the other end there is nobody to tell
	}
}

// Untie says good-bye: the application has set the terminal right itself.
func (l *Line) Untie() {
	l.say(goodbye)
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.pipe != nil {
		l.pipe.Close()
		l.pipe = nil
	}
	if l.crash != nil {
		_ = debug.SetCrashOutput(nil, debug.CrashOptions{})
		l.crash.Close()
		os.Remove(l.crash.Name())
		l.crash = nil
	}
}

// Main is the process that waits, if the program was started as it; else it does nothing.
func Main() {
	text := os.Getenv(environment)
	if text == "" {
		return
	}
	signal.Ignore(syscall.SIGHUP, syscall.SIGINT, syscall.SIGQUIT, syscall.SIGTERM, syscall.SIGPIPE)
	var c charge
	if json.Unmarshal([]byte(text), &c) != nil {
		os.Exit(1)
	}
	done, ended := listen(os.Stdin)
	if ended {
		os.Exit(0)
	}
	terminal := os.NewFile(3, "terminal")
	setRight(terminal, &c.Modes)
	fault, _ := os.ReadFile(c.Crash)
	os.Remove(c.Crash)
	if len(fault) > 0 {
		if name, err := Write(c.Version, faultOf(string(fault)), done, stackOf(string(fault))); err == nil {
			fmt.Fprintf(terminal, "bastel: the application met a fault of its own, and ended. Drafts are kept. What is known of it, without "+
				"content of files, is in %s\r\n", name)
		}
	}
	os.Exit(0)
}

// mostDone is how many actions are remembered.
const mostDone = 40

// listen hears what the application did, until it says good-bye, which is ended, or is gone.
func listen(in io.Reader) (done []string, ended bool) {
	lines := bufio.NewScanner(in)
	for lines.Scan() {
		if lines.Text() == goodbye {
			return done, true
		}
		if done = append(done, lines.Text()); len(done) > mostDone {
			done = done[1:]
		}
	}
	return done, false
}

// asBefore are the sequences after which a terminal shows its usual screen and cursor, tells of no mouse and no paste, and sends plain
// keys (ECMA-48, and what xterm documents).
const asBefore = "\x1b[?1049l\x1b[?25h\x1b[?1000l\x1b[?1002l\x1b[?1003l\x1b[?1006l\x1b[?2004l\x1b[?1004l\x1b[?2026l" +
	"\x1b[=0;1u\x1b[>4;0m\x1b[?1l\x1b>\x1b[8h\x1b[m\r"

func setRight(terminal *os.File, modes *unix.Termios) {
	_ = unix.IoctlSetTermios(int(terminal.Fd()), setTermios, modes)
	_, _ = io.WriteString(terminal, asBefore)
}

// faultOf is what a fault is called: what a text that was put together for it says stays out, since it may be content of files.
func faultOf(output string) string {
	first, _, _ := strings.Cut(output, "\n")
	for _, known := range []string{"panic: runtime error:", "fatal error:", "SIG", "signal "} {
		if strings.HasPrefix(first, known) {
			return first
		}
	}
	return "a panic"
}

// stackOf is the part of a fault's output that names functions and places.
func stackOf(output string) string {
	if at := strings.Index(output, "\ngoroutine "); at >= 0 {
		return output[at+1:]
	}
	return ""
}

// Folder is where what is known of faults is written.
func Folder() (string, error) {
	dir, err := os.UserCacheDir()
	if err != nil {
		dir = os.TempDir()
	}
	dir = filepath.Join(dir, "bastel")
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return "", fmt.Errorf("write what is known of the fault: %w", err)
	}
	return dir, nil
}

const (
	filePrefix = "crash-"
	toldFile   = "crash-told"
)

// Write writes what is known of a fault into a file, and gives its name.
func Write(version, what string, done []string, stack string) (string, error) {
	dir, err := Folder()
	if err != nil {
		return "", err
	}
	name := filepath.Join(dir, filePrefix+time.Now().Format("20060102-150405")+".txt")
	lines := slices.Concat([]string{"bastel " + version, "fault: " + what, "system: " + runtime.GOOS + "/" + runtime.GOARCH,
		"terminal: " + os.Getenv("TERM"), "", "screen and action, the last one last:"}, done, []string{"", stack})
	if err := os.WriteFile(name, []byte(strings.Join(lines, "\n")), 0o600); err != nil {
		return "", fmt.Errorf("write what is known of the fault: %w", err)
	}
	return name, nil
}

// Untold is the latest file about a fault that no start has named yet, and from then on is named; empty: there is none.
func Untold() string {
	dir, err := Folder()
	if err != nil {
		return ""
	}
	files, err := filepath.Glob(filepath.Join(dir, filePrefix+"*.txt"))
	if err != nil || len(files) == 0 {
		return ""
	}
	latest := slices.Max(files)
	told := filepath.Join(dir, toldFile)
	if known, err := os.ReadFile(told); err == nil && string(known) >= filepath.Base(latest) {
		return ""
	}
	if os.WriteFile(told, []byte(filepath.Base(latest)), 0o600) != nil {
		return "" // or it would be named at each start
	}
	return latest
}
