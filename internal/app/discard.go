package app

import (
	"context"
	"errors"
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
	changes, err := a.Repo.Status(ctx, c.Within...)
	if err != nil {
		return nil, err
	}
	kept, err := tray.LoadKept(ctx, a.Repo)
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
	ctx = context.WithoutCancel(ctx)
	if _, err := a.Journal.Append(ctx, entry); err != nil {
		return nil, err
	}
	if err := a.Repo.WriteWorkFiles(ctx, out.Index); err != nil {
		return nil, err
	}
	return paths, a.writeKept(ctx, out.Kept)
}

func (a *App) discardEntry(ctx context.Context, before []repo.RawFile, after []repo.IndexEntry) (journal.Entry, error) {
	head, err := a.Repo.Head(ctx)
	entry := journal.Entry{Kind: journal.Discard, Ref: head.Ref, Old: head.Commit, New: head.Commit}
	entry.Title = fmt.Sprintf("changes of %s", before[0].Path)
	if n := len(before); n > 1 {
		entry.Title = fmt.Sprintf("changes of %d files", n)
	}
	for i, b := range before {
		entry.Files = append(entry.Files, journal.File{Path: []byte(b.Path), BeforeMode: b.Mode, Before: b.ID, AfterMode: after[i].Mode, After: after[i].ID})
	}
	entry.Keep = keepOf(entry)
	return entry, err
}

// stepDiscard takes a discard back, or does it again, if the files are still as
// the step left them.
func (a *App) stepDiscard(ctx context.Context, kind journal.Kind, entry journal.Entry) error {
	paths := make([]string, len(entry.Files))
	before := make([]repo.RawFile, len(entry.Files))
	after := make([]repo.IndexEntry, len(entry.Files))
	changes := make([]repo.Change, len(entry.Files))
	for i, f := range entry.Files {
		path := string(f.Path)
		paths[i], changes[i] = path, repo.Change{Path: path, IndexMode: f.AfterMode}
		before[i] = repo.RawFile{Path: path, Mode: f.BeforeMode, ID: f.Before}
		after[i] = repo.IndexEntry{Path: path, Mode: f.AfterMode, ID: f.After}
	}
	now, err := a.Repo.ReadRaw(ctx, paths, false)
	if err != nil {
		return err
	}
	work, err := a.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return err
	}
	for i := range paths {
		still := now[i] == before[i]
		if kind == journal.Undo {
			if still, err = a.stillHolds(ctx, work[i], after[i]); err != nil {
				return err
			}
		}
		if !still {
			return &Refusal{Reason: fmt.Sprintf("%q has changed since. Nothing was done, so that no work is lost.", paths[i]), Err: repo.ErrMoved}
		}
	}
	ctx = context.WithoutCancel(ctx)
	record := journal.Entry{Kind: kind, Ref: entry.Ref, Old: entry.Old, New: entry.New, Of: entry.Number, Title: entry.Title, Keep: keepOf(entry)}
	if _, err := a.Journal.Append(ctx, record); err != nil {
		return err
	}
	if kind == journal.Redo {
		err = a.Repo.WriteWorkFiles(ctx, after)
	} else {
		err = a.Repo.RestoreRaw(ctx, before)
	}
	if err != nil {
		return errors.Join(err, fmt.Errorf("the contents are kept under %s", journal.Ref))
	}
	return nil
}

func (a *App) stillHolds(ctx context.Context, file repo.WorkFile, e repo.IndexEntry) (bool, error) {
	if !file.Large {
		return a.holds(file, repo.Entry{Mode: e.Mode, ID: e.ID}), nil
	}
	id, err := a.Repo.CleanID(ctx, e.Path)
	return file.Mode == e.Mode && id == e.ID, err
}

func keepOf(entry journal.Entry) (ids []repo.ID) {
	for _, f := range append(slices.Clone(entry.Files), entry.Index...) {
		for _, id := range []repo.ID{f.Before, f.After} {
			if !id.IsZero() {
				ids = append(ids, id)
			}
		}
	}
	return ids
}
