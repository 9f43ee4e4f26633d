package planning

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/wording"
)

// sequenceRest is what is left of a sequence of picks or reverts behind the one that waits.
type sequenceRest struct {
	commits []repo.ID
	reverts bool
}

// restOfSequence reads it. Where it is not understood nothing is: the one that waits is then made, and the command is named for the rest.
func (a *App) restOfSequence(ctx context.Context) (rest sequenceRest, err error) {
	kept, err := a.Repo.UnderWay()
	if err != nil {
		return rest, err
	}
	lines, err := repo.ParseTodo(kept["sequencer/todo"])
	if err != nil {
		return rest, a.notUnderstood("%s.", err)
	}
	for line := range strings.Lines(string(kept["sequencer/opts"])) {
		switch name, _, _ := strings.Cut(strings.TrimSpace(line), " "); name {
		case "", "[options]", "edit", "allow-ff":
		default:
			return rest, a.notUnderstood("It was begun with the option %s.", name)
		}
	}
	for i, line := range lines {
		if line.Command != lines[0].Command || line.Command != "pick" && line.Command != "revert" {
			return rest, a.notUnderstood("Its list says “%s”.", line.Text)
		}
		id, err := a.CommitNamed(ctx, line.Name)
		if err != nil {
			return rest, err
		}
		if rest.reverts = line.Command == "revert"; i > 0 { // the first one is the one that waits
			rest.commits = append(rest.commits, id)
		}
	}
	head, err := a.Repo.Head(ctx)
	if err == nil && head.Ref == "" && len(rest.commits) > 0 {
		err = a.notUnderstood("HEAD is on no branch, and %s to come.", wording.Count(len(rest.commits), "commit"))
	}
	return rest, err
}

// goOnWith carries the rest of a sequence out on the branch that is checked out, in one step; what conflicts is a plan in Shape.
func (a *App) goOnWith(ctx context.Context, rest sequenceRest) (taken TakenOver, err error) {
	if taken.Plan, err = a.planOfRest(ctx, rest); err != nil {
		return taken, err
	}
	before := a.ReadState(app.PlanFile(taken.Plan.Branch))
	if before != "" {
		if _, err = a.putAside(taken.Plan.Branch, before, errors.New("a sequence was taken over")); err != nil {
			return taken, err
		}
	}
	if err = a.KeepPlan(ctx, taken.Plan); err != nil {
		return taken, err
	}
	return a.applyTaken(ctx, taken)
}

func (a *App) planOfRest(ctx context.Context, rest sequenceRest) (plan shape.Plan, err error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return plan, err
	}
	if plan, err = a.PlanFor(ctx, head, "", ""); err != nil {
		return plan, err
	}
	if !rest.reverts {
		return a.WithTaken(ctx, plan, len(plan.Next), rest.commits)
	}
	for _, id := range rest.commits {
		message, err := a.usualRevertMessage(ctx, id)
		if err != nil {
			return plan, err
		}
		if plan, err = a.WithRevert(ctx, plan, []repo.ID{id}, message); err != nil {
			return plan, err
		}
	}
	return plan, nil
}

// usualRevertMessage is the one that the repository's own command gives a revert.
func (a *App) usualRevertMessage(ctx context.Context, id repo.ID) (string, error) {
	c, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return "", err
	}
	return fmt.Sprintf("Revert %q\n\nThis reverts commit %s.\n", c.Subject(), id), nil
}

// FinishWaiting makes the commit of what waits and is resolved, a merge, a pick or a revert, with its message, and goes on with what is
// left of its sequence; a rebase goes on to its end. It says what came of it.
func (a *App) FinishWaiting(ctx context.Context, message string, meant bool) (made app.Made, said string, err error) {
	op, busy := a.Repo.Unfinished()
	switch {
	case !busy:
		return made, "", app.Refuse("No merge waits here.")
	case op.Name == "rebase":
		taken, err := a.GoOn(ctx, false)
		return app.Made{Warning: taken.Applied.Warning}, taken.Sentence(), err
	case !app.FinishesHere(op.Name):
		return made, "", app.Refuse("A %s is finished by %s.", op.Name, op.Finish)
	}
	rest, notUnderstood := a.restOfSequence(ctx)
	if made, err = a.finishOne(ctx, op.Name, message, meant, notUnderstood == nil); err != nil {
		return made, "", err
	}
	said = fmt.Sprintf("The %s is made: %s. u undoes it.", op.Name, made.Commits[0].Short())
	switch {
	case notUnderstood != nil:
		return made, said + " The rest is left to the repository's own command: " + op.Finish + ".", nil
	case len(rest.commits) == 0:
		return made, said, nil
	}
	taken, err := a.goOnWith(ctx, rest)
	return made, said + " " + taken.Sentence(), err
}

// finishOne makes the one commit that waits.
func (a *App) finishOne(ctx context.Context, operation, message string, meant, endsSequence bool) (made app.Made, err error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	stages, err := a.Repo.Unmerged(ctx)
	if err == nil && len(stages) > 0 {
		err = app.Refuse("%q is not resolved yet.", stages[0].Path)
	}
	if err != nil {
		return made, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return made, err
	}
	var of waitingCommit
	if operation == "merge" {
		of, err = a.waitingMerge(ctx, head.Commit)
	} else {
		of, err = a.waitingPick(ctx, head.Commit, endsSequence)
	}
	if err != nil {
		return made, err
	}
	return a.makeWaiting(ctx, of, message, meant)
}

// Skip leaves out the commit that waits, as the repository's own command does, and goes on with the rest.
func (a *App) Skip(ctx context.Context) (said string, err error) {
	op, _ := a.Repo.Unfinished()
	if op.Name == "rebase" {
		taken, err := a.GoOn(ctx, true)
		return "Skipped. " + taken.Sentence(), err
	}
	if op.Name != "cherry-pick" && op.Name != "revert" {
		return "", app.Refuse("Nothing waits here that could be skipped.")
	}
	rest, err := a.restOfSequence(ctx)
	if err != nil {
		return "", err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return "", err
	}
	if _, err := a.EndUnderWay(ctx, "skipped a "+op.Name, head); err != nil || len(rest.commits) == 0 {
		return "Skipped. u undoes it.", err
	}
	taken, err := a.goOnWith(ctx, rest)
	return "Skipped. " + taken.Sentence(), err
}

// Sentence says what became of it.
func (t TakenOver) Sentence() string {
	if !t.Done {
		return t.Says
	}
	return fmt.Sprintf("All of it is done: %s on %s. u undoes it.", wording.Count(t.Applied.Commits, "commit"), t.Plan.Branch)
}
