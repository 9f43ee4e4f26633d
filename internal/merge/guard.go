package merge

import (
	"context"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// Guard lists where a merge does not hold all that went in, besides what it asks about: each path that the right side added or
// changed must be at its place or at a listed move, each name given once, and nothing else of the left side may differ. It is
// empty unless merging has a fault, whichever way the outcome came about: it looks at the trees alone. The cost follows what
// the right side changed and what came of it.
func Guard(ctx context.Context, objects Objects, base, left, right repo.ID, merged Merged) ([]Conflict, error) {
	brought, err := Compare(ctx, objects, base, right)
	if err != nil {
		return nil, err
	}
	done, err := Compare(ctx, objects, left, merged.Tree)
	if err != nil {
		return nil, err
	}
	g := guard{objects: objects, trees: [3]repo.ID{base, left, right}, tree: merged.Tree, to: map[string]string{}, from: map[string][]string{},
		brought: map[string]Difference{}}
	for _, c := range merged.Conflicts {
		g.asked = append(g.asked, present(c.Path, c.From, c.Other)...)
	}
	for _, move := range merged.Followed {
		g.to[move.From], g.from[move.To] = move.To, append(g.from[move.To], move.From)
	}
	for _, d := range brought {
		g.brought[d.Path] = d
	}
	for _, d := range brought {
		if err := g.there(ctx, d); err != nil {
			return nil, err
		}
	}
	for _, d := range done {
		if err := g.meant(ctx, d); err != nil {
			return nil, err
		}
	}
	return g.faults, nil
}

// guarded gives an outcome that holds all that went in. One that does not is a fault of this package: it is told of, and nothing is
// merged; each path that the right side changed is asked about.
func guarded(ctx context.Context, objects Objects, options Options, ids [3]repo.ID, merged Merged) (Merged, error) {
	if err := lookAtBases(ctx, objects, merged.Conflicts); err != nil {
		return Merged{}, err
	}
	base, left, right := ids[0], ids[1], ids[2]
	faults, err := Guard(ctx, objects, base, left, right, merged)
	if err != nil || len(faults) == 0 {
		return merged, err
	}
	if options.Faulty != nil {
		options.Faulty(ctx, base, left, right, faults)
	}
	brought, err := Compare(ctx, objects, base, right)
	if err != nil {
		return Merged{}, err
	}
	g := guard{objects: objects, trees: ids}
	for _, d := range brought {
		if err := g.fault(ctx, d.Path, false); err != nil {
			return Merged{}, err
		}
	}
	return Merged{Tree: left, Conflicts: g.faults}, nil
}

type guard struct {
	objects Objects
	trees   [3]repo.ID        // base, left, right
	tree    repo.ID           // the outcome
	to      map[string]string // what moved where
	from    map[string][]string
	brought map[string]Difference // from base to right
	asked   []string
	faults  []Conflict
}

// there checks that what the right side did to a path is in the outcome.
func (g *guard) there(ctx context.Context, d Difference) error {
	is, err := g.outcome(ctx, d.Path)
	if err != nil || is.Same(d.New) {
		return err
	}
	old, err := repo.Find(ctx, g.objects, g.trees[atLeft], d.Path)
	if err != nil {
		return err
	}
	if d.New.IsZero() {
		if isTree(is) || g.from[d.Path] != nil || !old.Same(d.Old) && !is.IsZero() {
			return nil // something else is there now, or was brought there, or the left side has made something else of it
		}
		return g.fault(ctx, d.Path, is.IsZero())
	}
	for at := d.Path; ; at = g.to[at] {
		moved, err := g.holds(ctx, d, at)
		if err != nil || moved {
			return err
		}
		if g.to[at] == "" || g.to[at] == d.Path {
			return g.fault(ctx, d.Path, false)
		}
	}
}

// holds says whether the outcome has at a path what the right side brought: the very same, or merged with what the left side had.
func (g *guard) holds(ctx context.Context, d Difference, at string) (bool, error) {
	is, err := g.outcome(ctx, at)
	if err != nil || is.IsZero() || isTree(is) {
		return false, err
	}
	if is.Mode == d.New.Mode && is.ID == d.New.ID {
		return true, nil
	}
	if before, err := repo.Find(ctx, g.objects, g.trees[atBase], at); err != nil || at == d.Path && before.Same(is) {
		return false, err // as if nothing had been done
	}
	has, err := repo.Find(ctx, g.objects, g.trees[atLeft], at)
	if err != nil || !has.IsZero() && !isTree(has) {
		return sameForm(has, is) && (has.ID != d.Old.ID || is.ID == d.New.ID), err // else it would be what the right side has
	}
	for _, from := range g.from[at] { // merged with what the left side had at another name
		if has, err = repo.Find(ctx, g.objects, g.trees[atLeft], from); err != nil || from != d.Path && !has.IsZero() {
			return err == nil, err
		}
	}
	return false, nil
}

// meant checks that a path of the left side differs in the outcome because the right side wanted it so.
func (g *guard) meant(ctx context.Context, d Difference) error {
	if _, is := g.brought[d.Path]; is {
		return nil // there has looked at it
	}
	if !d.New.IsZero() {
		return g.fault(ctx, d.Path, g.from[d.Path] != nil)
	}
	to := g.to[d.Path]
	if to == "" {
		return g.fault(ctx, d.Path, false)
	}
	is, err := g.outcome(ctx, to)
	if err != nil || is.Mode == d.Old.Mode && is.ID == d.Old.ID {
		return err
	}
	merged := slices.ContainsFunc(append(g.from[to], to), func(path string) bool { return !g.brought[path].New.IsZero() })
	return g.fault(ctx, d.Path, merged && !is.IsZero())
}

func (g *guard) outcome(ctx context.Context, path string) (repo.Entry, error) {
	return repo.Find(ctx, g.objects, g.tree, path)
}

// fault notes a path, unless it is a right one after all.
func (g *guard) fault(ctx context.Context, path string, right bool) error {
	if right || slices.ContainsFunc(g.faults, func(c Conflict) bool { return c.Path == path }) {
		return nil
	}
	for at := path; at != ""; at = g.to[at] {
		if slices.ContainsFunc(g.asked, func(asked string) bool { return within(at, asked) || within(asked, at) }) {
			return nil
		}
	}
	var sides [3]repo.Entry
	for i, tree := range g.trees {
		var err error
		if sides[i], err = repo.Find(ctx, g.objects, tree, path); err != nil {
			return err
		}
		sides[i].Name = path[strings.LastIndexByte(path, '/')+1:]
		if sides[i].Mode == repo.ModeNone {
			sides[i] = repo.Entry{}
		}
	}
	g.faults = append(g.faults, Conflict{Path: path, Kind: Unaccounted, Base: sides[0], Left: sides[1], Right: sides[2]})
	return nil
}
