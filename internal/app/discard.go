package app

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Discard throws loose hunks, lines or files away. The journal keeps the files as
// they were, byte for byte, before anything is touched. It gives the paths that
// changed.
func (a *App) Discard(ctx context.Context, c Carry) ([]string, error) {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	ctx, unlock, err := a.hold(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	changes, err := a.Repo.Status(ctx, c.Within...)
	if err != nil {
		return nil, err
	}
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return nil, err
	}
	out, err := tray.Discards(ctx, a.Repo, changes, kept, c.View, c.Words)
	if err != nil {
		return nil, pickRefusal(err)
	}
	paths := make([]string, len(out.Index))
	for i, e := range out.Index {
		paths[i] = e.Path
	}
	before, err := a.Repo.ReadRaw(ctx, paths, true)
	if err != nil {
		return nil, err
	}
	entry, err := a.discardEntry(ctx, before, out.Index)
	if err != nil {
		return nil, err
	}
	entry.TraysOld = out.Kept.ID
	if entry.TraysNew, err = out.Kept.Store(ctx, a.Repo); err != nil {
		return nil, err
	}
	_, err = a.carryOut(ctx, &operation{entry: entry, reflog: titled(entry.Kind, entry.Title)})
	return paths, err
}

func (a *App) discardEntry(ctx context.Context, before []repo.RawFile, after []repo.IndexEntry) (journal.Entry, error) {
	head, err := a.Repo.Head(ctx)
	entry := journal.Entry{Kind: journal.Discard, Ref: head.Ref, Old: head.Commit, New: head.Commit}
	entry.Title = fmt.Sprintf("changes of %s", before[0].Path)
	if n := len(before); n > 1 {
		entry.Title = fmt.Sprintf("changes of %d files", n)
	}
	for i, b := range before {
		entry.Files = append(entry.Files, journal.File{Path: []byte(b.Path), BeforeMode: b.Mode, Before: b.ID, AfterMode: after[i].Mode, After: after[i].ID, Permissions: uint32(b.Permissions)})
	}
	return entry, err
}

func keepOf(entry journal.Entry) (ids []repo.ID) {
	for _, s := range entry.Stages {
		ids = append(ids, s.ID)
	}
	for _, f := range append(slices.Clone(entry.Files), entry.Index...) {
		for _, id := range []repo.ID{f.Before, f.After} {
			if !id.IsZero() && (!entry.Raw || id == f.After) { // what lay there by filters is kept as what they are made of
				ids = append(ids, id)
			}
		}
	}
	return ids
}
