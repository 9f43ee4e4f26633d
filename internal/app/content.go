package app

import (
	"bytes"
	"context"
	"fmt"
	"slices"

	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/sweep"
)

// leftBehind is a line that a commit would bring in and that is hardly meant.
type leftBehind struct {
	path string
	line int // counted from 1
}

// GuardContent looks at the lines that commits bring in, tree after tree. Conflict markers are refused unless
// they are meant; of other leftovers it gives a sentence. With several parents, of a merge, only markers that
// none of them has count.
func (a *App) GuardContent(ctx context.Context, objects *repo.Overlay, meant bool, parents []repo.ID, trees ...repo.ID) (said string,
	err error) {
	finder, err := a.LeftoverFinder(ctx)
	if err != nil {
		return "", err
	}
	g := contentGuard{objects: objects, finder: finder, meant: meant, parents: parents}
	for _, tree := range trees {
		if err := g.look(ctx, tree); err != nil {
			return "", err
		}
		g.parents = []repo.ID{tree}
	}
	switch n := len(g.leftovers); {
	case n == 1:
		return fmt.Sprintf("it holds a leftover, %s line %d.", g.leftovers[0].path, g.leftovers[0].line), nil
	case n > 1:
		return fmt.Sprintf("it holds %d leftovers, %s line %d for one.", n, g.leftovers[0].path, g.leftovers[0].line), nil
	}
	return "", nil
}

// contentGuard looks at the lines that one tree after the other brings in.
type contentGuard struct {
	objects   *repo.Overlay
	finder    *sweep.Finder
	meant     bool
	parents   []repo.ID // trees
	leftovers []leftBehind
}

func (g *contentGuard) look(ctx context.Context, tree repo.ID) error {
	differences, err := merge.Compare(ctx, g.objects, g.parents[0], tree)
	if err != nil {
		return err
	}
	var blobs []repo.ID
	for _, d := range differences {
		if d.New.Mode.IsFile() {
			blobs = append(blobs, d.New.ID)
		}
	}
	large, err := g.objects.Larger(ctx, blobs, repo.LargeFile)
	if err != nil {
		return err
	}
	for _, d := range differences {
		if !d.New.Mode.IsFile() || large[d.New.ID] {
			continue
		}
		text, err := g.objects.Blob(ctx, d.New.ID)
		if err != nil {
			return err
		}
		if err := g.lookInto(ctx, d.Path, text); err != nil {
			return err
		}
	}
	return nil
}

func (g *contentGuard) lookInto(ctx context.Context, path string, text []byte) error {
	if merge.IsBinary(text) {
		return nil
	}
	added, err := addedLines(ctx, g.objects, path, text, g.parents)
	if err != nil {
		return err
	}
	lines := diff.Split(text)
	if at := conflictIn(lines, added); at > 0 && !g.meant {
		question := fmt.Sprintf("There are conflict markers in %q, in line %d for one. Nothing was committed.", path, at)
		return &Refusal{Question: question, Err: ErrMarkers,
			Reason: question + " Resolve the conflict first, or say that the lines are intended with --allow-markers."}
	}
	matches := g.finder.In(path)
	for _, n := range added {
		if len(g.parents) == 1 && matches != nil && matches(bytes.TrimRight(lines[n], "\r\n")) {
			g.leftovers = append(g.leftovers, leftBehind{path, n + 1})
		}
	}
	return nil
}

// addedLines are the places of the lines that no parent has, where a line compares as added to it.
func addedLines(ctx context.Context, objects merge.Objects, path string, text []byte, parents []repo.ID) ([]int, error) {
	var added []int
	for i, parent := range parents {
		old, err := repo.Find(ctx, objects, parent, path)
		if err != nil {
			return nil, err
		}
		var before []byte
		if old.Mode.IsFile() {
			if before, err = objects.Blob(ctx, old.ID); err != nil {
				return nil, err
			}
		}
		var here []int
		for _, c := range diff.Text(before, text) {
			for n := c.NewStart; n < c.NewEnd; n++ {
				if i == 0 || slices.Contains(added, n) {
					here = append(here, n)
				}
			}
		}
		added = here
	}
	return added, nil
}

// conflictIn finds a conflict among added lines: its marker lines in their order. It gives the first one's number, counted
// from 1; 0: there is none. A line of equals signs by itself is a heading's.
func conflictIn(lines [][]byte, added []int) int {
	first, next := 0, 0
	for _, n := range added {
		if !mend.IsMarker(lines[n], 0) || lines[n][0] != "<=>"[next] {
			continue
		}
		if next++; next == 1 {
			first = n + 1
		}
		if next == 3 {
			return first
		}
	}
	return 0
}
