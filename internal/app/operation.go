package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// treeStep is the tree that index and working files come from, and the one that they go to.
type treeStep [2]repo.ID

// Operation is everything that changes the repository, as data. One function carries it
// out, in one order, whatever its kind: commit, amend, loosen, home, sweep, discard, take,
// resolve, forward, land, apply, push, and the undo and redo of these.
//
// Refs, trays, index and working files are those of the journal's entry, which is also what
// undo turns round.
type Operation struct {
	Entry  journal.Entry
	Reflog string

	trees    treeStep      // index and working files go from one tree to the other; equal: they stay
	content  *repo.Overlay // what the trees are read from
	Stages   []repo.Stage  // conflicts that come back into the index
	Head     [2]string     // HEAD goes from one branch to another; empty: it stays
	Detached repo.ID       // where HEAD stands while it is on no branch, of a step that parts it from one or joins it to one

	objects    func(ctx context.Context) error                                 // writes the objects that the refs will name
	Seen       func(ctx context.Context) error                                 // refuses where something else is not what it was
	OtherMoves func(ctx context.Context) (others []journal.RefMove, err error) // finds more refs to move
	Hooks      func(ctx context.Context) error                                 // those that come after

	journal   repo.RefUpdate    // adds the entry
	changes   []repo.TreeChange // what differs between the trees, and what was seen of it
	layout    *repo.Layout      // where the working files lie as they will be; none: none change
	complaint error             // what is kept by branches' names could not follow them: nothing that the step is taken back for

	id repo.ID // of the entry in the journal, once its commit is there
}

// CarryOut carries an operation out: before or after, never between. What fails half way is
// taken back whole; what a crash cuts off is finished or forgotten by the next start. The
// warning is what a hook that comes after had to complain about.
func (a *App) CarryOut(ctx context.Context, op *Operation) (warning string, err error) {
	unlock, err := a.lock(ctx)
	if err != nil {
		return "", err
	}
	defer unlock()
	defer func() { op.layout.Close() }() // where it was left, that does nothing
	began := time.Now()
	defer func() {
		a.Repo.Log().Info("operation", "kind", op.Entry.Kind, "ref", op.Entry.Ref, "entry", op.Entry.Number, "took",
			time.Since(began).Round(time.Microsecond), "failed", err != nil)
	}()
	if err := a.check(ctx, op); err != nil {
		return "", err
	}
	ctx = context.WithoutCancel(ctx) // from here on there is no half
	if err := a.writeNote(ctx, op, false); err != nil {
		return "", err
	}
	if err := a.moveRefs(ctx, op); err != nil {
		return "", errors.Join(RefusalFor(err), a.removeNote())
	}
	for _, do := range []func(context.Context, *Operation) error{a.followFiles, a.followIndex, a.follow} {
		if err := do(ctx, op); err != nil {
			return "", a.takeBack(ctx, op, err)
		}
	}
	return joinSentences(a.remarks(op), a.runHooks(ctx, op)), nil
}

// remarks says what an operation left as it was though it would have changed.
func (a *App) remarks(op *Operation) string {
	if op.layout == nil {
		return ""
	}
	text := ""
	if late := op.layout.Late; len(late) > 0 {
		text = strings.Join(late, ", ") + " was saved meanwhile, and lies as it was saved."
	}
	if folder := op.layout.StoodIn(); folder != "" {
		text = joinSentences(text, fmt.Sprintf("the folder %q, in which you stand, is empty now: nothing on this branch is in it.", folder))
	}
	return text
}

func joinSentences(first, second string) string { return strings.TrimSpace(first + " " + second) }

