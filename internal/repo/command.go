package repo

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"
)

// allowed holds the commands that Bastel may run: those that read and write the
// repository's parts. The commands that do the user's job are not among them,
// since that job is what Bastel itself is.
var allowed = newSet(
	"cat-file", "check-attr", "check-ignore", "check-ref-format", "checkout-index", "commit-tree", "config",
	"diff-files", "diff-index", "diff-tree", "fetch", "for-each-ref", "hash-object", "hook", "index-pack", "init",
	"ls-files", "ls-remote", "ls-tree", "merge-base", "mktree", "pack-refs", "push", "read-tree", "rev-list",
	"rev-parse", "status", "symbolic-ref", "update-index", "update-ref", "var", "verify-commit", "verify-pack",
	"version", "worktree", "write-tree",
)

func newSet(names ...string) map[string]bool {
	set := make(map[string]bool, len(names))
	for _, name := range names {
		set[name] = true
	}
	return set
}

// Errors that callers tell apart with errors.Is.
var (
	ErrNotAllowed    = errors.New("this repository command is not one Bastel runs")
	ErrNoGit         = errors.New("git is not installed, or not on the PATH")
	ErrGitTooOld     = errors.New("git is older than 2.36")
	ErrNoRepository  = errors.New("no repository here")
	ErrBare          = errors.New("a bare repository has no working tree")
	ErrForeignOwner  = errors.New("the repository belongs to another user")
	ErrLocked        = errors.New("the repository is locked by another program")
	ErrInTheWay      = errors.New("loose changes are in the way")
	ErrMoved         = errors.New("the repository has moved on")
	ErrMissingObject = errors.New("object is missing")
)

// CommandError is a repository command that failed: what was run, how it ended
// and what it said.
type CommandError struct {
	Args   []string
	Code   int
	Stderr string
}

func (e *CommandError) Error() string {
	said := strings.TrimSpace(e.Stderr)
	if said == "" {
		said = fmt.Sprintf("exit status %d", e.Code)
	}
	return fmt.Sprintf("git %s: %s", e.Args[0], said)
}

// Unwrap names the well-known causes that can be read from the message.
func (e *CommandError) Unwrap() error {
	switch {
	case strings.Contains(e.Stderr, "dubious ownership"):
		return ErrForeignOwner
	case strings.Contains(e.Stderr, "not a git repository"):
		return ErrNoRepository
	case strings.Contains(e.Stderr, "but expected"), strings.Contains(e.Stderr, "reference already exists"),
		strings.Contains(e.Stderr, "unable to resolve reference"):
		return ErrMoved
	case strings.Contains(e.Stderr, "not uptodate"), strings.Contains(e.Stderr, "would be overwritten"),
		strings.Contains(e.Stderr, "would be removed"), strings.Contains(e.Stderr, "overlaps with"),
		strings.Contains(e.Stderr, "would lose untracked"):
		return ErrInTheWay
	}
	return nil
}

// invocation is one run of a repository command.
type invocation struct {
	args   []string
	stdin  io.Reader
	env    []string
	dir    string         // default: the top of the working tree
	stderr func(p []byte) // told of messages as they come, besides keeping them
	// How long its output is waited for once it has ended or was asked to; default: two seconds.
	patience time.Duration
}

// run executes a command and returns what it printed.
func (r *Repo) run(ctx context.Context, stdin []byte, args ...string) ([]byte, error) {
	in := invocation{args: args}
	if stdin != nil {
		in.stdin = bytes.NewReader(stdin)
	}
	return r.invoke(ctx, in)
}

// line executes a command that prints one line.
func (r *Repo) line(ctx context.Context, args ...string) (string, error) {
	out, err := r.run(ctx, nil, args...)
	return strings.TrimRight(string(out), "\n"), err
}

func (r *Repo) invoke(ctx context.Context, in invocation) ([]byte, error) {
	cmd, err := r.command(ctx, in)
	if err != nil {
		return nil, err
	}
	var stdout bytes.Buffer
	stderr := &teller{tell: in.stderr}
	cmd.Stdout, cmd.Stderr = &stdout, stderr
	// What it left behind in the background, as a hook or an automatic maintenance may, holds its output
	// open: the command itself is done.
	defer r.wrote(in.args[0])
	began := time.Now()
	err = cmd.Run()
	r.logProcess(ctx, in.args, began, err)
	if err != nil && !(errors.Is(err, exec.ErrWaitDelay) && ctx.Err() == nil) {
		return stdout.Bytes(), r.failure(ctx, in.args, err, stderr.kept.String())
	}
	return stdout.Bytes(), nil
}

func (r *Repo) command(ctx context.Context, in invocation) (*exec.Cmd, error) {
	if len(in.args) == 0 || !allowed[in.args[0]] {
		return nil, fmt.Errorf("git %s: %w", strings.Join(in.args, " "), ErrNotAllowed)
	}
	cmd := exec.CommandContext(ctx, "git", in.args...)
	cmd.Dir = in.dir
	if cmd.Dir == "" {
		cmd.Dir = r.top
	}
	cmd.Stdin = in.stdin
	cmd.Env = append(append(os.Environ(), r.env...), in.env...)
	cmd.WaitDelay = cmp.Or(in.patience, 2*time.Second)
	// Ask politely first, so that the command can take its lock files away.
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	if !r.terminal {
		// A session of its own, so that no child can take the terminal.
		cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	}
	return cmd, nil
}

func (r *Repo) failure(ctx context.Context, args []string, err error, stderr string) error {
	if ctx.Err() != nil {
		return fmt.Errorf("git %s: %w", args[0], context.Cause(ctx))
	}
	if errors.Is(err, exec.ErrNotFound) {
		return ErrNoGit
	}
	var exit *exec.ExitError
	if !errors.As(err, &exit) {
		return fmt.Errorf("git %s: %w", args[0], err)
	}
	if there := lockThere.FindStringSubmatch(stderr); there != nil {
		return fmt.Errorf("git %s: %w", args[0], newLockedError(there[1]))
	}
	return &CommandError{Args: args, Code: exit.ExitCode(), Stderr: stderr}
}

// exitCode gives the status of a failed command, or -1 for other errors.
func exitCode(err error) int {
	var failed *CommandError
	if errors.As(err, &failed) {
		return failed.Code
	}
	return -1
}

// teller keeps what is written to it, up to a limit, and passes it on.
type teller struct {
	kept bytes.Buffer
	tell func(p []byte)
}

const keptStderr = 1 << 20

func (t *teller) Write(p []byte) (int, error) {
	if t.kept.Len() < keptStderr {
		t.kept.Write(p)
	}
	if t.tell != nil {
		t.tell(p)
	}
	return len(p), nil
}
