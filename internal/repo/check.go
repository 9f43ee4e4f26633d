package repo

import (
	"bytes"
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

// Import gives the tree that a folder holds which a tree was exported to before and
// that may have changed since. What is ignored is left aside.
func (r *Repo) Import(ctx context.Context, tree ID, dir string) (ID, error) {
	var after ID
	err := r.withScratchIndex(ctx, tree, func(env []string) error {
		env = append(env, "GIT_DIR="+r.gitDir, "GIT_WORK_TREE="+dir)
		run := func(stdin []byte, args ...string) ([]byte, error) {
			return r.invoke(ctx, invocation{args: args, env: env, dir: dir, stdin: bytes.NewReader(stdin)})
		}
		changed, err := run(nil, "ls-files", "-z", "--modified", "--deleted", "--others", "--exclude-standard")
		if err != nil {
			return err
		}
		if _, err := run(changed, "update-index", "--add", "--remove", "--replace", "-z", "--stdin"); err != nil {
			return err
		}
		out, err := run(nil, "write-tree")
		if err != nil {
			return err
		}
		after, err = ParseID(strings.TrimSpace(string(out)))
		return err
	})
	if err != nil {
		return after, fmt.Errorf("read the content of %s: %w", dir, err)
	}
	return after, nil
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
