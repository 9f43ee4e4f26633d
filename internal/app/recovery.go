package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// noteFile names what is on its way between its refs and its files.
const (
	noteFile   = "unfinished.json"
	noteFormat = "bastel-unfinished/1"
	noteLimit  = 64 << 10
)

// note is what the next start needs to finish an operation, besides the journal's entry.
type note struct {
	Format   string    `json:"format"`
	Entry    repo.ID   `json:"entry"` // the entry's commit; the operation took place if the journal has it
	Trees    treeStep  `json:"trees"`
	Stages   bool      `json:"stages,omitempty"` // conflicts come back: those that the entry tells of
	Head     [2]string `json:"head"`
	Detached repo.ID   `json:"detached,omitzero"`
	Layout   string    `json:"layout,omitempty"` // the folder in which its files lie, new and old
	Failed   bool      `json:"failed,omitempty"` // it failed, and could not be taken back: it is never finished
}

// writeNote writes the entry's commit and the note, synced, before anything shows.
func (a *App) writeNote(ctx context.Context, op *Operation, failed bool) error {
	if !failed {
		if err := a.prepare(ctx, op); err != nil {
			return err
		}
	}
	n := note{Format: noteFormat, Entry: op.id, Trees: op.trees, Stages: len(op.Stages) > 0, Head: op.Head, Detached: op.Detached,
		Failed: failed}
	if op.layout != nil {
		n.Layout = op.layout.Name()
	}
	data, err := json.Marshal(n)
	if err != nil {
		return fmt.Errorf("note the step: %w", err)
	}
	return a.writeSynced(noteFile, data)
}

func (a *App) removeNote() error { return a.WriteState(noteFile, "") }

// errUnreadableNote is a note that says nothing that can be acted on.
var errUnreadableNote = errors.New("it is no note of this version")

// readNote reads the note strictly and with bounds: it may be anything that lies there.
func (a *App) readNote() (n note, found bool, err error) {
	name := filepath.Join(a.Repo.GitDir(), "bastel", noteFile)
	info, err := os.Lstat(name)
	if errors.Is(err, fs.ErrNotExist) {
		return n, false, nil
	}
	if err != nil {
		return n, false, err
	}
	if !info.Mode().IsRegular() || info.Size() > noteLimit {
		return n, false, errUnreadableNote
	}
	file, err := os.Open(name)
	if err != nil {
		return n, false, err
	}
	defer file.Close()
	decoder := json.NewDecoder(io.LimitReader(file, noteLimit))
	decoder.DisallowUnknownFields()
	if err := decoder.Decode(&n); err != nil || n.Format != noteFormat || n.Entry.IsZero() {
		return n, false, errUnreadableNote
	}
	return n, true, nil
}

// LeftError is a step that was left half done, since neither the rest of it can be done nor what was done be taken back.
type LeftError struct {
	Title string
	Cause error // why it cannot be finished
	Err   error // why it cannot be taken back
}

func (e *LeftError) Error() string {
	return fmt.Sprintf("the step %q is half done: it cannot be finished (%v), nor taken back (%v). bastel doctor says what stands where",
		e.Title, e.Cause, e.Err)
}

// Unwrap gives both reasons.
func (e *LeftError) Unwrap() []error { return []error{e.Cause, e.Err} }

// Left is a step that a crash or a failure left half done.
type Left struct {
	note
	op     Operation
	in     bool // its refs have moved
	byHand bool // it is ended because the user said so
}

// Says tells of it in a sentence.
func (l *Left) Says() string {
	how := "was interrupted"
	if l.Failed {
		how = "failed, and could not be taken back then"
	}
	branch := strings.TrimPrefix(l.op.Entry.Ref, "refs/heads/")
	return fmt.Sprintf("The %s of %s (%s) %s.", l.op.Entry.Kind.Noun(), branch, l.op.Entry.Title, how)
}

// recover finishes an operation that a crash cut off after its refs had moved, takes one back that failed, and forgets one whose refs
// had not moved. What another living process does is left alone. It gives a sentence about what it did; where nothing could be
// done, what is left is said, and stays.
func (a *App) recover(ctx context.Context) (string, error) {
	left, unlock, err := a.leftStep(ctx)
	if errors.Is(err, errUnreadableNote) {
		return fmt.Sprintf("The note of an unfinished step, bastel/%s in the git folder, cannot be read (%v). It was passed over; remove it.",
			noteFile, err), nil
	}
	if err != nil || left == nil {
		return "", err
	}
	defer unlock()
	said, err := a.end(ctx, left)
	if err != nil {
		a.Repo.Log().Error("a step is left half done", "title", left.op.Entry.Title, "error", err)
		return left.Says() + " It stays as it is for now (" + FirstLine(err.Error()) + "): bastel doctor --finish or --take-back ends it.", nil
	}
	return said, nil
}

