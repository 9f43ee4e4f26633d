package app

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"bastel/internal/journal"
	"bastel/internal/merge"
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
	elsewhere, err := a.checkedOutHere(ctx, "refs/heads/"+plan.Branch, plan.Tip)
	if err != nil {
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
		return Applied{}, &Refusal{Reason: "The plan leaves nothing out, and yet the content at the end is another: in another order the changes come out differently. Nothing was changed. Look at the difference at the end, then confirm it: bastel apply --new-content.", Err: ErrNewContent}
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
	along := func(ctx context.Context) (moves []journal.RefMove, err error) {
		moves, result.Carried, err = a.along(ctx, plan, forecast, consent)
		return moves, err
	}
	if elsewhere {
		if entry.Others, err = along(ctx); err == nil {
			err = a.moveElsewhere(ctx, entry, "shape: "+what, engine)
		}
	} else {
		err = a.moveBranchAlong(ctx, entry, along, "shape: "+what, forecast.Tree, engine)
	}
	if err != nil {
		return result, err
	}
	result.Became = fatesOf(plan, forecast)
	after := errors.Join(a.remember(plan.Given), a.Repo.RunPostRewrite(ctx, "rebase", forecast.Pairs()))
	if after != nil {
		result.Warning = after.Error()
	}
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
			return &Refusal{Reason: fmt.Sprintf("%s is shared, and the remote has the commit %s (%s). It is never pushed with force, so what comes out can only be sent under another name; and whoever builds on it would get it twice. Nothing was changed. Make a new commit instead, or confirm it: bastel apply --unlock %s.",
				plan.Branch, at.ID.Short(), at.Commit.Subject(), plan.Branch), Err: ErrSharedBranch}
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
	return &Refusal{Reason: fmt.Sprintf("%s has the commit %s (%s) too. Whoever builds on it would get it twice. Nothing was changed. Make a new commit instead, or rewrite it by a plan and confirm it: bastel apply --published.",
		strings.Join(names, ", "), at.ID.Short(), at.Commit.Subject()), Err: ErrPublished}
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

// unfinishedStep is kept in a file while the working tree is on its way, so that
// a crash can be mended at the next start.
type unfinishedStep struct {
	Ref     string         `json:"ref"`
	Old     repo.ID        `json:"old"`
	New     repo.ID        `json:"new"`
	OldTree repo.ID        `json:"old_tree"`
	NewTree repo.ID        `json:"new_tree"`
	Index   []journal.File `json:"index,omitempty"` // if only the index follows, and no working file
}

// moveBranch takes the current branch from one commit to another, with index and
// working tree. It is before or after, never between: everything that can be
// refused is tried first, then the refs move in one transaction, then the working
// tree follows. If that fails after all, the refs move back. What the engine has
// made for the new commit is written while what is in the way is looked for.
func (a *App) moveBranch(ctx context.Context, entry journal.Entry, reflog string, newTree repo.ID, engine *replay.Engine) error {
	return a.moveBranchAlong(ctx, entry, nil, reflog, newTree, engine)
}

// moveBranchAlong does so with other refs, which are found meanwhile.
func (a *App) moveBranchAlong(ctx context.Context, entry journal.Entry, along func(ctx context.Context) ([]journal.RefMove, error), reflog string, newTree repo.ID, engine *replay.Engine) error {
	step := unfinishedStep{Ref: entry.Ref, Old: entry.Old, New: entry.New, NewTree: newTree}
	old, err := a.Repo.Commit(ctx, entry.Old)
	if err != nil {
		return err
	}
	step.OldTree = old.Tree
	if err := a.checkCurrent(ctx, step.Ref, step.Old); err != nil {
		return err
	}
	group, both := errgroup.WithContext(ctx)
	group.Go(func() error { return engine.Flush(both, entry.New) })
	group.Go(func() error { return a.nothingInTheWay(both, step, engine.Objects()) })
	if along != nil {
		group.Go(func() (err error) {
			entry.Others, err = along(both)
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	if step.OldTree == step.NewTree {
		_, err := a.record(ctx, entry, reflog)
		return err
	}
	ctx = context.WithoutCancel(ctx)
	if err := a.writeStep(step); err != nil {
		return err
	}
	if entry, err = a.record(ctx, entry, reflog); err != nil {
		return errors.Join(err, a.removeStep())
	}
	if err := a.Repo.Switch(ctx, step.OldTree, step.NewTree); err != nil {
		return a.moveBack(ctx, entry, err)
	}
	return a.removeStep()
}

// nothingInTheWay refuses where a path that the step changes has loose or staged
// changes, or where something that is not the repository's lies in a new file's place.
func (a *App) nothingInTheWay(ctx context.Context, step unfinishedStep, objects merge.Objects) error {
	differences, err := merge.Compare(ctx, objects, step.OldTree, step.NewTree)
	if err != nil {
		return err
	}
	var known, paths []string
	for _, d := range differences {
		if !d.Old.IsZero() {
			known = append(known, d.Path)
		}
		if d.Old.IsZero() && a.Repo.Exists(d.Path) {
			paths = append(paths, d.Path)
		}
	}
	unsettled, err := a.Repo.Unsettled(ctx, step.OldTree, known)
	if err != nil {
		return err
	}
	paths = append(paths, unsettled...)
	if len(paths) == 0 {
		return nil
	}
	const shown = 10
	list := strings.Join(paths[:min(len(paths), shown)], "\n")
	if more := len(paths) - shown; more > 0 {
		list += fmt.Sprintf("\nand %d more", more)
	}
	return &Refusal{Reason: "Loose or staged changes are in the way of the new content, so nothing was changed. Commit them, or put them aside:\n" + list, Err: repo.ErrInTheWay}
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

// moveElsewhere moves a branch that is not checked out.
func (a *App) moveElsewhere(ctx context.Context, entry journal.Entry, reflog string, engine *replay.Engine) error {
	if err := engine.Flush(ctx, entry.New); err != nil {
		return err
	}
	_, err := a.record(ctx, entry, reflog)
	return err
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

// moveBack undoes the move of the refs after the working tree could not follow.
func (a *App) moveBack(ctx context.Context, entry journal.Entry, cause error) error {
	void, first, err := a.Journal.Write(ctx, journal.Entry{Kind: journal.Void, Ref: entry.Ref, Old: entry.New, New: entry.Old, Of: entry.Number, Title: entry.Title})
	if err == nil {
		moves := append(updatesOf(turnedBack(entry.Others)), first, repo.RefUpdate{Ref: void.Ref, New: void.New, Old: void.Old})
		err = a.Repo.UpdateRefs(ctx, "taken back: the working tree could not follow", moves...)
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

// finishStep does what is left of a step after its refs have moved.
func (a *App) finishStep(ctx context.Context, step unfinishedStep) error {
	if len(step.Index) > 0 {
		return a.finishIndex(ctx, step.Index)
	}
	return a.finishTree(ctx, step)
}

// finishTree brings index and working tree to the new tree after a crash may have
// left some files written already: those are noted in the index as they are. A
// file whose writing was cut short is written anew. The rest follows as usual, and
// is refused where somebody has changed a file since.
func (a *App) finishTree(ctx context.Context, step unfinishedStep) error {
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
	var torn []string
	for i, d := range differences {
		switch isTorn, err := a.torn(ctx, work[i], d.New); {
		case err != nil:
			return err
		case isTorn:
			torn = append(torn, d.Path)
		case !a.holds(work[i], d.New):
			continue
		}
		written = append(written, repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: d.New.ID})
	}
	if len(written) > 0 {
		if err := a.Repo.UpdateIndex(ctx, written); err != nil {
			return err
		}
	}
	if len(torn) > 0 {
		if err := a.Repo.CheckoutIndex(ctx, torn); err != nil {
			return err
		}
	}
	if err := a.Repo.RefreshIndex(ctx); err != nil {
		return err
	}
	return a.Repo.Switch(ctx, step.OldTree, step.NewTree)
}

// torn says whether a working file is the beginning of what it should have become.
// All files of the step had their old content when it began, so such a file is one
// whose writing was cut short.
func (a *App) torn(ctx context.Context, file repo.WorkFile, e repo.Entry) (bool, error) {
	if file.Large || !file.Mode.IsFile() || !e.Mode.IsFile() {
		return false, nil
	}
	data, err := a.engine.Objects().Blob(ctx, e.ID)
	return len(file.Data) < len(data) && bytes.HasPrefix(data, file.Data), err
}

// holds says whether a working file is what a tree's entry says.
func (a *App) holds(file repo.WorkFile, e repo.Entry) bool {
	switch {
	case file.Failed != nil:
		return false
	case file.Mode == repo.ModeNone || e.IsZero():
		return file.Mode == repo.ModeNone && e.IsZero()
	case file.Mode != e.Mode || file.Large:
		return false
	case e.Mode == repo.ModeSubmodule:
		return file.ID == e.ID
	}
	return a.Repo.HashObject(repo.KindBlob, file.Data) == e.ID
}
