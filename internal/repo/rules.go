package repo

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
)

// MergeRules asks what the attributes say of the merging of paths, through one
// long-lived `check-attr`. It is started with the first question. Safe for concurrent
// use. Attributes are those of the working tree, unless they are to be From a tree.
type MergeRules struct {
	repo *Repo
	tree ID
	dir  string // of the index that the tree is read into

	mu    sync.Mutex
	cmd   *exec.Cmd
	stop  context.CancelFunc
	stdin io.WriteCloser
	out   *bufio.Reader
	known map[string]MergeRule
}

// MergeRule is what attributes say of a path: merge, text and eol as the repository words them, and the size of conflict
// markers; 0: the usual one.
type MergeRule struct {
	Driver     string
	Text, EOL  string
	MarkerSize int
}

var mergeAttributes = []string{"merge", "conflict-marker-size", "text", "eol"}

// NewMergeRules makes such a reader; it wants to be closed.
func (r *Repo) NewMergeRules() *MergeRules {
	return &MergeRules{repo: r, known: map[string]MergeRule{}}
}

// From has attributes be those of a tree, before the first question.
func (m *MergeRules) From(tree ID) { m.tree = tree }

// Rule gives the rule of a path.
func (m *MergeRules) Rule(ctx context.Context, path string) (MergeRule, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if rule, ok := m.known[path]; ok {
		return rule, nil
	}
	if err := m.start(ctx); err != nil {
		return MergeRule{}, fmt.Errorf("read the attributes of %q: %w", path, err)
	}
	if _, err := m.stdin.Write(append([]byte(path), 0)); err != nil {
		return MergeRule{}, fmt.Errorf("read the attributes of %q: %w", path, err)
	}
	var rule MergeRule
	for range len(mergeAttributes) { // an answer for each attribute: path, attribute, value
		var fields [3]string
		for i := range fields {
			text, err := m.out.ReadString(0)
			if err != nil {
				return rule, fmt.Errorf("read the attributes of %q: %w", path, err)
			}
			fields[i] = strings.TrimSuffix(text, "\x00")
		}
		switch value := fields[2]; fields[1] {
		case "merge":
			rule.Driver = value
		case "text":
			rule.Text = value
		case "eol":
			rule.EOL = value
		case "conflict-marker-size":
			if size, err := strconv.Atoi(value); err == nil && size > 0 {
				rule.MarkerSize = size
			}
		}
	}
	m.known[path] = rule
	return rule, nil
}

func (m *MergeRules) start(ctx context.Context) error {
	if m.cmd != nil {
		return nil
	}
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx))
	in := invocation{args: append([]string{"check-attr", "-z", "--stdin"}, mergeAttributes...)}
	var err error
	if !m.tree.IsZero() {
		in.args = append([]string{"check-attr", "--cached", "-z", "--stdin"}, mergeAttributes...)
		in.env, err = m.index(ctx)
	}
	var cmd *exec.Cmd
	if err == nil {
		cmd, err = m.repo.command(ctx, in)
	}
	if err != nil {
		stop()
		return err
	}
	stdin, err := cmd.StdinPipe()
	if err != nil {
		stop()
		return err
	}
	stdout, err := cmd.StdoutPipe()
	if err != nil {
		stop()
		return err
	}
	if err := cmd.Start(); err != nil {
		stop()
		return err
	}
	m.cmd, m.stop, m.stdin, m.out = cmd, stop, stdin, bufio.NewReader(stdout)
	return nil
}

// index reads the tree into an index of its own.
func (m *MergeRules) index(ctx context.Context) (env []string, err error) {
	if m.dir, err = os.MkdirTemp("", "bastel-attributes-"); err != nil {
		return nil, err
	}
	env = []string{"GIT_INDEX_FILE=" + filepath.Join(m.dir, "index")}
	_, err = m.repo.invoke(ctx, invocation{args: []string{"read-tree", m.tree.String()}, env: env})
	return env, err
}

// Close ends the reader's process; the next question would start another.
func (m *MergeRules) Close() {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.dir != "" {
		_ = os.RemoveAll(m.dir) // in the folder for what is temporary
	}
	if m.cmd == nil {
		return
	}
	_ = m.stdin.Close()
	_ = m.cmd.Wait() // ended on purpose: its status says nothing
	m.stop()
	m.cmd = nil
}