// end does with a step that was left what is to be done by itself.
func (a *App) end(ctx context.Context, left *Left) (said string, err error) {
	if !left.Failed {
		if said, err = a.finishLeft(ctx, left); err == nil {
			return said, nil
		}
	}
	said, backErr := a.takeLeftBack(ctx, left)
	if backErr != nil {
		return "", errors.Join(err, backErr)
	}
	return said, nil
}

// leftStep is the step that was left half done, if there is one and no other process is at work on it. The lock is held then.
func (a *App) leftStep(ctx context.Context) (left *Left, unlock func(), err error) {
	if _, found, err := a.readNote(); err != nil || !found {
		return nil, nil, err
	}
	unlock, busy, err := a.tryLock()
	if err != nil || busy != "" {
		return nil, nil, err
	}
	n, found, err := a.readNote()
	if err != nil || !found { // it was finished meanwhile
		unlock()
		return nil, nil, err
	}
	entry, took, err := a.Journal.Took(ctx, n.Entry)
	if err != nil {
		unlock()
		return nil, nil, err
	}
	left = &Left{note: n, in: took, op: Operation{Entry: entry, id: n.Entry, trees: n.Trees, Head: n.Head, Detached: n.Detached,
		content: a.Engine.Objects()}}
	if n.Stages {
		left.op.Stages = StagesOf(entry.Stages)
	}
	return left, unlock, nil
}

// Finish finishes a step that was left half done.
func (a *App) Finish(ctx context.Context) (string, error) { return a.endBy(ctx, a.finishLeft) }

// TakeBack takes back a step that was left half done.
func (a *App) TakeBack(ctx context.Context) (string, error) { return a.endBy(ctx, a.takeLeftBack) }

func (a *App) endBy(ctx context.Context, do func(context.Context, *Left) (string, error)) (string, error) {
	left, unlock, err := a.leftStep(ctx)
	if err != nil {
		return "", err
	}
	if left == nil {
		return "", Refuse("No step is left half done here.")
	}
	defer unlock()
	left.byHand = true
	return do(ctx, left)
}

// LeftStep says what step is left half done; empty: none.
func (a *App) LeftStep(ctx context.Context) (string, error) {
	left, unlock, err := a.leftStep(ctx)
	if err != nil || left == nil {
		return "", err
	}
	unlock()
	return left.Says(), nil
}

// open opens what was laid out for a step that was left. Errors: fs.ErrNotExist, where it is gone; who ends the step by hand then has
// refs and index be in line, and the working files as they lie.
func (a *App) open(left *Left) error {
	if left.Layout == "" || left.op.layout != nil {
		return nil
	}
	layout, err := a.Repo.OpenLayout(left.Layout)
	if errors.Is(err, fs.ErrNotExist) && left.byHand {
		return nil
	}
	left.op.layout = layout
	return err
}

// gone says so where working files stay as they lie.
func (left *Left) gone() string {
	if left.Layout == "" || left.op.layout != nil {
		return ""
	}
	return " What had been laid out for it is gone, so working files stay as they lie: what differs is loose."
}

// forget removes the note, and what was laid out, of a step that nothing is left to do of.
func (a *App) forget(left *Left) error {
	_ = a.open(left) // what is gone need not be removed
	left.op.layout.Close()
	return a.removeNote()
}

func (a *App) finishLeft(ctx context.Context, left *Left) (string, error) {
	return a.endLeft(ctx, left, a.finish, "The %s that was interrupted is finished now.")
}

func (a *App) takeLeftBack(ctx context.Context, left *Left) (string, error) {
	return a.endLeft(ctx, left, a.undone, "The %s that was left half done is taken back: all is as it was before it.")
}

// endLeft ends a step one way or the other. One whose refs have not moved, or that somebody moved on from, is forgotten.
func (a *App) endLeft(ctx context.Context, left *Left, do func(context.Context, *Operation) ([]string, error),
	says string) (string, error) {
	began := left.in
	if began {
		var err error
		if began, err = a.moveRest(ctx, &left.op); err != nil {
			return "", err
		}
	}
	if !began {
		return "", errors.Join(a.stayOnBranchAgain(ctx, &left.op), a.forget(left))
	}
	if moved, err := a.movedOn(ctx, &left.op); err != nil || moved {
		if err == nil {
			err = a.forget(left)
		}
		return "", err
	}
	err := a.open(left)
	var changed []string
	if err == nil {
		changed, err = do(ctx, &left.op)
	}
	if err != nil {
		return "", fmt.Errorf("end the %s: %w", left.op.Entry.Kind.Noun(), err)
	}
	said := fmt.Sprintf(says, left.op.Entry.Kind.Noun()) + left.gone()
	left.op.layout.Close()
	if len(changed) > 0 {
		said += " Changed since, and left as they are: " + strings.Join(changed, ", ")
	}
	return said, nil
}

