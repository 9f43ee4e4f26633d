package sorting

import (
	"context"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// TrayMove says what goes from one layer to another: hunks, lines or files, named as
// Stage reads them.
type TrayMove struct {
	From, To tray.Layer
	Selected []tray.Selection
	Within   []string // paths that the selection lies in, if known: saves looking at all others
	View     tray.View
}

// Sorted is a step of sorting that was carried out.
type Sorted struct {
	Paths     []string
	Step      tray.Step // for SortBack
	Journaled bool      // it forgot text that only a tray had: undo takes it back
}

// Listing lists all changes, sorted into trays.
func (a *App) Listing(ctx context.Context, changes []repo.Change, view tray.View) (tray.Listing, error) {
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return tray.Listing{}, err
	}
	return tray.Read(ctx, a.Repo, changes, kept, view)
}

// keptTrays reads how the changes are sorted.
func (a *App) keptTrays(ctx context.Context) (*tray.State, error) {
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return nil, err
	}
	kept.Remember(a.KeptTrays.Load())
	return kept, nil
}

// Look reads what changed, and lists it so.
func (a *App) Look(ctx context.Context) (tray.Listing, error) {
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return tray.Listing{}, err
	}
	return a.Listing(ctx, changes, tray.Plain)
}

// Move takes changes from one layer to another.
func (a *App) Move(ctx context.Context, c TrayMove) (Sorted, error) {
	return a.sort(ctx, c.To, c.Within, func(changes []repo.Change, kept *tray.State) (tray.Outcome, error) {
		return tray.Move(ctx, a.Repo, changes, kept, c.View, c.From, c.To, c.Selected)
	})
}

// MoveEach makes one move after the other, all with one view, and gives those that were made: all,
// or those before the first one that could not be made, with the reason.
func (a *App) MoveEach(ctx context.Context, carries []TrayMove) ([]Sorted, error) {
	var within []string
	moves := make([]tray.Movement, len(carries))
	for i, c := range carries {
		moves[i] = tray.Movement{From: c.From, To: c.To, Selected: c.Selected}
		within = append(within, c.Within...)
	}
	if slices.ContainsFunc(carries, func(c TrayMove) bool { return len(c.Within) == 0 }) {
		within = nil
	}
	var steps []tray.Step
	var why error
	last := carries[len(carries)-1]
	_, err := a.sort(ctx, last.To, within, func(changes []repo.Change, kept *tray.State) (out tray.Outcome, err error) {
		out, steps, why = tray.MoveEach(ctx, a.Repo, changes, kept, last.View, moves)
		if out.Kept == nil {
			return out, why
		}
		return out, nil
	})
	if err != nil {
		return nil, err
	}
	sorted := make([]Sorted, len(steps))
	for i, step := range steps {
		sorted[i] = Sorted{Paths: step.Paths(), Step: step}
	}
	return sorted, app.SelectionRefusal(why)
}

// Rewrite moves one hunk with other text in place of its new side. The working file
// stays as it is.
func (a *App) Rewrite(ctx context.Context, c TrayMove, text []byte) (Sorted, error) {
	return a.sort(ctx, c.To, c.Within, func(changes []repo.Change, kept *tray.State) (tray.Outcome, error) {
		return tray.Rewrite(ctx, a.Repo, changes, kept, c.View, c.From, c.To, c.Selected[0], text)
	})
}

// SortBack sorts what a step was about as it was before. Where it changed since, the answer is no.
// What it gives does the step again.
func (a *App) SortBack(ctx context.Context, step tray.Step) (Sorted, error) {
	return a.sort(ctx, tray.A, step.Paths(), func(changes []repo.Change, kept *tray.State) (tray.Outcome, error) {
		return tray.Back(ctx, a.Repo, changes, kept, step)
	})
}

// sort carries out one step of sorting, one at a time. What receives is written
// first, so that a crash in between leaves everything in one place at least.
func (a *App) sort(ctx context.Context, to tray.Layer, within []string,
	step func([]repo.Change, *tray.State) (tray.Outcome, error)) (Sorted, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	ctx, unlock, err := a.HoldLock(ctx)
	if err != nil {
		return Sorted{}, err
	}
	defer unlock()
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return Sorted{}, err
	}
	changes, err := a.Repo.Status(ctx, kept.WithFormer(within)...)
	if err != nil {
		return Sorted{}, err
	}
	out, err := step(changes, kept)
	if err != nil {
		return Sorted{}, app.SelectionRefusal(err)
	}
	if out.Gone > 0 {
		return Sorted{Paths: out.Paths, Journaled: true}, a.sortForGood(ctx, out)
	}
	writes := []func() error{
		func() error { return a.WriteIndex(ctx, out.Index) },
		func() error { return a.writeKept(ctx, out.Kept) },
	}
	if to != tray.A {
		slices.Reverse(writes)
	}
	for _, write := range writes {
		if err := write(); err != nil {
			return Sorted{}, err
		}
	}
	a.KeptTrays.Store(out.Kept)
	return Sorted{Paths: out.Paths, Step: out.Step}, nil
}

// sortForGood carries out a step that forgets text which only a tray had: the journal
// keeps it, so that it can be taken back.
func (a *App) sortForGood(ctx context.Context, out tray.Outcome) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	title := wording.Count(out.Gone, "line") + " that only a tray had, of " + strings.Join(out.Paths, ", ")
	_, err = a.carryOutSorting(ctx, journal.Entry{Kind: journal.Sort, Ref: app.BranchRef(head), Old: head.Commit, New: head.Commit,
		Title: title}, "trays", out, nil)
	return err
}

func (a *App) writeKept(ctx context.Context, kept *tray.State) error {
	id, err := kept.Store(ctx, a.Repo)
	if err != nil {
		return err
	}
	if update, moved := kept.Update(a.Repo, id); moved {
		return a.Repo.UpdateRefs(ctx, "trays", update)
	}
	return nil
}

// Message is the message that was being written for a tray.
func (a *App) Message(ctx context.Context, at tray.Layer) (string, error) {
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return "", err
	}
	return kept.Messages[at], nil
}

// KeepMessage keeps a tray's message until its commit is made.
func (a *App) KeepMessage(ctx context.Context, at tray.Layer, text string) error {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return err
	}
	if kept.Messages[at] = text; text == "" {
		kept.Forget(at)
	}
	return a.writeKept(ctx, kept)
}
