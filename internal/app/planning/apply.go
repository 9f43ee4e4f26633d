package planning

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/shape"
)

// Apply rewrites the branch as the plan says, in one step, or refuses and changes
// nothing. Loose and staged changes are carried along.
//
// What others may build on is rewritten only with consent. Errors: ErrPublished,
// ErrSharedBranch, ErrNewContent, ErrOthers.
func (a *App) Apply(ctx context.Context, plan shape.Plan, consent app.Consent, progress replay.Progress) (app.Applied, error) {
	if err := a.RefuseUnfinished(); err != nil {
		return app.Applied{}, err
	}
	if _, err := a.CheckedOutHere(ctx, "refs/heads/"+plan.Branch, plan.Tip); err != nil {
		return app.Applied{}, err
	}
	// An engine of its own: the shared one still has what earlier steps wrote, which would be written with this one again.
	forecast, err := a.ForecastBy(ctx, replay.New(a.Repo), plan, progress)
	if err != nil {
		return app.Applied{}, err
	}
	if err := applicable(plan, forecast, consent); err != nil {
		return app.Applied{}, err
	}
	taken, err := a.guardOthers(ctx, plan, forecast, consent)
	if err != nil {
		return app.Applied{}, err
	}
	if plan, forecast, err = a.checkMessages(ctx, plan, forecast, progress); err != nil {
		return app.Applied{}, err
	}
	if forecast.Tip != plan.Tip {
		if err := a.SignCommits(ctx, forecast, progress); err != nil {
			return app.Applied{}, err
		}
	}
	result := appliedBy(plan, forecast)
	if result.New.IsZero() {
		return result, app.Refuse("The plan leaves the branch without any commit. Keep at least one.")
	}
	if result.New == result.Old {
		return result, nil
	}
	what := wording.Count(len(plan.Sources), "commit") + " into " + wording.Count(result.Commits, "commit")
	if len(plan.Sources) == 0 { // nothing is rewritten: commits come on top
		what = forecast.Steps[len(forecast.Steps)-1].Title
	}
	entry := journal.Entry{Kind: journal.Apply, Ref: "refs/heads/" + plan.Branch, Old: plan.Tip, New: forecast.Tip,
		Title: what, Pairs: forecast.Pairs(), Taken: forecast.Taken(), TakesBack: taken}
	if entry.Plan, err = planText(plan); err != nil {
		return result, err
	}
	op, err := a.BranchMove(ctx, entry, "shape: "+what, forecast.Tree, forecast.Objects())
	if err != nil {
		return result, err
	}
	op.OtherMoves = func(ctx context.Context) (moves []journal.RefMove, err error) {
		moves, result.Carried, err = a.StackMovesWith(ctx, plan, forecast, consent)
		return moves, err
	}
	op.Hooks = func(ctx context.Context) error {
		return errors.Join(a.RememberAnswers(plan.Answers), a.Repo.RunPostRewrite(ctx, "rebase", forecast.Pairs()))
	}
	if result.Warning, err = a.CarryOut(ctx, op); err != nil {
		return result, err
	}
	result.Became = mappingsOf(plan, forecast)
	return result, nil
}

// appliedBy is what comes out of a forecast.
func appliedBy(plan shape.Plan, forecast *replay.Forecast) app.Applied {
	result := app.Applied{Old: plan.Tip, New: forecast.Tip, SameContent: forecast.SameContent, Signatures: forecast.Signatures,
		Commits: forecast.Made()}
	for _, step := range forecast.Emptied() {
		result.Emptied = append(result.Emptied, step.Title)
	}
	return result
}

// checkMessages lets the commit-msg hook see each message that was written for the plan, before anything moves. Where it changes
// some, the same plan is carried out with those. A refusal names the entry.
func (a *App) checkMessages(ctx context.Context, plan shape.Plan, forecast *replay.Forecast, progress replay.Progress) (shape.Plan,
	*replay.Forecast, error) {
	if !a.Repo.HasHook(ctx, "commit-msg") {
		return plan, forecast, nil
	}
	checked := plan
	for at, entry := range plan.Next {
		if entry.Message == "" || forecast.Steps[at].Commit.IsZero() {
			continue
		}
		message, err := a.CheckMessage(ctx, entry.Message)
		var refusal *app.Refusal
		if errors.As(err, &refusal) {
			return plan, forecast, &app.Refusal{Err: err, Reason: fmt.Sprintf("Entry %s, “%s”: %s", shape.Letter(at), repo.Subject(entry.Message),
				refusal.Reason)}
		}
		if err != nil {
			return plan, forecast, err
		}
		if message != app.CleanMessage(entry.Message) {
			checked = checked.Reword(at, message)
		}
	}
	if checked.Equal(plan) {
		return plan, forecast, nil
	}
	forecast, err := a.ForecastBy(ctx, replay.New(a.Repo), checked, progress)
	return checked, forecast, err
}

// applicable refuses a plan in which something meets, or that changes the content at the end without saying so. Errors: ErrNewContent.
func applicable(plan shape.Plan, forecast *replay.Forecast, consent app.Consent) error {
	if forecast.Conflicts() > 0 {
		return conflictRefusal(forecast)
	}
	if !plan.Rearranges() || forecast.SameContent || consent&app.NewContent != 0 {
		return nil
	}
	const question = "The plan leaves nothing out, and yet the content at the end is another: in another order the changes come out " +
		"differently."
	return &app.Refusal{Question: question, Reason: question +
		" Nothing was changed. Look at the difference at the end, then confirm it: bastel apply --new-content.", Err: app.ErrNewContent}
}

// mappingsOf says what becomes of each source.
func mappingsOf(plan shape.Plan, f *replay.Forecast) []app.CommitMapping {
	used := map[repo.ID][]int{} // in which steps
	for at, step := range f.Steps {
		for _, id := range step.Sources {
			if places := used[id]; len(places) == 0 || places[len(places)-1] != at {
				used[id] = append(places, at)
			}
		}
	}
	var mappings []app.CommitMapping
	for i, id := range plan.Sources {
		mapping := app.CommitMapping{Source: id, Relation: "gone"}
		for _, at := range used[id] {
			step := f.Steps[at]
			if step.Commit.IsZero() {
				continue
			}
			mapping.New = append(mapping.New, step.Commit)
			switch {
			case len(mapping.New) > 1:
				mapping.Relation = "split"
			case len(step.Sources) > 1:
				mapping.Relation = "joined"
			case plan.Next[at].Message != "":
				mapping.Relation = "reworded"
			case step.Kept:
				mapping.Relation = "the same"
			case at != i:
				mapping.Relation = "moved"
			default:
				mapping.Relation = "rewritten"
			}
		}
		mappings = append(mappings, mapping)
	}
	return mappings
}

func conflictRefusal(f *replay.Forecast) error {
	var lines []string
	for i, step := range f.Steps {
		if step.Result == replay.Conflict {
			lines = append(lines, fmt.Sprintf("entry %d, %s: %s", i+1, step.Title, step.Reason))
		}
	}
	return &app.Refusal{Reason: "The plan has conflicts, and nothing was changed:\n" + strings.Join(lines, "\n"), Err: app.ErrConflict}
}
