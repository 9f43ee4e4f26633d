package planning

import (
	"context"
	"errors"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/repo"
)

// MergeDraft is the message for the merge that waits; with what had conflicted, if bastel.nameResolved asks for it.
func (a *App) MergeDraft(ctx context.Context) (string, error) {
	text, err := a.WithoutHints(ctx, a.Repo.MergeMessage())
	if err != nil {
		return "", err
	}
	if named, err := a.Repo.ConfigBool(ctx, "bastel.nameResolved"); err != nil || !named {
		return text, err
	}
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return "", err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return "", err
	}
	var paths []string
	for _, e := range journal.StateOf(entries, a.Repo.WorktreeName()).Done {
		if e.Kind != journal.Mend || e.New != head.Commit {
			continue
		}
		for _, f := range e.Index {
			if path := string(f.Path); !slices.Contains(paths, path) {
				paths = append(paths, path)
			}
		}
	}
	if len(paths) == 0 {
		return text, nil
	}
	slices.Sort(paths)
	return text + "\nResolved by hand:\n" + strings.Join(paths, "\n") + "\n", nil
}

// FinishMerge makes the commit of a merge that waits, through the repository's hooks.
// Lines that look like conflict markers are refused unless they are meant.
func (a *App) FinishMerge(ctx context.Context, message string, meant bool) (app.Made, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	var made app.Made
	others, err := a.mergeToFinish(ctx)
	if err != nil {
		return made, err
	}
	if app.CleanMessage(message) == "" {
		return made, app.Refuse("A commit needs a message that says what changes.")
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return made, err
	}
	if err := a.Repo.RunHook(ctx, "pre-merge-commit"); err != nil {
		return made, app.RefusalFor(err)
	}
	if message, err = a.CheckMessage(ctx, message); err != nil {
		return made, err
	}
	tree, err := a.Repo.WriteTree(ctx)
	if err != nil {
		return made, err
	}
	parents, err := a.parentsOfMerge(ctx, append([]repo.ID{head.Commit}, others...))
	if err != nil {
		return made, err
	}
	var sides []repo.ID
	for _, parent := range parents {
		side, err := a.TreeOf(ctx, parent)
		if err != nil {
			return made, err
		}
		sides = append(sides, side)
	}
	if _, err := a.GuardContent(ctx, a.Repo.NewOverlay(), meant, sides, tree); err != nil {
		return made, err
	}
	id, err := a.Repo.CommitTree(ctx, repo.NewCommit{Tree: tree, Parents: parents, Message: message})
	if err != nil {
		return made, app.SignerRefusal(err)
	}
	made.Commits = []repo.ID{id}
	title := repo.Subject(message)
	entry := journal.Entry{Kind: journal.Commit, Ref: app.BranchRef(head), Old: head.Commit, New: id, Title: title}
	if entry.State, err = a.StateSteps(ctx, func(name string) bool { return !slices.Contains(stateOfMerge, name) }); err != nil {
		return made, err
	}
	op := &app.Operation{Entry: entry, Reflog: "commit (merge): " + title,
		Hooks: func(ctx context.Context) error {
			return errors.Join(a.WriteState(app.WaitingFile, ""), a.Repo.RunHook(ctx, "post-merge", "0"))
		}}
	if made.Warning, err = a.CarryOut(ctx, op); err != nil {
		return made, err
	}
	return made, nil
}

// stateOfMerge is what the repository keeps of a merge.
var stateOfMerge = []string{"MERGE_MSG", "MERGE_MODE", repo.AutoMerge, repo.MergeHead}

// parentsOfMerge are the sides of a merge that become its parents: as with the repository's own, those that others of them hold are not,
// unless that was asked for when it began.
func (a *App) parentsOfMerge(ctx context.Context, sides []repo.ID) (parents []repo.ID, err error) {
	if len(sides) == 2 || a.Repo.MergesAllSides() {
		return sides, nil
	}
	for i, side := range sides {
		held := false
		for k, other := range sides {
			if i == k || held {
				continue
			}
			if held, err = a.Repo.IsAncestor(ctx, side, other); err != nil {
				return nil, err
			}
			held = held && (side != other || k < i) // of two that are the same the first stays
		}
		if !held {
			parents = append(parents, side)
		}
	}
	return parents, nil
}

// mergeToFinish are the commits that are merged, where a merge waits and is resolved.
func (a *App) mergeToFinish(ctx context.Context) ([]repo.ID, error) {
	others, err := a.Repo.OperationHeads(repo.MergeHead)
	switch {
	case err != nil:
		return nil, err
	case len(others) == 0:
		return nil, app.Refuse("No merge waits here.")
	}
	stages, err := a.Repo.Unmerged(ctx)
	if err == nil && len(stages) > 0 {
		err = app.Refuse("%q is not resolved yet.", stages[0].Path)
	}
	return others, err
}
