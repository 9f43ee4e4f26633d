// Package send compares a branch with what its remote has, decides whether a push
// can hurt anyone, and pushes with a lease on exactly what was seen.
package send

import (
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// Cause names why a push was refused, by us before it or by the remote.
type Cause string

// The causes.
const (
	NoRemote     Cause = "no_remote"
	Diverged     Cause = "somebody_pushed" // the remote moved since it was last fetched
	NotYours     Cause = "not_yours"       // the remote has commits that never were in this branch
	Shared       Cause = "shared_branch"   // a rewrite of a branch that everybody builds on
	HookDeclined Cause = "hook_declined"
	NoPermission Cause = "no_permission"
	Other        Cause = "refused"
)

// Refusal is a push that did not happen: why, and what to do about it.
type Refusal struct {
	Cause  Cause
	Reason string
	Output string // what the remote said, word for word
}

func (r *Refusal) Error() string { return r.Reason }

// Target is where a branch is pushed to.
type Target struct {
	Remote   string
	Branch   string // local short name
	Ref      string // full name on the remote
	Tracking string // the local ref that follows it; empty where none does
}

// Comparison is the branch as the remote has it, and as it would be there.
type Comparison struct {
	Target
	Here     repo.ID
	Seen     repo.ID   // the remote's branch when it was last fetched
	There    repo.ID   // the remote's branch now; Seen where it was not asked
	Asked    bool      // There is the remote's own answer
	Adds     []repo.ID // commits that the remote would get, oldest first
	Replaces []repo.ID // commits that the remote's branch would lose, oldest first
	NotYours []repo.ID // those of Replaces that never were in this branch
	Shared   bool      // a branch that others build on by rule
}

// UpToDate says that there is nothing to push.
func (c Comparison) UpToDate() bool { return c.Here == c.There }

// FindTarget works out where a branch goes: branch.<name>.pushRemote,
// remote.pushDefault, the upstream's remote, "origin", the only remote there is;
// by the branch's own name unless push.default is "upstream".
func FindTarget(ctx context.Context, r *repo.Repo, branch string) (Target, error) {
	t := Target{Branch: branch, Ref: "refs/heads/" + branch}
	remotes, err := r.Remotes(ctx)
	if err != nil {
		return t, err
	}
	for _, key := range []string{"branch." + branch + ".pushRemote", "remote.pushDefault", "branch." + branch + ".remote"} {
		if t.Remote == "" {
			if t.Remote, err = r.Config(ctx, key); err != nil {
				return t, err
			}
		}
	}
	switch {
	case t.Remote != "" && t.Remote != ".":
	case slices.Contains(remotes, "origin"):
		t.Remote = "origin"
	case len(remotes) == 1:
		t.Remote = remotes[0]
	case len(remotes) == 0:
		return t, &Refusal{Cause: NoRemote, Reason: "This repository has no remote. Add one with: git remote add origin ADDRESS"}
	default:
		return t, &Refusal{Cause: NoRemote, Reason: fmt.Sprintf("There are several remotes (%s) and none is chosen. Choose one with: git config remote.pushDefault NAME", strings.Join(remotes, ", "))}
	}
	pushDefault, err := r.Config(ctx, "push.default")
	if err != nil {
		return t, err
	}
	if pushDefault == "upstream" {
		if merge, err := r.Config(ctx, "branch."+branch+".merge"); err == nil && merge != "" {
			t.Ref = merge
		}
	}
	t.Tracking, err = trackingRef(ctx, r, t.Remote, t.Ref)
	return t, err
}

// trackingRef maps a remote's ref through the remote's fetch settings.
func trackingRef(ctx context.Context, r *repo.Repo, remote, ref string) (string, error) {
	specs, err := r.ConfigAll(ctx, "remote."+remote+".fetch")
	for _, spec := range specs {
		from, to, ok := strings.Cut(strings.TrimPrefix(spec, "+"), ":")
		if !ok {
			continue
		}
		if from == ref {
			return to, nil
		}
		prefix, suffix, isPattern := strings.Cut(from, "*")
		if isPattern && strings.HasPrefix(ref, prefix) && strings.HasSuffix(ref, suffix) && len(ref) >= len(prefix)+len(suffix) {
			return strings.Replace(to, "*", ref[len(prefix):len(ref)-len(suffix)], 1), nil
		}
	}
	return "", err
}

// Compare looks at a branch and its counterpart. With ask the remote itself is
// asked, else what was last fetched stands for it. A *repo.RemoteError says that
// the remote could not be asked.
func Compare(ctx context.Context, r *repo.Repo, branch string, ask bool) (Comparison, error) {
	target, err := FindTarget(ctx, r, branch)
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
		if c.There, err = r.LsRemote(ctx, c.Remote, c.Ref); err != nil {
			return c, err
		}
	}
	if c.Shared, err = isShared(ctx, r, c.Target); err != nil {
		return c, err
	}
	return c, c.ranges(ctx, r)
}

