package repo

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Look is how the working files of some paths lie beside what a tree has there, by one reading of each.
type Look struct {
	Seen   map[string]RawFile  // how each lies there
	Loose  map[string]WorkFile // those of which index or working file are not as the tree has them
	Staged map[string]IndexEntry
}

// Paths are those that are not as the tree has them, in their order.
func (l Look) Paths() []string {
	paths := make([]string, 0, len(l.Loose))
	for path := range l.Loose {
		paths = append(paths, path)
	}
	slices.Sort(paths)
	return paths
}

// LookAt says at which paths index or working file differ from what a tree has there, from which the index was made. Where the
// index notes a file just as it lies there it is not read; all others are, whatever flags they have: what the user asked not to be
// looked at is not to be replaced either. Of submodules only the index counts, as for the repository itself.
func (r *Repo) LookAt(ctx context.Context, has []IndexEntry) (Look, error) {
	look := Look{map[string]RawFile{}, map[string]WorkFile{}, map[string]IndexEntry{}}
	has = slices.Clone(has)
	slices.SortFunc(has, func(a, b IndexEntry) int { return strings.Compare(a.Path, b.Path) })
	unsure, err := r.lookByIndex(has, look.Seen)
	if err != nil || len(unsure) == 0 {
		return look, err
	}
	paths := make([]string, len(unsure))
	for i, e := range unsure {
		paths[i] = e.Path
	}
	if look.Staged, err = r.IndexEntries(ctx, paths); err != nil {
		return look, err
	}
	flags, err := r.IndexFlags(ctx, paths)
	if err != nil {
		return look, err
	}
	changes := make([]Change, len(unsure))
	for i, e := range unsure {
		changes[i] = Change{Path: e.Path, IndexMode: look.Staged[e.Path].Mode}
	}
	files, err := r.ReadWorkFiles(ctx, changes)
	if err != nil {
		return look, err
	}
	for i, e := range unsure {
		is, err := r.isAsTree(ctx, files[i], e, flags[e.Path])
		if err != nil {
			return look, err
		}
		look.Seen[e.Path] = files[i].Raw
		if staged := look.Staged[e.Path]; !is || staged.Mode != e.Mode || staged.ID != e.ID {
			look.Loose[e.Path] = files[i]
		}
	}
	return look, nil
}

// lookByIndex sees those files that lie as the index's file notes them, and gives the others.
func (r *Repo) lookByIndex(has []IndexEntry, seen map[string]RawFile) (unsure []IndexEntry, err error) {
	from, err := r.openFolders()
	if err != nil {
		return nil, err
	}
	defer from.close()
	for i, noted := range r.notedOf(has) {
		path, at := has[i].Path, time.Now()
		fd, name, err := from.parentOf(path, false)
		var lies place
		if err == nil {
			lies, err = lookAt(fd, name)
		}
		if err != nil || noted == (fileStat{}) || lies.stat != noted || !noted.settled(at) {
			unsure = append(unsure, has[i])
			continue
		}
		seen[path] = RawFile{Path: path, Mode: lies.stat.mode, Permissions: lies.permissions, stat: lies.stat, at: at}
	}
	return unsure, nil
}

// isAsTree says whether a working file holds what a tree has.
func (r *Repo) isAsTree(ctx context.Context, file WorkFile, has IndexEntry, flags Flags) (bool, error) {
	switch {
	case has.Mode == ModeSubmodule:
		return true, nil
	case file.Failed != nil:
		return false, fmt.Errorf("look for loose changes: %w", file.Failed)
	case file.Mode == ModeNone:
		return flags&SkipWorktree != 0, nil
	case file.Mode != has.Mode:
		return false, nil
	case !file.Large:
		return r.HashObject(KindBlob, file.Data) == has.ID, nil
	}
	id, err := r.StoreFile(ctx, has.Path)
	return id == has.ID, err
}
