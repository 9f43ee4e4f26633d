package mend

import (
	"context"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// ApplyAnswers puts what is answered of some conflicts into the tree that their merge gave.
func ApplyAnswers(ctx context.Context, objects merge.Objects, tree repo.ID, states []State) (repo.ID, error) {
	for _, s := range states {
		if s.Open() > 0 {
			continue
		}
		edits, err := s.edits(ctx, objects, tree)
		if err != nil {
			return tree, err
		}
		if tree, err = repo.EditTree(ctx, objects, tree, edits); err != nil {
			return tree, err
		}
	}
	return tree, nil
}

// Edits are the index entries of an answered conflict by itself.
func (s State) Edits(ctx context.Context, objects merge.Objects) ([]repo.IndexEntry, error) {
	return s.edits(ctx, objects, repo.ID{})
}

// edits are the paths that an answered conflict changes in a tree.
func (s State) edits(ctx context.Context, objects merge.Objects, tree repo.ID) ([]repo.IndexEntry, error) {
	if s.Chunks != nil || s.Whole.Answer.Own != nil {
		return s.textEdits(objects)
	}
	side, _ := s.Whole.Answer.single()
	if s.Kind == merge.RenameRename {
		now, err := repo.Find(ctx, objects, tree, s.Other)
		switch {
		case err != nil:
			return nil, err
		case side == Left && now.ID == s.Right.ID: // both stand, each at its name
			return []repo.IndexEntry{{Path: s.Other}}, nil
		case side == Left:
			return nil, nil
		case now.IsZero():
			if now, err = repo.Find(ctx, objects, tree, s.Path); err != nil {
				return nil, err
			}
		}
		return []repo.IndexEntry{{Path: s.Path}, {Path: s.Other, Mode: now.Mode, ID: now.ID}}, nil
	}
	entry := s.version(side)
	if s.Kind == merge.ModeKind {
		now, err := repo.Find(ctx, objects, tree, s.Path)
		if err != nil {
			return nil, err
		}
		if !now.IsZero() {
			entry.ID = now.ID
		}
	}
	return []repo.IndexEntry{{Path: s.Path, Mode: entry.Mode, ID: entry.ID}}, nil
}

func (s State) version(side Side) repo.Entry {
	return map[Side]repo.Entry{Left: s.Left, Right: s.Right, Base: s.Base}[side]
}

func (s State) textEdits(objects merge.Objects) ([]repo.IndexEntry, error) {
	mode := s.mode()
	if text, ok := s.Text(); ok && s.Chunks != nil {
		return []repo.IndexEntry{{Path: s.Path, Mode: mode, ID: objects.Put(repo.KindBlob, text)}}, nil
	}
	if own := s.Whole.Answer.Own; own != nil {
		return []repo.IndexEntry{{Path: s.Path, Mode: mode, ID: objects.Put(repo.KindBlob, own)}}, nil
	}
	side, ok := s.Whole.Answer.single()
	if !ok { // neither: it goes
		return []repo.IndexEntry{{Path: s.Path}}, nil
	}
	entry := s.version(side)
	return []repo.IndexEntry{{Path: s.Path, Mode: entry.Mode, ID: entry.ID}}, nil
}

// mode is that of the side that changed it, or the left one.
func (s State) mode() repo.Mode {
	for _, e := range []repo.Entry{s.Left, s.Right, s.Base} {
		if e.Mode.IsFile() && (s.Base.IsZero() || e.Mode != s.Base.Mode) {
			return e.Mode
		}
	}
	for _, e := range []repo.Entry{s.Left, s.Right} {
		if e.Mode.IsFile() {
			return e.Mode
		}
	}
	return repo.ModeFile
}
