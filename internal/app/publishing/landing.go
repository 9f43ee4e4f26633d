package publishing

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/send"
)

// Landing says how a branch comes into its target.
type Landing struct {
	Branch  string             // which lands; empty: the one at work
	Merge   bool               // by a merge commit; else the target moves forward to the branch
	Message string             // of the merge; empty: MergeMessage
	Delete  bool               // the branch goes afterwards, here and there
	Seen    map[string]repo.ID // branches as they were shown: landing one that is not so any more is refused
}

// MergeMessage is what the merge says by which a branch lands, unless something else is written.
func MergeMessage(branch string) string { return "Merge " + branch + "\n" }

// Landed is what came of it.
type Landed struct {
	Target   string // as people say it: main on origin
	Old, New repo.ID
	Notes    []string // what was left as it is, and why
	Warnings []string // what failed after it had landed
}

// LandingLook is the target as it was last fetched, and what would come to it.
type LandingLook struct {
	Branch  string
	Target  string       // as people say it: origin/main
	Before  []app.Source // the last commits of the target, oldest first
	Comes   []app.Source // what the branch adds, oldest first
	Missing int          // commits of the target that the branch does not have

	Fetched     time.Time // when the target was last fetched; zero: that is not known
	There       string    // what deleting the branch would do with it on its remote, in a sentence
	Approved    []string  // who approved the branch, and whether as it is now
	OpenRemarks int
}

// shownBefore is how much of the target is shown before what comes to it.
const shownBefore = 6

// LookLanding looks at what a landing would do. The remote is not asked.
func (a *App) LookLanding(ctx context.Context) (LandingLook, error) {
	var look LandingLook
	head, err := a.BranchAtWork(ctx)
	if err != nil {
		return look, err
	}
	look.Branch = head.Branch()
	target, err := a.FindTarget(ctx, look.Branch)
	if err != nil {
		return look, err
	}
	if target.ID.IsZero() {
		return look, noTarget(look.Branch, target)
	}
	look.Target = target.Name
	if look.Fetched, err = a.LastFetch(ctx, target.Remote); err != nil {
		return look, err
	}
	if look.Missing, _, err = a.Repo.AheadBehind(ctx, target.ID, head.Commit); err != nil {
		return look, err
	}
	ids, err := a.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", shownBefore), target.ID.String())
	if err != nil {
		return look, err
	}
	slices.Reverse(ids)
	if look.Before, err = a.Sources(ctx, ids); err != nil {
		return look, err
	}
	if look.Comes, err = a.rangeSources(ctx, head.Commit, target.ID); err != nil {
		return look, err
	}
	if look.There, _, err = a.deletionThere(ctx, look.Branch, target, false); err != nil {
		return look, err
	}
	return look, a.lookReviews(head, &look)
}

// lookReviews tells of approvals and remarks.
func (a *App) lookReviews(head repo.Head, look *LandingLook) error {
	record, err := a.knownRecord()
	if err != nil {
		return err
	}
	for _, v := range record.Verdicts {
		switch {
		case v.Branch != look.Branch || !v.Approved:
		case v.Commit == head.Commit:
			look.Approved = append(look.Approved, v.By)
		default:
			look.Approved = append(look.Approved, v.By+" (as it was at "+v.Commit.Short()+")")
		}
	}
	for _, n := range record.Remarks {
		if n.Branch == look.Branch && !n.Settled {
			look.OpenRemarks++
		}
	}
	return nil
}

