package resolving

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
)

// waitingTrees are the contents that the operation merges: the base, HEAD's side, the other one.
// ok is false where no file says which they are, as of a stash.
func (a *App) waitingTrees(ctx context.Context, w *PendingMerge, options merge.Options, head repo.ID) (trees [3]repo.ID, ok bool,
	err error) {
	for _, name := range []string{repo.MergeHead, repo.RebaseHead, repo.CherryPickHead, repo.RevertHead} {
		id, more, err := a.Repo.OperationHead(name)
		if err != nil || more {
			return trees, false, err
		}
		if id.IsZero() {
			continue
		}
		commits, err := a.Repo.Commits(ctx, []repo.ID{id})
		if err != nil {
			return trees, false, err
		}
		var base repo.ID
		if name == repo.MergeHead {
			base, err = replay.CommonTree(ctx, a.Repo, w.Objects, options, head, id)
			if errors.Is(err, replay.ErrUnrelated) {
				base, err = a.Repo.EmptyTree(), nil
			}
		} else {
			base, err = a.TreeOf(ctx, commits[0].Parent())
		}
		if err != nil {
			return trees, false, err
		}
		other := commits[0].Tree
		if name == repo.RevertHead {
			base, other = other, base
		}
		mine, err := a.TreeOf(ctx, head)
		return [3]repo.ID{base, mine, other}, err == nil, err
	}
	return trees, false, nil
}

// renamesWaiting are the conflicts of names, and of types. The index says of them only which paths each side
// has, which alone would read as clean; so they are found from the trees.
func (a *App) renamesWaiting(ctx context.Context, w *PendingMerge, options merge.Options, head repo.ID) ([]merge.Conflict, error) {
	trees, ok, err := a.waitingTrees(ctx, w, options, head)
	if err != nil || !ok {
		return nil, err
	}
	merged, err := merge.TreesWith(ctx, w.Objects, options, trees[0], trees[1], trees[2])
	if err != nil {
		return nil, err
	}
	w.tree, w.related = merged.Tree, map[string][]string{}
	for _, c := range merged.Conflicts {
		if about := w.stagedOf(c); len(about) > 0 {
			w.related[c.Path] = about
		}
	}
	return slices.DeleteFunc(merged.Conflicts, func(c merge.Conflict) bool { return len(w.related[c.Path]) == 0 }), nil
}

// stagedOf are the unsettled paths that a conflict of names is about. Of two things of different types at one path the repository lays one
// beside it, under the name of its side: these are one question, not two.
func (w *PendingMerge) stagedOf(c merge.Conflict) (about []string) {
	names := []string{c.Path, c.From, c.Other}
	switch c.Kind {
	case merge.RenameRename, merge.RenameDelete:
	case merge.TypeKind:
		for _, s := range w.stages {
			if strings.HasPrefix(s.Path, c.Path+"~") && !slices.Contains(names, s.Path) {
				names = append(names, s.Path)
			}
		}
		if len(names) == 3 { // nothing lies beside it
			return nil
		}
	default:
		return nil
	}
	for _, path := range names {
		if path != "" && slices.ContainsFunc(w.stages, func(s repo.Stage) bool { return s.Path == path }) {
			about = append(about, path)
		}
	}
	return about
}

// undecided is the question about a path of which the index has no three sides: whether it stays.
// Merged by itself such a path would come or go without anybody having said so.
func undecided(path string, entries [4]repo.Entry) (merge.Conflict, bool) {
	base, left, right := entries[1], entries[2], entries[3]
	if !base.IsZero() && !left.IsZero() && !right.IsZero() || left.Same(right) && !left.IsZero() {
		return merge.Conflict{}, false
	}
	return merge.Conflict{Path: path, Kind: merge.ModifyDelete, Base: base, Left: left, Right: right}, true
}

// byName gives what the answers to conflicts of names make of the index; nothing while one of a path's is open.
func (w *PendingMerge) byName(ctx context.Context) ([]repo.IndexEntry, error) {
	var entries []repo.IndexEntry
	for path, along := range w.related {
		var states []mend.State
		open := 0
		for _, f := range w.Files {
			if f.Path == path {
				states = append(states, f.State)
				open += f.Open()
			}
		}
		if open > 0 {
			continue
		}
		tree, err := mend.ApplyAnswers(ctx, w.Objects, w.tree, states)
		if err != nil {
			return nil, err
		}
		for _, name := range along {
			e, err := repo.Find(ctx, w.Objects, tree, name)
			if err != nil {
				return nil, err
			}
			entries = append(entries, repo.IndexEntry{Path: name, Mode: e.Mode, ID: e.ID})
		}
	}
	return entries, nil
}

// asMerged is what the operation wrote into a working file, as far as the repository kept it.
func (a *App) asMerged(ctx context.Context, w *PendingMerge, path string) (repo.Entry, error) {
	if !w.auto.IsZero() {
		return repo.Find(ctx, w.Objects, w.auto, path)
	}
	return repo.Entry{}, nil
}

