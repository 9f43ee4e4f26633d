package planning

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/mend"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/tray"
)

// Undo takes the last step back that Bastel made in this working tree, file by file: what was changed in working
// files since stays. It gives the entry that was taken back.
func (a *App) Undo(ctx context.Context) (app.Stepped, error) {
	return a.step(ctx, journal.Undo)
}

// Redo does the last step again that was taken back.
func (a *App) Redo(ctx context.Context) (app.Stepped, error) {
	return a.step(ctx, journal.Redo)
}

func (a *App) step(ctx context.Context, kind journal.Kind) (app.Stepped, error) {
	var none app.Stepped
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return none, err
	}
	state := journal.StateOf(entries, a.Repo.WorktreeName())
	list, nothing := state.Done, "There is nothing to undo."
	if kind == journal.Redo {
		list, nothing = state.Undone, "There is nothing to redo."
	}
	if len(list) == 0 {
		return none, app.Refuse("%s", nothing)
	}
	entry := list[len(list)-1]
	if entry.Kind != journal.Mend && len(entry.State) == 0 { // of those it is looked at whether what is under way is what it was
		if err := a.RefuseUnfinished(); err != nil {
			return none, err
		}
	}
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	op, err := a.stepOf(ctx, kind, entry)
	if err != nil {
		return app.Stepped{Entry: entry}, err
	}
	stepped, err := a.FileByFile(ctx, op, entry)
	if err != nil {
		return stepped, err
	}
	if entry.Kind != journal.Apply {
		if entry.Kind == journal.Land && kind == journal.Undo {
			stepped.Warning = "Here only: what landed on the remote stays; X takes pushes back."
		}
		_, err = a.CarryOut(ctx, op)
		return stepped, err
	}
	// An apply goes with its plan: what was drafted comes back, the one way and the other.
	branch, text := strings.TrimPrefix(entry.Ref, "refs/heads/"), entry.Plan
	if kind == journal.Redo {
		text = draftBefore(entries, entry.Number)
	}
	op.Entry.Plan = a.ReadState(app.PlanFile(branch))
	if _, err = a.CarryOut(ctx, op); err != nil {
		return stepped, err
	}
	if err := errors.Join(a.planBack(ctx, branch, text), a.learned(kind, entry)); err != nil {
		stepped.Warning = "The plan could not be brought back: " + app.FirstLine(err.Error())
	}
	return stepped, nil
}

// learned forgets the answers that a step taught as it is undone, and knows them again as it is done again.
func (a *App) learned(kind journal.Kind, entry journal.Entry) error {
	if entry.Plan == "" {
		return nil
	}
	file, err := shape.Decode([]byte(entry.Plan))
	if err != nil {
		return err
	}
	var given []mend.Resolution
	for _, answer := range file.Answers {
		g, err := answer.Resolution()
		if err != nil {
			return err
		}
		given = append(given, g)
	}
	if kind == journal.Redo {
		return a.RememberAnswers(given)
	}
	return a.UnlearnAnswers(given, entry.Time)
}

// draftBefore is the draft that there was when an apply was undone.
func draftBefore(entries []journal.Entry, number int) string {
	for _, e := range entries {
		if e.Kind == journal.Undo && e.Of == number {
			return e.Plan
		}
	}
	return ""
}

// UndoThat takes the last step back if it is still the entry of a number.
func (a *App) UndoThat(ctx context.Context, number int) (app.Stepped, error) {
	entry, err := a.LastDone(ctx)
	if err != nil {
		return app.Stepped{}, err
	}
	if entry.Number != number {
		return app.Stepped{}, app.Refuse("Something else was done here meanwhile: the last step is the %s: %s. Nothing was undone.",
			entry.Kind.Noun(), entry.Title)
	}
	return a.step(ctx, journal.Undo)
}

