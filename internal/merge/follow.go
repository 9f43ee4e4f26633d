package merge

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"bastel/internal/repo"
)

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
	put       [3]map[string]int    // by path: how many files were brought to it
	met       map[string]bool      // names that are taken by something else: nothing is brought to them
}

// The places in ids and edits.
const (
	atBase = iota
	atLeft
	atRight
)

// withRenames merges once more with what was renamed, if anything was.
func (m *treeMerge) withRenames(ctx context.Context, plain Merged, ids [3]repo.ID, sides [2][]Difference) (Merged, error) {
	r, err := m.findRenames(ctx, ids, sides)
	if err != nil || len(r.left.moves)+len(r.right.moves) == 0 {
		return plain, err
	}
	if patched, ok, err := r.patch(ctx, plain); err != nil || ok {
		return patched, err
	}
	return r.again(ctx)
}

// findRenames looks for renames in what both sides changed of the base, and brings names together.
func (m *treeMerge) findRenames(ctx context.Context, ids [3]repo.ID, sides [2][]Difference) (*renaming, error) {
	r := &renaming{treeMerge: &treeMerge{objects: m.objects, options: m.options}, ids: ids, met: map[string]bool{}}
	changed := map[string]repo.ID{}
	for _, c := range m.conflicts {
		if c.Kind == ModifyDelete {
			changed[c.Path] = present(c.Left.ID, c.Right.ID)[0]
		}
	}
	var err error
	if r.left, err = sideOf(ctx, m.objects, sides[0], side{moved: m.options.Moved, changed: changed}); err != nil {
		return nil, err
	}
	if r.right, err = sideOf(ctx, m.objects, sides[1], side{changed: changed}); err != nil {
		return nil, err
	}
	for {
		r.begin()
		if err := r.followAll(ctx); err != nil {
			return nil, err
		}
		if again, err := r.findNamesThatMeet(ctx); err != nil || !again {
			return r, err
		}
	}
}

func (r *renaming) begin() {
	r.from, r.twoToOnes, r.special, r.followed, r.contents = map[string]string{}, map[string][2]string{}, nil, nil, nil
	for i := range r.edits {
		r.edits[i], r.put[i] = map[string]repo.Entry{}, map[string]int{}
	}
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
	lefts, err := r.left.folderMoves(ctx, r.objects, r.ids[atLeft], &r.right)
	if err != nil {
		return err
	}
	rights, err := r.right.folderMoves(ctx, r.objects, r.ids[atRight], &r.left)
	if err != nil {
		return err
	}
	// Where a folder went to one that the other side renamed, nobody could say where its files belong.
	circular := func(others map[string]string) func(from, to string) bool {
		return func(_, to string) bool { _, renamed := others[to]; return renamed }
	}
	allLefts := maps.Clone(lefts)
	maps.DeleteFunc(lefts, circular(rights))
	maps.DeleteFunc(rights, circular(allLefts))
	if err := r.followFolders(ctx, &r.left, &r.right, lefts, atLeft, atRight); err != nil {
		return err
	}
	return r.followFolders(ctx, &r.right, &r.left, rights, atRight, atLeft)
}

// within says that a path is a folder, or lies in it.
func within(path, folder string) bool { return path == folder || strings.HasPrefix(path, folder+"/") }

