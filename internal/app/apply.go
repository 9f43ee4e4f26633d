package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// Applied is what came out of a plan.
type Applied struct {
	Old, New    repo.ID
	Commits     int // commits from where the series begins
	SameContent bool
	Warning     string // what a hook that runs afterwards had to complain about
}

// Apply rewrites the branch as the plan says, in one step, or refuses and changes
// nothing. Loose and staged changes are carried along.
func (a *App) Apply(ctx context.Context, plan shape.Plan, progress replay.Progress) (Applied, error) {
	if err := a.free(); err != nil {
		return Applied{}, err
	}
	forecast, err := a.Forecast(ctx, plan, progress)
	if err != nil {
		return Applied{}, err
	}
	if forecast.Conflicts() > 0 {
		return Applied{}, conflictRefusal(forecast)
	}
	result := Applied{Old: plan.Tip, New: forecast.Tip, SameContent: forecast.SameContent}
	for _, step := range forecast.Steps {
		if step.Result == replay.Clean {
			result.Commits++
		}
	}
	if result.New.IsZero() {
		return result, refuse("The plan leaves the branch without any commit. Keep at least one.")
	}
	if result.New == result.Old {
		return result, nil
	}
	if err := a.engine.Flush(ctx, forecast.Tip); err != nil {
		return result, err
	}
	if err := a.moveBranch(ctx, branchMove{
		entry: journal.Entry{
			Kind: journal.Apply, Ref: "refs/heads/" + plan.Branch, Old: plan.Tip, New: forecast.Tip,
			Title: fmt.Sprintf("%s into %s", Count(len(plan.Sources), "commit"), Count(result.Commits, "commit")),
			Pairs: forecast.Pairs(),
		},
		reflog: "shape: " + Count(len(plan.Sources), "commit") + " into " + Count(result.Commits, "commit"),
	}); err != nil {
		return result, err
	}
	if err := a.Repo.RunPostRewrite(ctx, forecast.Pairs()); err != nil {
		result.Warning = err.Error()
	}
	return result, nil
}

func conflictRefusal(f *replay.Forecast) error {
	var lines []string
	for i, step := range f.Steps {
		if step.Result == replay.Conflict {
			lines = append(lines, fmt.Sprintf("entry %d, %s: %s", i+1, step.Title, step.Reason))
		}
	}
	return &Refusal{Reason: "The plan has conflicts, and nothing was changed:\n" + strings.Join(lines, "\n"), Err: ErrConflict}
}

// branchMove takes the current branch from one commit to another, with index and
// working tree.
type branchMove struct {
	entry  journal.Entry
	reflog string
}

// unfinishedStep is kept in a file while the working tree is on its way, so that
// a crash can be mended at the next start.
type unfinishedStep struct {
	Ref     string  `json:"ref"`
	Old     repo.ID `json:"old"`
	New     repo.ID `json:"new"`
	OldTree repo.ID `json:"old_tree"`
	NewTree repo.ID `json:"new_tree"`
}

// moveBranch is before or after, never between: everything that can be refused is
// tried first, then the refs move in one transaction, then the working tree
// follows. If that fails after all, the refs move back.
func (a *App) moveBranch(ctx context.Context, move branchMove) error {
	step, err := a.unfinishedStep(ctx, move.entry)
	if err != nil {
		return err
	}
	if err := a.checkCurrent(ctx, step); err != nil {
		return err
	}
	ctx = context.WithoutCancel(ctx)
	if step.OldTree == step.NewTree {
		_, err := a.record(ctx, move.entry, move.reflog)
		return err
	}
	if err := a.Repo.RefreshIndex(ctx); err != nil {
		return err
	}
	if err := a.Repo.CheckSwitch(ctx, step.OldTree, step.NewTree); err != nil {
		return inTheWay(err)
	}
	if err := a.writeStep(step); err != nil {
		return err
	}
	entry, err := a.record(ctx, move.entry, move.reflog)
	if err != nil {
		return errors.Join(err, a.removeStep())
	}
	if err := a.Repo.Switch(ctx, step.OldTree, step.NewTree); err != nil {
		return a.moveBack(ctx, entry, err)
	}
	return a.removeStep()
}

func (a *App) unfinishedStep(ctx context.Context, e journal.Entry) (unfinishedStep, error) {
	step := unfinishedStep{Ref: e.Ref, Old: e.Old, New: e.New}
	commits, err := a.Repo.Commits(ctx, []repo.ID{e.Old, e.New})
	if err != nil {
		return step, err
	}
	step.OldTree, step.NewTree = commits[0].Tree, commits[1].Tree
	return step, nil
}