// LastDone is the step that undo would take back.
func (a *App) LastDone(ctx context.Context) (journal.Entry, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return journal.Entry{}, err
	}
	done := journal.StateOf(entries, a.Repo.WorktreeName()).Done
	if len(done) == 0 {
		return journal.Entry{}, app.Refuse("There is nothing to undo.")
	}
	return done[len(done)-1], nil
}

// PassOver leaves the last step as it is, where it cannot be undone, so that undo reaches the
// one before it. What the entry keeps stays to be had (Rescue). It gives the entry.
func (a *App) PassOver(ctx context.Context) (app.Stepped, error) {
	entry, err := a.LastDone(ctx)
	if err != nil {
		return app.Stepped{}, err
	}
	passed := journal.Entry{Kind: journal.Passed, Ref: entry.Ref, Old: entry.New, New: entry.New, Of: entry.Number, Title: entry.Title}
	if entry.New.IsZero() {
		passed.Old, passed.New = entry.Old, entry.Old
	}
	_, err = a.CarryOut(ctx, &app.Operation{Entry: passed, Reflog: app.ReflogMessage(passed.Kind, entry.Title)})
	return app.Stepped{Entry: entry}, err
}

// recordOf is the journal's record of a step that undoes an entry, or does it again.
func recordOf(kind journal.Kind, entry journal.Entry) journal.Entry {
	record := journal.Entry{Kind: kind, Ref: entry.Ref, Old: entry.Old, New: entry.New, Of: entry.Number, Title: entry.Title,
		Others: entry.Others, Files: entry.Files, Raw: entry.Raw, Index: entry.Index, Stages: entry.Stages, TraysOld: entry.TraysOld,
		TraysNew: entry.TraysNew, State: entry.State, Renamed: renamedBack(kind, entry)}
	if kind == journal.Undo {
		record.State = app.StateBack(entry.State)
		record.Old, record.New, record.Others = entry.New, entry.Old, app.MovesBack(entry.Others)
		record.Files, record.Index, record.Raw = app.FilesBack(entry.Files), app.FilesBack(entry.Index), true
		record.TraysOld, record.TraysNew = entry.TraysNew, entry.TraysOld
	}
	return record
}

// stepOf is the operation that undoes an entry, or does it again: the entry's own data, the
// one way or the other.
func (a *App) stepOf(ctx context.Context, kind journal.Kind, entry journal.Entry) (*app.Operation, error) {
	record := recordOf(kind, entry)
	trays, err := a.Repo.RefValue(ctx, tray.Ref(a.Repo))
	if err != nil {
		return nil, err
	}
	if trays != record.TraysOld {
		record.TraysOld, record.TraysNew = trays, trays // sorted anew since: that stays
	}
	op := &app.Operation{Entry: record, Reflog: app.ReflogMessage(kind, entry.Title)}
	if len(record.State) > 0 {
		op.Seen = func(ctx context.Context) error { return a.StateIs(ctx, record.State) }
	}
	switch entry.Kind {
	case journal.End:
		return op, a.underWayBack(ctx, kind, op, entry)
	case journal.Land:
		return op, a.LandingStep(ctx, op, entry)
	case journal.Mend:
		if err := a.stillUnderWay(ctx, entry); err != nil {
			return op, err
		}
		if kind == journal.Undo {
			op.Stages = app.StagesOf(entry.Stages)
		}
		return op, nil
	case journal.Discard, journal.Take:
		return op, nil
	case journal.Fetch:
		return op, a.stillThere(ctx, record)
	case journal.Switch:
		return a.switchBack(ctx, kind, entry)
	case journal.Branch:
		return op, a.branchesBack(ctx, op, entry)
	case journal.Apply, journal.Forward, journal.Move:
		elsewhere, err := a.stillElsewhere(ctx, entry, record.Old)
		if err != nil || elsewhere {
			return op, err
		}
		if err := a.stillAt(ctx, entry, record.Old); err != nil {
			return nil, err
		}
		// What lies as the step left it goes back to the very bytes; what was changed since is carried along, as it was then.
		if err := a.asLeft(ctx, &record); err != nil {
			return nil, err
		}
		target, err := a.Repo.Commit(ctx, record.New)
		if err != nil {
			return nil, err
		}
		return a.BranchMove(ctx, record, op.Reflog, target.Tree, a.Engine.Objects())
	}
	// The working tree, and of tray A by itself the index too, keep what the commit held:
	// it is staged again.
	return op, a.stillAt(ctx, entry, record.Old)
}