// sharedByName are the branches that others build on where bastel.shared does not say
// which: patterns, as path.Match reads them.
var sharedByName = []string{"main", "master", "release/*"}

// isShared: the remote's default branch, and those that are so by name.
func isShared(ctx context.Context, r *repo.Repo, t Target) (bool, error) {
	name := strings.TrimPrefix(t.Ref, "refs/heads/")
	patterns, err := r.ConfigAll(ctx, "bastel.shared")
	if err != nil {
		return false, err
	}
	if len(patterns) == 0 {
		patterns = sharedByName
	}
	for _, pattern := range patterns {
		if matched, err := path.Match(pattern, name); err != nil {
			return false, &Refusal{Cause: Other, Reason: fmt.Sprintf("The setting bastel.shared has %q, which is no pattern.", pattern)}
		} else if matched {
			return true, nil
		}
	}
	refs, err := r.Refs(ctx, "refs/remotes/"+t.Remote+"/HEAD")
	return len(refs) == 1 && refs[0].Symref == t.Tracking && t.Tracking != "", err
}

func (c *Comparison) ranges(ctx context.Context, r *repo.Repo) (err error) {
	known, err := r.Has(ctx, c.There)
	if err != nil {
		return err
	}
	if !known { // somebody's push that was not fetched: all we can say is that it is there
		c.NotYours, c.Replaces = []repo.ID{c.There}, []repo.ID{c.There}
		return nil
	}
	if c.Adds, err = c.adds(ctx, r); err != nil || c.There.IsZero() {
		return err
	}
	if c.Replaces, err = r.Range(ctx, c.Here, c.There); err != nil || len(c.Replaces) == 0 {
		return err
	}
	// What once was in the branch is the user's to replace. The reflog knows.
	args := []string{"--topo-order", "--reverse", c.There.String(), "^" + c.Here.String()}
	former, err := r.FormerValues(ctx, "refs/heads/"+c.Branch)
	if err != nil {
		return err
	}
	for _, id := range former {
		args = append(args, "^"+id.String())
	}
	c.NotYours, err = r.RevList(ctx, args...)
	return err
}

// adds lists what the remote would get: against its branch, or for a new branch
// against all that is known of the remote.
func (c *Comparison) adds(ctx context.Context, r *repo.Repo) ([]repo.ID, error) {
	if !c.There.IsZero() {
		return r.Range(ctx, c.There, c.Here)
	}
	return r.RevList(ctx, "--topo-order", "--reverse", c.Here.String(), "--not", "--remotes="+c.Remote)
}