func (a *App) checkCurrent(ctx context.Context, step unfinishedStep) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	if head.Ref != step.Ref {
		return refuse("You are not on %s any more. Nothing was changed.", strings.TrimPrefix(step.Ref, "refs/heads/"))
	}
	if head.Commit != step.Old {
		return &Refusal{Reason: fmt.Sprintf("%s was moved meanwhile, from %s to %s. Nothing was changed. Look again, then repeat.", head.Branch(), step.Old.Short(), head.Commit.Short()), Err: repo.ErrMoved}
	}
	return nil
}

// inTheWay says which files keep the working tree from following.
func inTheWay(err error) error {
	if !errors.Is(err, repo.ErrInTheWay) {
		return err
	}
	var failed *repo.CommandError
	errors.As(err, &failed)
	return &Refusal{Reason: "Loose or staged changes are in the way of the new content, so nothing was changed. Commit them or put them aside first:\n" + strings.TrimSpace(failed.Stderr), Err: err}
}

// moveBack undoes the move of the refs after the working tree could not follow.
func (a *App) moveBack(ctx context.Context, entry journal.Entry, cause error) error {
	void, first, err := a.Journal.Write(ctx, journal.Entry{Kind: journal.Void, Ref: entry.Ref, Old: entry.New, New: entry.Old, Of: entry.Number, Title: entry.Title})
	if err == nil {
		err = a.Repo.UpdateRefs(ctx, "taken back: the working tree could not follow", first, repo.RefUpdate{Ref: void.Ref, New: void.New, Old: void.Old})
	}
	if err == nil {
		err = a.removeStep()
	}
	return errors.Join(inTheWay(cause), err)
}

// stepFile notes a step while the working tree is on its way.
const stepFile = "unfinished.json"

func (a *App) writeStep(step unfinishedStep) error {
	data, err := json.Marshal(step)
	if err != nil {
		return fmt.Errorf("note the step: %w", err)
	}
	return a.writeState(stepFile, string(data))
}

func (a *App) removeStep() error { return a.writeState(stepFile, "") }

// recoverStep finishes, or forgets, a step that a crash interrupted. It gives a
// sentence about what it did.
func (a *App) recoverStep(ctx context.Context) (string, error) {
	note := a.readState(stepFile)
	if note == "" {
		return "", nil
	}
	var step unfinishedStep
	if err := json.Unmarshal([]byte(note), &step); err != nil {
		return "", fmt.Errorf("read the note of an unfinished step, bastel/%s in the git folder: %w", stepFile, err)
	}
	value, err := a.Repo.RefValue(ctx, step.Ref)
	if err != nil {
		return "", err
	}
	if value != step.New {
		return "", a.removeStep() // the refs never moved, or somebody moved on since
	}
	if err := a.finishStep(ctx, step); err != nil {
		return "", fmt.Errorf("finish the rewriting of %s that was interrupted: %w", strings.TrimPrefix(step.Ref, "refs/heads/"), err)
	}
	return "A rewriting that was interrupted is finished now.", a.removeStep()
}

// finishStep brings index and working tree to the new tree after a crash may have
// left some files written already: those are noted in the index as they are, then
// the rest follows as usual.
func (a *App) finishStep(ctx context.Context, step unfinishedStep) error {
	differences, err := merge.Compare(ctx, a.engine.Objects(), step.OldTree, step.NewTree)
	if err != nil {
		return err
	}
	changes := make([]repo.Change, len(differences))
	for i, d := range differences {
		changes[i] = repo.Change{Path: d.Path, IndexMode: max(d.Old.Mode, d.New.Mode)}
	}
	work, err := a.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return err
	}
	var written []repo.IndexEntry
	for i, d := range differences {
		if a.holds(work[i], d.New) {
			written = append(written, repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: d.New.ID})
		}
	}
	if len(written) > 0 {
		if err := a.Repo.UpdateIndex(ctx, written); err != nil {
			return err
		}
	}
	if err := a.Repo.RefreshIndex(ctx); err != nil {
		return err
	}
	return a.Repo.Switch(ctx, step.OldTree, step.NewTree)
}

// holds says whether a working file is what a tree's entry says.
func (a *App) holds(file repo.WorkFile, e repo.Entry) bool {
	switch {
	case file.Mode == repo.ModeNone || e.IsZero():
		return file.Mode == repo.ModeNone && e.IsZero()
	case file.Mode != e.Mode || file.Large:
		return false
	case e.Mode == repo.ModeSubmodule:
		return file.ID == e.ID
	}
	return a.Repo.HashObject(repo.KindBlob, file.Data) == e.ID
}
