package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
)

// A branch's trail is what the repository keeps by the branch's name: its settings, its reflog, and the draft of its plan. It follows a new name, goes with the
// branch, and comes back with it.

const heads = "refs/heads/"

// refMoves are all that an operation does with refs.
func refMoves(e journal.Entry) []journal.RefMove {
	return append([]journal.RefMove{{Ref: e.Ref, Old: e.Old, New: e.New}}, e.Others...)
}

// noteTrails notes in an operation's entry the trails of branches that go, or get another name.
func (a *App) noteTrails(ctx context.Context, op *Operation) error {
	if op.Entry.Kind == journal.Push || op.Entry.Kind == journal.Pushed { // whose refs are a remote's
		return nil
	}
	for _, move := range refMoves(op.Entry) {
		name, isBranch := strings.CutPrefix(move.Ref, heads)
		goes := !move.Old.IsZero() && (move.New.IsZero() || newName(op.Entry, name) != name)
		if !isBranch || !goes {
			continue
		}
		trail := journal.Trail{Ref: move.Ref, At: move.Old}
		var err error
		if trail.Settings, err = a.Repo.BranchSettings(ctx, name); err != nil {
			return err
		}
		if trail.Log, err = a.Repo.RefLog(move.Ref); err != nil && !errors.Is(err, repo.ErrNoLogFiles) {
			return err
		}
		op.Entry.Trails = append(op.Entry.Trails, trail)
	}
	return nil
}

// newName is how an entry calls a branch afterwards: each pair of names goes on from those before it.
func newName(e journal.Entry, name string) string {
	for i := 0; i+1 < len(e.Renamed); i += 2 {
		if e.Renamed[i] == name {
			name = e.Renamed[i+1]
		}
	}
	return name
}

// followTrails has the trails follow what an operation did with branches. Done twice it does nothing more.
func (a *App) followTrails(ctx context.Context, e journal.Entry) error {
	var errs []error
	for i := 0; i+1 < len(e.Renamed); i += 2 {
		from, to := e.Renamed[i], e.Renamed[i+1]
		errs = append(errs, a.Repo.RenameConfigSection(ctx, "branch."+from, "branch."+to), a.renameDraft(ctx, from, to))
	}
	for _, trail := range e.Trails {
		name := strings.TrimPrefix(trail.Ref, heads)
		to := newName(e, name)
		made := slices.ContainsFunc(refMoves(e), func(m journal.RefMove) bool { return m.Ref == heads+to && !m.New.IsZero() })
		switch {
		case to != name && made:
			errs = append(errs, a.prependLog(heads+to, trail.Log))
		case !made && len(trail.Settings) > 0:
			errs = append(errs, a.Repo.RemoveConfigSection(ctx, "branch."+name))
		}
	}
	if e.Kind == journal.Undo || e.Kind == journal.Redo {
		errs = append(errs, a.trailsBack(ctx, e))
	}
	return errors.Join(errs...)
}

// trailsBack brings the trails of branches back that are there again.
func (a *App) trailsBack(ctx context.Context, e journal.Entry) error {
	var errs []error
	var entries []journal.Entry
	for _, move := range refMoves(e) {
		name, isBranch := strings.CutPrefix(move.Ref, heads)
		if !isBranch || !move.Old.IsZero() || move.New.IsZero() || slices.Contains(e.Renamed, name) {
			continue
		}
		if entries == nil {
			var err error
			if entries, err = a.Journal.Entries(ctx); err != nil {
				return err
			}
		}
		errs = append(errs, a.trailBack(ctx, entries, move, name))
	}
	return errors.Join(errs...)
}

// trailBack brings one back as the latest entry that had the branch go there knows it.
func (a *App) trailBack(ctx context.Context, entries []journal.Entry, move journal.RefMove, name string) error {
	for _, entry := range entries { // the newest first
		at := slices.IndexFunc(entry.Trails, func(t journal.Trail) bool { return t.Ref == move.Ref && t.At == move.New })
		if at < 0 {
			continue
		}
		trail := entry.Trails[at]
		now, err := a.Repo.BranchSettings(ctx, name)
		if err == nil && len(now) == 0 {
			err = a.Repo.AddSettings(ctx, trail.Settings)
		}
		return errors.Join(err, a.prependLog(move.Ref, trail.Log))
	}
	return nil
}

func (a *App) prependLog(ref, log string) error {
	err := a.Repo.PrependLog(ref, log)
	if errors.Is(err, repo.ErrNoLogFiles) {
		return fmt.Errorf("the reflog of %s begins anew: %w", strings.TrimPrefix(ref, heads), err)
	}
	return err
}
