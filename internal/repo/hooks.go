package repo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
)

// HookError is a hook that said no: which one, and all it printed.
type HookError struct {
	Hook   string
	Output string
}

func (e *HookError) Error() string {
	output := strings.TrimSpace(e.Output)
	if output == "" {
		output = "it gave no reason"
	}
	return fmt.Sprintf("the %s hook refused: %s", e.Hook, output)
}

// RunHook runs a hook through the repository; a hook that is not there agrees.
func (r *Repo) RunHook(ctx context.Context, hook string, args ...string) error {
	var output strings.Builder
	in := invocation{
		args:   append([]string{"hook", "run", "--ignore-missing", hook, "--"}, args...),
		env:    []string{"GIT_EDITOR=:", "GIT_OPTIONAL_LOCKS=1"},
		stderr: func(p []byte) { output.Write(p) },
	}
	_, err := r.invoke(ctx, in)
	var failed *CommandError
	if errors.As(err, &failed) {
		return &HookError{Hook: hook, Output: output.String()}
	}
	return err
}

// RunPostRewrite tells the post-rewrite hook which commits became which, one
// "old new" pair per line on its standard input. The repository's own way to run
// hooks gives them no input in the versions supported, so it is started here.
func (r *Repo) RunPostRewrite(ctx context.Context, pairs [][2]ID) error {
	path, err := r.line(ctx, "rev-parse", "--git-path", "hooks/post-rewrite")
	if err != nil {
		return fmt.Errorf("find the post-rewrite hook: %w", err)
	}
	if !filepath.IsAbs(path) {
		path = filepath.Join(r.top, path)
	}
	info, err := os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) || err == nil && info.Mode()&0o111 == 0 {
		return nil
	}
	var in, out strings.Builder
	for _, pair := range pairs {
		fmt.Fprintf(&in, "%s %s\n", pair[0], pair[1])
	}
	cmd := exec.CommandContext(ctx, path, "rebase")
	cmd.Dir, cmd.Stdin, cmd.Stdout, cmd.Stderr = r.top, strings.NewReader(in.String()), &out, &out
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	var exit *exec.ExitError
	if err := cmd.Run(); errors.As(err, &exit) {
		return &HookError{Hook: "post-rewrite", Output: out.String()}
	} else if err != nil {
		return fmt.Errorf("run the post-rewrite hook: %w", err)
	}
	return nil
}

// CommitTree makes a commit of a tree, signed where the configuration asks for it.
func (r *Repo) CommitTree(ctx context.Context, tree ID, parents []ID, message string) (ID, error) {
	args := []string{"commit-tree", tree.String()}
	for _, parent := range parents {
		args = append(args, "-p", parent.String())
	}
	sign, err := r.ConfigBool(ctx, "commit.gpgSign")
	if err != nil {
		return ID{}, err
	}
	if sign {
		args = append(args, "-S")
	}
	out, err := r.run(ctx, []byte(message), append(args, "-F", "-")...)
	if err != nil {
		return ID{}, fmt.Errorf("make the commit: %w", err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

// WriteCommit stores a commit exactly as given.
func (r *Repo) WriteCommit(ctx context.Context, c *Commit) (ID, error) {
	out, err := r.run(ctx, c.Encode(), "hash-object", "-w", "-t", "commit", "--stdin")
	if err != nil {
		return ID{}, fmt.Errorf("write a commit: %w", err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}