// underWayBack has what was under way be there again, or end again: HEAD goes back to where it stood, and conflicts come back.
func (a *App) underWayBack(ctx context.Context, kind journal.Kind, op *app.Operation, entry journal.Entry) error {
	if kind == journal.Undo {
		op.Stages = app.StagesOf(entry.Stages)
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	if len(entry.Head) == 0 {
		return a.stillAt(ctx, entry, op.Entry.Old)
	}
	from, to := entry.Head[0], entry.Head[1]
	if kind == journal.Undo {
		from, to = to, from
	}
	if head.Ref != from {
		return app.Refuse("The last step (%s) left you elsewhere than you are now. Nothing was done.", entry.Title)
	}
	op.Head, op.Entry.Head, op.Detached = [2]string{from, to}, []string{from, to}, entry.Old
	return nil
}

// stillUnderWay refuses where what an answer was given to is over: its conflicts would come back into something else.
func (a *App) stillUnderWay(ctx context.Context, entry journal.Entry) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	during, err := a.OperationUnderWay()
	if err != nil {
		return err
	}
	if head.Commit != entry.Old || during != entry.During {
		return app.Refuse("What the last step (%s) was an answer to went on, or ended, since. Nothing was changed: its conflicts would come "+
			"back into something else. Pass it over: bastel undo --pass-over.", entry.Title)
	}
	return nil
}

// asLeft keeps those files and paths of the index in a step back that lie just as the step left them.
func (a *App) asLeft(ctx context.Context, record *journal.Entry) error {
	var paths []string
	for _, f := range record.Files {
		paths = append(paths, string(f.Path))
	}
	lie, err := a.Repo.ReadRaw(ctx, paths, false)
	if err != nil {
		return err
	}
	staged, err := a.Repo.IndexEntries(ctx, paths)
	if err != nil {
		return err
	}
	since := map[string]bool{}
	for i, f := range record.Files {
		since[paths[i]] = lie[i].Mode != f.BeforeMode || lie[i].ID != f.Before
	}
	for _, f := range record.Index {
		now := staged[string(f.Path)]
		since[string(f.Path)] = since[string(f.Path)] || now.Mode != f.BeforeMode || now.ID != f.Before
	}
	other := func(f journal.File) bool { return since[string(f.Path)] }
	record.Files = slices.DeleteFunc(slices.Clone(record.Files), other)
	record.Index = slices.DeleteFunc(slices.Clone(record.Index), other)
	return nil
}

// stillThere refuses where a ref is not what it was when a step left it.
func (a *App) stillThere(ctx context.Context, record journal.Entry) error {
	for _, move := range append([]journal.RefMove{{Ref: record.Ref, Old: record.Old}}, record.Others...) {
		now, err := a.Repo.RefValue(ctx, move.Ref)
		if err != nil {
			return err
		}
		if now != move.Old {
			return &app.Refusal{Reason: fmt.Sprintf("%s has moved since. Nothing was done.", repo.Ref{Name: move.Ref}.Short()), Err: repo.ErrMoved}
		}
	}
	return nil
}

// stillElsewhere says whether an entry's branch is checked out nowhere and is where the
// entry left it: then its ref moves alone.
func (a *App) stillElsewhere(ctx context.Context, entry journal.Entry, want repo.ID) (bool, error) {
	refs, err := a.Repo.Refs(ctx, entry.Ref)
	if err != nil {
		return false, err
	}
	for _, ref := range refs {
		if ref.Name == entry.Ref {
			return ref.Worktree == "" && ref.ID == want, nil
		}
	}
	return false, nil
}