// workingText is a working file's content; ok is false where it is gone, or no file.
func (a *App) workingText(ctx context.Context, path string) (file repo.WorkFile, ok bool, err error) {
	files, err := a.Repo.ReadWorkFiles(ctx, []repo.Change{{Path: path, IndexMode: repo.ModeFile}})
	if err != nil {
		return file, false, err
	}
	f := files[0]
	return f, f.Mode.IsFile() && !f.Large && f.Failed == nil, nil
}

// resolvedInFile takes a working file from which somebody, or what the repository remembered, has taken all markers
// for the answer, unless another one is given.
func (a *App) resolvedInFile(ctx context.Context, w *PendingMerge, file *ConflictedFile) error {
	path := file.Path
	if file.Chunks == nil || slices.ContainsFunc(w.Answers, func(g mend.Resolution) bool { return g.Path == path }) {
		return nil
	}
	lies, ok, err := a.workingText(ctx, path)
	text := lies.Data
	if err != nil || !ok || merge.IsBinary(text) || len(file.Markers(text, file.MarkerSize)) > 0 {
		return err
	}
	w.found = append(w.found, file.WholeQuestion().Give(mend.Answer{Own: text}))
	file.State = mend.Look(file.Conflict, repo.ID{}, w.Book())
	return nil
}

// withHandEdits gives what is to be written over working files: what somebody changed in them since the
// operation stopped is merged in, and where that conflicts with the answers nothing is written. It gives how each was read for it.
func (a *App) withHandEdits(ctx context.Context, w *PendingMerge, entries []repo.IndexEntry) (map[string]repo.WorkFile, error) {
	seen := map[string]repo.WorkFile{}
	for i := range entries {
		e := &entries[i]
		if modeToRead(w.stages, e.Path) == repo.ModeSubmodule {
			files, err := a.Repo.ReadWorkFiles(ctx, []repo.Change{{Path: e.Path, IndexMode: repo.ModeSubmodule}})
			if err != nil {
				return nil, err
			}
			seen[e.Path] = files[0]
			continue
		}
		lies, ok, err := a.workingText(ctx, e.Path)
		if err != nil {
			return nil, err
		}
		seen[e.Path] = lies
		text := lies.Data
		if !ok {
			continue // gone, or too large to have been edited by hand: the operation asks for the undo entry
		}
		edited, err := a.editedByHand(ctx, w, e.Path, text)
		if err != nil {
			return nil, err
		}
		if !edited {
			continue
		}
		merged, ok, err := a.mergedByHand(ctx, w, *e, text)
		if err != nil {
			return nil, err
		}
		if !ok {
			return nil, &app.Refusal{Reason: fmt.Sprintf("%q", e.Path) + " was edited by hand since the conflict came, where its answers would be " +
				"written. Nothing was changed. Mark the file as resolved as it is, or take the edits back.", Err: repo.ErrMoved}
		}
		e.ID = w.Objects.Put(repo.KindBlob, merged)
	}
	return seen, nil
}

// editedByHand says whether a working file is neither what the operation wrote nor one of the sides.
func (a *App) editedByHand(ctx context.Context, w *PendingMerge, path string, text []byte) (bool, error) {
	same := func(id repo.ID) (bool, error) {
		if id.IsZero() {
			return false, nil
		}
		data, err := w.Objects.Blob(ctx, id)
		return bytes.Equal(data, text), err
	}
	written, err := a.asMerged(ctx, w, path)
	if err != nil {
		return false, err
	}
	if is, err := same(written.ID); err != nil || is {
		return false, err
	}
	for _, s := range w.stages {
		if s.Path != path || !s.Mode.IsFile() {
			continue
		}
		if is, err := same(s.ID); err != nil || is {
			return false, err
		}
	}
	for _, f := range w.Files {
		if f.Path == path && f.Chunks != nil && written.IsZero() {
			return !sameButLabels(text, f.MarkerSize, mend.Look(f.Conflict, repo.ID{}, mend.AnswerBook{})), nil
		}
	}
	return true, nil
}

// sameButLabels says that a text is a conflict's, as programs write it between marker lines, whatever they say.
func sameButLabels(text []byte, size int, s mend.State) bool {
	plain := func(text []byte) []byte {
		var kept [][]byte
		inBase := false
		for line := range bytes.Lines(text) {
			marker := mend.IsMarker(line, size)
			if marker {
				line = []byte{line[0], '\n'}
				inBase = line[0] == '|'
			}
			if !inBase {
				kept = append(kept, line)
			}
		}
		return bytes.Join(kept, nil)
	}
	return bytes.Equal(plain(text), plain(s.Marked(mend.Labels{}, size)))
}

// mergedByHand brings hand edits and answers together, as a merge from what the operation wrote.
func (a *App) mergedByHand(ctx context.Context, w *PendingMerge, e repo.IndexEntry, text []byte) ([]byte, bool, error) {
	if !e.Mode.IsFile() {
		return nil, false, nil
	}
	answered, err := w.Objects.Blob(ctx, e.ID)
	if err != nil || bytes.Equal(answered, text) {
		return text, err == nil, err
	}
	written, err := a.asMerged(ctx, w, e.Path)
	if err != nil || written.IsZero() {
		return nil, false, err
	}
	from, err := w.Objects.Blob(ctx, written.ID)
	if err != nil {
		return nil, false, err
	}
	merged, ok := merge.Clean(from, text, answered)
	return merged, ok, nil
}
