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
	Diverged     Cause = "somebody_pushed"    // the lease is gone: the remote moved since it was last seen
	NotYours     Cause = "not_yours"          // the remote has commits that never were in this branch
	WentThere    Cause = "went_there"         // the branch was deleted or moved back there since it was last seen
	Shared       Cause = "shared_branch"      // a rewrite of a branch that everybody builds on
	NotForward   Cause = "not_fast_forward"   // the server takes no rewritten branches
	HookDeclined Cause = "hook_declined"      // a rule of the server
	NoPermission Cause = "no_permission"      //
	NoRoom       Cause = "no_room"            // a quota, a limit, a full disk
	NameTaken    Cause = "name_taken"         // by a branch of which this name is a part, or the other way round
	CheckedOut   Cause = "checked_out"        // the branch is checked out there
	Partly       Cause = "addresses_disagree" // the remote's several addresses are not at the same place
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
	NotYours []repo.ID // those of Replaces that are not the user's to replace: they never were in this branch, or others made them and nothing here stands for them
	Whose    string    // who made the last of NotYours, and its subject, if that is known
	Went     bool      // the remote's branch was deleted, or moved back, since it was seen
	Shared   bool      // a branch that others build on by rule
}

// UpToDate says that there is nothing to push.
func (c Comparison) UpToDate() bool { return c.Here == c.There }

// FindTarget works out where a branch goes: the remote that is named, or if none is
// branch.<name>.pushRemote, remote.pushDefault, the upstream's remote, "origin", the only
// remote there is; by the branch's own name unless push.default is "upstream".
func FindTarget(ctx context.Context, r *repo.Repo, branch, remote string) (Target, error) {
	t := Target{Remote: remote, Branch: branch, Ref: "refs/heads/" + branch}
	remotes, err := r.Remotes(ctx)
	if err != nil {
		return t, err
	}
	if remote != "" && !slices.Contains(remotes, remote) {
		return t, &Refusal{Cause: NoRemote, Reason: fmt.Sprintf("There is no remote %q. There are: %s.", remote, strings.Join(remotes, ", "))}
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

// went says whether the remote's branch lost what it was seen with.
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
	return r.IsAncestor(ctx, c.There, c.Seen)
}

// sharedByName are the branches that others build on where bastel.shared does not say
// which: patterns, as path.Match reads them.
var sharedByName = []string{"main", "master", "release/*"}

// SharedByRule says whether others build on a branch: the remote's default branch, and
// those that are so by name.
func SharedByRule(ctx context.Context, r *repo.Repo, t Target) (bool, error) {
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
	case c.UpToDate():
		return nil
	case c.Went && c.There.IsZero():
		return &Refusal{Cause: WentThere, Reason: fmt.Sprintf("%s was deleted on %s since you last fetched, and the push would bring it back. Nothing was sent. If you mean that, forget what was seen first: git fetch --prune %s.", name, c.Remote, c.Remote)}
	case c.Went:
		return &Refusal{Cause: WentThere, Reason: fmt.Sprintf("%s was moved back on %s since you last fetched, and the push would bring back what went. Nothing was sent. Fetch, and look at what is there first.", name, c.Remote)}
	case len(c.Replaces) == 0:
		return nil
	case c.Asked && c.There != c.Seen && len(c.NotYours) > 0:
		return &Refusal{Cause: Diverged, Reason: fmt.Sprintf("Somebody pushed to %s on %s since you last fetched. Nothing was sent. Fetch, look at what came, and take it in first.", name, c.Remote)}
	case len(c.NotYours) > 0:
		return &Refusal{Cause: NotYours, Reason: fmt.Sprintf("%s on %s has %s that you don't have (the last is %s%s). Pushing would remove %s. Take %s in first.", name, c.Remote,
			count(len(c.NotYours), "commit"), c.NotYours[len(c.NotYours)-1].Short(), c.Whose, themIt(len(c.NotYours)), themIt(len(c.NotYours)))}
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

func themIt(n int) string {
	if n == 1 {
		return "it"
	}
	return "them"
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
			return there, &Refusal{Cause: Partly, Reason: fmt.Sprintf("%s has several addresses to push to, and %s is not at the same commit on all of them. Nothing was sent. Bring them together first.",
				remote, strings.TrimPrefix(ref, "refs/heads/"))}
		}
		there = id
	}
	return there, nil
}