// stillAt refuses where the world has moved on since the entry.
func (a *App) stillAt(ctx context.Context, entry journal.Entry, want repo.ID) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	branch := strings.TrimPrefix(entry.Ref, "refs/heads/")
	current := head.Ref
	if current == "" {
		current = "HEAD"
	}
	if current != entry.Ref {
		return app.Refuse("The last step (%s) was on %s, and you are elsewhere. Switch there first.", entry.Title, branch)
	}
	if head.Commit != want {
		if later, err := a.laterWork(ctx, entry, head.Commit); err != nil || later > 0 {
			return cmp.Or[error](err, &app.Refusal{Reason: fmt.Sprintf("%s has %s on top of the last step (%s). Nothing was changed. bastel undo "+
				"--carry puts them onto what was before it.", branch, wording.Count(later, "commit"), entry.Title), Err: app.ErrLaterWork})
		}
		return &app.Refusal{Reason: fmt.Sprintf("%s has moved on since the last step (%s): it is at %s, not at %s. Nothing was changed.",
			branch, entry.Title, orNone(head.Commit), orNone(want)), Err: repo.ErrMoved}
	}
	return nil
}

// laterWork counts the commits that came on top of a rewriting; 0 where that is not how it is.
func (a *App) laterWork(ctx context.Context, entry journal.Entry, tip repo.ID) (int, error) {
	if entry.Kind != journal.Apply && entry.Kind != journal.Home {
		return 0, nil
	}
	below, err := a.Repo.IsAncestor(ctx, entry.New, tip)
	if err != nil || !below {
		return 0, err
	}
	ids, err := a.Repo.Range(ctx, entry.New, tip)
	return len(ids), err
}

// LookCarrying forecasts how the commits that came on top of the last rewriting come out where
// that is undone and they are carried over: each with its outcome, in a line.
func (a *App) LookCarrying(ctx context.Context) ([]string, error) {
	_, plan, err := a.carryingPlan(ctx)
	if err != nil {
		return nil, err
	}
	f, err := a.Forecast(ctx, plan, nil)
	if err != nil {
		return nil, err
	}
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return nil, err
	}
	var lines []string
	for i, step := range f.Steps {
		line := sources[i].Commit.Subject() + ": " + string(step.Result)
		if paths := step.Paths(); len(paths) > 0 && step.Result == replay.Conflict {
			line += " in " + strings.Join(paths, ", ")
		}
		lines = append(lines, line)
	}
	return lines, nil
}

// carryingPlan is the last rewriting, and the plan that puts what came on top of it onto what
// was before.
func (a *App) carryingPlan(ctx context.Context) (entry journal.Entry, plan shape.Plan, err error) {
	if entry, err = a.LastDone(ctx); err != nil {
		return entry, plan, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return entry, plan, err
	}
	if later, err := a.laterWork(ctx, entry, head.Commit); err != nil || later == 0 || head.Ref != entry.Ref {
		return entry, plan, cmp.Or[error](err, app.Refuse("The last step (%s) has no later commits on top that could be carried over.",
			entry.Title))
	}
	plan, err = a.PlanFor(ctx, head, entry.Old.String(), entry.New.String())
	return entry, plan, err
}

// UndoCarrying takes the last rewriting back and puts the commits that came on top of it onto what was before, as
// a plan does: clean, or not at all. It is an entry of the journal like any other rewriting.
func (a *App) UndoCarrying(ctx context.Context) (app.Stepped, error) {
	entry, plan, err := a.carryingPlan(ctx)
	stepped := app.Stepped{Entry: entry}
	if err != nil {
		return stepped, err
	}
	applied, err := a.Apply(ctx, plan, app.OwnOnly, nil)
	if err == nil && applied.Warning != "" {
		stepped.Warning = applied.Warning
	}
	return stepped, err
}

func orNone(id repo.ID) string {
	if id.IsZero() {
		return "no commit"
	}
	return id.Short()
}
