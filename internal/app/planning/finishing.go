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

// waitingCommit is what becomes of a merge, a pick or a revert that waits and is resolved.
type waitingCommit struct {
	parents []repo.ID
	author  string                 // empty: the user, now
	hook    string                 // that looks at the content
	reflog  string                 // before the subject
	ends    func(name string) bool // what the repository keeps of it, which goes
	after   []string               // the hook that comes after, with its arguments
}

// makeWaiting makes the commit of what waits, through the repository's hooks. Lines that look like conflict markers are refused unless
// they are meant.
func (a *App) makeWaiting(ctx context.Context, of waitingCommit, message string, meant bool) (made app.Made, err error) {
	if app.CleanMessage(message) == "" {
		return made, app.Refuse("A commit needs a message that says what changes.")
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return made, err
	}
	if err := a.Repo.RunHook(ctx, of.hook); err != nil {
		return made, app.RefusalFor(err)
	}
	if message, err = a.CheckMessage(ctx, message); err != nil {
		return made, err
	}
	tree, err := a.Repo.WriteTree(ctx)
	if err != nil {
		return made, err
	}
	var sides []repo.ID
	for _, parent := range of.parents {
		side, err := a.TreeOf(ctx, parent)
		if err != nil {
			return made, err
		}
		sides = append(sides, side)
	}
	if len(sides) == 1 && sides[0] == tree {
		return made, app.Refuse("Nothing is left of it: what it changes is there already. A in Mend skips it, and so does bastel mend --skip.")
	}
	if _, err := a.GuardContent(ctx, a.Repo.NewOverlay(), meant, sides, tree); err != nil {
		return made, err
	}
	id, err := a.Repo.CommitTree(ctx, repo.NewCommit{Tree: tree, Parents: of.parents, Message: message, Author: of.author})
	if err != nil {
		return made, app.SignerRefusal(err)
	}
	made.Commits = []repo.ID{id}
	title := repo.Subject(message)
	entry := journal.Entry{Kind: journal.Commit, Ref: app.BranchRef(head), Old: head.Commit, New: id, Title: title}
	if entry.State, err = a.StateSteps(ctx, func(name string) bool { return !of.ends(name) }); err != nil {
		return made, err
	}
	op := &app.Operation{Entry: entry, Reflog: of.reflog + title, Hooks: func(ctx context.Context) error {
		return errors.Join(a.WriteState(app.WaitingFile, ""), a.Repo.RunHook(ctx, of.after[0], of.after[1:]...))
	}}
	made.Warning, err = a.CarryOut(ctx, op)
	return made, err
}

// waitingMerge is the merge that waits.
func (a *App) waitingMerge(ctx context.Context, head repo.ID) (of waitingCommit, err error) {
	others, err := a.Repo.OperationHeads(repo.MergeHead)
	if err != nil {
		return of, err
	}
	kept, err := a.Repo.UnderWay()
	if err != nil {
		return of, err
	}
	if _, put := kept[repo.MergeAutostash]; put {
		return of, app.Refuse("Loose work was put away when this merge began, which git commit brings back: finish it with that.")
	}
	of = waitingCommit{hook: "pre-merge-commit", reflog: "commit (merge): ", after: []string{"post-merge", "0"},
		ends: func(name string) bool { return slices.Contains(stateOfMerge, name) }}
	of.parents, err = a.parentsOfMerge(ctx, append([]repo.ID{head}, others...))
	return of, err
}

// waitingPick is the pick or the revert that waits: the one with the picked commit's author and date, the other the user's own.
func (a *App) waitingPick(ctx context.Context, head repo.ID, endsSequence bool) (of waitingCommit, err error) {
	picked, _, err := a.Repo.OperationHead(repo.CherryPickHead)
	if err != nil {
		return of, err
	}
	of = waitingCommit{parents: []repo.ID{head}, hook: "pre-commit", reflog: "commit: ", after: []string{"post-commit"},
		ends: func(name string) bool {
			return slices.Contains(stateOfPick, name) || endsSequence && strings.HasPrefix(name, "sequencer/")
		}}
	if picked.IsZero() {
		return of, nil
	}
	c, err := a.Repo.Commit(ctx, picked)
	if err == nil {
		of.author, of.reflog = c.Author, "commit (cherry-pick): "
	}
	return of, err
}

// What the repository keeps of a merge, and of one pick or revert.
var (
	stateOfMerge = []string{"MERGE_MSG", "MERGE_MODE", repo.AutoMerge, repo.MergeHead}
	stateOfPick  = []string{"MERGE_MSG", repo.AutoMerge, repo.CherryPickHead, repo.RevertHead}
)

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
