package send

import (
	"errors"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// Cause names why a push was refused, by us before it or by the remote.
type Cause string

// The causes.
const (
	NoRemote      Cause = "no_remote"
	Diverged      Cause = "somebody_pushed"    // the lease is gone: the remote moved since it was last seen
	NotYours      Cause = "not_yours"          // the remote has commits that never were in this branch
	RemovesOthers Cause = "removes_others"     // commits of others would go from the remote's branch, for which nothing here stands
	WentThere     Cause = "went_there"         // the branch was deleted or moved back there since it was last seen
	Behind        Cause = "behind"             // there is nothing to send, and the remote has more
	Shared        Cause = "shared_branch"      // a rewrite of a branch that everybody builds on
	NotForward    Cause = "not_fast_forward"   // the server takes no rewritten branches
	HookDeclined  Cause = "hook_declined"      // a rule of the server
	OwnHook       Cause = "own_hook"           // the user's own hook
	NoPermission  Cause = "no_permission"      //
	NoRoom        Cause = "no_room"            // a quota, a limit, a full disk
	NameTaken     Cause = "name_taken"         // by a branch of which this name is a part, or the other way round
	CheckedOut    Cause = "checked_out"        // the branch is checked out there
	Partly        Cause = "addresses_disagree" // the remote's several addresses are not at the same place
	Other         Cause = "refused"
)

// Refusal is a push that did not happen: why, and what to do about it.
type Refusal struct {
	Cause    Cause
	Reason   string
	Question string // what is asked, where the user may consent; empty: there is no way past it
	Output   string // what the remote said, word for word
}

func (r *Refusal) Error() string { return r.Reason }

// refusals maps what a remote, or the repository's own check of the lease, answers, in
// lower case, to causes and what they mean. The order matters: the most telling words come
// first. {remote} and {branch} stand for the names.
var refusals = []struct {
	words  []string
	cause  Cause
	reason string
}{
	{[]string{"exists; cannot create", "is at refs/", "directory/file"}, NameTaken,
		"{remote} has a branch whose name is in the way of {branch}: one cannot be called a/b while another is called a. Rename one of them."},
	{[]string{"no space left", "quota", "disk full", "exceeds"}, NoRoom, noRoom},
	{[]string{"branch is currently checked out"}, CheckedOut, "{branch} is checked out on {remote}, and a push would leave its files out " +
		"of date. Push to a bare repository, or switch there first."},
	{[]string{"[remote rejected] (non-fast-forward)", "denying non-fast-forward"}, NotForward,
		"{remote} takes no rewritten branches: {branch} may only move forward. Put your commits onto what it has, or send them under another " +
			"name."},
	{[]string{"stale info", "fetch first", "non-fast-forward", "incorrect old value", "failed to update ref", "cannot lock ref"}, Diverged,
		"Somebody pushed to {remote} meanwhile. Nothing was replaced. Fetch, look at what came, and take it in first."},
	{[]string{"hook declined"}, HookDeclined, "A rule of {remote} refused the push of {branch}."},
	{[]string{"permission", "not allowed", "prohibited", "protected", "denied", "unauthorized"}, NoPermission,
		"You may not push to {branch} on {remote}. Ask who runs it."},
}

const noRoom = "{remote} has no room for what was sent, or takes no more than a limit. Send less, or ask who runs it."

// refusal words a no of a remote. What it said itself is kept apart, to be shown once.
func refusal(cause Cause, reason, remote, branch, output string) *Refusal {
	names := strings.NewReplacer("{remote}", remote, "{branch}", branch)
	return &Refusal{Cause: cause, Reason: names.Replace(reason), Output: output}
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
			return refusal(known.cause, known.reason, remote, branch, output)
		}
	}
	return &Refusal{Cause: Other, Reason: "The remote refused the push: " + answer.Summary, Output: output}
}

// withCause turns what a server says before it looks at branches into a refusal, where it
// is an answer and no failure.
func withCause(err error, branch string) error {
	var failed *repo.RemoteError
	if !errors.As(err, &failed) {
		return err
	}
	switch {
	case errors.Is(err, repo.ErrForbidden):
		return refusal(NoPermission, "You may not push to {branch} on {remote}. Ask who runs it.", failed.Remote, branch, failed.Output)
	case errors.Is(err, repo.ErrNoPermission):
		return refusal(NoPermission, "{remote} does not let you in. Check your key or password for it.", failed.Remote, branch, failed.Output)
	case errors.Is(err, repo.ErrNoRoom):
		return refusal(NoRoom, noRoom, failed.Remote, branch, failed.Output)
	}
	return err
}
