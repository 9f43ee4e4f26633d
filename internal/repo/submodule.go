package repo

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"
)

// SubmoduleContains says of two commits of a submodule whether the newer one's history holds the older one. It is false as well where
// the submodule is not checked out, or lacks one of them.
func (r *Repo) SubmoduleContains(ctx context.Context, path string, newer, older ID) bool {
	_, err := r.inSubmodule(ctx, path, "merge-base", "--is-ancestor", older.String(), newer.String())
	return err == nil
}

func (r *Repo) submoduleHead(ctx context.Context, path string) (ID, error) {
	out, err := r.inSubmodule(ctx, path, "rev-parse", "--verify", "--quiet", "HEAD")
	if err != nil {
		return ID{}, fmt.Errorf("submodule: %w", err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

var errNotCheckedOut = errors.New("the submodule is not checked out")

// inSubmodule runs a command in a submodule that is checked out. A folder without a repository of its own is none: a command that is
// started there would answer for the repository around it.
func (r *Repo) inSubmodule(ctx context.Context, path string, args ...string) ([]byte, error) {
	from, err := r.openFolders()
	if err != nil {
		return nil, err
	}
	defer from.close()
	folder, _, err := from.parentOf(path+"/file", false)
	if err != nil {
		return nil, err
	}
	var stat unix.Stat_t
	if err := unix.Fstatat(folder, ".git", &stat, unix.AT_SYMLINK_NOFOLLOW); err != nil {
		return nil, fmt.Errorf("%q: %w", path, errNotCheckedOut)
	}
	return r.invoke(ctx, invocation{args: args, dir: filepath.Join(r.top, path), env: []string{"GIT_DIR=.git", "GIT_WORK_TREE=."}})
}
