package app

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// settle moves the current branch to a commit, with the index and the trays, and
// leaves the working tree as it is: what the commits hold or give back is there
// already. It is before or after, never between.
func (a *App) settle(ctx context.Context, entry journal.Entry, reflog string, out tray.Outcome) error {
	index, err := a.indexSteps(ctx, out.Index)
	if err != nil {
		return err
	}
	trays, err := out.Kept.Store(ctx, a.Repo)
	if err != nil {
		return err
	}
	entry.Index, entry.TraysOld, entry.TraysNew = index, out.Kept.ID, trays
	return a.moveSettled(ctx, entry, reflog)
}

// indexSteps leaves the paths out that the index holds so already.
func (a *App) indexSteps(ctx context.Context, entries []repo.IndexEntry) ([]journal.File, error) {
	if len(entries) == 0 {
		return nil, nil
	}
	paths := make([]string, len(entries))
	for i, e := range entries {
		paths[i] = e.Path
	}
	now, err := a.Repo.IndexEntries(ctx, paths)
	if err != nil {
		return nil, err
	}
	var steps []journal.File
	for _, e := range entries {
		if before := now[e.Path]; before.Mode != e.Mode || before.ID != e.ID {
			steps = append(steps, journal.File{Path: []byte(e.Path), BeforeMode: before.Mode, Before: before.ID, AfterMode: e.Mode, After: e.ID})
		}
	}
	return steps, nil
}

// moveSettled carries the entry out: branch and trays in one transaction, then the
// index, whose part is noted before so that the next start can finish it.
func (a *App) moveSettled(ctx context.Context, entry journal.Entry, reflog string) error {
	ctx = context.WithoutCancel(ctx)
	entry.Keep = append(entry.Keep, keepOf(entry)...)
	var trays []repo.RefUpdate
	if entry.TraysOld != entry.TraysNew {
		trays = append(trays, repo.RefUpdate{Ref: tray.Ref(a.Repo), New: entry.TraysNew, Old: entry.TraysOld})
	}
	if len(entry.Index) == 0 {
		_, err := a.record(ctx, entry, reflog, trays...)
		return err
	}
	if err := a.writeStep(unfinishedStep{Ref: entry.Ref, Old: entry.Old, New: entry.New, Index: entry.Index}); err != nil {
		return err
	}
	entry, err := a.record(ctx, entry, reflog, trays...)
	if err != nil {
		return errors.Join(err, a.removeStep())
	}
	if err := a.Repo.UpdateIndex(ctx, indexAfter(entry.Index)); err != nil {
		return errors.Join(err, a.moveSettledBack(ctx, entry, trays))
	}
	return a.removeStep()
}

func (a *App) moveSettledBack(ctx context.Context, entry journal.Entry, trays []repo.RefUpdate) error {
	for i := range trays {
		trays[i].Old, trays[i].New = trays[i].New, trays[i].Old
	}
	void := journal.Entry{Kind: journal.Void, Ref: entry.Ref, Old: entry.New, New: entry.Old, Of: entry.Number, Title: entry.Title, Others: turnedBack(entry.Others)}
	_, err := a.record(ctx, void, "taken back: the index could not follow", trays...)
	return errors.Join(err, a.removeStep())
}

func indexAfter(steps []journal.File) []repo.IndexEntry {
	entries := make([]repo.IndexEntry, len(steps))
	for i, s := range steps {
		entries[i] = repo.IndexEntry{Path: string(s.Path), Mode: s.AfterMode, ID: s.After}
	}
	return entries
}

// finishIndex brings the index to where an interrupted step wanted it, path by path
// where it still is as it was.
func (a *App) finishIndex(ctx context.Context, steps []journal.File) error {
	var paths []string
	for _, s := range steps {
		paths = append(paths, string(s.Path))
	}
	now, err := a.Repo.IndexEntries(ctx, paths)
	if err != nil {
		return err
	}
	var left []journal.File
	for _, s := range steps {
		if e := now[string(s.Path)]; e.Mode == s.BeforeMode && e.ID == s.Before {
			left = append(left, s)
		}
	}
	return a.writeIndex(ctx, indexAfter(left))
}

// stepSettled takes such a step back, or does it again.
func (a *App) stepSettled(ctx context.Context, record journal.Entry, of journal.Entry) error {
	record.TraysOld, record.TraysNew, record.Index = of.TraysOld, of.TraysNew, of.Index
	if record.Kind == journal.Undo {
		record.TraysOld, record.TraysNew = of.TraysNew, of.TraysOld
		record.Index = make([]journal.File, len(of.Index))
		for i, s := range of.Index {
			record.Index[i] = journal.File{Path: s.Path, BeforeMode: s.AfterMode, Before: s.After, AfterMode: s.BeforeMode, After: s.Before}
		}
	}
	var paths []string
	for _, s := range record.Index {
		paths = append(paths, string(s.Path))
	}
	now, err := a.Repo.IndexEntries(ctx, paths)
	if err != nil {
		return err
	}
	for _, s := range record.Index {
		if e := now[string(s.Path)]; e.Mode != s.BeforeMode || e.ID != s.Before {
			return &Refusal{Reason: fmt.Sprintf("What is staged of %q has changed since (%s). Nothing was done, so that no work is lost.", s.Path, of.Title), Err: repo.ErrMoved}
		}
	}
	trays, err := a.Repo.RefValue(ctx, tray.Ref(a.Repo))
	if err != nil {
		return err
	}
	if trays != record.TraysOld {
		record.TraysOld, record.TraysNew = trays, trays // sorted anew since: that stays
	}
	return a.moveSettled(ctx, record, fmt.Sprintf("%s: %s", strings.ToLower(string(record.Kind)), of.Title))
}

// record writes a journal entry and moves the entry's refs, and others with them, in one
// transaction.
func (a *App) record(ctx context.Context, entry journal.Entry, reflog string, others ...repo.RefUpdate) (journal.Entry, error) {
	ctx = context.WithoutCancel(ctx)
	entry, first, err := a.Journal.Write(ctx, entry)
	if err != nil {
		return entry, err
	}
	moves := append(append([]repo.RefUpdate{first}, others...), updatesOf(entry.Others)...)
	if entry.New != entry.Old {
		moves = append(moves, repo.RefUpdate{Ref: entry.Ref, New: entry.New, Old: entry.Old})
	}
	if err := a.Repo.UpdateRefs(ctx, reflog, moves...); err != nil {
		if errors.Is(err, repo.ErrMoved) {
			return entry, &Refusal{Reason: "The branch or the trays were changed by another program meanwhile. Nothing was changed. Look again, then repeat.", Err: err}
		}
		return entry, err
	}
	return entry, nil
}
