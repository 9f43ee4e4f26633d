// Package programs runs what the user's own settings name: the editor, a shell, the browser, the check. The
// repository's commands are run by package repo.
//
// Its tests promise: checks can be stopped with all that they started, and programs get names with blanks
// whole.
package programs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path"
	"slices"
	"strings"
	"syscall"
	"time"
)

// InTerminal is a program that takes the terminal over until it ends.
type InTerminal struct{ cmd *exec.Cmd }

// takeLine are the editors that know +N as the line to begin at.
var takeLine = []string{"vi", "vim", "nvim", "nano", "pico", "emacs", "emacsclient", "micro", "joe", "kak", "ne", "mg", "mcedit"}

// Editor gives an editor, named as a shell's command, for a file; it runs in a folder. Line counts from 1; 0 leaves
// it to the editor.
func Editor(editor, dir, file string, line int) (*InTerminal, error) {
	words := strings.Fields(editor)
	if len(words) == 0 {
		return nil, fmt.Errorf("find your editor: %w", exec.ErrNotFound)
	}
	args := []string{"-c", editor + ` "$@"`, editor}
	if line > 0 && slices.Contains(takeLine, path.Base(words[0])) {
		args = append(args, fmt.Sprintf("+%d", line))
	}
	cmd := exec.Command("/bin/sh", append(args, file)...)
	cmd.Dir = dir
	return &InTerminal{cmd}, nil
}

// Shell is the user's shell, in a folder.
func Shell(dir string) *InTerminal {
	shell := os.Getenv("SHELL")
	if shell == "" {
		shell = "/bin/sh"
	}
	cmd := exec.Command(shell)
	cmd.Dir = dir
	return &InTerminal{cmd}
}

// SetStdin sets where the program reads from.
func (t *InTerminal) SetStdin(in io.Reader) { t.cmd.Stdin = in }

// SetStdout sets where it draws.
func (t *InTerminal) SetStdout(out io.Writer) { t.cmd.Stdout = out }

// SetStderr sets where it complains.
func (t *InTerminal) SetStderr(out io.Writer) { t.cmd.Stderr = out }

// Run runs the program and waits for its end.
func (t *InTerminal) Run() error {
	if err := t.cmd.Run(); err != nil {
		return fmt.Errorf("the editor: %w", err)
	}
	return nil
}

// ErrNoBrowser is a system on which nothing is known that opens pages.
var ErrNoBrowser = errors.New("no browser is known: name one in the environment variable BROWSER")

// OpenPage opens an address of the web in the user's browser, and does not wait for it.
func OpenPage(address string) error {
	for name := range strings.SplitSeq(os.Getenv("BROWSER")+":xdg-open:open", ":") {
		program, err := exec.LookPath(name)
		if name == "" || err != nil {
			continue
		}
		cmd := exec.Command(program, address)
		cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
		if err := cmd.Start(); err != nil {
			return fmt.Errorf("open %s with %s: %w", address, name, err)
		}
		go cmd.Wait() // it is the browser's own affair how it ends
		return nil
	}
	return ErrNoBrowser
}

// CheckError is a check that ended with another status than 0.
type CheckError struct {
	Command string
	Code    int
}

func (e *CheckError) Error() string {
	return fmt.Sprintf("The check failed with status %d: %s", e.Code, e.Command)
}

// killAfter is how long what a stopped check has started may hold its output open.
const killAfter = 2 * time.Second

// Check runs a command in a folder, through the shell. Output is told as it comes. A stop ends everything that the
// command started. Errors: CheckError.
func Check(ctx context.Context, dir, command string, output func([]byte)) error {
	cmd := exec.CommandContext(ctx, "/bin/sh", "-c", command)
	cmd.Dir = dir
	cmd.Env = withoutRepository(os.Environ())
	cmd.Stdout, cmd.Stderr = writer(output), writer(output)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGTERM) }
	cmd.WaitDelay = killAfter
	err := cmd.Run()
	if ctx.Err() != nil {
		return fmt.Errorf("check: %w", context.Cause(ctx))
	}
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return &CheckError{command, exit.ExitCode()}
	}
	if err != nil {
		return fmt.Errorf("run the check %q: %w", command, err)
	}
	return nil
}

// withoutRepository keeps a check from taking the user's repository for its own.
func withoutRepository(env []string) []string {
	return slices.DeleteFunc(env, func(entry string) bool { return strings.HasPrefix(entry, "GIT_") })
}

type writer func([]byte)

func (w writer) Write(p []byte) (int, error) {
	w(p)
	return len(p), nil
}
