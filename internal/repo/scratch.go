package repo

import (
	"bytes"
	"context"
	"fmt"
	"strings"
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