// rename has a path renamed on one of the three sides.
func (r *renaming) rename(at int, entry repo.Entry, from, to string) {
	r.put[at][to]++
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
	_, taken := r.right.came[to]
	_, tooTaken := r.left.came[too]
	if !taken && !tooTaken && !r.met[to] { // else something is in the way, and each stands at its name
		r.rename(atBase, base, from, to)
		r.rename(atRight, right, too, to)
	}
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
	there := base
	if _, edited := theirs.edits[from]; edited {
		var err error
		if there, err = r.entryOf(ctx, other, from); err != nil {
			return err
		}
	}
	if _, taken := theirs.came[to]; taken || r.met[to] {
		return r.meet(ctx, from, to, other, base, there)
	}
	switch {
	case there.IsZero(), isTree(there): // a folder of that name is another thing
		c := Conflict{Path: to, From: from, Kind: RenameDelete, Base: base, Left: mine.came[to]}
		if other == atLeft {
			c.Left, c.Right = repo.Entry{}, mine.came[to]
		}
		r.special = append(r.special, c)
		return nil
	case !sameForm(base, there):
		return nil // a link now: that stays a conflict of its own kind
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
func (r *renaming) meet(ctx context.Context, from, to string, other int, base, there repo.Entry) error {
	mine, theirs := &r.left, &r.right
	if other == atLeft {
		mine, theirs = theirs, mine
	}
	if theirs.origins[to] != "" && other == atRight {
		r.twoToOnes[to] = [2]string{from, theirs.origins[to]}
	}
	if there.IsZero() || there.Same(base) || !there.Mode.IsFile() || !base.Mode.IsFile() {
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
	r.from[to] = from
	r.followed = append(r.followed, Move{from, to})
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
		if target != theirs.origins[path] {
			taken, err := r.taken(ctx, target, theirs.came[path], at)
			if err != nil {
				return err
			}
			if taken || r.met[target] {
				continue // it stays
			}
		}
		if r.options.Folders == FoldersAsk {
			r.askWhere(path, target, at, theirs.came[path])
			continue
		}
		if theirs.origins[path] != "" {
			r.retarget(path, target)
		}
		r.rename(other, theirs.came[path], path, target)
		if _, renamed := r.edits[atBase][target]; !renamed {
			r.edits[atBase][target] = repo.Entry{} // what was there once, and went on both sides, is another file
		}
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
	for i, edits := range r.edits {
		if entry, ok := edits[path]; ok && !entry.IsZero() {
			delete(edits, path)
			entry.Name = name(target)
			edits[target] = entry
			r.put[i][path]--
			r.put[i][target]++
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

// taken says whether a side has a name for something else than the file that would be brought to it; the side that renamed the
// folder may have the very same.
func (r *renaming) taken(ctx context.Context, path string, file repo.Entry, renamed int) (bool, error) {
	for at := atLeft; at <= atRight; at++ {
		if edit, edited := r.edits[at][path]; edited && edit.IsZero() {
			continue // it has gone elsewhere
		}
		entry, err := repo.Find(ctx, r.objects, r.ids[at], path)
		if err != nil || !entry.IsZero() && (at != renamed || entry.Mode != file.Mode || entry.ID != file.ID) {
			return true, err
		}
	}
	return false, nil
}

// patch merges once more at the paths that renames concern, and puts those into what came out before. That is the same as
// merging all trees again, and costs as much as was renamed. ok is false where it cannot be done path by path: where a folder
// meets, or something was open besides, which renames may settle.
func (r *renaming) patch(ctx context.Context, plain Merged) (_ Merged, ok bool, err error) {
	paths := map[string]bool{}
	for _, edits := range r.edits {
		for path := range edits {
			paths[path] = true
		}
	}
	for _, c := range plain.Conflicts {
		if !paths[c.Path] {
			return Merged{}, false, nil
		}
	}
	r.objects.Prefetch(ctx, r.contents)
	var entries []repo.IndexEntry
	for _, path := range r.asRead(paths) {
		if below, err := r.belowFile(ctx, path, atBase, atLeft, atRight); err != nil || below {
			return Merged{}, false, err
		}
		t, err := r.at(ctx, path)
		if err != nil || !t.all(func(e repo.Entry) bool { return !isTree(e) }) {
			return Merged{}, false, err
		}
		was, err := repo.Find(ctx, r.objects, plain.Tree, path)
		if err != nil || isTree(was) {
			return Merged{}, false, err
		}
		is, err := r.entry(ctx, path[:len(path)-len(name(path))], t)
		if err != nil {
			return Merged{}, false, err
		}
		if !is.Same(was) {
			entries = append(entries, repo.IndexEntry{Path: path, Mode: is.Mode, ID: is.ID})
		}
	}
	slices.SortStableFunc(r.conflicts, func(a, b Conflict) int { return strings.Compare(a.Path, b.Path) })
	tree, err := repo.EditTree(ctx, r.objects, plain.Tree, entries)
	return r.merged(tree), true, err
}

// asRead puts paths into the order in which contents were asked for, which is that of the names in the base: the first are merged
// while the last are read.
func (r *renaming) asRead(paths map[string]bool) []string {
	return slices.SortedFunc(maps.Keys(paths), func(a, b string) int {
		return cmp.Or(strings.Compare(cmp.Or(r.from[a], a), cmp.Or(r.from[b], b)), strings.Compare(a, b))
	})
}

// at is what the three sides have at a path once the names are brought together.
func (r *renaming) at(ctx context.Context, path string) (t triple, err error) {
	for i, side := range []*repo.Entry{&t.base, &t.left, &t.right} {
		edited := false
		if *side, edited = r.edits[i][path]; edited {
			continue
		}
		if *side, err = r.entryOf(ctx, i, path); err != nil {
			return triple{}, err
		}
	}
	return t, nil
}

// entryOf is what one of the three sides has at a path. What was found to differ is known; where that is nothing, a folder may
// be there.
func (r *renaming) entryOf(ctx context.Context, at int, path string) (repo.Entry, error) {
	left, right := r.left.edits[path], r.right.edits[path]
	known := [3]repo.Entry{cmp.Or(left.Old, right.Old), left.New, right.New}[at]
	if !known.IsZero() {
		return known, nil
	}
	return repo.Find(ctx, r.objects, r.ids[at], path)
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
	r.conflicts = nil
	tree, err := r.root(ctx, r.ids[atBase], r.ids[atLeft], r.ids[atRight])
	if err != nil {
		return Merged{}, err
	}
	return r.merged(tree), nil
}

// merged is the outcome, with conflicts named by what was renamed.
func (r *renaming) merged(tree repo.ID) Merged {
	for i := range r.conflicts {
		c := &r.conflicts[i]
		c.From = r.from[c.Path]
		if from, ok := r.twoToOnes[c.Path]; ok && c.Kind == AddAdd {
			c.Kind, c.From, c.Other = TwoToOne, from[0], from[1]
		}
	}
	slices.SortFunc(r.followed, func(a, b Move) int { return strings.Compare(a.From, b.From) })
	return Merged{tree, append(r.conflicts, r.special...), r.followed}
}
