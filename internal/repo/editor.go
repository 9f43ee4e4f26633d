package repo

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
)

// EditorRun is the user's editor, ready to be run on a file in the terminal.
type EditorRun struct{ cmd *exec.Cmd }

// takeLine are the editors that know +N as the line to begin at.
var takeLine = []string{"vi", "vim", "nvim", "nano", "pico", "emacs", "emacsclient", "micro", "joe", "kak", "ne", "mg", "mcedit"}

// Editor gives the user's editor as the repository chooses it: GIT_EDITOR,
// core.editor, VISUAL or EDITOR. Line counts from 1; 0 leaves it to the editor.
func (r *Repo) Editor(ctx context.Context, file string, line int) (*EditorRun, error) {
	editor, err := r.line(ctx, "var", "GIT_EDITOR")
	if err != nil {
		return nil, fmt.Errorf("find your editor: %w", err)
	}
	words := strings.Fields(editor)
	if len(words) == 0 {
		return nil, fmt.Errorf("find your editor: %w", exec.ErrNotFound)
	}
	args := []string{"-c", editor + ` "$@"`, editor}
	if line > 0 && slices.Contains(takeLine, path.Base(words[0])) {
		args = append(args, fmt.Sprintf("+%d", line))
	}
	cmd := exec.Command("/bin/sh", append(args, file)...)
	cmd.Dir = r.top
	return &EditorRun{cmd}, nil
}

// Shell is the user's shell, ready to be run in a folder.
func Shell(dir string) *EditorRun {
	shell := os.Getenv("SHELL")
	if shell == "" {
		shell = "/bin/sh"
	}
	cmd := exec.Command(shell)
	cmd.Dir = dir
	return &EditorRun{cmd}
}

// SetStdin sets where the editor reads from.
func (e *EditorRun) SetStdin(in io.Reader) { e.cmd.Stdin = in }

// SetStdout sets where it draws.
func (e *EditorRun) SetStdout(out io.Writer) { e.cmd.Stdout = out }

// SetStderr sets where it complains.
func (e *EditorRun) SetStderr(out io.Writer) { e.cmd.Stderr = out }

// Run runs the editor and waits for its end.
func (e *EditorRun) Run() error {
	if err := e.cmd.Run(); err != nil {
		return fmt.Errorf("the editor: %w", err)
	}
	return nil
}

// ErrNoBrowser is a system on which nothing is known that opens pages.
var ErrNoBrowser = errors.New("no browser is known: name one in the environment variable BROWSER")

// OpenPage opens an address of the web in the user's browser, and does not wait for it.
func (r *Repo) OpenPage(ctx context.Context, address string) error {
	for name := range strings.SplitSeq(os.Getenv("BROWSER")+":xdg-open:open", ":") {
		program, err := exec.LookPath(name)
		if name == "" || err != nil {
			continue
		}
		cmd := exec.CommandContext(context.WithoutCancel(ctx), program, address)
		cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
		if err := cmd.Start(); err != nil {
			return fmt.Errorf("open %s with %s: %w", address, name, err)
		}
		go cmd.Wait() // it is the browser's own affair how it ends
		return nil
	}
	return ErrNoBrowser
}
