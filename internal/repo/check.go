package repo

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"
)

// Export writes a tree's files into an empty folder, filters applied.
func (r *Repo) Export(ctx context.Context, tree ID, dir string) error {
	return r.withScratchIndex(ctx, tree, func(env []string) error {
		in := invocation{args: []string{"checkout-index", "--all", "--force", "--prefix=" + dir + "/"}, env: env}
		if _, err := r.invoke(ctx, in); err != nil {
			return fmt.Errorf("write the content into %s: %w", dir, err)
		}
		return nil
	})
}

// CheckError is a check command that ended with another status than 0.
type CheckError struct {
	Command string
	Code    int
}

func (e *CheckError) Error() string {
	return fmt.Sprintf("The check failed with status %d: %s", e.Code, e.Command)
}

// RunCheck runs a command of the user's in a folder, through the shell. Output is
// told as it comes. A stop ends everything that the command started.
func (r *Repo) RunCheck(ctx context.Context, dir, command string, output func([]byte)) error {
	cmd := exec.CommandContext(ctx, "/bin/sh", "-c", command)
	cmd.Dir = dir
	cmd.Env = withoutGitDir(os.Environ())
	cmd.Stdout, cmd.Stderr = writer(output), writer(output)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGTERM) }
	cmd.WaitDelay = 2 * time.Second
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

// withoutGitDir keeps a check from taking the user's repository for its own.
func withoutGitDir(env []string) []string {
	var kept []string
	for _, entry := range env {
		if !strings.HasPrefix(entry, "GIT_") {
			kept = append(kept, entry)
		}
	}
	return kept
}

type writer func([]byte)

func (w writer) Write(p []byte) (int, error) {
	w(p)
	return len(p), nil
}