// deletionThere says in a sentence what deleting a landed branch does with it on the remote
// that it is pushed to. It goes only as it was last fetched, and where all that it has is in the
// branch, or is replaced by it; can says whether. What goes is given as a comparison.
func (a *App) deletionThere(ctx context.Context, branch string, target app.Target, ask bool) (says string, can *send.Comparison,
	err error) {
	c, err := a.CompareBranch(ctx, branch, "", ask)
	if errors.As(err, new(*send.Refusal)) {
		return "It is on no remote.", nil, nil
	}
	if err != nil {
		return "", nil, err
	}
	name := strings.TrimPrefix(c.Ref, "refs/heads/")
	switch {
	case name == target.Branch && c.Remote == target.Remote:
		return "", nil, nil
	case c.There.IsZero():
		return fmt.Sprintf("It is not on %s.", c.Remote), nil, nil
	case c.There != c.Seen:
		return fmt.Sprintf("%s on %s was changed since it was last fetched, and stays.", name, c.Remote), nil, nil
	case len(c.NotYours) > 0:
		return fmt.Sprintf("%s on %s has %s that did not land, and stays.", name, c.Remote, wording.Count(len(c.NotYours), "commit")), nil, nil
	case len(c.Removes()) > 0:
		return fmt.Sprintf("%s on %s stays: it has %s.", name, c.Remote, send.Named(c.Removes())), nil, nil
	case len(c.Replaces) > 0:
		return fmt.Sprintf("Its older version on %s goes too: %s there, replaced by what lands.", c.Remote,
			wording.Count(len(c.Replaces), "commit")), &c, nil
	}
	return fmt.Sprintf("It goes on %s too.", c.Remote), &c, nil
}

// noTarget says that a branch cannot land.
func noTarget(branch string, target app.Target) error {
	if target.Name != "" {
		return app.Refuse("The target of %s, %s, is not there. Fetch, or choose another: bastel target NAME.", branch, target.Name)
	}
	return app.Refuse("%s has no target to land on. Choose one: bastel target NAME.", branch)
}

// MovedOn says of an error whether the target has what the branch does not have: fetching, and putting the branch onto
// it, is the way on.
func MovedOn(err error) bool {
	var refusal *send.Refusal
	return errors.Is(err, repo.ErrMoved) || errors.As(err, &refusal) && refusal.Cause == send.Diverged
}

// landing is the state of a landing.
type landing struct {
	*App
	how      Landing
	head     repo.Head
	target   app.Target
	remote   string
	ref      string  // of the target, on the remote
	there    repo.ID // what the remote has, or will have when those before it have landed
	after    *landing
	tip      repo.ID // what the target shall be
	progress func(line string)
	done     Landed

	checkedOut bool // the branch is; else nothing is switched
}

// Land moves the branch's target forward to the branch, on the remote, with a lease on
// what the remote has, and here. If the target moved in between it is refused.
func (a *App) Land(ctx context.Context, how Landing, progress func(line string)) (Landed, error) {
	landed, err := a.LandInOrder(ctx, []string{how.Branch}, how, progress)
	if err != nil {
		return Landed{}, err
	}
	return landed[0].Landed, nil
}

// find finds the branch and its target, and which of the landings before it is on the same one.
func (l *landing) find(ctx context.Context, before []*landing) (err error) {
	if l.head, err = l.HeadOf(ctx, l.how.Branch); err != nil {
		return err
	}
	head, err := l.Repo.Head(ctx)
	if err != nil {
		return err
	}
	l.checkedOut = head.Ref == l.head.Ref
	target, err := l.FindTarget(ctx, l.head.Branch())
	if err != nil {
		return err
	}
	if target.ID.IsZero() {
		return noTarget(l.head.Branch(), target)
	}
	l.target = target
	l.remote, l.ref = target.Remote, "refs/heads/"+target.Branch
	if l.remote == "" {
		return app.Refuse("The target of %s, %s, is on no remote. Choose one there: bastel target NAME.", l.head.Branch(), target.Name)
	}
	name := strings.TrimPrefix(l.ref, "refs/heads/")
	if name == l.head.Branch() {
		return app.Refuse("%s is the target itself. Sending it is all that there is to do.", name)
	}
	l.done.Target = name + " on " + l.remote
	for _, other := range slices.Backward(before) {
		if other.remote == l.remote && other.ref == l.ref {
			l.after = other
			return l.sitsOn(ctx)
		}
	}
	return nil
}

