package replay

import (
	"context"
	"fmt"

	"bastel/internal/repo"
	"bastel/internal/shape"
)

// ReplayTrees makes commits anew with other contents: each source, oldest first, gets the
// tree at its place. Messages, authors and dates stay. A commit of which nothing is
// left, while its source changed something, does not come out.
func (e *Engine) ReplayTrees(ctx context.Context, onto repo.ID, sources, trees []repo.ID, committer string) (*Forecast, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	ids := sources
	if !onto.IsZero() {
		ids = append([]repo.ID{onto}, sources...)
	}
	commits, err := e.readCommits(ctx, ids)
	if err == nil {
		_, err = e.readCommits(ctx, parentsOf(commits))
	}
	if err != nil {
		return nil, fmt.Errorf("read the commits: %w", err)
	}
	r := run{Engine: e, committer: committer, parent: onto, tree: e.repo.EmptyTree()}
	if !onto.IsZero() {
		r.tree = e.commits[onto].Tree
	}
	f := &Forecast{objects: e.objects}
	for i, id := range sources {
		source := e.commits[id]
		step := Step{From: []repo.ID{id}, Sources: []repo.ID{id}, Title: source.Subject(), Result: Clean, Tree: trees[i]}
		if trees[i] == r.tree && e.treeBefore(source) != source.Tree {
			step.Result, step.Reason = Empty, "Nothing is left of it."
		} else {
			r.tree = trees[i]
			if err := r.commit(shape.Entry{From: []repo.ID{id}}, &step); err != nil {
				return nil, err
			}
		}
		f.Steps = append(f.Steps, step)
	}
	f.Tip, f.Tree, f.Signatures = r.parent, r.tree, r.signatures
	return f, nil
}
