package merge

import (
	"context"

	"bastel/internal/repo"
)

// BothWays merges where renames were found: at their paths only, if that can be done, and everything again.
func BothWays(ctx context.Context, objects Objects, options Options, base, left, right repo.ID) (patched, again Merged, ok bool,
	err error) {
	m := treeMerge{objects: objects, options: options}
	tree, err := m.root(ctx, base, left, right)
	if err != nil {
		return patched, again, false, err
	}
	var c comparison
	c.begin(ctx, objects, base, left, right)
	sides, err := c.end()
	if err != nil {
		return patched, again, false, err
	}
	var found [2]*renaming
	for i := range found {
		found[i], err = m.findRenames(ctx, [3]repo.ID{base, left, right}, sides)
		if err != nil || len(found[i].left.moves)+len(found[i].right.moves) == 0 {
			return patched, again, false, err
		}
	}
	if patched, ok, err = found[0].patch(ctx, Merged{Tree: tree, Conflicts: m.conflicts}); err != nil || !ok {
		return patched, again, false, err
	}
	again, err = found[1].again(ctx)
	return patched, again, true, err
}
