package merge

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"bastel/internal/diff"
	"bastel/internal/repo"
)

// Move is a file's rename, or a folder's.
type Move struct{ From, To string }

// Bounds of the search for renames that changed the content too.
const (
	mostLikened  = 5000    // files on each side
	fewPairs     = 10000   // up to so many each file that went is compared with each that came
	frequentLine = 20      // with more pairs, lines in more files than that do not tell them apart
	largestLiken = 1 << 20 // bytes
	leastAlike   = 50      // percent, from which on one file is the other renamed
)

// side is what one side did to the base: the renames, and the rest.
type side struct {
	edits   map[string]Difference // all that it changed, by the path
	moves   map[string]string     // by the old path: the new one
	origins map[string]string     // the other way round
	gone    map[string]repo.Entry
	came    map[string]repo.Entry
	order   []string // of the old paths that were renamed
	moved   func(ctx context.Context, from, to string) (bool, error)
	changed map[string]repo.ID // what the other side made of paths that went here: needed if they were renamed
}

// comparison finds what left and right changed of the base while the three are still being merged: both read much the same.
type comparison struct {
	group errgroup.Group
	sides [2][]Difference
}

func (c *comparison) begin(ctx context.Context, objects Objects, base, left, right repo.ID) {
	for i, tip := range []repo.ID{left, right} {
		c.group.Go(func() (err error) {
			c.sides[i], err = Compare(ctx, objects, base, tip)
			return err
		})
	}
}

// end waits for both sides; they are empty where nothing began.
func (c *comparison) end() ([2][]Difference, error) {
	err := c.group.Wait()
	return c.sides, err
}

// sideOf finds the renames among the differences between two trees: those of the very same content first,
// then those that are most alike.
func sideOf(ctx context.Context, objects Objects, differences []Difference, s side) (side, error) {
	s.moves, s.origins, s.gone, s.came = map[string]string{}, map[string]string{}, map[string]repo.Entry{}, map[string]repo.Entry{}
	err := s.find(ctx, objects, differences)
	s.edits = make(map[string]Difference, len(differences))
	for _, d := range differences {
		s.edits[d.Path] = d
	}
	return s, err
}

// find pairs what went with what came.
func (s *side) find(ctx context.Context, objects Objects, differences []Difference) error {
	s.prefetch(ctx, objects, differences)
	empty := objects.Put(repo.KindBlob, nil)
	var gone, came []string
	for _, d := range differences {
		switch { // of empty files one is as good as another: they are no renames, yet have their places
		case d.New.IsZero():
			s.gone[d.Path] = d.Old
			if d.Old.ID != empty {
				gone = append(gone, d.Path)
			}
		case d.Old.IsZero():
			s.came[d.Path] = d.New
			if d.New.ID != empty {
				came = append(came, d.Path)
			}
		}
	}
	if err := s.pairExact(ctx, gone, came); err != nil {
		return err
	}
	err := s.pairAlike(ctx, objects, gone, came)
	slices.Sort(s.order)
	return err
}

// pair notes a rename, if it can be one.
func (s *side) pair(ctx context.Context, from, to string) error {
	if s.moved != nil {
		if can, err := s.moved(ctx, from, to); err != nil || !can {
			return err
		}
	}
	s.moves[from], s.origins[to] = to, from
	s.order = append(s.order, from)
	return nil
}

