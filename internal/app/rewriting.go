package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/wording"
)

// Applied is what came out of a plan.
type Applied struct {
	Old, New    repo.ID
	Commits     int // commits from where the series begins
	SameContent bool
	Signatures  int             // of commits that were made anew, and lost them
	Carried     int             // other branches that moved along
	Emptied     []string        // titles of entries of which the answers left nothing
	Became      []CommitMapping // what became of each commit
	Warning     string          // what a hook that runs afterwards had to complain about
}

// Remarks says in sentences what else a reader should know: each begins with a blank.
func (r Applied) Remarks() string {
	text := ""
	if n := len(r.Emptied); n > 0 {
		text += fmt.Sprintf(" The answers left nothing of %s: “%s”.", wording.Count(n, "entry"), strings.Join(r.Emptied, "”, “"))
	}
	if r.Carried > 0 {
		text += " " + wording.Count(r.Carried, "other branch") + " came along."
	}
	if r.Signatures > 0 {
		text += " " + wording.Count(r.Signatures, "signature") + " got lost, since the commits are new ones."
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
	Shared                         // what a shared branch has there
	NewContent                     // another content at the end, though nothing was left out
	Others                         // what somebody else wrote goes
	LeaveStack                     // branches that sit on the commits and conflict with what comes out stay on the old ones

	OwnOnly  Consent = 0 // only what is the branch's own
	Unlocked         = Published | Shared
)

// CommitMapping is what became of one commit of the branch.
type CommitMapping struct {
	Source   repo.ID
	New      []repo.ID // what it became; none: left out, or nothing was left of it
	Relation string    // the same, moved, reworded, joined, split, gone
}

// BranchMove is the operation that takes a branch from one commit to another: with index and
// working tree where it is checked out here, alone where it is checked out nowhere.
func (a *App) BranchMove(ctx context.Context, entry journal.Entry, reflog string, newTree repo.ID, objects *repo.Overlay) (*Operation,
	error) {
	op := &Operation{Entry: entry, Reflog: reflog, objects: func(ctx context.Context) error { return objects.Flush(ctx, entry.New) }}
	elsewhere, err := a.CheckedOutHere(ctx, entry.Ref, entry.Old)
	if err != nil || elsewhere {
		return op, err
	}
	old, err := a.Repo.Commit(ctx, entry.Old)
	if err != nil {
		return nil, err
	}
	op.trees, op.content = treeStep{old.Tree, newTree}, objects
	if err := a.leaveAlone(ctx, op, objects); err != nil {
		return nil, err
	}
	if err := a.carryAlong(ctx, op, objects); err != nil {
		return nil, err
	}
	op.Seen = func(ctx context.Context) error { return a.checkCurrent(ctx, entry.Ref, entry.Old) }
	return op, nil
}

// CheckedOutHere says whether a branch is elsewhere: not checked out anywhere, so that
// only its ref moves. It refuses where another working tree has it, or it was moved.
func (a *App) CheckedOutHere(ctx context.Context, ref string, at repo.ID) (elsewhere bool, err error) {
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
			return true, Refuse("%s is checked out in %s. Rewrite it there.", name, r.Worktree)
		case r.ID != at:
			return true, &Refusal{Reason: fmt.Sprintf("%s was moved meanwhile, from %s to %s. Nothing was changed. Look again, then repeat.",
				name, at.Short(), r.ID.Short()), Err: repo.ErrMoved}
		default:
			return true, nil
		}
	}
	return true, Refuse("There is no branch %s any more. Nothing was changed.", name)
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
		return Refuse("You are not on %s any more. Nothing was changed.", strings.TrimPrefix(ref, "refs/heads/"))
	}
	if head.Commit != at {
		return &Refusal{Reason: fmt.Sprintf("%s was moved meanwhile, from %s to %s. Nothing was changed. Look again, then repeat.",
			head.Branch(), at.Short(), head.Commit.Short()), Err: repo.ErrMoved}
	}
	return nil
}

// Made are commits that an operation made.
type Made struct {
	Commits []repo.ID
	Warning string // what is to be said besides: leftovers in it, what a hook that runs afterwards had to complain about
}

// BranchRef is the ref that HEAD is on, or HEAD itself.
func BranchRef(head repo.Head) string {
	if head.Ref == "" {
		return "HEAD"
	}
	return head.Ref
}

// ErrPublished is a refusal to rewrite what a remote has.
var ErrPublished = errors.New("a remote has this commit already")

// ErrOthers is a refusal to have somebody else's work go unnamed.
var ErrOthers = errors.New("work of others would go")

// ErrSharedBranch is one to rewrite what a branch has there that is shared by rule.
var ErrSharedBranch = fmt.Errorf("the branch is shared: %w", ErrPublished)

// LastRewriting is the last one that was applied here.
func (a *App) LastRewriting(ctx context.Context) (journal.Entry, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return journal.Entry{}, err
	}
	for _, e := range slices.Backward(journal.StateOf(entries, a.Repo.WorktreeName()).Done) {
		if len(e.Pairs) > 0 {
			return e, nil
		}
	}
	return journal.Entry{}, Refuse("Nothing was rewritten here yet.")
}
