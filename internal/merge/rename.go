package merge

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

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
	moves   map[string]string // by the old path: the new one
	origins map[string]string // the other way round
	gone    map[string]repo.Entry
	came    map[string]repo.Entry
	order   []string // of the old paths that were renamed
	moved   func(ctx context.Context, from, to string) (bool, error)
	changed map[string]repo.ID // what the other side made of paths that went here: needed if they were renamed
}

// sideOf finds the renames between two trees: those of the very same content first,
// then those that are most alike.
func sideOf(ctx context.Context, objects Objects, base, tip repo.ID, s side) (side, error) {
	s.moves, s.origins, s.gone, s.came = map[string]string{}, map[string]string{}, map[string]repo.Entry{}, map[string]repo.Entry{}
	differences, err := Compare(ctx, objects, base, tip)
	if err != nil {
		return s, err
	}
	return s, s.find(ctx, objects, differences)
}

// find pairs what went with what came.
func (s *side) find(ctx context.Context, objects Objects, differences []Difference) error {
	empty := objects.Put(repo.KindBlob, nil)
	var gone, came []string
	for _, d := range differences {
		switch {
		case d.Old.ID == empty || d.New.ID == empty: // one is as good as another
		case d.New.IsZero():
			s.gone[d.Path] = d.Old
			gone = append(gone, d.Path)
		case d.Old.IsZero():
			s.came[d.Path] = d.New
			came = append(came, d.Path)
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
	s.prefetch(ctx, objects, gone, came)
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

// prefetch begins to read what is compared, and then what will be merged where a rename is found.
func (s *side) prefetch(ctx context.Context, objects Objects, gone, came []string) {
	ids := make([]repo.ID, 0, 2*len(gone)+len(came))
	for _, path := range gone {
		ids = append(ids, s.gone[path].ID)
	}
	for _, path := range came {
		ids = append(ids, s.came[path].ID)
	}
	for _, path := range gone {
		ids = append(ids, s.changed[path])
	}
	objects.Prefetch(ctx, present(ids...))
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

// folderMoves says where folders went of which nothing is left: to where most of their
// files went.
func (s *side) folderMoves(ctx context.Context, objects Objects, tip repo.ID) (map[string]string, error) {
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
		entry, err := repo.Find(ctx, objects, tip, from)
		if err != nil {
			return nil, err
		}
		if !entry.IsZero() {
			continue
		}
		best, tied := "", false
		for to, n := range tos {
			switch {
			case best == "" || n > tos[best]:
				best, tied = to, false
			case n == tos[best]:
				tied = true
			}
		}
		if !tied {
			moves[from] = best
		}
	}
	return moves, nil
}

// renaming is a merge that follows renames: base, left and right are brought to the
// same names first, and then merged as any trees.
type renaming struct {
	*treeMerge
	ids       [3]repo.ID // base, left, right
	left      side
	right     side
	edits     [3]map[string]repo.Entry // the zero entry takes a path out
	special   []Conflict               // what cannot be said by names that agree
	from      map[string]string        // by the path in the outcome: the one in the base
	followed  []Move
	contents  []repo.ID            // that will be merged
	twoToOnes map[string][2]string // by path: what the left and the right side renamed to it
}

// The places in ids and edits.
const (
	atBase = iota
	atLeft
	atRight
)

// withRenames merges once more with what was renamed, if anything was.
func (m *treeMerge) withRenames(ctx context.Context, tree, base, left, right repo.ID) (Merged, error) {
	plain := Merged{Tree: tree, Conflicts: m.conflicts}
	r := renaming{treeMerge: &treeMerge{objects: m.objects, options: m.options}, ids: [3]repo.ID{base, left, right},
		from: map[string]string{}, twoToOnes: map[string][2]string{}}
	for i := range r.edits {
		r.edits[i] = map[string]repo.Entry{}
	}
	changed := map[string]repo.ID{}
	for _, c := range m.conflicts {
		if c.Kind == ModifyDelete {
			changed[c.Path] = present(c.Left.ID, c.Right.ID)[0]
		}
	}
	var err error
	if r.left, err = sideOf(ctx, m.objects, base, left, side{moved: m.options.Moved, changed: changed}); err != nil {
		return plain, err
	}
	if r.right, err = sideOf(ctx, m.objects, base, right, side{changed: changed}); err != nil {
		return plain, err
	}
	if len(r.left.moves)+len(r.right.moves) == 0 {
		return plain, nil
	}
	if err := r.followAll(ctx); err != nil {
		return plain, err
	}
	return r.again(ctx)
}

func (r *renaming) followAll(ctx context.Context) error {
	for _, from := range r.left.order {
		to, too := r.left.moves[from], r.right.moves[from]
		switch {
		case too == to:
			r.both(from, to)
		case too != "":
			r.apart(from, to, too)
		default:
			if err := r.follow(ctx, from, to, atRight); err != nil {
				return err
			}
		}
	}
	for _, from := range r.right.order {
		if r.left.moves[from] == "" {
			if err := r.follow(ctx, from, r.right.moves[from], atLeft); err != nil {
				return err
			}
		}
	}
	if r.options.Folders == FoldersStay {
		return nil
	}
	lefts, err := r.left.folderMoves(ctx, r.objects, r.ids[atLeft])
	if err != nil {
		return err
	}
	rights, err := r.right.folderMoves(ctx, r.objects, r.ids[atRight])
	if err != nil {
		return err
	}
	// Where a folder went into one that the other side renamed, nobody could say where its files belong.
	circular := func(others map[string]string) func(from, to string) bool {
		return func(_, to string) bool { return others[to] != "" }
	}
	allLefts := maps.Clone(lefts)
	maps.DeleteFunc(lefts, circular(rights))
	maps.DeleteFunc(rights, circular(allLefts))
	if err := r.followFolders(ctx, &r.left, &r.right, lefts, atLeft, atRight); err != nil {
		return err
	}
	return r.followFolders(ctx, &r.right, &r.left, rights, atRight, atLeft)
}

// rename has a path renamed on one of the three sides.
func (r *renaming) rename(at int, entry repo.Entry, from, to string) {
	r.edits[at][from] = repo.Entry{}
	entry.Name = name(to)
	r.edits[at][to] = entry
}

// both sides renamed it alike: the base takes the new name.
func (r *renaming) both(from, to string) {
	r.rename(atBase, r.left.gone[from], from, to)
	r.from[to] = from
}

// apart: the sides chose different names. Contents meet under the left one's.
func (r *renaming) apart(from, to, too string) {
	base, left, right := r.left.gone[from], r.left.came[to], r.right.came[too]
	if _, taken := r.right.came[to]; taken {
		return // a third file is in the way: as it stands
	}
	if _, taken := r.left.came[too]; taken {
		return
	}
	r.rename(atBase, base, from, to)
	r.rename(atRight, right, too, to)
	r.from[to] = from
	r.special = append(r.special, Conflict{Path: to, Other: too, From: from, Kind: RenameRename, Base: base, Left: left, Right: right})
}

// follow: one side renamed it, and the other one, named by where it is, did not.
func (r *renaming) follow(ctx context.Context, from, to string, other int) error {
	mine, theirs := &r.left, &r.right
	if other == atLeft {
		mine, theirs = theirs, mine
	}
	base := mine.gone[from]
	there, err := repo.Find(ctx, r.objects, r.ids[other], from)
	if err != nil {
		return err
	}
	if added, taken := theirs.came[to]; taken {
		return r.meet(ctx, from, to, other, base, there, added)
	}
	switch {
	case there.IsZero():
		c := Conflict{Path: to, From: from, Kind: RenameDelete, Base: base, Left: mine.came[to]}
		if other == atLeft {
			c.Left, c.Right = repo.Entry{}, mine.came[to]
		}
		r.special = append(r.special, c)
		return nil
	case !sameForm(base, there):
		return nil // a folder or a link now: that stays a conflict of its own kind
	}
	r.rename(atBase, base, from, to)
	r.rename(other, there, from, to)
	r.from[to] = from
	if !there.Same(base) {
		r.followed = append(r.followed, Move{from, to})
		if mine.came[to].ID != base.ID {
			r.contents = append(r.contents, base.ID, there.ID, mine.came[to].ID)
		}
	}
	return nil
}

// meet: the new name is taken on the other side by something else. What that side
// changed in the renamed file goes into it first, where that is clean.
func (r *renaming) meet(ctx context.Context, from, to string, other int, base, there, added repo.Entry) error {
	mine, theirs := &r.left, &r.right
	if other == atLeft {
		mine, theirs = theirs, mine
	}
	if theirs.origins[to] != "" && other == atRight {
		r.twoToOnes[to] = [2]string{from, theirs.origins[to]}
	}
	if there.IsZero() || there.Same(base) || !there.Mode.IsFile() {
		return nil
	}
	moved := mine.came[to]
	merged, conflict, err := r.content(ctx, to, triple{base, moved, there})
	if err != nil || conflict != nil {
		return err
	}
	moved.ID = r.objects.Put(repo.KindBlob, merged)
	r.edits[atLeft+atRight-other][to] = moved
	r.edits[atBase][from], r.edits[other][from] = repo.Entry{}, repo.Entry{}
	return nil
}

// followFolders takes files that one side added to a folder, or renamed into it, along, where the
// other side, which is named by where it is, has renamed the folder.
func (r *renaming) followFolders(ctx context.Context, mine, theirs *side, moves map[string]string, at, other int) error {
	if len(moves) == 0 {
		return nil
	}
	for _, path := range slices.Sorted(maps.Keys(theirs.came)) {
		target := movedAlong(path, moves)
		if target == "" || mine.moves[theirs.origins[path]] != "" {
			continue // no folder of it was renamed, or each side has put it somewhere by itself
		}
		taken, err := r.taken(ctx, target)
		if err != nil || taken {
			return err
		}
		if r.options.Folders == FoldersAsk {
			r.askWhere(path, target, at, theirs.came[path])
			continue
		}
		if theirs.origins[path] != "" {
			r.retarget(path, target)
		}
		r.rename(other, theirs.came[path], path, target)
		r.followed = append(r.followed, Move{path, target})
	}
	return nil
}

// movedAlong is where a path lies once its folder is renamed; empty: where it is.
func movedAlong(path string, moves map[string]string) string {
	for folder := path; ; {
		i := strings.LastIndexByte(folder, '/')
		if i < 0 {
			return ""
		}
		folder = folder[:i]
		if to, ok := moves[folder]; ok {
			return strings.TrimPrefix(to+path[len(folder):], "/")
		}
	}
}

// retarget: a path that a rename led to is another one now, on the sides where it
// was brought there only.
func (r *renaming) retarget(path, target string) {
	for _, edits := range r.edits {
		if entry, ok := edits[path]; ok && !entry.IsZero() {
			delete(edits, path)
			entry.Name = name(target)
			edits[target] = entry
		}
	}
	if from, ok := r.from[path]; ok {
		delete(r.from, path)
		r.from[target] = from
	}
	for i := range r.special {
		if r.special[i].Path == path {
			r.special[i].Path = target
		}
	}
	for i := range r.followed {
		if r.followed[i].To == path {
			r.followed[i].To = target
		}
	}
}

// askWhere has the user say whether a file goes along with its folder, as if the sides
// had given it different names.
func (r *renaming) askWhere(path, target string, at int, entry repo.Entry) {
	c := Conflict{Path: path, Other: target, From: path, Kind: RenameRename, Left: entry, Right: entry}
	if at == atLeft {
		r.rename(atRight, entry, path, target)
		c.Path, c.Other = target, path
	}
	r.special = append(r.special, c)
}

func (r *renaming) taken(ctx context.Context, path string) (bool, error) {
	for _, id := range r.ids[atLeft:] {
		if entry, err := repo.Find(ctx, r.objects, id, path); err != nil || !entry.IsZero() {
			return true, err
		}
	}
	return false, nil
}

// again merges the trees with the names brought together.
func (r *renaming) again(ctx context.Context) (Merged, error) {
	for i, edits := range r.edits {
		var entries []repo.IndexEntry
		for path, e := range edits {
			entries = append(entries, repo.IndexEntry{Path: path, Mode: e.Mode, ID: e.ID})
		}
		id, err := repo.EditTree(ctx, r.objects, r.ids[i], entries)
		if err != nil {
			return Merged{}, err
		}
		r.ids[i] = id
	}
	r.objects.Prefetch(ctx, r.contents)
	r.suspect, r.conflicts = false, nil
	tree, err := r.root(ctx, r.ids[atBase], r.ids[atLeft], r.ids[atRight])
	if err != nil {
		return Merged{}, err
	}
	for i := range r.conflicts {
		c := &r.conflicts[i]
		c.From = r.from[c.Path]
		if from, ok := r.twoToOnes[c.Path]; ok && c.Kind == AddAdd {
			c.Kind, c.From, c.Other = TwoToOne, from[0], from[1]
		}
	}
	slices.SortFunc(r.followed, func(a, b Move) int { return strings.Compare(a.From, b.From) })
	return Merged{tree, append(r.conflicts, r.special...), r.followed}, nil
}
