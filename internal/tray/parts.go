package tray

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// CommitParts is what one commit changed, to be sorted into parts: like the changes of a
// working tree, but in memory only. What is in no tray is loose.
type CommitParts struct {
	layered []*LayeredFile
	moves   []PartMove
}

// PartMove is one step of sorting a commit into parts.
type PartMove struct {
	From, To Layer
	Selected []Selection
}

// NewCommitParts spreads out what lies between two trees.
func NewCommitParts(ctx context.Context, objects *repo.Overlay, old, new repo.ID) (*CommitParts, error) {
	differences, err := merge.Compare(ctx, objects, old, new)
	if err != nil {
		return nil, err
	}
	return partsOf(ctx, objects, asDerived(differences))
}

// FollowedParts spreads out what lies between two trees, a renamed file as one: its lines can be picked without the new name.
func FollowedParts(ctx context.Context, objects *repo.Overlay, old, new repo.ID) (*CommitParts, error) {
	differences, err := followed(ctx, objects, old, new)
	if err != nil {
		return nil, err
	}
	return partsOf(ctx, objects, differences)
}

func partsOf(ctx context.Context, objects *repo.Overlay, differences []merge.Derived) (*CommitParts, error) {
	d := &CommitParts{}
	var err error
	for _, diff := range differences {
		s := &LayeredFile{Path: diff.Path}
		switch {
		case diff.Copy:
			diff.Old = repo.Entry{}
		case diff.From != "":
			s.From, s.Renamed = diff.From, Loose
		}
		for _, side := range []struct {
			entry repo.Entry
			to    []*version
		}{{diff.Old, []*version{&s.head, &s.index}}, {diff.New, []*version{&s.work}}} {
			v := version{Mode: side.entry.Mode, ID: side.entry.ID}
			if v.Mode.IsFile() || v.Mode == repo.ModeSymlink {
				if v.data, err = objects.Blob(ctx, v.ID); err != nil {
					return nil, err
				}
				if s.large = s.large || len(v.data) > repo.LargeFile; s.large {
					v.data = nil
				} else if v.data == nil {
					v.data = []byte{}
				}
			}
			for _, to := range side.to {
				*to = v
			}
		}
		s.layOut()
		d.layered = append(d.layered, s)
	}
	return d, nil
}

// Listing lists the changes as they are sorted now.
func (d *CommitParts) Listing() Listing {
	byLayer := map[Layer][]File{}
	for _, s := range d.layered {
		for _, l := range append([]Layer{A, Loose}, s.drafts()...) {
			if f, _ := s.file(l, Plain.Context); len(f.Hunks) > 0 {
				byLayer[l] = append(byLayer[l], f)
			}
		}
	}
	listing := Listing{Loose: byLayer[Loose]}
	for l := A; l <= Last; l++ {
		if l == A || len(byLayer[l]) > 0 {
			listing.Trays = append(listing.Trays, Tray{Layer: l, Files: byLayer[l]})
		}
	}
	return listing
}

// Move takes hunks, lines or files from one layer to another. Errors: as Move's.
func (d *CommitParts) Move(from, to Layer, selected []Selection) error {
	picked, err := pickFrom(d.layered, Plain.Context, from, selected)
	if err != nil {
		return err
	}
	for _, p := range picked {
		if err := p.file.move(p.pick, p.step, from, to); err != nil {
			err = fmt.Errorf("%s: %w", strconv.Quote(p.file.Path), err)
			return errors.Join(err, d.Sort(d.moves)) // what came before it in the same step goes back
		}
	}
	d.moves = append(slices.Clone(d.moves), PartMove{from, to, selected})
	return nil
}

// Moves lists the steps by which the changes are sorted.
func (d *CommitParts) Moves() []PartMove { return d.moves }

// Sort begins anew, and sorts the changes by the steps. Errors: as Move's; then those before the one that does not fit are done.
func (d *CommitParts) Sort(moves []PartMove) error {
	for _, s := range d.layered {
		if s.From != "" {
			s.Renamed = Loose
		}
		s.layOut()
	}
	d.moves = nil
	for _, move := range moves {
		if err := d.Move(move.From, move.To, move.Selected); err != nil {
			return err
		}
	}
	return nil
}

// Trees gives the content after each part: the trays that hold something, in order,
// and what is loose as the last one. The desk is used up.
func (d *CommitParts) Trees(ctx context.Context, objects *repo.Overlay, old repo.ID) ([]repo.ID, error) {
	var trees []repo.ID
	for l := A; l <= Loose; l++ {
		var entries []repo.IndexEntry
		for _, s := range d.layered {
			if !s.has(l) {
				continue
			}
			if err := s.settle(l); err != nil {
				return nil, fmt.Errorf("%s: %w", strconv.Quote(s.Path), err)
			}
			entries = append(entries, s.entriesAt(objects, s.From, Head)...)
		}
		if len(entries) == 0 {
			continue
		}
		var err error
		if old, err = objects.EditTree(ctx, old, entries); err != nil {
			return nil, err
		}
		trees = append(trees, old)
	}
	return trees, nil
}
