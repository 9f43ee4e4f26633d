package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/shape"
)

// Applied is what came out of a plan.
type Applied struct {
	Old, New    repo.ID
	Commits     int // commits from where the series begins
	SameContent bool
	Signatures  int    // of commits that were made anew, and lost them
	Carried     int    // other branches that moved along
	Became      []Fate // what became of each commit
	Warning     string // what a hook that runs afterwards had to complain about
}

// Besides says in sentences what else a reader should know: each begins with a blank.
func (r Applied) Besides() string {
	text := ""
	if r.Carried > 0 {
		text += " " + Count(r.Carried, "other branch") + " came along."
	}
	if r.Signatures > 0 {
		text += " " + Count(r.Signatures, "signature") + " got lost, since the commits are new ones."
	}
	if r.Warning != "" {
		text += " But " + r.Warning
	}
	return text
}

// Consent says what was asked about and is done all the same: rewriting what others may
// build on, or an end that is not what the plan looks like.
type Consent int

// The consents, to be added up.
const (
	Published  Consent = 1 << iota // what other branches of a remote have
	shared                         // what a shared branch has there
	NewContent                     // another content at the end, though nothing was left out
	LeaveStack                     // branches that sit on the commits and conflict with what comes out stay on the old ones

	OwnOnly  Consent = 0 // only what is the branch's own
	Unlocked         = Published | shared
)

// Apply rewrites the branch as the plan says, in one step, or refuses and changes
// nothing. Loose and staged changes are carried along.
//
// What others may build on is rewritten only with consent. Errors: ErrPublished,
// ErrSharedBranch.
func (a *App) Apply(ctx context.Context, plan shape.Plan, consent Consent, progress replay.Progress) (Applied, error) {
	if err := a.free(); err != nil {
		return Applied{}, err
	}
	if _, err := a.checkedOutHere(ctx, "refs/heads/"+plan.Branch, plan.Tip); err != nil {
		return Applied{}, err
	}
	// An engine of its own: forecasts that go on meanwhile may drop what they made.
	engine := replay.New(a.Repo)
	forecast, err := a.forecast(ctx, engine, plan, progress)
	if err != nil {
		return Applied{}, err
	}
	if forecast.Conflicts() > 0 {
		return Applied{}, conflictRefusal(forecast)
	}
	if plan.Rearranges() && !forecast.SameContent && consent&NewContent == 0 {
		const question = "The plan leaves nothing out, and yet the content at the end is another: in another order the changes come out differently."
		return Applied{}, &Refusal{Question: question, Reason: question + " Nothing was changed. Look at the difference at the end, then confirm it: bastel apply --new-content.", Err: ErrNewContent}
	}
	if forecast.Tip != plan.Tip {
		if err := a.sign(ctx, engine, forecast, progress); err != nil {
			return Applied{}, err
		}
	}
	result := Applied{Old: plan.Tip, New: forecast.Tip, SameContent: forecast.SameContent, Signatures: forecast.Signatures}
	result.Commits = forecast.Made()
	if result.New.IsZero() {
		return result, refuse("The plan leaves the branch without any commit. Keep at least one.")
	}
	if result.New == result.Old {
		return result, nil
	}
	what := Count(len(plan.Sources), "commit") + " into " + Count(result.Commits, "commit")
	entry := journal.Entry{Kind: journal.Apply, Ref: "refs/heads/" + plan.Branch, Old: plan.Tip, New: forecast.Tip,
		Title: what, Pairs: forecast.Pairs(), Taken: forecast.Taken()}
	if entry.Plan, err = planText(plan); err != nil {
		return result, err
	}
	op, err := a.move(ctx, entry, "shape: "+what, forecast.Tree, engine)
	if err != nil {
		return result, err
	}
	op.along = func(ctx context.Context) (moves []journal.RefMove, err error) {
		moves, result.Carried, err = a.along(ctx, plan, forecast, engine, consent)
		return moves, err
	}
	op.hooks = func(ctx context.Context) error {
		return errors.Join(a.remember(plan.Given), a.Repo.RunPostRewrite(ctx, "rebase", forecast.Pairs()))
	}
	if result.Warning, err = a.carryOut(ctx, op); err != nil {
		return result, err
	}
	result.Became = fatesOf(plan, forecast)
	return result, nil
}

