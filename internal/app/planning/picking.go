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

// stateOfPick is what the repository keeps of one pick or revert.
var stateOfPick = []string{"MERGE_MSG", repo.AutoMerge, repo.CherryPickHead, repo.RevertHead}

// FinishPick makes the commit of a pick or a revert that waits and is resolved: with the picked commit's author and date, through the
// repository's hooks. With endsSequence what is left of the sequence is ended too; who asks for that carries it out.
func (a *App) FinishPick(ctx context.Context, message string, meant, endsSequence bool) (made app.Made, err error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	author, err := a.pickToFinish(ctx)
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
	if err := a.Repo.RunHook(ctx, "pre-commit"); err != nil {
		return made, app.RefusalFor(err)
	}
	if message, err = a.CheckMessage(ctx, message); err != nil {
		return made, err
	}
	tree, err := a.Repo.WriteTree(ctx)
	if err != nil {
		return made, err
	}
	before, err := a.TreeOf(ctx, head.Commit)
	if err != nil {
		return made, err
	}
	if tree == before {
		return made, &app.Refusal{Reason: "Nothing is left of it: what it changes is there already. Skip it.", Err: ErrNothingLeft}
	}
	if _, err := a.GuardContent(ctx, a.Repo.NewOverlay(), meant, []repo.ID{before}, tree); err != nil {
		return made, err
	}
	id, err := a.Repo.CommitTree(ctx, repo.NewCommit{Tree: tree, Parents: []repo.ID{head.Commit}, Message: message, Author: author})
	if err != nil {
		return made, app.SignerRefusal(err)
	}
	made.Commits = []repo.ID{id}
	title := repo.Subject(message)
	entry := journal.Entry{Kind: journal.Commit, Ref: app.BranchRef(head), Old: head.Commit, New: id, Title: title}
	entry.State, err = a.StateSteps(ctx, func(name string) bool {
		return !slices.Contains(stateOfPick, name) && !(endsSequence && strings.HasPrefix(name, "sequencer/"))
	})
	if err != nil {
		return made, err
	}
	op := &app.Operation{Entry: entry, Reflog: "commit (cherry-pick): " + title,
		Hooks: func(ctx context.Context) error {
			return errors.Join(a.WriteState(app.WaitingFile, ""), a.Repo.RunHook(ctx, "post-commit"))
		}}
	made.Warning, err = a.CarryOut(ctx, op)
	return made, err
}

// ErrNothingLeft is a pick whose answers leave nothing of it.
var ErrNothingLeft = errors.New("nothing is left of it")

// pickToFinish gives the author of a pick that waits and is resolved; empty for a revert, which is the user's own.
func (a *App) pickToFinish(ctx context.Context) (author string, err error) {
	picked, _, err := a.Repo.OperationHead(repo.CherryPickHead)
	if err != nil {
		return "", err
	}
	reverted, _, err := a.Repo.OperationHead(repo.RevertHead)
	if err != nil {
		return "", err
	}
	if picked.IsZero() && reverted.IsZero() {
		return "", app.Refuse("No pick or revert waits here.")
	}
	stages, err := a.Repo.Unmerged(ctx)
	if err == nil && len(stages) > 0 {
		err = app.Refuse("%q is not resolved yet.", stages[0].Path)
	}
	if err != nil || picked.IsZero() {
		return "", err
	}
	c, err := a.Repo.Commit(ctx, picked)
	if err != nil {
		return "", err
	}
	return c.Author, nil
}
