package app

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// MergesMade are the merges among commits that were made here on purpose, by finishing one or as an entry of a plan.
func (a *App) MergesMade(ctx context.Context, ids []repo.ID) ([]repo.ID, error) {
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return nil, err
	}
	var merges []repo.ID
	for i, c := range commits {
		if len(c.Parents) > 1 {
			merges = append(merges, ids[i])
		}
	}
	if len(merges) == 0 {
		return nil, nil
	}
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	made := map[repo.ID]bool{}
	for _, e := range slices.Backward(entries) { // the oldest first
		if e.Kind == journal.Commit {
			made[e.New] = true
		}
		for _, pair := range e.Pairs { // rewritten since
			made[pair[1]] = made[pair[1]] || made[pair[0]]
		}
		for _, pair := range e.Taken {
			made[pair[1]] = true
		}
	}
	return slices.DeleteFunc(merges, func(id repo.ID) bool { return !made[id] }), nil
}

// WithMergesMade makes a range with merges linear: those that were not made here on purpose go, and what somebody
// settled by hand in one, beyond what its sides say together, becomes a commit of its
// own in the merge's place.
func (a *App) WithMergesMade(ctx context.Context, plan shape.Plan) (shape.Plan, error) {
	ids, commits, err := a.ownCommits(ctx, plan.Base, plan.Tip)
	if err != nil || len(ids) == len(plan.Sources) {
		return plan, err
	}
	place := 0
	for i, c := range commits {
		if !isMerge(c) {
			place++
			continue
		}
		settled, err := a.resolutionOf(ctx, ids[i], c)
		if err != nil {
			return plan, err
		}
		if !settled.IsZero() {
			plan = plan.Insert(place, settled)
			place++
		}
	}
	return plan, nil
}

// resolutionOf makes a commit of what a merge holds beyond the merging of its sides; zero
// if that is nothing.
func (a *App) resolutionOf(ctx context.Context, id repo.ID, c *repo.Commit) (repo.ID, error) {
	if len(c.Parents) > 2 {
		return repo.ID{}, Refuse("Commit %s (%s) merges more than two sides, which Bastel cannot make linear. Start after it: --base %s.",
			id.Short(), c.Subject(), id.Short())
	}
	merged, overlay, err := a.mergeIn(ctx, c.Parents[0], c.Parents[1])
	auto, conflicts := merged.Tree, merged.Conflicts
	if err != nil || auto == c.Tree {
		return repo.ID{}, err
	}
	text := fmt.Sprintf("Resolve conflicts in %q\n", c.Subject())
	if len(conflicts) > 0 {
		text += "\nResolved by hand:\n"
		for _, conflict := range conflicts {
			text += conflict.Path + "\n"
		}
	}
	// The commit before it stands for the sides as they are merged by themselves.
	before := &repo.Commit{Tree: auto, Parents: slices.Clone(c.Parents[:1]), Author: c.Author, Committer: c.Committer, Message: "merged\n"}
	made := &repo.Commit{Tree: c.Tree, Parents: []repo.ID{overlay.Put(repo.KindCommit, before.Encode())}, Author: c.Author,
		Committer: c.Committer, Message: text}
	settled := overlay.Put(repo.KindCommit, made.Encode())
	return settled, overlay.Flush(ctx, settled)
}

// MergeCommits merges what two commits hold, by what they have in common. What comes out is written where nothing conflicts.
func (a *App) MergeCommits(ctx context.Context, one, other repo.ID) (merge.Merged, error) {
	merged, overlay, err := a.mergeIn(ctx, one, other)
	if err == nil && len(merged.Conflicts) == 0 {
		err = overlay.Flush(ctx, merged.Tree)
	}
	return merged, err
}

// mergeIn does so in memory. Unrelated histories have nothing in common.
func (a *App) mergeIn(ctx context.Context, one, other repo.ID) (merged merge.Merged, overlay *repo.Overlay, err error) {
	overlay = a.Repo.NewOverlay()
	rules := a.Repo.NewMergeRules()
	defer rules.Close()
	options, err := replay.Options(ctx, a.Repo, rules)
	if err != nil {
		return merged, overlay, err
	}
	base, err := replay.CommonTree(ctx, a.Repo, overlay, options, one, other)
	if errors.Is(err, replay.ErrUnrelated) {
		base, err = a.Repo.EmptyTree(), nil
	}
	if err != nil {
		return merged, overlay, err
	}
	var trees []repo.ID
	for _, commit := range []repo.ID{one, other} {
		tree, err := a.TreeOf(ctx, commit)
		if err != nil {
			return merged, overlay, err
		}
		trees = append(trees, tree)
	}
	merged, err = merge.TreesWith(ctx, overlay, options, base, trees[0], trees[1])
	return merged, overlay, err
}
