package replay

import (
	"context"
	"errors"
	"fmt"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// ErrUnrelated means that a merge is of histories without a common commit.
var ErrUnrelated = errors.New("the two have no commit in common")

// CommonTree is the content that a merge of a commit with others is held against: that of
// their best common ancestor. Where there are several they are merged first, as the
// repository does, and their own common ancestors before them. Errors: ErrUnrelated.
func CommonTree(ctx context.Context, r *repo.Repo, objects *repo.Overlay, options merge.Options, id repo.ID,
	others ...repo.ID) (repo.ID, error) {
	bases, err := r.MergeBases(ctx, id, others...)
	if err != nil {
		return repo.ID{}, err
	}
	if len(bases) == 0 {
		return repo.ID{}, fmt.Errorf("merge %s: %w", id.Short(), ErrUnrelated)
	}
	commits, err := r.Commits(ctx, bases)
	if err != nil {
		return repo.ID{}, err
	}
	tree := commits[0].Tree
	for i := 1; i < len(bases); i++ {
		below, err := CommonTree(ctx, r, objects, options, bases[i], bases[:i]...)
		if errors.Is(err, ErrUnrelated) {
			below, err = r.EmptyTree(), nil
		}
		if err != nil {
			return repo.ID{}, err
		}
		if tree, err = merge.Ancestor(ctx, objects, options, below, tree, commits[i].Tree); err != nil {
			return repo.ID{}, fmt.Errorf("merge the common ancestors %s and %s: %w", bases[0].Short(), bases[i].Short(), err)
		}
	}
	return tree, nil
}
