package tray

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"bastel/internal/diff"
	"bastel/internal/repo"
)

// TakeIn works out what index and trays hold once changes from elsewhere, from one tree of the working files to another, have come
// into a tray: what is loose of the same files, or in other trays, stays where it is. Errors: ErrBlocked; ErrBuildsOn, where they
// change what comes later than the tray.
func TakeIn(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, objects *repo.Overlay, old, new repo.ID,
	at Layer) (Outcome, error) {
	parts, err := NewCommitParts(ctx, objects, old, new)
	if err != nil {
		return Outcome{}, err
	}
	changed := map[string]*LayeredFile{}
	err = eachBatch(ctx, r, changes, kept, Plain, func(files []*LayeredFile, _ []string) error {
		for _, f := range files {
			changed[f.Path] = f
			if f.From != "" {
				changed[f.From] = f
			}
		}
		return nil
	})
	if err != nil {
		return Outcome{}, err
	}
	var files []*LayeredFile
	for _, taken := range parts.layered {
		f := changed[taken.Path]
		if f == nil { // as HEAD has it
			f = &LayeredFile{Path: taken.Path, head: taken.head, index: taken.head, work: taken.head, large: taken.large}
			f.layOut()
		}
		if err := f.takeIn(taken, at); err != nil {
			return Outcome{}, fmt.Errorf("%s: %w", strconv.Quote(taken.Path), err)
		}
		files = append(files, f)
	}
	return outcomeOf(ctx, r, kept, files)
}

// takeIn brings what a file becomes into a layer. Errors: ErrBlocked, ErrBuildsOn.
func (s *LayeredFile) takeIn(taken *LayeredFile, at Layer) error {
	submodule := s.head.Mode == repo.ModeSubmodule || taken.work.Mode == repo.ModeSubmodule
	whole := s.whole || taken.whole
	switch {
	case s.Blocked != "":
		return s.blocked()
	case s.large || taken.large || submodule && at.IsDraft():
		return fmt.Errorf("it %w: it is too large, or a submodule, so that it goes into tray A by itself", ErrBlocked)
	case s.From != "":
		return fmt.Errorf("it %w: it is renamed in what is loose or staged", ErrBlocked)
	case whole && !s.whole && len(s.drafts()) > 0:
		return fmt.Errorf("it %w: parts of its text are in trays, and it would be no text any more", ErrBlocked)
	case whole && !s.whole:
		s.whole, s.weave = true, nil
		s.changes = append(s.between(s.head, s.index, A), s.between(s.index, s.work, Loose)...)
	}
	changes := slices.Clone(s.changes)
	for _, c := range s.between(s.work, taken.work, at) {
		if later, builds := c.buildsOn(s.changes, at); builds {
			return buildsOn(later)
		}
		changes = append(changes, c)
	}
	if !s.whole {
		w, err := s.weave.bring(diff.Split(taken.work.data), at)
		if err != nil {
			return err
		}
		s.weave = w
	}
	s.changes, s.work = inOrder(changes), taken.work
	return nil
}

// bring gives the working tree another text, and has the difference come with a layer. Errors: ErrBuildsOn, if it takes away
// lines that come later.
func (w weave) bring(lines [][]byte, at Layer) (weave, error) {
	const before = Loose - 1 // what was loose comes before what is new, while that is told from it
	w = w.relayered(Loose, before).with(lines, Loose)
	brought := map[int]bool{}
	for i, line := range w {
		brought[i] = line.Born == Loose || line.Dies == Loose
	}
	w, err := w.move(brought, Loose, at)
	return w.relayered(before, Loose), err
}

// relayered has all that comes or goes with one layer do so with another one.
func (w weave) relayered(from, to Layer) weave {
	out := make(weave, len(w))
	for i, line := range w {
		if line.Born == from {
			line.Born = to
		}
		if line.Dies == from {
			line.Dies = to
		}
		out[i] = line
	}
	return out
}