// Verdict says whether the push may go ahead: nil, or a *Refusal.
func (c Comparison) Verdict() error {
	name := strings.TrimPrefix(c.Ref, "refs/heads/")
	switch {
	case c.UpToDate(), len(c.Replaces) == 0:
		return nil
	case c.Asked && c.There != c.Seen && len(c.NotYours) > 0:
		return &Refusal{Cause: Diverged, Reason: fmt.Sprintf("Somebody pushed to %s on %s since you last fetched. Nothing was sent. Fetch, look at what came, and take it in first.", name, c.Remote)}
	case len(c.NotYours) > 0:
		return &Refusal{Cause: NotYours, Reason: fmt.Sprintf("%s on %s has %s that never %s in your branch (the last is %s). Pushing would remove %s. Take %s in first.", name, c.Remote,
			count(len(c.NotYours), "commit"), wasWere(len(c.NotYours)), c.NotYours[len(c.NotYours)-1].Short(), themIt(len(c.NotYours)), themIt(len(c.NotYours)))}
	case c.Shared:
		return &Refusal{Cause: Shared, Reason: fmt.Sprintf("%s is shared: others build on it, and the push would replace %s there. Put your commits onto %s/%s instead.", name, count(len(c.Replaces), "commit"), c.Remote, name)}
	}
	return nil
}

func count(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

func wasWere(n int) string {
	if n == 1 {
		return "was"
	}
	return "were"
}

func themIt(n int) string {
	if n == 1 {
		return "it"
	}
	return "them"
}

// Push sends the branch, if the remote still has what the comparison saw. The
// first push of a branch makes the remote's its upstream. Errors: *Refusal,
// *repo.RemoteError.
func Push(ctx context.Context, r *repo.Repo, c Comparison, progress func(line string)) error {
	if err := c.Verdict(); err != nil {
		return err
	}
	if err := PushRef(ctx, r, c.Remote, c.Ref, c.Here, c.There, progress); err != nil {
		return err
	}
	return setUpstream(ctx, r, c)
}

// PushRef moves one branch of a remote, or with the zero id deletes it, if the remote
// still has what is expected. Errors: *Refusal, *repo.RemoteError.
func PushRef(ctx context.Context, r *repo.Repo, remote, ref string, to, expect repo.ID, progress func(line string)) error {
	answer, err := r.Push(ctx, remote, to, ref, expect, progress)
	if err != nil {
		return withCause(err)
	}
	if answer.Flag == '!' {
		return refusalOf(remote, ref, answer)
	}
	return nil
}

func setUpstream(ctx context.Context, r *repo.Repo, c Comparison) error {
	upstream, err := r.Config(ctx, "branch."+c.Branch+".merge")
	if err != nil || upstream != "" {
		return err
	}
	return r.SetUpstream(ctx, c.Branch, c.Remote, c.Ref)
}

// refusalOf reads why the remote, or the repository's own check of the lease,
// turned the push down.
func refusalOf(remote, ref string, answer repo.PushAnswer) *Refusal {
	summary := strings.ToLower(answer.Summary)
	refusal := &Refusal{Cause: Other, Output: answer.Output}
	has := func(words ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return strings.Contains(summary, w) })
	}
	switch {
	case has("stale info", "fetch first", "non-fast-forward", "incorrect old value", "failed to update ref", "cannot lock ref"):
		refusal.Cause = Diverged
		refusal.Reason = fmt.Sprintf("Somebody pushed to %s meanwhile. Nothing was replaced. Fetch, look at what came, and take it in first.", remote)
	case has("hook declined"):
		refusal.Cause = HookDeclined
		refusal.Reason = "A rule of the server refused the push. What it said is below."
	case has("permission", "not allowed", "prohibited", "protected", "denied"):
		refusal.Cause = NoPermission
		refusal.Reason = fmt.Sprintf("You may not push to %s there: %s", strings.TrimPrefix(ref, "refs/heads/"), answer.Summary)
	default:
		refusal.Reason = "The remote refused the push: " + answer.Summary
	}
	return refusal
}

// withCause turns a missing permission into a refusal: it is an answer, not a failure.
func withCause(err error) error {
	var remote *repo.RemoteError
	if errors.As(err, &remote) && errors.Is(err, repo.ErrNoPermission) {
		return &Refusal{Cause: NoPermission, Reason: fmt.Sprintf("The remote %s does not let you in. Check your key or password for it.", remote.Remote), Output: remote.Output}
	}
	return err
}
