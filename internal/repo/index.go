package repo

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"strings"
)

// IndexEntry is what the index shall hold for a path; ModeNone takes it out.
type IndexEntry struct {
	Path string
	Mode Mode
	ID   ID
}

// updateIndex runs the command on an index that has all its files in it: some versions crash when they add
// one to a folder that a sparse index has as a whole, and leave its lock.
func (r *Repo) updateIndex(ctx context.Context, stdin []byte, args ...string) ([]byte, error) {
	in := invocation{args: append([]string{"update-index"}, args...)}
	if stdin != nil {
		in.stdin = bytes.NewReader(stdin)
	}
	sparse, err := r.ConfigBool(ctx, "index.sparse")
	if err != nil {
		return nil, err
	}
	if sparse {
		in.env = oneMoreSetting("index.sparse", "false")
	}
	return r.invoke(ctx, in)
}

// UpdateIndex sets entries, all of them or none, and keeps the flags of those that stay. Errors: ErrLocked.
func (r *Repo) UpdateIndex(ctx context.Context, entries []IndexEntry) error {
	var in bytes.Buffer
	var stay []string
	for _, e := range entries {
		if e.Mode != ModeNone {
			stay = append(stay, e.Path)
		}
	}
	flags, err := r.IndexFlags(ctx, stay)
	if err != nil {
		return err
	}
	before := r.indexStamp().b.String()
	for _, e := range entries {
		fmt.Fprintf(&in, "%o %s\t%s\x00", uint32(e.Mode), r.hexOrZero(e.ID), e.Path)
	}
	if _, err := r.updateIndex(ctx, in.Bytes(), "--add", "--replace", "-z", "--index-info"); err != nil {
		return fmt.Errorf("write the index: %w", err)
	}
	if len(flags) == 0 {
		r.noteFlagless(before, r.indexStamp().b.String())
	}
	if err := r.setFlags(ctx, flags); err != nil {
		return err
	}
	r.noteWritten(before, entries)
	return nil
}

// RefreshIndex notes which working files still are what the index says, which
// commands that compare by time and size rely on.
func (r *Repo) RefreshIndex(ctx context.Context) error {
	_, err := r.updateIndex(ctx, nil, "-q", "--refresh")
	if exitCode(err) == 1 { // some path needs an update: not an error here
		return nil
	}
	return err
}

// WriteTree writes the index as a tree.
func (r *Repo) WriteTree(ctx context.Context) (ID, error) {
	out, err := r.line(ctx, "write-tree")
	if err != nil {
		return ID{}, fmt.Errorf("write the index as a tree: %w", err)
	}
	return ParseID(out)
}

// Fill fills an empty working tree, and its index, with a tree. Errors: ErrInTheWay, ErrLocked.
func (r *Repo) Fill(ctx context.Context, tree ID) error {
	if _, err := r.run(ctx, nil, "read-tree", "-m", "-u", r.EmptyTree().String(), tree.String()); err != nil {
		return fmt.Errorf("fill the working tree with %s: %w", tree.Short(), err)
	}
	return nil
}

// TrackedPaths lists the files that the index has, from the top of the working tree.
func (r *Repo) TrackedPaths(ctx context.Context) ([]string, error) {
	out, err := r.run(ctx, nil, "ls-files", "-z", "--full-name")
	if err != nil {
		return nil, fmt.Errorf("list the files: %w", err)
	}
	return strings.Split(strings.TrimSuffix(string(out), "\x00"), "\x00"), nil
}

// IndexEntries tells what the index holds at paths; what is not there is left out.
func (r *Repo) IndexEntries(ctx context.Context, paths []string) (map[string]IndexEntry, error) {
	entries := make(map[string]IndexEntry, len(paths))
	if len(paths) == 0 {
		return entries, nil
	}
	args := []string{"ls-files", "--stage", "-z", "--full-name"}
	if len(paths) <= fewPaths {
		args = append(append(args, "--"), literal(paths)...)
	}
	out, err := r.run(ctx, nil, args...)
	if err != nil {
		return nil, fmt.Errorf("read the index: %w", err)
	}
	wanted := make(map[string]bool, len(paths))
	for _, path := range paths {
		wanted[path] = true
	}
	for record := range strings.SplitSeq(strings.TrimSuffix(string(out), "\x00"), "\x00") {
		head, path, _ := strings.Cut(record, "\t")
		fields := strings.Fields(head) // mode, id, stage
		if !wanted[path] || len(fields) != 3 || fields[2] != "0" {
			continue
		}
		id, err := ParseID(fields[1])
		if err != nil {
			return nil, err
		}
		entries[path] = IndexEntry{path, parseMode(fields[0]), id}
	}
	return entries, nil
}

// withScratchIndex makes an index of a tree and gives the environment in which
// commands use it in place of the real one.
func (r *Repo) withScratchIndex(ctx context.Context, tree ID, do func(env []string) error) error {
	dir, err := r.StateDir()
	if err != nil {
		return err
	}
	file, err := os.CreateTemp(dir, "scratch-index-")
	if err != nil {
		return fmt.Errorf("make a scratch index: %w", err)
	}
	file.Close()
	os.Remove(file.Name()) // an empty file is no index: only the name is wanted
	defer os.Remove(file.Name())
	env := []string{"GIT_INDEX_FILE=" + file.Name()}
	if _, err := r.invoke(ctx, invocation{args: []string{"read-tree", tree.String()}, env: env}); err != nil {
		return fmt.Errorf("make a scratch index: %w", err)
	}
	return do(env)
}
