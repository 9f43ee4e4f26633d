package replay

import (
	"context"
	"fmt"

	"bastel/internal/repo"
)

// Signer stores a commit with a signature, and gives its id; the commit's content and
// parents are stored already.
type Signer func(ctx context.Context, c *repo.Commit) (repo.ID, error)

// Sign makes the commits of a forecast anew, oldest first, each stored by a signer on what
// its parent became. The forecast has their ids afterwards.
func (f *Forecast) Sign(ctx context.Context, sign Signer, progress Progress) error {
	var contents []repo.ID
	for _, step := range f.Steps {
		if !step.Commit.IsZero() && !step.Kept {
			contents = append(contents, step.Tree)
		}
	}
	if err := f.objects.Flush(ctx, contents...); err != nil {
		return fmt.Errorf("store what is to be signed: %w", err)
	}
	became := map[repo.ID]repo.ID{}
	for i := range f.Steps {
		step := &f.Steps[i]
		if step.Commit.IsZero() || step.Kept {
			continue
		}
		c, err := f.commit(ctx, step.Commit)
		if err != nil {
			return err
		}
		for at, parent := range c.Parents {
			if signed, ok := became[parent]; ok {
				c.Parents[at] = signed
			}
		}
		id, err := sign(ctx, c)
		if err != nil {
			return fmt.Errorf("sign entry %d: %w", i+1, err)
		}
		became[step.Commit], step.Commit = id, id
		if progress != nil {
			progress(i+1, len(f.Steps))
		}
	}
	if tip, ok := became[f.Tip]; ok {
		f.Tip = tip
	}
	return nil
}

// commit reads one that the forecast made.
func (f *Forecast) commit(ctx context.Context, id repo.ID) (*repo.Commit, error) {
	object, err := f.objects.Object(ctx, id)
	if err != nil {
		return nil, fmt.Errorf("read what is to be signed: %w", err)
	}
	c, err := repo.ParseCommit(object.Data)
	if err != nil {
		return nil, fmt.Errorf("read what is to be signed, %s: %w", id.Short(), err)
	}
	return c, nil
}
