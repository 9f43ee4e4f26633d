package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// noteFile names what is on its way between its refs and its files.
const (
	noteFile   = "unfinished.json"
	noteFormat = "bastel-unfinished/2"
	noteLimit  = 64 << 10
)

// note is what the next start needs to finish an operation, besides the journal's entry.
type note struct {
	Format    string    `json:"format"`
	Entry     repo.ID   `json:"entry"` // the entry's commit; the operation took place if the journal has it
	Trees     treeStep  `json:"trees"`
	Stages    bool      `json:"stages,omitempty"` // conflicts come back: those that the entry tells of
	Head      [2]string `json:"head"`
	EndsMerge bool      `json:"ends_merge,omitempty"`
}

// writeNote writes the entry's commit and the note, synced, before anything shows.
func (a *App) writeNote(ctx context.Context, op *Operation) error {
	if err := a.prepare(ctx, op); err != nil {
		return err
	}
	data, err := json.Marshal(note{noteFormat, op.id, op.trees, len(op.Stages) > 0, op.Head, op.EndsMerge})
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

// recover finishes an operation that a crash cut off after its refs had moved, and forgets
// one whose refs had not. What another living process does is left alone. It gives a
// sentence about what it did.
func (a *App) recover(ctx context.Context) (string, error) {
	if err := a.carryTexts(); err != nil {
		return "", err
	}
	n, found, err := a.readNote()
	if err != nil {
		return fmt.Sprintf("The note of an unfinished step, bastel/%s in the git folder, cannot be read (%v). It was passed over; remove it.",
			noteFile, err), nil
	}
	if !found {
		return "", nil
	}
	unlock, busy, err := a.tryLock()
	if err != nil || busy != "" {
		return "", err
	}
	defer unlock()
	if n, found, err = a.readNote(); err != nil || !found {
		return "", err // it was finished meanwhile
	}
	entry, took, err := a.Journal.Took(ctx, n.Entry)
	if err != nil {
		return "", err
	}
	op := Operation{Entry: entry, id: n.Entry, trees: n.Trees, Head: n.Head, EndsMerge: n.EndsMerge}
	if n.Stages {
		op.Stages = StagesOf(entry.Stages)
	}
	if !took {
		return "", errors.Join(a.stayOnBranchAgain(ctx, &op), a.removeNote())
	}
	if moved, err := a.movedOn(ctx, &op); err != nil || moved {
		return "", errors.Join(err, a.removeNote())
	}
	changed, err := a.finish(ctx, &op)
	if err != nil {
		return "", fmt.Errorf("finish the %s of %s that was interrupted: %w", entry.Kind.Noun(), strings.TrimPrefix(entry.Ref, "refs/heads/"),
			err)
	}
	said := fmt.Sprintf("The %s that was interrupted is finished now.", entry.Kind.Noun())
	if len(changed) > 0 {
		said += " Changed since, and left as they are: " + strings.Join(changed, ", ")
	}
	return said, nil
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
		elsewhere := head.Ref != "" && head.Ref != op.Head[1] || head.Ref == "" && entry.Kind == journal.Switch && head.Commit != entry.Old
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
	if op.trees[0] != op.trees[1] {
		err = a.finishTree(ctx, op.trees[0], op.trees[1])
	}
	if err == nil && len(op.Stages) > 0 {
		err = a.Repo.WriteStages(ctx, op.Stages)
	} else if err == nil {
		err = a.finishIndex(ctx, op.Entry.Index)
	}
	if err == nil {
		changed, err = a.finishFiles(ctx, op)
	}
	if err != nil {
		return changed, err
	}
	return changed, a.follow(ctx, op)
}

// finishFiles writes those working files of an entry that are still as they were.
func (a *App) finishFiles(ctx context.Context, op *Operation) (changed []string, err error) {
	if len(op.Entry.Files) == 0 {
		return nil, nil
	}
	layout, steps, err := a.fileSteps(ctx, op.Entry)
	if err != nil {
		return nil, err
	}
	defer layout.Close()
	var paths []string
	for _, s := range steps {
		paths = append(paths, s.To.Path)
	}
	a.Repo.RemoveScratch(op.mark(), paths)
	now, err := a.Repo.FilesNow(paths)
	if err != nil {
		return nil, err
	}
	var left []repo.FileStep
	for i, s := range steps {
		switch {
		case now[i].Is(s.To):
		case now[i].Is(s.Seen):
			s.Seen.Permissions = now[i].Permissions
			left = append(left, s)
		default:
			changed = append(changed, s.To.Path)
		}
	}
	_, err = a.Repo.WriteFiles(ctx, op.mark(), layout, left)
	return changed, err
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

// finishTree brings index and working tree to the new tree after a crash may have
// left some files written already: those are noted in the index as they are. A
// file whose writing was cut short is written anew. The rest follows as usual, and
// is refused where somebody has changed a file since.
func (a *App) finishTree(ctx context.Context, old, new repo.ID) error {
	differences, err := merge.Compare(ctx, a.Engine.Objects(), old, new)
	if err != nil {
		return err
	}
	changes := make([]repo.Change, len(differences))
	for i, d := range differences {
		changes[i] = repo.Change{Path: d.Path, IndexMode: max(d.Old.Mode, d.New.Mode)}
	}
	work, err := a.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return err
	}
	var written []repo.IndexEntry
	var torn []string
	for i, d := range differences {
		switch isTorn, err := a.torn(ctx, work[i], d.New); {
		case err != nil:
			return err
		case isTorn:
			torn = append(torn, d.Path)
		case !a.holds(work[i], d.New):
			continue
		}
		written = append(written, repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: d.New.ID})
	}
	if len(written) > 0 {
		if err := a.Repo.UpdateIndex(ctx, written); err != nil {
			return err
		}
	}
	if len(torn) > 0 {
		if err := a.Repo.CheckoutIndex(ctx, torn); err != nil {
			return err
		}
	}
	if err := a.Repo.RefreshIndex(ctx); err != nil {
		return err
	}
	return a.Repo.Switch(ctx, old, new)
}

// torn says whether a working file is the beginning of what it should have become.
// All files of the step had their old content when it began, so such a file is one
// whose writing was cut short.
func (a *App) torn(ctx context.Context, file repo.WorkFile, e repo.Entry) (bool, error) {
	if file.Large || !file.Mode.IsFile() || !e.Mode.IsFile() {
		return false, nil
	}
	data, err := a.Engine.Objects().Blob(ctx, e.ID)
	return len(file.Data) < len(data) && bytes.HasPrefix(data, file.Data), err
}

// holds says whether a working file is what a tree's entry says.
func (a *App) holds(file repo.WorkFile, e repo.Entry) bool {
	switch {
	case file.Failed != nil:
		return false
	case file.Mode == repo.ModeNone || e.IsZero():
		return file.Mode == repo.ModeNone && e.IsZero()
	case file.Mode != e.Mode || file.Large:
		return false
	case e.Mode == repo.ModeSubmodule:
		return file.ID == e.ID
	}
	return a.Repo.HashObject(repo.KindBlob, file.Data) == e.ID
}