// ask asks the remote where the target is. After another landing it is where that leads.
func (l *landing) ask(ctx context.Context) (err error) {
	if l.after != nil {
		l.there, l.done.Old = l.after.tip, l.after.tip
		return nil
	}
	if l.there, err = send.Ask(ctx, l.Repo, l.remote, l.ref); err != nil {
		return err
	}
	l.done.Old = l.there
	return l.isAhead(ctx, strings.TrimPrefix(l.ref, "refs/heads/"))
}

// isAhead refuses where the target cannot move forward to the branch.
func (l *landing) isAhead(ctx context.Context, name string) error {
	known, err := l.Repo.Has(ctx, l.there)
	if err != nil {
		return err
	}
	if known && !l.there.IsZero() {
		if forward, err := l.Repo.IsAncestor(ctx, l.there, l.head.Commit); err != nil || forward {
			return err
		}
	}
	return &app.Refusal{Reason: fmt.Sprintf("%s on %s has moved on, so it cannot move forward to %s. Nothing was changed. Fetch, put your "+
		"commits onto it in Shape, and land then.", name, l.remote, l.head.Branch()),
		Question: fmt.Sprintf("%s on %s has moved on, so it cannot move forward to %s.", name, l.remote, l.head.Branch()), Err: repo.ErrMoved}
}

// sitsOn refuses where the branch does not sit on the one that lands before it. Merges need not sit on each other.
func (l *landing) sitsOn(ctx context.Context) error {
	if l.how.Merge {
		return nil
	}
	name, last := l.head.Branch(), l.after.head.Branch()
	on, err := l.Repo.IsAncestor(ctx, l.after.head.Commit, l.head.Commit)
	if err != nil || on {
		return err
	}
	return app.Refuse("%s does not sit on %s, so it cannot land after it. Nothing was changed. Put it there first: bastel plan "+
		"--branch %s --onto %s, and apply that; ) in Shape does the same.", name, last, name, last)
}

// makeTip is the branch itself, or the merge commit that was asked for.
func (l *landing) makeTip(ctx context.Context) error {
	l.tip, l.done.New = l.head.Commit, l.head.Commit
	if !l.how.Merge {
		return nil
	}
	landed, err := l.Repo.IsAncestor(ctx, l.head.Commit, l.there)
	if err != nil {
		return err
	}
	if landed {
		return app.Refuse("%s has all of %s already; there is nothing to merge.", l.done.Target, l.head.Branch())
	}
	tree, err := l.mergedTree(ctx)
	if err != nil {
		return err
	}
	message := cmp.Or(app.CleanMessage(l.how.Message), MergeMessage(l.head.Branch()))
	l.tip, err = l.Repo.CommitTree(ctx, repo.NewCommit{Tree: tree, Parents: []repo.ID{l.there, l.head.Commit}, Message: message})
	l.done.New = l.tip
	return app.SignerRefusal(err)
}

// mergedTree is what the target and the branch say together. Where the branch has all of the target that is what the branch holds.
func (l *landing) mergedTree(ctx context.Context) (repo.ID, error) {
	tree, err := l.TreeOf(ctx, l.head.Commit)
	if err != nil || l.after == nil {
		return tree, err
	}
	merged, err := l.MergeCommits(ctx, l.there, l.head.Commit)
	if err != nil {
		return tree, err
	}
	if len(merged.Conflicts) == 0 {
		return merged.Tree, nil
	}
	var paths []string
	for _, conflict := range merged.Conflicts {
		paths = append(paths, strconv.Quote(conflict.Path))
	}
	return tree, app.Refuse("%s cannot land after %s by a merge: they conflict in %s. Nothing was changed. Put one onto the other first, in "+
		"Shape.", l.head.Branch(), l.after.head.Branch(), strings.Join(paths, ", "))
}

// push moves one branch of a remote.
func (l *landing) push(ctx context.Context, remote, ref string, to, expect repo.ID) error {
	p := push{App: l.App, remote: remote, refs: []repo.PushedRef{{Ref: ref, ID: to, Expect: expect}}, progress: l.progress,
		title: strings.TrimPrefix(ref, "refs/heads/") + " to " + remote, done: journal.Sent}
	sent, err := p.carryOut(ctx)
	if sent.Said != "" {
		l.done.Notes = append(l.done.Notes, sent.Said)
	}
	l.done.Warnings = append(l.done.Warnings, sent.Warnings...)
	return err
}

