// Package send compares a branch with what its remote has, decides whether a push
// can hurt anyone, and pushes with a lease on exactly what was seen.
//
// Its tests promise: nobody's commits are replaced unasked, and each refusal of a server is told apart.
package send

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// Comparison is the branch as the remote has it, and as it would be there.
type Comparison struct {
	Target
	Here     repo.ID
	Seen     repo.ID   // the remote's branch when it was last fetched
	There    repo.ID   // the remote's branch now; Seen where it was not asked
	Asked    bool      // There is the remote's own answer
	Adds     []repo.ID // commits that the remote would get, oldest first, without Brings
	Brings   []repo.ID // commits of a shared branch that come along, oldest first
	On       string    // that shared branch, as people say it
	Replaces []repo.ID // commits that the remote's branch would lose, oldest first
	NotYours []repo.ID // those of Replaces that are not the user's to replace: they never were in this branch, nor were taken into it
	Whose    string    // who made the last of NotYours, and its subject, if that is known
	Rewrote  string    // who rewrote, on the remote, commits of the branch that it had; empty: nobody
	Replaced []Theirs  // those of Replaces for which something here stands
	Goes     []Theirs  // those of Replaces that were in this branch, and for which nothing here stands
	Known    bool      // what the remote has is here to be looked at
	Went     bool      // the remote's branch lost, since it was seen, what the push would bring back
	Shared   bool      // a branch that others build on by rule
}

// UpToDate says that there is nothing to push.
func (c Comparison) UpToDate() bool { return c.Here == c.There }

// Compare looks at a branch and its counterpart. With ask the remote itself is
// asked, else what was last fetched stands for it. A *repo.RemoteError says that
// the remote could not be asked. The remote is the one that the branch goes to by its
// configuration, unless one is named.
func Compare(ctx context.Context, r *repo.Repo, branch, remote string, ask bool) (Comparison, error) {
	target, err := FindTarget(ctx, r, branch, remote)
	c := Comparison{Target: target, Asked: ask}
	if err != nil {
		return c, err
	}
	if c.Here, err = r.RefValue(ctx, "refs/heads/"+branch); err != nil {
		return c, err
	}
	if c.Here.IsZero() {
		return c, &Refusal{Cause: Other, Reason: fmt.Sprintf("The branch %s has no commit yet. Make one first.", branch)}
	}
	if c.Tracking != "" {
		if c.Seen, err = r.RefValue(ctx, c.Tracking); err != nil {
			return c, err
		}
	}
	c.There = c.Seen
	if ask {
		if c.There, err = Ask(ctx, r, c.Remote, c.Ref); err != nil {
			return c, err
		}
	}
	if c.Shared, err = SharedByRule(ctx, r, c.Target); err != nil {
		return c, err
	}
	if c.Went, err = c.went(ctx, r); err != nil {
		return c, err
	}
	return c, c.ranges(ctx, r)
}

// went says whether the remote's branch lost something that the push would bring back.
func (c *Comparison) went(ctx context.Context, r *repo.Repo) (bool, error) {
	if c.Seen.IsZero() || c.There == c.Seen {
		return false, nil
	}
	addresses, err := r.PushAddresses(ctx, c.Remote)
	if err != nil || !slices.Equal(addresses, []string{c.Remote}) {
		return false, err // what is fetched from one address says nothing of another
	}
	if c.There.IsZero() {
		return true, nil
	}
	if known, err := r.Has(ctx, c.There); err != nil || !known {
		return false, err
	}
	if back, err := r.IsAncestor(ctx, c.There, c.Seen); err != nil || !back {
		return false, err
	}
	base, err := r.MergeBase(ctx, c.Seen, c.Here)
	return base != c.There, err // else nothing of what went there is here
}

func (c *Comparison) ranges(ctx context.Context, r *repo.Repo) (err error) {
	if c.Known, err = r.Has(ctx, c.There); err != nil {
		return err
	}
	if !c.Known { // somebody's push that was not fetched: all we can say is that it is there
		c.NotYours, c.Replaces = []repo.ID{c.There}, []repo.ID{c.There}
		return nil
	}
	if err = c.adds(ctx, r); err != nil || c.There.IsZero() {
		return err
	}
	if c.Replaces, err = r.Range(ctx, c.Here, c.There); err != nil || len(c.Replaces) == 0 {
		return err
	}
	// What once was in the branch is the user's to replace. The reflog knows.
	args := []string{"--topo-order", "--reverse", c.There.String(), "^" + c.Here.String()}
	former, err := r.ReflogValues(ctx, "refs/heads/"+c.Branch)
	if err != nil {
		return err
	}
	for _, id := range former {
		args = append(args, "^"+id.String())
	}
	c.NotYours, err = r.RevList(ctx, args...)
	return err
}

