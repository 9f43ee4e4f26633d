package repo

import (
	"context"
	"fmt"
	"strings"
)

// Flags are marks of index entries that no content says.
type Flags uint8

// The flags that are kept when an entry is written anew.
const (
	SkipWorktree    Flags = 1 << iota // the working file is not wanted: outside a sparse checkout
	AssumeUnchanged                   // the user said that the working file is not to be looked at
)

// IndexFlags gives the paths that have any flags, of those asked about.
func (r *Repo) IndexFlags(ctx context.Context, paths []string) (map[string]Flags, error) {
	if len(paths) == 0 {
		return map[string]Flags{}, nil
	}
	if none, err := r.withoutFlags(ctx); err != nil || none {
		return map[string]Flags{}, err
	}
	return r.readFlags(ctx, paths)
}

// readFlags reads the flags of some paths, or with none of all that have any.
func (r *Repo) readFlags(ctx context.Context, paths []string) (map[string]Flags, error) {
	args := []string{"ls-files", "-v", "-z", "--full-name"}
	if len(paths) > 0 && len(paths) <= fewPaths {
		args = append(append(args, "--"), literal(paths)...)
	}
	out, err := r.run(ctx, nil, args...)
	if err != nil {
		return nil, fmt.Errorf("read the flags of the index: %w", err)
	}
	return parseFlags(string(out), paths), nil
}

// parseFlags reads what ls-files -v says of some paths, or with none of all that have any.
func parseFlags(out string, paths []string) map[string]Flags {
	flags := map[string]Flags{}
	wanted := newSet(paths...)
	for record := range strings.SplitSeq(strings.TrimSuffix(out, "\x00"), "\x00") {
		tag, path, ok := strings.Cut(record, " ")
		if !ok || len(paths) > 0 && !wanted[path] {
			continue
		}
		// "S" is one that is skipped; a small letter says that it is assumed to be unchanged.
		if strings.EqualFold(tag, "S") {
			flags[path] |= SkipWorktree
		}
		if tag != strings.ToUpper(tag) {
			flags[path] |= AssumeUnchanged
		}
	}
	return flags
}

// setFlags gives entries the flags that they had.
func (r *Repo) setFlags(ctx context.Context, flags map[string]Flags) error {
	for flag, option := range map[Flags]string{SkipWorktree: "--skip-worktree", AssumeUnchanged: "--assume-unchanged"} {
		var in strings.Builder
		for path, has := range flags {
			if has&flag != 0 {
				in.WriteString(path + "\x00")
			}
		}
		if in.Len() == 0 {
			continue
		}
		if _, err := r.updateIndex(ctx, []byte(in.String()), option, "-z", "--stdin"); err != nil {
			return fmt.Errorf("write the flags of the index: %w", err)
		}
	}
	return nil
}
