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
func (e *Engine) Sign(ctx context.Context, f *Forecast, sign Signer, progress Progress) error {
	e.mu.Lock()
	defer e.mu.Unlock()
	var contents []repo.ID
	for _, step := range f.Steps {
		if !step.Commit.IsZero() && !step.Kept {
			contents = append(contents, step.Tree)
		}
	}
	if err := e.objects.Flush(ctx, contents...); err != nil {
		return fmt.Errorf("store what is to be signed: %w", err)
	}
	became := map[repo.ID]repo.ID{}
	for i := range f.Steps {
		step := &f.Steps[i]
		if step.Commit.IsZero() || step.Kept {
			continue
		}
		c := *e.commits[step.Commit]
		c.Parents = nil
		for _, parent := range e.commits[step.Commit].Parents {
			if signed, ok := became[parent]; ok {
				parent = signed
			}
			c.Parents = append(c.Parents, parent)
		}
		id, err := sign(ctx, &c)
		if err != nil {
			return fmt.Errorf("sign entry %d: %w", i+1, err)
		}
		became[step.Commit], step.Commit = id, id
		e.commits[id] = &c
		if progress != nil {
			progress(i+1, len(f.Steps))
		}
	}
	if tip, ok := became[f.Tip]; ok {
		f.Tip = tip
	}
	return nil
}