// pairExact pairs files of the same content; where there are several, those first that
// keep their name.
func (s *side) pairExact(ctx context.Context, gone, came []string) error {
	byID := map[repo.ID][]string{}
	for _, path := range came {
		byID[s.came[path].ID] = append(byID[s.came[path].ID], path)
	}
	for _, sameName := range []bool{true, false} {
		for _, from := range gone {
			if s.moves[from] != "" {
				continue
			}
			for _, to := range byID[s.gone[from].ID] {
				if s.moves[from] != "" || s.origins[to] != "" || !sameForm(s.gone[from], s.came[to]) || sameName && name(from) != name(to) {
					continue
				}
				if err := s.pair(ctx, from, to); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func name(path string) string { return path[strings.LastIndexByte(path, '/')+1:] }

func sameForm(a, b repo.Entry) bool {
	return a.Mode == b.Mode || a.Mode.IsFile() && b.Mode.IsFile()
}

// pairAlike pairs what is left by how much of the lines is the same, the most alike
// first. With too many files on either side nothing is compared.
func (s *side) pairAlike(ctx context.Context, objects Objects, gone, came []string) error {
	gone = slices.DeleteFunc(slices.Clone(gone), func(path string) bool { return s.moves[path] != "" || !s.gone[path].Mode.IsFile() })
	came = slices.DeleteFunc(slices.Clone(came), func(path string) bool { return s.origins[path] != "" || !s.came[path].Mode.IsFile() })
	if len(gone) == 0 || len(came) == 0 || len(gone) > mostLikened || len(came) > mostLikened {
		return nil
	}
	olds, err := likenesses(ctx, objects, gone, s.gone)
	if err != nil {
		return err
	}
	news, err := likenesses(ctx, objects, came, s.came)
	if err != nil {
		return err
	}
	type likely struct{ from, to, share int }
	var list []likely
	for pair := range candidates(olds, news) {
		if share := olds[pair[0]].With(news[pair[1]]); share >= leastAlike {
			list = append(list, likely{pair[0], pair[1], share})
		}
	}
	slices.SortFunc(list, func(a, b likely) int { return cmp.Or(a.from-b.from, a.to-b.to) })
	slices.SortStableFunc(list, func(a, b likely) int { return b.share - a.share })
	for _, l := range list {
		if s.moves[gone[l.from]] != "" || s.origins[came[l.to]] != "" {
			continue
		}
		if err := s.pair(ctx, gone[l.from], came[l.to]); err != nil {
			return err
		}
	}
	return nil
}

// prefetch begins to read what will be compared, which is all without a file of the very same content on the other side, and then
// what will be merged where a rename is found.
func (s *side) prefetch(ctx context.Context, objects Objects, differences []Difference) {
	gone, came := map[repo.ID]bool{}, map[repo.ID]bool{}
	for _, d := range differences {
		switch {
		case d.New.IsZero():
			gone[d.Old.ID] = true
		case d.Old.IsZero():
			came[d.New.ID] = true
		}
	}
	var olds, news, changed []repo.ID
	for _, d := range differences {
		switch {
		case d.New.IsZero() && d.Old.Mode.IsFile() && !came[d.Old.ID]:
			olds, changed = append(olds, d.Old.ID), append(changed, s.changed[d.Path])
		case d.Old.IsZero() && d.New.Mode.IsFile() && !gone[d.New.ID]:
			news = append(news, d.New.ID)
		}
	}
	if fit := len(olds) <= mostLikened && len(news) <= mostLikened; fit && len(olds) > 0 && len(news) > 0 {
		objects.Prefetch(ctx, present(slices.Concat(olds, news, changed)...))
	}
}

// candidates are the pairs worth comparing: all of them while they are few, and else
// those that have a line in common which few files have.
func candidates(olds, news []diff.Likeness) map[[2]int]bool {
	pairs := map[[2]int]bool{}
	if len(olds)*len(news) <= fewPairs {
		for i := range olds {
			for j := range news {
				pairs[[2]int{i, j}] = true
			}
		}
		return pairs
	}
	having := map[string][]int{}
	for i, old := range olds {
		for line := range old.Lines() {
			having[line] = append(having[line], i)
		}
	}
	for j, new := range news {
		for line := range new.Lines() {
			if files := having[line]; len(files) <= frequentLine {
				for _, i := range files {
					pairs[[2]int{i, j}] = true
				}
			}
		}
	}
	return pairs
}

func likenesses(ctx context.Context, objects Objects, paths []string, entries map[string]repo.Entry) ([]diff.Likeness, error) {
	list := make([]diff.Likeness, len(paths))
	for i, path := range paths {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		data, err := objects.Blob(ctx, entries[path].ID)
		if err != nil {
			return nil, err
		}
		if len(data) <= largestLiken && !IsBinary(data) {
			list[i] = diff.LikenessOf(data)
		}
	}
	return list, nil
}

// folderMoves says where folders went of which nothing is left: to where most of their files went. It is asked of folders that the
// other side put a file into, and of those inside them; not where that side made a new folder in one of them, whose place nobody
// could guess.
func (s *side) folderMoves(ctx context.Context, objects Objects, tip repo.ID, other *side) (map[string]string, error) {
	added := map[string]bool{}
	for path := range other.came {
		added[folderOf(path)] = true
	}
	votes := map[string]map[string]int{}
	for _, from := range s.order {
		a, b := from, s.moves[from]
		for {
			i, j := strings.LastIndexByte(a, '/'), strings.LastIndexByte(b, '/')
			if i < 0 || a[:i] == b[:max(0, j)] {
				break
			}
			a, b = a[:i], b[:max(0, j)]
			if votes[a] == nil {
				votes[a] = map[string]int{}
			}
			votes[a][b]++
			if name(a) != name(b) {
				break // above here the names have nothing to do with each other
			}
		}
	}
	moves := map[string]string{}
	for from, tos := range votes {
		asked := false
		for folder := from; folder != "" && !asked; folder = folderOf(folder) {
			entry, err := repo.Find(ctx, objects, tip, folder)
			if err != nil {
				return nil, err
			}
			if isTree(entry) || folder == from && !entry.IsZero() {
				break
			}
			asked = added[folder]
		}
		if !asked {
			continue
		}
		if best, alone := mostVoted(tos); alone {
			moves[from] = best
		}
	}
	return moves, nil
}

// mostVoted is the folder with the most votes, if no other one has as many. The top folder's name is empty.
func mostVoted(votes map[string]int) (best string, alone bool) {
	most := 0
	for to, n := range votes {
		switch {
		case n > most:
			best, most, alone = to, n, true
		case n == most:
			alone = false
		}
	}
	return best, alone
}