// check refuses where something is not what it was when the operation was worked out, writes its objects, and lays out its files.
func (a *App) check(ctx context.Context, op *Operation) error {
	if err := a.indexSeen(ctx, op.Entry); err != nil {
		return err
	}
	group, all := errgroup.WithContext(ctx)
	group.Go(func() error {
		if err := a.ready(all, op); err != nil {
			return err
		}
		return a.layOut(all, op)
	})
	if op.Seen != nil {
		group.Go(func() error { return op.Seen(all) })
	}
	if op.OtherMoves != nil {
		group.Go(func() (err error) {
			op.Entry.Others, err = op.OtherMoves(all)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	if err := a.nobodyElses(op); err != nil {
		return err
	}
	return a.noteTrails(ctx, op)
}

// nobodyElses refuses to move, rename or delete a branch that is rebased or bisected somewhere: that would break it, or be undone by its
// end.
func (a *App) nobodyElses(op *Operation) error {
	if op.Entry.Kind == journal.Push || op.Entry.Kind == journal.Pushed { // whose refs are a remote's
		return nil
	}
	for _, busy := range a.Repo.BusyBranches() {
		moves := func(m journal.RefMove) bool { return m.Ref == busy.Ref && m.Old != m.New }
		if moves(journal.RefMove{Ref: op.Entry.Ref, Old: op.Entry.Old, New: op.Entry.New}) || slices.ContainsFunc(op.Entry.Others, moves) {
			return Refuse("%s. Nothing was changed. End that first.", busy.Says())
		}
	}
	return nil
}

// ready writes the objects of an operation, and looks at the files that it changes.
func (a *App) ready(ctx context.Context, op *Operation) error {
	group, both := errgroup.WithContext(ctx)
	if op.objects != nil {
		group.Go(func() error { return op.objects(both) })
	}
	if op.trees[0] != op.trees[1] {
		group.Go(func() error { return a.clearWay(both, op) })
	}
	return group.Wait()
}

// indexSeen refuses where the index does not hold what the entry says it held.
func (a *App) indexSeen(ctx context.Context, entry journal.Entry) error {
	var paths []string
	for _, f := range entry.Index {
		paths = append(paths, string(f.Path))
	}
	now, err := a.Repo.IndexEntries(ctx, paths)
	if err != nil {
		return err
	}
	for _, f := range entry.Index {
		if e := now[string(f.Path)]; e.Mode != f.BeforeMode || e.ID != f.Before {
			return &Refusal{Reason: fmt.Sprintf("What is staged of %q has changed since. Nothing was done, so that no work is lost.", f.Path),
				Err: repo.ErrMoved}
		}
	}
	return nil
}

// layOut lays out whole what the working files will be, and refuses where one has changed since it was seen.
func (a *App) layOut(ctx context.Context, op *Operation) (err error) {
	if len(op.Entry.Files) == 0 && op.trees[0] == op.trees[1] && !op.changesIndex() {
		return nil
	}
	if op.layout, err = a.Repo.NewLayout(); err != nil {
		return err
	}
	if op.trees[0] != op.trees[1] {
		if err := op.layout.Tree(ctx, op.trees[0], op.trees[1], op.changes); err != nil {
			return inTheWay(err)
		}
	}
	if err := a.layOutFiles(ctx, op); err != nil {
		return err
	}
	if err := op.layout.Writable(); err != nil {
		return &Refusal{Reason: FirstLine(err.Error()) + ". Nothing was changed.", Err: err}
	}
	return op.layout.Keep()
}

// changesIndex says whether paths of the index change by themselves.
func (op *Operation) changesIndex() bool { return len(op.Entry.Index) > 0 || len(op.Stages) > 0 }

func (a *App) layOutFiles(ctx context.Context, op *Operation) error {
	steps, err := a.fileSteps(ctx, op)
	if err != nil || len(steps) == 0 {
		return err
	}
	var paths []string
	for i := range steps {
		paths = append(paths, steps[i].To.Path)
		if raw := steps[i].To.ID; raw != op.Entry.Files[i].After {
			op.Entry.Files[i].AfterRaw = raw
		}
	}
	now, err := a.Repo.ReadRaw(ctx, paths, false)
	if err != nil {
		return err
	}
	for i, s := range steps {
		if !now[i].Is(s.Seen) {
			return changedSince(&repo.FileMovedError{Path: s.To.Path})
		}
		steps[i].Seen = now[i]
	}
	return op.layout.Add(ctx, steps, op.Entry.Raw)
}

// fileSteps says what becomes of an entry's working files.
func (a *App) fileSteps(ctx context.Context, op *Operation) ([]repo.FileStep, error) {
	steps := make([]repo.FileStep, len(op.Entry.Files))
	after := make([]repo.IndexEntry, len(steps))
	for i, f := range op.Entry.Files {
		path := string(f.Path)
		after[i] = repo.IndexEntry{Path: path, Mode: f.AfterMode, ID: f.After}
		steps[i] = repo.FileStep{
			Seen: repo.RawFile{Path: path, Mode: f.BeforeMode, ID: f.Before},
			To: repo.RawFile{Path: path, Mode: f.AfterMode, ID: f.After,
				Permissions: fs.FileMode(cmp.Or(f.AfterPermissions, f.Permissions))},
		}
	}
	if op.Entry.Raw || len(steps) == 0 {
		return steps, nil
	}
	files, err := op.layout.Files(ctx, after)
	if err != nil {
		return nil, err
	}
	for i := range steps {
		steps[i].To = files[i]
	}
	return steps, nil
}

func changedSince(err error) error {
	var moved *repo.FileMovedError
	if !errors.As(err, &moved) {
		return err
	}
	return &Refusal{Reason: fmt.Sprintf("%q has changed since. Nothing was done, so that no work is lost.", moved.Path), Err: err}
}

// moveRefs moves the refs in one transaction with the journal, which comes first. A command
// that failed may have done its work all the same: the journal tells.
func (a *App) moveRefs(ctx context.Context, op *Operation) error {
	e := op.Entry
	if err := a.leaveBranch(ctx, op); err != nil {
		return errors.Join(err, a.stayOnBranch(ctx, op)) // it may have been left all the same
	}
	moves := []repo.RefUpdate{op.journal}
	if e.TraysOld != e.TraysNew {
		moves = append(moves, repo.RefUpdate{Ref: tray.Ref(a.Repo), New: e.TraysNew, Old: e.TraysOld})
	}
	if e.Kind != journal.Push && e.Kind != journal.Pushed { // whose refs are a remote's
		moves = append(moves, updatesOf(e.Others)...)
		if e.New != e.Old {
			moves = append(moves, repo.RefUpdate{Ref: e.Ref, New: e.New, Old: e.Old})
		}
	}
	err := a.Repo.UpdateRefs(ctx, op.Reflog, moves...)
	if err == nil {
		return nil
	}
	if now, readErr := a.Repo.RefValue(ctx, op.journal.Ref); readErr == nil && now == op.journal.New {
		return nil
	}
	err = errors.Join(err, a.stayOnBranch(ctx, op))
	if errors.Is(err, repo.ErrMoved) {
		return &Refusal{Reason: "The branch or the trays were changed by another program meanwhile. Nothing was changed. Look again, then " +
			"repeat.", Err: err}
	}
	return err
}

// leaveBranch parts HEAD from a branch that goes, at the same commit, so that the branch can
// go in the one transaction; follow joins it to the other one.
func (a *App) leaveBranch(ctx context.Context, op *Operation) error {
	goes := func(m journal.RefMove) bool { return m.Ref == op.Head[0] && m.New.IsZero() && !m.Old.IsZero() }
	if op.Head[1] == "" || !slices.ContainsFunc(refMoves(op.Entry), goes) {
		return nil
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	return a.Repo.DetachHead(ctx, head.Commit, op.Reflog)
}

func (a *App) stayOnBranch(ctx context.Context, op *Operation) error {
	if op.Head[0] == "" {
		if op.Head[1] == "" || op.Detached.IsZero() {
			return nil
		}
		return a.Repo.DetachHead(ctx, op.Detached, "taken back: "+op.Reflog)
	}
	if ref, err := a.Repo.HeadRef(ctx); err == nil && ref == op.Head[0] {
		return nil // it was never left; where that cannot be told it is pointed there
	}
	return a.Repo.SetSymbolicRef(ctx, "HEAD", op.Head[0], "taken back: "+op.Reflog)
}

// followFiles brings the working files along.
func (a *App) followFiles(_ context.Context, op *Operation) error {
	if op.layout == nil {
		return nil
	}
	return op.layout.CarryOut()
}

// followIndex brings the index along: with the working files from one tree to another, by the entry's paths, or by the conflicts
// that come back.
func (a *App) followIndex(ctx context.Context, op *Operation) error {
	if op.layout != nil {
		if err := op.layout.InstallIndex(); err != nil {
			return err
		}
	}
	if len(op.Stages) > 0 {
		if err := a.Repo.WriteStages(ctx, op.Stages); err != nil {
			return err
		}
	}
	return a.WriteIndex(ctx, indexAfter(op.besideStages()))
}

// besideStages are the paths of the index that change by themselves, but for those of which conflicts come back.
func (op *Operation) besideStages() []journal.File {
	return slices.DeleteFunc(slices.Clone(op.Entry.Index), func(f journal.File) bool {
		return slices.ContainsFunc(op.Stages, func(s repo.Stage) bool { return s.Path == string(f.Path) })
	})
}

// follow does what is left, and removes the note: from then on it is done.
func (a *App) follow(ctx context.Context, op *Operation) error {
	if op.layout != nil {
		if err := op.layout.LookLate(); err != nil {
			return err
		}
	}
	if op.Head[1] != "" {
		if err := a.Repo.SetSymbolicRef(ctx, "HEAD", op.Head[1], op.headReflog()); err != nil {
			return err
		}
	}
	if op.Head[0] != "" && op.Head[1] == "" && !op.Detached.IsZero() {
		if err := a.Repo.DetachHead(ctx, op.Detached, op.Reflog); err != nil {
			return err
		}
	}
	if err := a.setUnderWay(ctx, op.Entry.State, true); err != nil {
		return err
	}
	if err := a.followTrails(ctx, op.Entry); err != nil { // somebody else may be writing the configuration just now
		op.complaint = a.followTrails(ctx, op.Entry)
	}
	return a.removeNote()
}

// headReflog is what HEAD's reflog says of a step that takes it to another branch, in git's own words: by these it finds the branch
// before.
func (op *Operation) headReflog() string {
	if len(op.Entry.Head) == 0 { // HEAD's branch got another name, or landed and went
		return cmp.Or(op.Reflog, op.Entry.Title)
	}
	from := cmp.Or(strings.TrimPrefix(op.Head[0], heads), op.Entry.Old.String())
	return "checkout: moving from " + from + " to " + strings.TrimPrefix(op.Head[1], heads)
}

func (a *App) runHooks(ctx context.Context, op *Operation) (warning string) {
	if op.trees[0] != op.trees[1] && a.Repo.HasHook(ctx, "post-index-change") {
		_ = a.Repo.RunHook(ctx, "post-index-change", "1", "0") // what it says changes nothing, as with the repository itself
	}
	err := op.complaint
	if op.Hooks != nil {
		err = errors.Join(err, op.Hooks(ctx))
	}
	if err != nil {
		return err.Error()
	}
	return ""
}

// takeBack makes undone what of an operation was done when a step failed: by what was moved aside, so that the cause cannot stop
// it too. If that fails all the same the note stays, and says that it failed: the next start takes it back, and never finishes it.
func (a *App) takeBack(ctx context.Context, op *Operation, cause error) error {
	changed, err := a.undone(ctx, op)
	if err != nil {
		err = errors.Join(err, a.writeNote(ctx, op, true))
		op.layout.Leave()
		return &LeftError{Title: op.Entry.Title, Cause: cause, Err: err}
	}
	if len(changed) > 0 {
		return &Refusal{Reason: fmt.Sprintf("%s was saved while the step was carried out, and lies as it was saved; all else is as it was: %s",
			strings.Join(changed, ", "), FirstLine(cause.Error())), Err: cause}
	}
	return changedSince(inTheWay(cause))
}

// undone brings files, index, refs and HEAD back to what they were before an operation. It gives the files that somebody saved
// meanwhile.
func (a *App) undone(ctx context.Context, op *Operation) (changed []string, err error) {
	switch {
	case op.layout != nil:
		if changed, err = op.layout.TakeBack(); err == nil {
			err = op.layout.IndexBack()
		}
	case op.trees[0] != op.trees[1]:
		if err = a.finishTreeIndex(ctx, op.content, treeStep{op.trees[1], op.trees[0]}); err == nil {
			err = a.finishIndex(ctx, FilesBack(op.Entry.Index))
		}
	}
	if err == nil {
		err = a.setUnderWay(ctx, op.Entry.State, false)
	}
	if err == nil {
		err = a.refsBack(ctx, op)
	}
	if err == nil {
		err = errors.Join(a.stayOnBranch(ctx, op), a.removeNote())
	}
	return changed, err
}

// refsBack moves the refs back in one transaction with a record that says so.
func (a *App) refsBack(ctx context.Context, op *Operation) error {
	e := op.Entry
	void := journal.Entry{Kind: journal.Void, Ref: e.Ref, Old: e.New, New: e.Old, Of: e.Number, Title: e.Title,
		Others: MovesBack(e.Others), TraysOld: e.TraysNew, TraysNew: e.TraysOld}
	back := Operation{Entry: void, Reflog: "taken back: " + e.Title}
	if err := a.prepare(ctx, &back); err != nil {
		return err
	}
	return a.moveRefs(ctx, &back)
}

// FilesBack are an entry's paths, the way back.
func FilesBack(files []journal.File) []journal.File {
	turned := make([]journal.File, len(files))
	for i, f := range files {
		raw := f.AfterRaw
		if raw.IsZero() {
			raw = f.After
		}
		turned[i] = journal.File{Path: f.Path, BeforeMode: f.AfterMode, Before: raw, AfterMode: f.BeforeMode, After: f.Before,
			Permissions: f.Permissions}
	}
	return turned
}

// StagesOf are conflicts as the index has them, of those that the journal kept.
func StagesOf(kept []journal.Stage) []repo.Stage {
	stages := make([]repo.Stage, len(kept))
	for i, s := range kept {
		stages[i] = repo.Stage{Path: string(s.Path), Mode: s.Mode, ID: s.ID, Number: s.Number}
	}
	return stages
}

// prepare writes the entry's commit, which no ref names yet.
func (a *App) prepare(ctx context.Context, op *Operation) (err error) {
	op.Entry.Keep = append(op.Entry.Keep, keepOf(op.Entry)...)
	op.Entry, op.journal, err = a.Journal.Write(ctx, op.Entry)
	op.id = op.journal.New
	return err
}

// ReflogMessage writes how a reflog calls a step.
func ReflogMessage(kind journal.Kind, title string) string {
	return strings.ToLower(string(kind)) + ": " + title
}

// DiscardEntry is the entry of the journal for files that go from one state to another, in the order of both lists.
func (a *App) DiscardEntry(ctx context.Context, before []repo.RawFile, after []repo.IndexEntry) (journal.Entry, error) {
	head, err := a.Repo.Head(ctx)
	entry := journal.Entry{Kind: journal.Discard, Ref: head.Ref, Old: head.Commit, New: head.Commit}
	entry.Title = "changes of " + after[0].Path
	if n := len(before); n > 1 {
		entry.Title = fmt.Sprintf("changes of %d files", n)
	}
	for i, b := range before {
		entry.Files = append(entry.Files, journal.File{Path: []byte(after[i].Path), BeforeMode: b.Mode, Before: b.ID, AfterMode: after[i].Mode,
			After: after[i].ID, Permissions: uint32(b.Permissions)})
	}
	return entry, err
}

func keepOf(entry journal.Entry) (ids []repo.ID) {
	for _, s := range entry.Stages {
		if s.Mode != repo.ModeSubmodule {
			ids = append(ids, s.ID)
		}
	}
	for _, f := range entry.State {
		for _, id := range []repo.ID{f.Before, f.After} {
			if !id.IsZero() {
				ids = append(ids, id)
			}
		}
	}
	for _, f := range slices.Concat(entry.Files, entry.Index, entry.Aside, entry.AsideIndex) {
		for i, id := range []repo.ID{f.Before, f.After} {
			if [2]repo.Mode{f.BeforeMode, f.AfterMode}[i] == repo.ModeSubmodule {
				continue // a commit of another repository
			}
			if !id.IsZero() && (entry.KeepsBefore() || id == f.After) {
				ids = append(ids, id)
			}
		}
	}
	return ids
}

func indexAfter(steps []journal.File) []repo.IndexEntry {
	entries := make([]repo.IndexEntry, len(steps))
	for i, s := range steps {
		entries[i] = repo.IndexEntry{Path: string(s.Path), Mode: s.AfterMode, ID: s.After}
	}
	return entries
}

// WriteIndex puts entries into the index; none are no process.
func (a *App) WriteIndex(ctx context.Context, entries []repo.IndexEntry) error {
	if len(entries) == 0 {
		return nil
	}
	return a.Repo.UpdateIndex(ctx, entries)
}

// IndexSteps leaves the paths out that the index holds so already.
func (a *App) IndexSteps(ctx context.Context, entries []repo.IndexEntry) ([]journal.File, error) {
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
