package repo

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// BranchTip is a branch, here or of a remote, with what its last commit says.
type BranchTip struct {
	Ref
	Author  string
	Email   string
	When    time.Time // of the committer
	Subject string
}

// BranchTips lists branches with what their tips say, in one process.
func (r *Repo) BranchTips(ctx context.Context, prefixes ...string) ([]BranchTip, error) {
	const format = "%(refname)%00%(objectname)%00%(upstream)%00%(symref)%00%(worktreepath)%00%(authorname)%00%(authoremail:trim)%00" +
		"%(committerdate:unix)%00%(contents:subject)"
	out, err := r.remembered(ctx, r.refStamp, append([]string{"for-each-ref", "--format=" + format}, prefixes...)...)
	if err != nil {
		return nil, fmt.Errorf("list branches: %w", err)
	}
	var tips []BranchTip
	for line := range strings.Lines(string(out)) {
		f := strings.SplitN(strings.TrimSuffix(line, "\n"), "\x00", 9)
		if len(f) != 9 {
			continue
		}
		id, err := ParseID(f[1])
		if err != nil {
			return nil, fmt.Errorf("branch %s: %w", f[0], err)
		}
		seconds, _ := strconv.ParseInt(f[7], 10, 64) // a date that cannot be read is the oldest one
		tips = append(tips, BranchTip{Ref{f[0], id, f[2], f[3], f[4]}, f[5], f[6], time.Unix(seconds, 0), f[8]})
	}
	return tips, nil
}

// CommitParents is a commit and what it is made on.
type CommitParents struct {
	ID      ID
	Parents []ID
}

// WalkParents lists commits with their parents, as rev-list gives them for the arguments.
func (r *Repo) WalkParents(ctx context.Context, args ...string) ([]CommitParents, error) {
	in := strings.Join(args, "\n") + "\n"
	out, err := r.run(ctx, []byte(in), "rev-list", "--topo-order", "--parents", "--stdin")
	if err != nil {
		return nil, fmt.Errorf("walk over commits: %w", err)
	}
	return parseParents(out)
}

// WalkFile lists the commits that changed a path up to one of them, newest first, each with those before it that did.
func (r *Repo) WalkFile(ctx context.Context, tip ID, path string) ([]CommitParents, error) {
	out, err := r.run(ctx, nil, "rev-list", "--topo-order", "--parents", tip.String(), "--", ":(top,literal)"+path)
	if err != nil {
		return nil, fmt.Errorf("walk over the commits of %q: %w", path, err)
	}
	return parseParents(out)
}

func parseParents(out []byte) ([]CommitParents, error) {
	var list []CommitParents
	for line := range strings.Lines(string(out)) {
		var c CommitParents
		for i, word := range strings.Fields(line) {
			id, err := ParseID(word)
			if err != nil {
				return nil, fmt.Errorf("walk over commits: %w", err)
			}
			if i == 0 {
				c.ID = id
				continue
			}
			c.Parents = append(c.Parents, id)
		}
		list = append(list, c)
	}
	return list, nil
}

// ErrBadBranchName is a name that no branch can have.
var ErrBadBranchName = errors.New("not a name for a branch")

// CheckBranchName refuses names that no branch can have. Errors: ErrBadBranchName.
func (r *Repo) CheckBranchName(ctx context.Context, name string) error {
	if name == "" || name == "HEAD" || strings.HasPrefix(name, "-") || strings.HasPrefix(name, "@") {
		return ErrBadBranchName
	}
	_, err := r.run(ctx, nil, "check-ref-format", "refs/heads/"+name)
	if exitCode(err) == 1 {
		return ErrBadBranchName
	}
	return err
}