// moveRest moves those refs of a step that are where they were before it: where the command that moves all of them was killed among
// them, the journal has the step and they have not. A step of which none has moved did not begin; one that somebody moved back since
// is left so.
func (a *App) moveRest(ctx context.Context, op *Operation) (began bool, err error) {
	if op.Entry.Kind == journal.Push || op.Entry.Kind == journal.Pushed { // whose refs are a remote's
		return true, nil
	}
	var rest []journal.RefMove
	moves := slices.DeleteFunc(refMoves(op.Entry), func(m journal.RefMove) bool { return m.Ref == "" || m.Old == m.New })
	for _, move := range moves {
		now, err := a.Repo.RefValue(ctx, move.Ref)
		if err != nil {
			return true, err
		}
		log, err := a.Repo.RefLog(move.Ref)
		if now == move.Old && err == nil && !strings.Contains(log, " "+move.New.String()+" ") {
			rest = append(rest, move)
		}
	}
	if len(rest) == 0 || len(rest) == len(moves) {
		return len(rest) == 0, nil
	}
	return true, a.Repo.UpdateRefs(ctx, ReflogMessage(op.Entry.Kind, op.Entry.Title), updatesOf(rest)...)
}

// stayOnBranchAgain joins HEAD to its branch where the operation had parted them.
func (a *App) stayOnBranchAgain(ctx context.Context, op *Operation) error {
	head, err := a.Repo.Head(ctx)
	if err != nil || head.Ref != "" {
		return err
	}
	return a.stayOnBranch(ctx, op)
}

// movedOn says whether somebody moved the entry's branch since, or went to another one than the operation left HEAD on its way to.
func (a *App) movedOn(ctx context.Context, op *Operation) (bool, error) {
	entry := op.Entry
	if op.Head[1] != "" {
		head, err := a.Repo.Head(ctx)
		elsewhere := head.Ref != "" && !slices.Contains(op.Head[:], head.Ref) || entry.Kind == journal.Switch && head.Ref != op.Head[1] &&
			head.Commit != entry.Old
		if err != nil || elsewhere {
			return elsewhere, err
		}
	}
	if entry.Old == entry.New || entry.Kind == journal.Push || entry.Kind == journal.Pushed {
		return false, nil
	}
	value, err := a.Repo.RefValue(ctx, entry.Ref)
	return value != entry.New, err
}

// finish does what is left of an operation after its refs have moved. It gives the files
// that somebody has changed since, which stay as they are.
func (a *App) finish(ctx context.Context, op *Operation) (changed []string, err error) {
	if op.layout != nil {
		if changed, err = op.layout.Resume(); err != nil {
			return changed, err
		}
		err = op.layout.InstallIndex()
		if errors.Is(err, repo.ErrMoved) || errors.Is(err, fs.ErrNotExist) { // somebody looked at it meanwhile, or it is there
			err = a.finishTreeIndex(ctx, op.content, op.trees)
		}
	} else if op.trees[0] != op.trees[1] {
		err = a.finishTreeIndex(ctx, op.content, op.trees)
	}
	if err == nil && len(op.Stages) > 0 {
		err = a.Repo.WriteStages(ctx, op.Stages)
	}
	if err == nil {
		err = a.finishIndex(ctx, op.besideStages())
	}
	if err != nil {
		return changed, err
	}
	return changed, a.follow(ctx, op)
}

// finishTreeIndex brings the index from one tree to the other, path by path where it still is as it was.
func (a *App) finishTreeIndex(ctx context.Context, objects merge.Objects, trees treeStep) error {
	differences, err := merge.Compare(ctx, objects, trees[0], trees[1])
	if err != nil {
		return err
	}
	steps := make([]journal.File, len(differences))
	for i, d := range differences {
		steps[i] = journal.File{Path: []byte(d.Path), BeforeMode: d.Old.Mode, Before: d.Old.ID, AfterMode: d.New.Mode, After: d.New.ID}
	}
	if err := a.finishIndex(ctx, steps); err != nil {
		return err
	}
	return a.Repo.RefreshIndex(ctx)
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
	return a.WriteIndex(ctx, indexAfter(left))
}
