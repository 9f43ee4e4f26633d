package tray

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"bastel/internal/repo"
)

// CommitLayers works out the trees of the commits that trays make, one after the other,
// starting from HEAD's tree. The outcome is what is left: the index once the commits
// are HEAD's, and the other trays. The trees lie in the overlay. Errors: ErrBuildsOn,
// where a tray needs what another one holds that is not among them, or comes later.
func CommitLayers(ctx context.Context, r *repo.Repo, overlay *repo.Overlay, head repo.ID, changes []repo.Change, kept *State,
	layers []Layer) ([]repo.ID, Outcome, error) {
	out := Outcome{Kept: kept.Clone()}
	entries := make([][]repo.IndexEntry, len(layers))
	err := eachBatch(ctx, r, changes, kept, Plain, func(layered []*LayeredFile, _ []string) error {
		for _, s := range layered {
			touched := false
			for n, l := range layers {
				if !s.has(l) {
					continue
				}
				touched = true
				from := s.From
				if err := s.settle(l); err != nil {
					return fmt.Errorf("tray %s, %s: %w", l, strconv.Quote(s.Path), err)
				}
				entries[n] = append(entries[n], s.entriesAt(overlay, from, Head)...)
			}
			if touched {
				out.Paths = append(out.Paths, s.Path)
				if s.changesIndex() {
					out.Index = append(out.Index, s.entriesAt(overlay, s.readAt, A)...)
				}
				out.Kept.note(r, s)
			}
		}
		return nil
	})
	if err != nil {
		return nil, out, err
	}
	trees := make([]repo.ID, len(layers))
	for n := range layers {
		if head, err = overlay.EditTree(ctx, head, entries[n]); err != nil {
			return nil, out, err
		}
		trees[n] = head
		out.Kept.Forget(layers[n])
	}
	return trees, out, storeIndex(ctx, r, overlay, out.Index)
}

// entriesAt gives what the paths of a file hold at a layer, with the contents put
// into the overlay. From is the path that the file may have had before.
func (s *LayeredFile) entriesAt(overlay *repo.Overlay, from string, at Layer) []repo.IndexEntry {
	v := s.at(at)
	if v.Mode != repo.ModeNone && v.data != nil {
		v.ID = overlay.Put(repo.KindBlob, v.data)
	}
	here := s.pathAt(at)
	entries := []repo.IndexEntry{{Path: here, Mode: v.Mode, ID: v.ID}}
	for _, other := range []string{from, s.Path} {
		if other != "" && other != here {
			entries = append(entries, repo.IndexEntry{Path: other})
		}
	}
	return entries
}

// storeIndex writes the contents that the index will name.
func storeIndex(ctx context.Context, r *repo.Repo, overlay *repo.Overlay, entries []repo.IndexEntry) error {
	var roots []repo.ID
	for _, e := range entries {
		if e.Mode != repo.ModeNone {
			roots = append(roots, e.ID)
		}
	}
	return overlay.Flush(ctx, roots...)
}

// Past is a commit that goes back: the tree before it, and the layer that what it
// changed becomes.
type Past struct {
	Before  repo.ID
	Message string
	Author  string
	Into    Layer
}

