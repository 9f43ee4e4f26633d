package repo

import (
	"bytes"
	"context"
	"fmt"
)

// IndexEntry is what the index shall hold for a path; ModeNone takes it out.
type IndexEntry struct {
	Path string
	Mode Mode
	ID   ID
}

// UpdateIndex sets entries, all of them or none. Errors: ErrLocked.
func (r *Repo) UpdateIndex(ctx context.Context, entries []IndexEntry) error {
	var in bytes.Buffer
	for _, e := range entries {
		fmt.Fprintf(&in, "%o %s\t%s\x00", uint32(e.Mode), r.hexOrZero(e.ID), e.Path)
	}
	if _, err := r.run(ctx, in.Bytes(), "update-index", "--add", "--replace", "-z", "--index-info"); err != nil {
		return fmt.Errorf("write the index: %w", err)
	}
	return nil
}

// AddPaths puts whole working files into the index, as they are on disk: filters,
// modes, links, submodules and files that are gone are the repository's to read.
func (r *Repo) AddPaths(ctx context.Context, paths []string) error {
	var in bytes.Buffer
	for _, path := range paths {
		in.WriteString(path)
		in.WriteByte(0)
	}
	if _, err := r.run(ctx, in.Bytes(), "update-index", "--add", "--remove", "--replace", "-z", "--stdin"); err != nil {
		return fmt.Errorf("write the index: %w", err)
	}
	return nil
}

// RefreshIndex notes which working files still are what the index says, which
// commands that compare by time and size rely on.
func (r *Repo) RefreshIndex(ctx context.Context) error {
	_, err := r.run(ctx, nil, "update-index", "-q", "--refresh")
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

// CheckSwitch says whether index and working tree could go from one tree to
// another with all loose changes kept. It changes nothing. Errors: ErrInTheWay.
func (r *Repo) CheckSwitch(ctx context.Context, from, to ID) error {
	return r.readTree(ctx, from, to, "--dry-run")
}

// Switch takes index and working tree from one tree to another. Loose changes of
// paths that both trees have alike stay as they are. Errors: ErrInTheWay, ErrLocked.
func (r *Repo) Switch(ctx context.Context, from, to ID) error {
	return r.readTree(ctx, from, to)
}

func (r *Repo) readTree(ctx context.Context, from, to ID, flags ...string) error {
	args := append([]string{"read-tree", "-m", "-u"}, flags...)
	_, err := r.run(ctx, nil, append(args, from.String(), to.String())...)
	if err != nil {
		return fmt.Errorf("bring the working tree from %s to %s: %w", from.Short(), to.Short(), err)
	}
	return nil
}

// ReadIndex makes the index hold a tree, whatever it held; working files stay.
func (r *Repo) ReadIndex(ctx context.Context, tree ID) error {
	if _, err := r.run(ctx, nil, "read-tree", "--reset", tree.String()); err != nil {
		return fmt.Errorf("read a tree into the index: %w", err)
	}
	return nil
}
