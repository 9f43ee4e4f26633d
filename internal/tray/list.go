package tray

import (
	"context"
	"errors"
	"slices"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// List is one way to list changes as files with their hunks.
type List func(ctx context.Context, r *repo.Repo, changes []repo.Change) ([]File, error)

// Loose lists the loose ones among changes: what the working tree has changed
// against the index. The files are for looking at: they hold no more than their
// hunks, and cannot be staged from. See Whole.
func Loose(ctx context.Context, r *repo.Repo, changes []repo.Change) ([]File, error) {
	return inBatches(ctx, r, changes, wholeLoose)
}

// Staged lists the staged ones among changes, likewise: what the index has changed
// against HEAD.
func Staged(ctx context.Context, r *repo.Repo, changes []repo.Change) ([]File, error) {
	return inBatches(ctx, r, changes, wholeStaged)
}

// batch is how many files are in memory as a whole at a time.
const batch = 256

func inBatches(ctx context.Context, r *repo.Repo, changes []repo.Change, list List) ([]File, error) {
	var files []File
	for some := range slices.Chunk(changes, batch) {
		whole, err := list(ctx, r, some)
		if err != nil {
			return nil, err
		}
		for i := range whole {
			whole[i].forgetTexts()
		}
		files = append(files, whole...)
	}
	return files, nil
}

func wholeLoose(ctx context.Context, r *repo.Repo, changes []repo.Change) ([]File, error) {
	var loose []repo.Change
	for _, c := range changes {
		if c.Loose {
			loose = append(loose, c)
		}
	}
	work, err := r.ReadWorkFiles(ctx, loose)
	if err != nil {
		return nil, err
	}
	files := make([]File, len(loose))
	for i, c := range loose {
		files[i] = File{
			Path: c.Path, Binary: work[i].Binary, Large: work[i].Large,
			Old: repo.IndexEntry{Path: c.Path, Mode: c.IndexMode, ID: c.IndexID},
			New: repo.IndexEntry{Path: c.Path, Mode: work[i].Mode, ID: work[i].ID}, NewText: work[i].Data,
		}
		switch {
		case c.Conflict:
			files[i].Blocked = "left unsettled by a merge; settle it first"
		case work[i].Failed != nil:
			files[i].Blocked = "it cannot be read: " + errors.Unwrap(work[i].Failed).Error()
		case work[i].Large:
			files[i].Stamp = work[i].Stamp
		}
	}
	if err := readOld(ctx, r, files); err != nil {
		return nil, err
	}
	return compareAll(ctx, files)
}

func wholeStaged(ctx context.Context, r *repo.Repo, changes []repo.Change) ([]File, error) {
	var files []File
	for _, c := range changes {
		if c.Staged {
			files = append(files, File{
				Path: c.Path,
				Old:  repo.IndexEntry{Path: c.Path, Mode: c.HeadMode, ID: c.HeadID},
				New:  repo.IndexEntry{Path: c.Path, Mode: c.IndexMode, ID: c.IndexID},
			})
		}
	}
	if err := readOld(ctx, r, files); err != nil {
		return nil, err
	}
	if err := readNew(ctx, r, files); err != nil {
		return nil, err
	}
	return compareAll(ctx, files)
}

func compareAll(ctx context.Context, files []File) ([]File, error) {
	for i := range files {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		files[i].compare()
	}
	return files, nil
}

func readOld(ctx context.Context, r *repo.Repo, files []File) error {
	return readSide(ctx, r, files, func(f *File) (repo.IndexEntry, *[]byte) { return f.Old, &f.OldText })
}

func readNew(ctx context.Context, r *repo.Repo, files []File) error {
	return readSide(ctx, r, files, func(f *File) (repo.IndexEntry, *[]byte) { return f.New, &f.NewText })
}

// readSide reads stored contents, all with one question. Contents over the limit
// are left out, and their files marked as large.
func readSide(ctx context.Context, r *repo.Repo, files []File, side func(*File) (repo.IndexEntry, *[]byte)) error {
	var ids []repo.ID
	for i := range files {
		if entry, _ := side(&files[i]); entry.Mode != repo.ModeNone && entry.Mode != repo.ModeSubmodule && !entry.ID.IsZero() {
			ids = append(ids, entry.ID)
		}
	}
	sizes, err := r.Sizes(ctx, ids)
	if err != nil {
		return err
	}
	var small []repo.ID
	for i, id := range ids {
		if sizes[i] <= repo.LargeFile {
			small = append(small, id)
		}
	}
	objects, err := r.Objects(ctx, small)
	if err != nil {
		return err
	}
	texts := make(map[repo.ID][]byte, len(small))
	for i, id := range small {
		texts[id] = objects[i].Data
	}
	for i := range files {
		entry, text := side(&files[i])
		if entry.Mode == repo.ModeNone || entry.Mode == repo.ModeSubmodule || entry.ID.IsZero() {
			continue
		}
		var ok bool
		if *text, ok = texts[entry.ID]; !ok {
			files[i].Large = true
		}
	}
	return nil
}

// Between lists what differs between two stored trees.
func Between(ctx context.Context, r *repo.Repo, objects merge.Objects, old, new repo.ID) ([]File, error) {
	differences, err := merge.Compare(ctx, objects, old, new)
	if err != nil {
		return nil, err
	}
	files := make([]File, len(differences))
	for i, d := range differences {
		files[i] = File{
			Path: d.Path,
			Old:  repo.IndexEntry{Path: d.Path, Mode: d.Old.Mode, ID: d.Old.ID},
			New:  repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: d.New.ID},
		}
	}
	if err := readOld(ctx, r, files); err != nil {
		return nil, err
	}
	if err := readNew(ctx, r, files); err != nil {
		return nil, err
	}
	return compareAll(ctx, files)
}
