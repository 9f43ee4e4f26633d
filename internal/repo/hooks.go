package repo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"time"
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
	return r.runHook(ctx, nil, hook, args...)
}

// HasHook says whether there is such a hook to run.
func (r *Repo) HasHook(ctx context.Context, hook string) bool {
	path, err := r.hookPath(ctx, hook)
	if err != nil {
		return true // the hook's own run will say what is wrong
	}
	info, err := os.Stat(path)
	return err == nil && info.Mode()&0o111 != 0
}

func (r *Repo) hookPath(ctx context.Context, hook string) (string, error) {
	if elsewhere, err := r.ConfigAll(ctx, "core.hooksPath"); err == nil && len(elsewhere) == 0 {
		return filepath.Join(r.commonDir, "hooks", hook), nil
	}
	path, err := r.line(ctx, "rev-parse", "--git-path", "hooks/"+hook)
	if err != nil {
		return "", fmt.Errorf("find the %s hook: %w", hook, err)
	}
	if !filepath.IsAbs(path) {
		path = filepath.Join(r.top, path)
	}
	return path, nil
}

// RunHookOn runs a hook with an index of its own that holds a tree, and gives the
// tree that the hook leaves in it.
func (r *Repo) RunHookOn(ctx context.Context, tree ID, hook string) (ID, error) {
	var after ID
	err := r.withScratchIndex(ctx, tree, func(env []string) error {
		if err := r.runHook(ctx, env, hook); err != nil {
			return err
		}
		out, err := r.invoke(ctx, invocation{args: []string{"write-tree"}, env: env})
		if err != nil {
			return err
		}
		after, err = ParseID(strings.TrimSpace(string(out)))
		return err
	})
	return after, err
}

// hookPatience is how long the output of a hook that has ended is waited for.
const hookPatience = 500 * time.Millisecond

func (r *Repo) runHook(ctx context.Context, env []string, hook string, args ...string) error {
	var output strings.Builder
	in := invocation{
		args:   append([]string{"hook", "run", "--ignore-missing", hook, "--"}, args...),
		env:    append([]string{"GIT_EDITOR=:", "GIT_OPTIONAL_LOCKS=1"}, env...),
		stderr: func(p []byte) { output.Write(p) },
		// A process that the hook leaves behind is not waited for.
		patience: hookPatience,
	}
	_, err := r.invoke(ctx, in)
	var failed *CommandError
	if errors.As(err, &failed) {
		return &HookError{Hook: hook, Output: output.String()}
	}
	return err
}

// RunPostRewrite tells the post-rewrite hook which commits became which, if any, one
// "old new" pair per line on its standard input, and by what: amend or rebase. The repository's own way to run
// hooks gives them no input in the versions supported, so it is started here.
func (r *Repo) RunPostRewrite(ctx context.Context, by string, pairs []Mapping) error {
	path, err := r.hookPath(ctx, "post-rewrite")
	if err != nil || len(pairs) == 0 {
		return err
	}
	info, err := os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) || err == nil && info.Mode()&0o111 == 0 {
		return nil
	}
	var in, out strings.Builder
	for _, pair := range pairs {
		fmt.Fprintf(&in, "%s %s\n", pair[0], pair[1])
	}
	cmd := exec.CommandContext(ctx, path, by)
	cmd.Dir, cmd.Stdin, cmd.Stdout, cmd.Stderr = r.top, strings.NewReader(in.String()), &out, &out
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	cmd.WaitDelay = hookPatience
	var exit *exec.ExitError
	if err := cmd.Run(); errors.Is(err, exec.ErrWaitDelay) {
		return nil
	} else if errors.As(err, &exit) {
		return &HookError{Hook: "post-rewrite", Output: out.String()}
	} else if err != nil {
		return fmt.Errorf("run the post-rewrite hook: %w", err)
	}
	return nil
}

// NewCommit is a commit to be made.
type NewCommit struct {
	Tree    ID
	Parents []ID
	Message string
	Author  string // "Name <address> seconds zone"; empty: the user, now
}

// plainAuthor is an author's line that a command takes as it is: it strips what it holds for crud from the ends of
// names and addresses.
var plainAuthor = regexp.MustCompile(strings.ReplaceAll(`^(X|X[^<>\n\x00]*X) <(X|X[^<>\n\x00]*X|)> \d+ [+-]\d{4}$`, "X",
	`[^\x00-\x20.,:;<>"\\']`))

// CommitTree makes a commit of a tree, signed where the configuration asks for it.
func (r *Repo) CommitTree(ctx context.Context, c NewCommit) (ID, error) {
	in := invocation{args: []string{"commit-tree", c.Tree.String()}, stdin: strings.NewReader(c.Message)}
	for _, parent := range c.Parents {
		in.args = append(in.args, "-p", parent.String())
	}
	sign, err := r.Signs(ctx)
	if err != nil {
		return ID{}, err
	}
	if sign {
		in.args = append(in.args, "-S")
	} else if c.Author != "" && !plainAuthor.MatchString(c.Author) {
		return r.commitAsGiven(ctx, c)
	}
	if c.Author != "" {
		in.env = identity("AUTHOR", c.Author)
	}
	in.args = append(in.args, "-F", "-")
	out, err := r.invoke(ctx, in)
	if err != nil {
		return ID{}, fmt.Errorf("make the commit: %w", err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

// commitAsGiven makes a commit whose author's line the repository's command would mend.
func (r *Repo) commitAsGiven(ctx context.Context, c NewCommit) (ID, error) {
	committer, err := r.Committer(ctx)
	if err != nil {
		return ID{}, err
	}
	return r.WriteCommit(ctx, &Commit{Tree: c.Tree, Parents: c.Parents, Author: c.Author, Committer: committer, Message: c.Message})
}

// WriteCommit stores a commit exactly as given.
func (r *Repo) WriteCommit(ctx context.Context, c *Commit) (ID, error) {
	data := c.Encode()
	id := r.HashObject(KindCommit, data)
	if err := r.writeObjects(ctx, []namedObject{{id, Object{KindCommit, data}}}); err != nil {
		return ID{}, fmt.Errorf("write a commit: %w", err)
	}
	return id, nil
}