// follow brings the local target along, and deletes the branch if that was asked for.
func (l *landing) follow(ctx context.Context) error {
	ctx = context.WithoutCancel(ctx)
	entry := journal.Entry{Kind: journal.Land, Ref: l.head.Ref, Old: l.head.Commit, New: l.head.Commit,
		Title: l.head.Branch() + " on " + l.done.Target}
	move, err := l.localMove(ctx)
	if err != nil {
		return err
	}
	if move.Ref != "" {
		entry.Others = append(entry.Others, move)
	}
	if l.how.Delete {
		if err := l.deleteThere(ctx); err != nil {
			l.done.Warnings = append(l.done.Warnings, l.head.Branch()+" stays there: "+err.Error())
		}
		stays, err := l.staysHere(ctx, move.Ref != "")
		if err != nil {
			return err
		}
		if stays != "" {
			l.done.Notes = append(l.done.Notes, l.head.Branch()+" stays here, since "+stays)
		} else {
			entry.New = repo.ID{}
		}
	}
	if len(entry.Others) == 0 && !entry.New.IsZero() {
		return nil
	}
	entry.Away = !l.checkedOut
	op := &app.Operation{Entry: entry, Reflog: "land: " + entry.Title}
	if entry.New.IsZero() && l.checkedOut {
		op.Head = [2]string{entry.Ref, l.ref}
	}
	_, err = l.CarryOut(ctx, op)
	return err
}

// staysHere says why the branch is not deleted here; empty: it is.
func (l *landing) staysHere(ctx context.Context, elsewhere bool) (string, error) {
	if l.checkedOut {
		if elsewhere {
			return "", nil
		}
		return "there is no local " + strings.TrimPrefix(l.ref, "refs/heads/") + " to go to.", nil
	}
	refs, err := l.Repo.Refs(ctx, l.head.Ref)
	if err != nil {
		return "", err
	}
	for _, ref := range refs {
		if ref.Name == l.head.Ref && ref.Worktree != "" {
			return "it is checked out in " + ref.Worktree + ".", nil
		}
	}
	return "", nil
}

// localMove says how the local branch of the target's name follows: not at all where it
// has commits of its own, or is checked out elsewhere.
func (l *landing) localMove(ctx context.Context) (move journal.RefMove, err error) {
	refs, err := l.Repo.Refs(ctx, l.ref)
	if err != nil {
		return move, err
	}
	name := strings.TrimPrefix(l.ref, "refs/heads/")
	var now repo.ID
	for _, ref := range refs {
		if ref.Name != l.ref {
			continue
		}
		if ref.Worktree != "" {
			l.done.Notes = append(l.done.Notes, fmt.Sprintf("The local %s is checked out in %s and stays as it is.", name, ref.Worktree))
			return move, nil
		}
		now = ref.ID
	}
	if !now.IsZero() {
		below, err := l.Repo.IsAncestor(ctx, now, l.tip)
		if err != nil {
			return move, err
		}
		if !below {
			l.done.Notes = append(l.done.Notes, fmt.Sprintf("The local %s has commits of its own and stays as it is.", name))
			return move, nil
		}
	} else if !l.how.Delete {
		return move, nil
	}
	return journal.RefMove{Ref: l.ref, Old: now, New: l.tip}, nil
}

// deleteThere deletes the remote's branch, if all that it has is in the target now, or was
// replaced by that.
func (l *landing) deleteThere(ctx context.Context) error {
	says, can, err := l.deletionThere(ctx, l.head.Branch(), l.target, true)
	if err != nil {
		return err
	}
	if can == nil {
		if says != "" {
			l.done.Notes = append(l.done.Notes, says)
		}
		return nil
	}
	return l.push(ctx, can.Remote, can.Ref, repo.ID{}, can.There)
}
