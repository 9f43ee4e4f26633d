package app

import (
	"context"
	"fmt"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Stepped is a step that was undone or done again, file by file.
type Stepped struct {
	journal.Entry
	Merged  []string // files that were changed since: both are in them now
	Left    []string // files that were changed since in the same places: they stay as they are
	Warning string   // what did not follow
}

// Remarks says what became of files that were changed since; each sentence begins with a blank.
func (s Stepped) Remarks() string {
	text := ""
	if n := len(s.Merged); n == 1 {
		text += fmt.Sprintf(" What you changed since in %s is kept beside it.", s.Merged[0])
	} else if n > 1 {
		text += fmt.Sprintf(" What you changed since in %d files is kept beside it.", n)
	}
	if len(s.Left) > 0 {
		text += fmt.Sprintf(" But %s changed since in the same places, and stayed so; bastel rescue %d writes out the text that would have "+
			"come back.", strings.Join(s.Left, ", "), s.Number)
	}
	if s.Warning != "" {
		text += " " + s.Warning
	}
	return text
}

// FileByFile fits a step to working files that were changed since. What was changed is merged with what the step
// brings back; where both are about the same lines the file is taken out of the step.
func (a *App) FileByFile(ctx context.Context, op *Operation, original journal.Entry) (stepped Stepped, err error) {
	stepped.Entry = original
	var paths []string
	for _, f := range op.Entry.Files {
		paths = append(paths, string(f.Path))
	}
	if len(paths) == 0 {
		return stepped, nil
	}
	now, err := a.Repo.ReadRaw(ctx, paths, false)
	if err != nil {
		return stepped, err
	}
	changed := false
	for i, f := range op.Entry.Files {
		changed = changed || now[i].Mode != f.BeforeMode || now[i].ID != f.Before
	}
	if !changed {
		return stepped, nil
	}
	if now, err = a.Repo.ReadRaw(ctx, paths, true); err != nil { // they are kept, whatever comes
		return stepped, err
	}
	w := filewise{App: a, entry: &op.Entry}
	if err := w.read(ctx, original); err != nil {
		return stepped, err
	}
	var kept []journal.File
	for i, f := range op.Entry.Files {
		path := string(f.Path)
		switch {
		case now[i].Mode == f.BeforeMode && now[i].ID == f.Before:
			kept = append(kept, f)
		case now[i].Mode == f.AfterMode && now[i].ID == f.After: // it is as it shall be
		default:
			merged, ok, err := w.merge(ctx, f, now[i])
			if err != nil {
				return stepped, err
			}
			if !ok {
				stepped.Left = append(stepped.Left, path)
				continue
			}
			kept, stepped.Merged = append(kept, merged), append(stepped.Merged, path)
		}
	}
	if len(kept) == 0 && len(stepped.Left) > 0 && len(op.Stages) == 0 {
		return stepped, &Refusal{Reason: fmt.Sprintf("%s changed since the last step (%s) in the same places. Nothing was done, so that no "+
			"work is lost. bastel rescue %d writes out the text that would come back.",
			strings.Join(stepped.Left, ", "), original.Title, original.Number), Err: repo.ErrMoved}
	}
	op.Entry.Files = kept
	return stepped, nil
}

// filewise merges working files as bytes of the disk, filters applied.
type filewise struct {
	*App
	entry *journal.Entry
	bases map[string][]byte // what the step that is undone left there
}

// read brings all contents to bytes of the disk.
func (w *filewise) read(ctx context.Context, original journal.Entry) error {
	var clean []repo.IndexEntry
	for _, f := range original.Files {
		clean = append(clean, repo.IndexEntry{Path: string(f.Path), Mode: f.AfterMode, ID: f.After})
	}
	raw, err := w.rawContents(ctx, clean)
	if err != nil {
		return err
	}
	if w.entry.Raw { // an undo: what the step left is what filters made of it
		w.bases = raw
		return nil
	}
	w.bases = map[string][]byte{}
	for i := range w.entry.Files {
		f := &w.entry.Files[i]
		if f.BeforeMode.IsFile() {
			object, err := w.Repo.Object(ctx, f.Before)
			if err != nil {
				return err
			}
			w.bases[string(f.Path)] = object.Data
		}
		if text, ok := raw[string(f.Path)]; ok && f.AfterMode.IsFile() {
			if f.After, err = w.WriteBlob(ctx, text); err != nil {
				return err
			}
		}
	}
	w.entry.Raw = true
	return nil
}

// LaidOut gives files as they would lie in the working tree, their bytes among the repository's objects.
func (a *App) LaidOut(ctx context.Context, entries []repo.IndexEntry) ([]repo.RawFile, error) {
	layout, files, err := a.Repo.LayOut(ctx, entries)
	if err != nil {
		return nil, err
	}
	defer layout.Close()
	var texts [][]byte
	for _, f := range files {
		if f.Mode.IsFile() {
			text, err := layout.Read(f.Path)
			if err != nil {
				return nil, err
			}
			texts = append(texts, text)
		}
	}
	_, err = a.Repo.WriteBlobs(ctx, texts)
	return files, err
}

// rawContents are files as they would lie in the working tree.
func (a *App) rawContents(ctx context.Context, entries []repo.IndexEntry) (map[string][]byte, error) {
	layout, _, err := a.Repo.LayOut(ctx, entries)
	if err != nil {
		return nil, err
	}
	defer layout.Close()
	contents := map[string][]byte{}
	for _, e := range entries {
		if e.Mode.IsFile() {
			if contents[e.Path], err = layout.Read(e.Path); err != nil {
				return nil, err
			}
		}
	}
	return contents, nil
}

// merge gives the step of a file that was changed since; ok is false where both are about the same lines.
func (w *filewise) merge(ctx context.Context, f journal.File, now repo.RawFile) (merged journal.File, ok bool, err error) {
	base, known := w.bases[string(f.Path)]
	if !known || !now.Mode.IsFile() || !f.AfterMode.IsFile() || !f.BeforeMode.IsFile() {
		return f, false, nil
	}
	here, err := w.Repo.Object(ctx, now.ID)
	if err != nil {
		return f, false, err
	}
	there, err := w.Repo.Object(ctx, f.After)
	if err != nil {
		return f, false, err
	}
	text, ok := merge.Clean(base, here.Data, there.Data)
	if !ok {
		return f, false, nil
	}
	merged = f
	if f.AfterMode == f.BeforeMode {
		merged.AfterMode = now.Mode
	}
	merged.BeforeMode, merged.Before, merged.AfterRaw, merged.Permissions = now.Mode, now.ID, repo.ID{}, uint32(now.Permissions)
	merged.After, err = w.WriteBlob(ctx, text)
	return merged, true, err
}
