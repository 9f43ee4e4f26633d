package app

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/review"
)

// noteMoves makes notes follow the commits that they are on, as the configuration
// asks for (notes.rewriteRef, notes.rewriteMode, notes.rewrite.rebase). It gives the
// moves of the notes' refs, their new commits being stored.
func (a *App) noteMoves(ctx context.Context, pairs []repo.Mapping) ([]journal.RefMove, error) {
	patterns, err := a.Repo.ConfigAll(ctx, "notes.rewriteRef")
	if err != nil || len(patterns) == 0 || len(pairs) == 0 {
		return nil, err
	}
	if value, err := a.Repo.Config(ctx, "notes.rewrite.rebase"); err != nil || !repo.Truth(value, true) {
		return nil, err
	}
	if value, err := a.Repo.Config(ctx, "notes.rewriteMode"); err != nil || strings.EqualFold(value, "ignore") {
		return nil, err
	}
	refs, err := a.Repo.Refs(ctx, "refs/notes")
	if err != nil {
		return nil, err
	}
	var moves []journal.RefMove
	for _, ref := range refs {
		wanted := slices.ContainsFunc(patterns, func(pattern string) bool {
			ok, _ := path.Match(pattern, ref.Name)
			return ok || strings.HasSuffix(pattern, "*") && strings.HasPrefix(ref.Name, strings.TrimSuffix(pattern, "*"))
		})
		if !wanted {
			continue
		}
		id, err := a.notesAfter(ctx, ref.ID, pairs)
		if err != nil {
			return nil, fmt.Errorf("let the notes in %s follow: %w", ref.Name, err)
		}
		if id != ref.ID {
			moves = append(moves, journal.RefMove{Ref: ref.Name, Old: ref.ID, New: id})
		}
	}
	return moves, nil
}

// notesAfter gives a notes' commit in which the new commits have the notes of the old
// ones. Where several become one, their notes follow each other.
func (a *App) notesAfter(ctx context.Context, at repo.ID, pairs []repo.Mapping) (repo.ID, error) {
	commit, err := a.Repo.Commit(ctx, at)
	if err != nil {
		return at, err
	}
	overlay := a.Repo.NewOverlay()
	files, err := merge.Compare(ctx, overlay, a.Repo.EmptyTree(), commit.Tree)
	if err != nil {
		return at, err
	}
	notes := map[string]merge.Difference{} // by the commit's id: folders only fan it out
	for _, f := range files {
		notes[strings.ReplaceAll(f.Path, "/", "")] = f
	}
	texts := map[string]string{}
	var order []string
	for _, pair := range pairs {
		note, ok := notes[pair[0].String()]
		if !ok {
			continue
		}
		data, err := overlay.Blob(ctx, note.New.ID)
		if err != nil {
			return at, err
		}
		to := pair[1].String()
		if texts[to] == "" {
			order = append(order, to)
		} else {
			texts[to] = strings.TrimRight(texts[to], "\n") + "\n\n"
		}
		texts[to] += string(data)
	}
	if len(order) == 0 {
		return at, nil
	}
	var entries []repo.IndexEntry
	for _, to := range order {
		entries = append(entries, repo.IndexEntry{Path: to, Mode: repo.ModeFile, ID: overlay.Put(repo.KindBlob, []byte(texts[to]))})
	}
	tree, err := overlay.EditTree(ctx, commit.Tree, entries)
	if err != nil {
		return at, err
	}
	committer, err := a.Repo.Committer(ctx)
	if err != nil {
		return at, err
	}
	after := &repo.Commit{Tree: tree, Parents: []repo.ID{at}, Author: committer, Committer: committer,
		Message: "Notes follow rewritten commits\n"}
	id := overlay.Put(repo.KindCommit, after.Encode())
	return id, overlay.Flush(ctx, id)
}

// reviewFile holds what was read, and the notes, for all linked working trees.
const reviewFile = "review.toml"

// ReviewPath is the file of what was read and noted.
func (a *App) ReviewPath() (string, error) {
	dir, err := a.Repo.SharedStateDir()
	return filepath.Join(dir, reviewFile), err
}

// ReviewRecord reads what was read and noted; without a file that is nothing.
func (a *App) ReviewRecord() (review.Record, error) {
	path, err := a.ReviewPath()
	if err != nil {
		return review.Record{}, err
	}
	data, err := readFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return review.Record{}, nil
	}
	if err != nil {
		return review.Record{}, fmt.Errorf("read what was read: %w", err)
	}
	record, err := review.Parse(data)
	if err != nil {
		return record, fmt.Errorf("read what was read: %w", errors.Join(err, ErrUnreadable))
	}
	return record, nil
}