// PushRefs moves branches of a remote, or with the zero id deletes them, if it still has
// what is expected. It gives what the server said. Errors: *Refusal, *repo.RemoteError.
func PushRefs(ctx context.Context, r *repo.Repo, remote string, refs []repo.PushedRef, options []string, progress func(line string)) (said string, err error) {
	result, err := r.Push(ctx, remote, refs, options, progress)
	if err != nil {
		return result.Said(), withCause(err)
	}
	if answer, refused := result.Refused(); refused {
		return result.Said(), refusalOf(remote, answer, result.Output)
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

// refusals maps what a remote, or the repository's own check of the lease, answers, in
// lower case, to causes and what they mean. The order matters: the most telling words come
// first. %[1]s stands for the remote, %[2]s for the branch.
var refusals = []struct {
	words  []string
	cause  Cause
	reason string
}{
	{[]string{"exists; cannot create", "is at refs/", "directory/file"}, NameTaken, "%[1]s has a branch whose name is in the way of %[2]s: one cannot be called a/b while another is called a. Rename one of them."},
	{[]string{"no space left", "quota", "disk full", "exceeds"}, NoRoom, "%[1]s has no room for what was sent, or takes no more than a limit. What it said is below. Send less, or ask who runs it."},
	{[]string{"branch is currently checked out"}, CheckedOut, "%[2]s is checked out on %[1]s, and a push would leave its files out of date. Push to a bare repository, or switch there first."},
	{[]string{"[remote rejected] (non-fast-forward)", "denying non-fast-forward"}, NotForward, "%[1]s takes no rewritten branches: %[2]s may only move forward. Put your commits onto what it has, or send them under another name."},
	{[]string{"stale info", "fetch first", "non-fast-forward", "incorrect old value", "failed to update ref", "cannot lock ref"}, Diverged, "Somebody pushed to %[1]s meanwhile. Nothing was replaced. Fetch, look at what came, and take it in first."},
	{[]string{"hook declined"}, HookDeclined, "A rule of the server refused the push. What it said is below."},
	{[]string{"permission", "not allowed", "prohibited", "protected", "denied", "unauthorized"}, NoPermission, "You may not push to %[2]s on %[1]s. What it said is below. Ask who runs it."},
}

// refusalOf reads why a push was turned down: from the answer, and where that only says
// that something failed, from what was said besides.
func refusalOf(remote string, answer repo.PushAnswer, output string) *Refusal {
	branch := strings.TrimPrefix(answer.Ref, "refs/heads/")
	evidence := strings.ToLower(answer.Summary)
	if strings.Contains(evidence, "unpacker error") || strings.Contains(evidence, "failed to update ref") {
		evidence += strings.ToLower(output)
	}
	for _, known := range refusals {
		if slices.ContainsFunc(known.words, func(words string) bool { return strings.Contains(evidence, words) }) {
			return &Refusal{Cause: known.cause, Reason: fmt.Sprintf(known.reason, remote, branch), Output: output}
		}
	}
	return &Refusal{Cause: Other, Reason: "The remote refused the push: " + answer.Summary, Output: output}
}

// withCause turns what a server says before it looks at branches into a refusal, where it
// is an answer and no failure.
func withCause(err error) error {
	var remote *repo.RemoteError
	if !errors.As(err, &remote) {
		return err
	}
	switch {
	case errors.Is(err, repo.ErrNoPermission):
		return &Refusal{Cause: NoPermission, Reason: fmt.Sprintf("The remote %s does not let you in. Check your key or password for it.", remote.Remote), Output: remote.Output}
	case errors.Is(err, repo.ErrNoRoom):
		return &Refusal{Cause: NoRoom, Reason: remote.Remote + " has no room for what was sent, or takes no more than a limit. What it said is below.", Output: remote.Output}
	}
	return err
}