// guardShared refuses to rewrite what others may build on, without consent.
func (a *App) guardShared(ctx context.Context, plan shape.Plan, f *replay.Forecast, consent Consent) error {
	if consent&shared != 0 {
		return nil
	}
	others, own, err := a.othersRefs(ctx, plan.Branch)
	if err != nil {
		return err
	}
	if !own.IsZero() {
		at, err := a.rewrittenOf(ctx, plan, f, []repo.ID{own})
		if err != nil {
			return err
		}
		if at != nil {
			question := fmt.Sprintf("%s is shared, and the remote has the commit %s (%s). It is never pushed with force, so what comes out can only be sent under another name; and whoever builds on it would get it twice.",
				plan.Branch, at.ID.Short(), at.Commit.Subject())
			return &Refusal{Reason: question + " Nothing was changed. Make a new commit instead, or confirm it: bastel apply --unlock " + plan.Branch + ".", Question: question, Err: ErrSharedBranch}
		}
	}
	if consent&Published != 0 || len(others) == 0 {
		return nil
	}
	at, err := a.rewrittenOf(ctx, plan, f, others)
	if err != nil || at == nil {
		return err
	}
	names, err := a.Repo.RemotesWith(ctx, at.ID)
	if err != nil {
		return err
	}
	question := fmt.Sprintf("%s has the commit %s (%s) too. Whoever builds on it would get it twice.", strings.Join(names, ", "), at.ID.Short(), at.Commit.Subject())
	return &Refusal{Reason: question + " Nothing was changed. Make a new commit instead, or rewrite it by a plan and confirm it: bastel apply --published.", Question: question, Err: ErrPublished}
}

// rewrittenOf gives the youngest commit of what some refs have that a plan rewrites; nil
// where there is none.
func (a *App) rewrittenOf(ctx context.Context, plan shape.Plan, f *replay.Forecast, refs []repo.ID) (*Source, error) {
	args := []string{plan.Tip.String()}
	for _, id := range append(slices.Clone(refs), plan.Base) {
		if !id.IsZero() {
			args = append(args, "^"+id.String())
		}
	}
	alone, err := a.Repo.RevList(ctx, args...)
	if err != nil {
		return nil, err
	}
	for _, step := range slices.Backward(f.Steps) {
		for _, id := range step.Sources {
			if !step.Kept && !slices.Contains(alone, id) {
				sources, err := a.Sources(ctx, []repo.ID{id})
				if err != nil {
					return nil, err
				}
				return &sources[0], nil
			}
		}
	}
	return nil, nil
}

// othersRefs lists where the remotes' branches stand, other than the branch's own ones; and
// where the branch itself is on its remote, if it is shared by rule.
func (a *App) othersRefs(ctx context.Context, branch string) (others []repo.ID, own repo.ID, err error) {
	refs, err := a.Repo.Refs(ctx, "refs/remotes", "refs/heads/"+branch)
	if err != nil {
		return nil, own, err
	}
	target, err := send.FindTarget(ctx, a.Repo, branch, "")
	if err != nil && !errors.As(err, new(*send.Refusal)) {
		return nil, own, err
	}
	if err == nil && target.Tracking != "" {
		shared, err := send.SharedByRule(ctx, a.Repo, target)
		if err != nil {
			return nil, own, err
		}
		if shared {
			if own, err = a.Repo.RefValue(ctx, target.Tracking); err != nil {
				return nil, own, err
			}
		}
	}
	upstream := ""
	for _, ref := range refs {
		if ref.Name == "refs/heads/"+branch {
			upstream = ref.Upstream
		}
	}
	for _, ref := range refs {
		_, short, _ := strings.Cut(ref.Short(), "/")
		if strings.HasPrefix(ref.Name, "refs/remotes/") && ref.Symref == "" && ref.Name != upstream && short != branch {
			others = append(others, ref.ID)
		}
	}
	return others, own, nil
}

// Fate is what became of one commit of the branch.
type Fate struct {
	Source   repo.ID
	New      []repo.ID // what it became; none: left out, or nothing was left of it
	Relation string    // the same, moved, reworded, joined, split, gone
}

