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

// A branch's trail is what is kept by the branch's name: its settings, its reflog, and the draft of its plan. It follows a new name,
// goes with the branch, and comes back with it.

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
	if op.Entry.Kind != journal.Undo && op.Entry.Kind != journal.Redo {
		return nil
	}
	return a.findTrailsBack(ctx, &op.Entry)
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
	for _, trail := range e.TrailsBack {
		errs = append(errs, a.trailBack(ctx, trail))
	}
	return errors.Join(errs...)
}

// findTrailsBack finds the trails of branches that are there again after an undo or a redo: as the latest entry knows them that had the
// branch go from there.
func (a *App) findTrailsBack(ctx context.Context, e *journal.Entry) error {
	var refs []journal.RefMove
	for _, move := range refMoves(*e) {
		name, isBranch := strings.CutPrefix(move.Ref, heads)
		if isBranch && move.Old.IsZero() && !move.New.IsZero() && !slices.Contains(e.Renamed, name) {
			refs = append(refs, move)
		}
	}
	if len(refs) == 0 {
		return nil
	}
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return err
	}
	for _, move := range refs {
		for _, entry := range entries { // the newest first
			at := slices.IndexFunc(entry.Trails, func(t journal.Trail) bool { return t.Ref == move.Ref && t.At == move.New })
			if at >= 0 {
				e.TrailsBack = append(e.TrailsBack, entry.Trails[at])
				break
			}
		}
	}
	return nil
}

// trailBack brings one back, unless somebody has set something for the branch meanwhile.
func (a *App) trailBack(ctx context.Context, trail journal.Trail) error {
	now, err := a.Repo.BranchSettings(ctx, strings.TrimPrefix(trail.Ref, heads))
	if err == nil && !slices.ContainsFunc(now, func(s [2]string) bool { return !slices.Contains(trail.Settings, s) }) {
		err = a.Repo.AddSettings(ctx, slices.DeleteFunc(slices.Clone(trail.Settings), func(s [2]string) bool { return slices.Contains(now, s) }))
	}
	return errors.Join(err, a.prependLog(trail.Ref, trail.Log))
}

func (a *App) prependLog(ref, log string) error {
	err := a.Repo.PrependLog(ref, log)
	if errors.Is(err, repo.ErrNoLogFiles) {
		return fmt.Errorf("the reflog of %s begins anew: %w", strings.TrimPrefix(ref, heads), err)
	}
	return err
}
