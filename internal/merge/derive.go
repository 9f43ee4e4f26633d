package merge

import (
	"context"
	"slices"

	"bastel/internal/repo"
)

// Derived is what differs in a file, with the file that a new one was made from.
type Derived struct {
	Difference
	From  string // the path that it was renamed or copied from, whose entry is Old; empty: neither
	Copy  bool   // what it was made from is still there
	Alike int    // how much of the lines is the same, in percent; 100: the very same content
}

// leastCopied is how much of the lines, in percent, makes a new file a copy of another one.
const leastCopied = 60

// Derive finds in a list of differences the files that were renamed, as merging does, and the
// new ones that were copied from one that is in the list too. The cost grows with new files times
// old ones.
func Derive(ctx context.Context, objects Objects, list []Difference) ([]Derived, error) {
	s := side{moves: map[string]string{}, origins: map[string]string{}, gone: map[string]repo.Entry{}, came: map[string]repo.Entry{}}
	if err := s.find(ctx, objects, list); err != nil {
		return nil, err
	}
	before := map[string]repo.Entry{}
	for _, d := range list {
		if !d.Old.IsZero() {
			before[d.Path] = d.Old
		}
	}
	copies, err := s.copies(ctx, objects, before)
	if err != nil {
		return nil, err
	}
	var out []Derived
	for _, d := range list {
		if s.moves[d.Path] != "" && d.New.IsZero() {
			continue // it stands at its new path
		}
		derived := Derived{Difference: d}
		if from := s.origins[d.Path]; from != "" && d.Old.IsZero() {
			derived.From, derived.Old = from, before[from]
		} else if from := copies[d.Path]; from != "" {
			derived.From, derived.Old, derived.Copy = from, before[from], true
		}
		if derived.From != "" {
			if derived.Alike, err = alike(ctx, objects, derived.Old, derived.New); err != nil {
				return nil, err
			}
		}
		out = append(out, derived)
	}
	return out, nil
}

func alike(ctx context.Context, objects Objects, old, new repo.Entry) (int, error) {
	if old.ID == new.ID {
		return 100, nil
	}
	both, err := likenesses(ctx, objects, []string{"old", "new"}, map[string]repo.Entry{"old": old, "new": new})
	if err != nil {
		return 0, err
	}
	return min(99, both[0].With(both[1])), nil // 100 is the very same
}

// copies finds for each new file that is no renamed one the old file that it is most like.
func (s *side) copies(ctx context.Context, objects Objects, before map[string]repo.Entry) (map[string]string, error) {
	var sources, fresh []string
	for path, entry := range before {
		if entry.Mode.IsFile() {
			sources = append(sources, path)
		}
	}
	empty := objects.Put(repo.KindBlob, nil)
	for path, entry := range s.came {
		if s.origins[path] == "" && entry.Mode.IsFile() && entry.ID != empty {
			fresh = append(fresh, path)
		}
	}
	copies := map[string]string{}
	if len(sources) == 0 || len(fresh) == 0 || len(sources)*len(fresh) > fewPairs {
		return copies, nil
	}
	slices.Sort(sources)
	olds, err := likenesses(ctx, objects, sources, before)
	if err != nil {
		return nil, err
	}
	news, err := likenesses(ctx, objects, fresh, s.came)
	if err != nil {
		return nil, err
	}
	for j, path := range fresh {
		best := leastCopied - 1
		for i, source := range sources {
			share := olds[i].With(news[j])
			if before[source].ID == s.came[path].ID {
				share = 101
			}
			if share > best {
				best, copies[path] = share, source
			}
		}
	}
	return copies, nil
}