// fatesOf says what becomes of each source.
func fatesOf(plan shape.Plan, f *replay.Forecast) []Fate {
	var fates []Fate
	for i, id := range plan.Sources {
		fate := Fate{Source: id, Relation: "gone"}
		for at, step := range f.Steps {
			if step.Commit.IsZero() || !slices.Contains(step.Sources, id) {
				continue
			}
			fate.New = append(fate.New, step.Commit)
			switch {
			case len(fate.New) > 1:
				fate.Relation = "split"
			case len(step.Sources) > 1:
				fate.Relation = "joined"
			case plan.Next[at].Message != "":
				fate.Relation = "reworded"
			case step.Kept:
				fate.Relation = "the same"
			case at != i:
				fate.Relation = "moved"
			default:
				fate.Relation = "rewritten"
			}
		}
		fates = append(fates, fate)
	}
	return fates
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

// move is the operation that takes a branch from one commit to another: with index and
// working tree where it is checked out here, alone where it is checked out nowhere.
func (a *App) move(ctx context.Context, entry journal.Entry, reflog string, newTree repo.ID, engine *replay.Engine) (*operation, error) {
	op := &operation{entry: entry, reflog: reflog, objects: func(ctx context.Context) error { return engine.Flush(ctx, entry.New) }}
	elsewhere, err := a.checkedOutHere(ctx, entry.Ref, entry.Old)
	if err != nil || elsewhere {
		return op, err
	}
	old, err := a.Repo.Commit(ctx, entry.Old)
	if err != nil {
		return nil, err
	}
	op.trees = [2]repo.ID{old.Tree, newTree}
	if err := a.carryAlong(ctx, op, engine.Objects()); err != nil {
		return nil, err
	}
	op.seen = func(ctx context.Context) error {
		if err := a.checkCurrent(ctx, entry.Ref, entry.Old); err != nil {
			return err
		}
		return a.nothingInTheWay(ctx, op.trees, engine.Objects())
	}
	return op, nil
}

// checkedOutHere says whether a branch is elsewhere: not checked out anywhere, so that
// only its ref moves. It refuses where another working tree has it, or it was moved.
func (a *App) checkedOutHere(ctx context.Context, ref string, at repo.ID) (elsewhere bool, err error) {
	head, err := a.Repo.Head(ctx)
	if err != nil || head.Ref == ref {
		if err == nil {
			err = isAt(head, ref, at)
		}
		return false, err
	}
	refs, err := a.Repo.Refs(ctx, ref)
	if err != nil {
		return true, err
	}
	name := strings.TrimPrefix(ref, "refs/heads/")
	for _, r := range refs {
		switch {
		case r.Name != ref:
		case r.Worktree != "":
			return true, refuse("%s is checked out in %s. Rewrite it there.", name, r.Worktree)
		case r.ID != at:
			return true, &Refusal{Reason: fmt.Sprintf("%s was moved meanwhile, from %s to %s. Nothing was changed. Look again, then repeat.", name, at.Short(), r.ID.Short()), Err: repo.ErrMoved}
		default:
			return true, nil
		}
	}
	return true, refuse("There is no branch %s any more. Nothing was changed.", name)
}

// checkCurrent refuses where another branch is checked out, or the branch was moved.
func (a *App) checkCurrent(ctx context.Context, ref string, at repo.ID) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	return isAt(head, ref, at)
}

func isAt(head repo.Head, ref string, at repo.ID) error {
	if head.Ref != ref {
		return refuse("You are not on %s any more. Nothing was changed.", strings.TrimPrefix(ref, "refs/heads/"))
	}
	if head.Commit != at {
		return &Refusal{Reason: fmt.Sprintf("%s was moved meanwhile, from %s to %s. Nothing was changed. Look again, then repeat.", head.Branch(), at.Short(), head.Commit.Short()), Err: repo.ErrMoved}
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
	return &Refusal{Reason: "Loose or staged changes are in the way of the new content, so nothing was changed. Commit them, or put them aside:\n" + strings.TrimSpace(failed.Stderr), Err: err}
}