// adds lists what the remote's branch would get: against what it has, for a new one against
// all that is known of the remote; and apart what a shared branch of any remote has.
func (c *Comparison) adds(ctx context.Context, r *repo.Repo) error {
	shared, err := SharedBranches(ctx, r)
	if err != nil {
		return err
	}
	args := []string{"--topo-order", "--reverse", c.Here.String()}
	if c.There.IsZero() {
		args = append(args, "--not", "--remotes="+c.Remote)
	} else {
		args = append(args, "^"+c.There.String())
	}
	all, err := r.RevList(ctx, args...)
	if err != nil || len(all) == 0 {
		return err
	}
	for _, ref := range shared {
		args = append(args, "^"+ref.ID.String())
	}
	if c.There.IsZero() { // what follows --not is left out as it is
		for i := len(args) - len(shared); i < len(args); i++ {
			args[i] = args[i][1:]
		}
	}
	if c.Adds, err = r.RevList(ctx, args...); err != nil || len(c.Adds) == len(all) {
		return err
	}
	own := make(map[repo.ID]bool, len(c.Adds))
	for _, id := range c.Adds {
		own[id] = true
	}
	c.Brings = slices.DeleteFunc(all, func(id repo.ID) bool { return own[id] })
	for _, ref := range shared {
		has, err := r.IsAncestor(ctx, c.Brings[len(c.Brings)-1], ref.ID)
		if err != nil {
			return err
		}
		if has {
			c.On = ref.Short()
			break
		}
	}
	return nil
}

// Ask asks where a remote's branch is, at all addresses to which a push goes.
func Ask(ctx context.Context, r *repo.Repo, remote, ref string) (there repo.ID, err error) {
	addresses, err := r.PushAddresses(ctx, remote)
	if err != nil {
		return there, err
	}
	for i, address := range addresses {
		id, err := r.LsRemote(ctx, address, ref)
		var failed *repo.RemoteError
		if errors.As(err, &failed) {
			failed.Remote = remote // an address may hold a password
		}
		if err != nil {
			return there, err
		}
		if i > 0 && id != there {
			return there, &Refusal{Cause: Partly, Reason: fmt.Sprintf("%s has several addresses to push to, and %s is not at the same commit on "+
				"all of them. Nothing was sent. Bring them together first.",
				remote, strings.TrimPrefix(ref, "refs/heads/"))}
		}
		there = id
	}
	return there, nil
}

// PushRefs moves branches of a remote, or with the zero id deletes them, if it still has
// what is expected. It gives what the server said. Errors: *Refusal, *repo.RemoteError.
func PushRefs(ctx context.Context, r *repo.Repo, remote string, refs []repo.PushedRef, options []string,
	progress func(line string)) (said string, err error) {
	result, err := r.Push(ctx, remote, refs, options, progress)
	var hook *repo.HookError
	if errors.As(err, &hook) {
		return "", &Refusal{Cause: OwnHook, Reason: "Your own " + hook.Hook + " hook refused, and nothing was sent.", Output: hook.Output}
	}
	if err != nil {
		return result.Said(), withCause(err, strings.TrimPrefix(refs[0].Ref, "refs/heads/"))
	}
	if answer, refused := result.Refused(); refused {
		no := refusalOf(remote, answer, result.Output)
		if said := result.Said(); said != "" { // what is said here around it tells nothing more
			no.Output = said
		}
		return result.Said(), no
	}
	return result.Said(), nil
}

// SetUpstream makes the remote's branch the upstream of one that has none.
func SetUpstream(ctx context.Context, r *repo.Repo, c Comparison) error {
	upstream, err := r.Config(ctx, "branch."+c.Branch+".merge")
	if err != nil || upstream != "" {
		return err
	}
	return r.SetUpstream(ctx, c.Branch, c.Remote, c.Ref)
}