// ReturnLayers takes commits back into layers, the youngest first. The working tree
// stays as it is. Trays that hold something already go up by shift letters first.
func ReturnLayers(ctx context.Context, r *repo.Repo, overlay *repo.Overlay, head repo.ID, changes []repo.Change, kept *State,
	past []Past, shift int) (Outcome, error) {
	out := Outcome{Kept: kept.Clone()}
	changes, err := withChanged(ctx, overlay, past[len(past)-1].Before, head, changes)
	if err != nil {
		return out, err
	}
	out.Kept.Messages, out.Kept.Authors = shifted(kept.Messages, shift), shifted(kept.Authors, shift)
	for _, p := range past {
		if p.Into != Loose {
			out.Kept.Messages[p.Into], out.Kept.Authors[p.Into] = p.Message, p.Author
		}
	}
	err = eachBatch(ctx, r, changes, kept, Plain, func(layered []*LayeredFile, _ []string) error {
		for _, s := range layered {
			if s.Blocked != "" {
				return s.blocked()
			}
			s.shift(Layer(shift))
			for _, p := range past {
				older, err := versionIn(ctx, overlay, p.Before, s.pathAt(Head))
				if err != nil {
					return err
				}
				s.below(older, p.Into)
			}
			out.Paths = append(out.Paths, s.Path)
			if s.changesIndex() {
				out.Index = append(out.Index, s.entriesAt(overlay, s.readAt, A)...)
			}
			out.Kept.note(r, s)
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	return out, storeIndex(ctx, r, overlay, out.Index)
}

// shifted has the texts of drafts some letters further up.
func shifted(texts map[Layer]string, by int) map[Layer]string {
	moved := map[Layer]string{}
	for l, text := range texts {
		if l.IsDraft() {
			l += Layer(by)
		}
		moved[l] = text
	}
	return moved
}

// shift takes what drafts hold some letters up.
func (s *LayeredFile) shift(by Layer) {
	up := func(l Layer) Layer {
		if l.IsDraft() {
			return l + by
		}
		return l
	}
	s.weave = slices.Clone(s.weave)
	for i := range s.weave {
		s.weave[i].Born, s.weave[i].Dies = up(s.weave[i].Born), up(s.weave[i].Dies)
	}
	for i := range s.changes {
		s.changes[i].At = up(s.changes[i].At)
	}
	s.Renamed = up(s.Renamed)
}

// withChanged adds the paths that differ between two trees to the changes, as such
// that nobody changed since.
func withChanged(ctx context.Context, overlay *repo.Overlay, before, head repo.ID, changes []repo.Change) ([]repo.Change, error) {
	known := map[string]bool{}
	for _, c := range changes {
		known[c.Path] = true
	}
	files, err := Between(ctx, overlay, before, head)
	if err != nil {
		return nil, err
	}
	all := slices.Clone(changes)
	for _, f := range files {
		if !known[f.Path] {
			e := f.New
			all = append(all, repo.Change{Path: f.Path, HeadMode: e.Mode, HeadID: e.ID, IndexMode: e.Mode, IndexID: e.ID, WorkMode: e.Mode})
		}
	}
	return all, nil
}

// versionIn reads what a tree has at a path.
func versionIn(ctx context.Context, overlay *repo.Overlay, tree repo.ID, path string) (version, error) {
	e, err := overlay.Find(ctx, tree, path)
	if err != nil || e.IsZero() || e.Mode == repo.ModeTree {
		return version{}, err
	}
	v := version{Mode: e.Mode, ID: e.ID}
	if e.Mode != repo.ModeSubmodule {
		if v.data, err = overlay.Blob(ctx, e.ID); v.data == nil {
			v.data = []byte{}
		}
	}
	return v, err
}

// Fixup is one hunk, or lines of one, by itself.
type Fixup struct {
	Path  string
	Hunk  Hunk
	Lines map[int]bool // nil: all of it
	from  Layer
	found found
}

// Fixups takes what is selected apart, hunk by hunk. Without a selection everything of the
// layer is meant.
func Fixups(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View, from Layer,
	selected []Selection) ([]Fixup, error) {
	if len(selected) == 0 {
		listing, err := Read(ctx, r, changes, kept, view)
		if err != nil {
			return nil, err
		}
		selected = Select(IDs(listing.Files(from))...)
	}
	picked, err := resolve(ctx, r, changes, kept, view, from, selected)
	if err != nil {
		return nil, err
	}
	var pieces []Fixup
	for _, f := range picked {
		for _, h := range f.pick.File.Hunks {
			whole, lines := f.pick.Hunks[h.ID], f.pick.Lines[h.ID]
			if !whole && len(lines) == 0 {
				continue
			}
			one := f
			one.pick = Pick{File: f.pick.File, Hunks: map[string]bool{h.ID: whole}, Lines: map[string]map[int]bool{h.ID: lines}}
			pieces = append(pieces, Fixup{Path: f.file.Path, Hunk: h, Lines: lines, from: from, found: one})
		}
	}
	return pieces, nil
}

// Selection names the piece as Move and Fixups read it.
func (p Fixup) Selection() Selection {
	if p.found.pick.Hunks[p.Hunk.ID] {
		return Selection{Hunk: p.Hunk.ID}
	}
	return Selection{Hunk: p.Hunk.ID, Lines: p.Lines}
}

// Onto gives HEAD's tree with this piece alone.
func (p Fixup) Onto(ctx context.Context, overlay *repo.Overlay, head repo.ID) (repo.ID, error) {
	s := *p.found.file
	s.changes = slices.Clone(s.changes)
	from := s.From
	if err := s.move(p.found.pick, p.found.step, p.from, Head); err != nil {
		return repo.ID{}, fmt.Errorf("%s: %w", strconv.Quote(p.Path), err)
	}
	return overlay.EditTree(ctx, head, s.entriesAt(overlay, from, Head))
}

// Join makes groups of pieces part of HEAD, one group after the other. It gives
// HEAD's tree after each, and what is left.
func Join(ctx context.Context, r *repo.Repo, overlay *repo.Overlay, head repo.ID, kept *State, groups [][]Fixup) ([]repo.ID, Outcome,
	error) {
	out := Outcome{Kept: kept.Clone()}
	var layered []*LayeredFile
	var trees []repo.ID
	for _, group := range groups {
		var entries []repo.IndexEntry
		for _, p := range group {
			s := p.found.file
			if !slices.Contains(layered, s) {
				layered = append(layered, s)
				for i := range s.weave {
					s.weave[i].place = i + 1
				}
			}
			from := s.From
			if err := s.join(p); err != nil {
				return nil, out, fmt.Errorf("%s: %w", strconv.Quote(p.Path), err)
			}
			entries = append(entries, s.entriesAt(overlay, from, Head)...)
		}
		var err error
		if head, err = overlay.EditTree(ctx, head, entries); err != nil {
			return nil, out, err
		}
		trees = append(trees, head)
	}
	for _, s := range layered {
		out.Paths = append(out.Paths, s.Path)
		if s.changesIndex() {
			out.Index = append(out.Index, s.entriesAt(overlay, s.readAt, A)...)
		}
		out.Kept.note(r, s)
	}
	return trees, out, storeIndex(ctx, r, overlay, out.Index)
}

// join moves a piece into HEAD. Its places in the weave are those from before
// other pieces of the file went, since when lines may have vanished.
func (s *LayeredFile) join(p Fixup) error {
	before := p.found.pick.lines(p.found.step)
	now := map[int]bool{}
	for i, line := range s.weave {
		if line.place > 0 && before[line.place-1] {
			now[i] = true
		}
	}
	w, err := s.weave.move(now, p.from, Head)
	if err != nil {
		return err
	}
	changes, err := s.moveChanges(p.found.pick, p.from, Head)
	if err != nil {
		return err
	}
	head := s.head
	s.weave, s.changes = w, nil
	for _, c := range changes {
		if c.At == Head {
			head = c.applied(head)
			continue
		}
		s.changes = append(s.changes, c)
	}
	s.head = head
	if s.From != "" && s.Renamed == p.from && p.found.pick.takesRename() {
		s.From, s.Renamed = "", Head
	}
	return nil
}
