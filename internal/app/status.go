package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"

	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/wording"
)

// BranchStatus is where the user stands: what the sentence at the top of every
// screen says.
type BranchStatus struct {
	Repository string
	Head       repo.Head // what is checked out
	Work       repo.Head // the branch at work, most often the same
	Target     Target    // of the branch at work; so are the numbers below
	SitsOn     string    // the branch on which it sits; empty: its target
	Own        int       // commits of the branch that its target does not have
	Missing    int       // commits of the target that the branch does not have
	Upstream   string
	Unsent     int // commits that the upstream does not have
	Unseen     int // commits of the upstream that the branch does not have
	Removes    int // of them those of others, for which nothing here stands
	Changes    []repo.Change
	Operation  string        // what another tool began, and left
	Progress   repo.Progress // how far that has come
	Taking     bool          // commits are being taken as loose changes, and wait to be mended
}

// Conflicted says whether something waits in the working tree that is answered in Mend.
func (s BranchStatus) Conflicted() bool {
	return s.Operation != "" && s.Operation != "bisect" || s.Taking ||
		slices.ContainsFunc(s.Changes, func(c repo.Change) bool { return c.Conflict })
}

// Loose counts the paths with loose changes.
func (s BranchStatus) Loose() (n int) {
	for _, c := range s.Changes {
		if c.Loose {
			n++
		}
	}
	return n
}

// Staged counts the paths with staged changes.
func (s BranchStatus) Staged() (n int) {
	for _, c := range s.Changes {
		if c.Staged {
			n++
		}
	}
	return n
}

// BranchStatus reads where the user stands.
func (a *App) BranchStatus(ctx context.Context) (BranchStatus, error) {
	s := BranchStatus{Repository: a.Repo.Name()}
	if op, busy := a.Repo.Unfinished(); busy {
		s.Operation, s.Progress = op.Name, a.Repo.Progress()
	}
	s.Taking = len(a.UnfinishedTake()) > 0
	group, ctx := errgroup.WithContext(ctx)
	group.Go(func() (err error) {
		s.Changes, err = a.Repo.Status(ctx)
		return err
	})
	group.Go(func() (err error) {
		if s.Head, err = a.Repo.Head(ctx); err != nil {
			return err
		}
		if s.Work, err = a.AtWork(ctx); err != nil || s.Work.Commit.IsZero() {
			return err
		}
		if s.Target, err = a.FindTarget(ctx, s.Work.Branch()); err != nil {
			return err
		}
		if !s.Target.ID.IsZero() {
			if s.Missing, s.Own, err = a.Repo.AheadBehind(ctx, s.Target.ID, s.Work.Commit); err != nil {
				return err
			}
		}
		if s.Own > 1 {
			if s.SitsOn, err = a.sitsOn(ctx, s.Work, s.Target); err != nil {
				return err
			}
		}
		return a.upstream(ctx, &s)
	})
	return s, group.Wait()
}

// upstream compares the branch at work with its upstream: with what was last fetched.
func (a *App) upstream(ctx context.Context, s *BranchStatus) error {
	if s.Work.Ref == "" {
		return nil
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads")
	if err != nil {
		return err
	}
	for _, ref := range refs {
		if ref.Name != s.Work.Ref {
			continue
		}
		if ref.Upstream, err = a.UpstreamOf(ctx, ref); err != nil || ref.Upstream == "" {
			return err
		}
		id, err := a.Repo.RefValue(ctx, ref.Upstream)
		if err != nil || id.IsZero() {
			return err
		}
		s.Upstream = repo.Ref{Name: ref.Upstream}.Short()
		if s.Unseen, s.Unsent, err = a.Repo.AheadBehind(ctx, id, s.Work.Commit); err != nil || s.Unseen == 0 {
			return err
		}
		s.Removes, err = a.removedThere(ctx, s.Work.Branch(), ref.Upstream)
		return err
	}
	return nil
}

// UpstreamOf is the ref that follows a branch's upstream; empty: it has none. A clone of one
// branch follows none by its settings, and yet each branch may have an upstream.
func (a *App) UpstreamOf(ctx context.Context, ref repo.Ref) (string, error) {
	if ref.Upstream != "" {
		return ref.Upstream, nil
	}
	remote, err := a.Repo.Config(ctx, "branch."+ref.Short()+".remote")
	if err != nil || remote == "" || remote == "." {
		return "", err
	}
	there, err := a.Repo.Config(ctx, "branch."+ref.Short()+".merge")
	if err != nil || there == "" {
		return "", err
	}
	return send.Tracking(ctx, a.Repo, remote, there)
}

// removedThere counts what a push of a branch would take away from others there, by what
// was last fetched: nothing where it goes elsewhere than to its upstream.
func (a *App) removedThere(ctx context.Context, branch, upstream string) (int, error) {
	c, err := a.CompareBranch(ctx, branch, "", false)
	if errors.As(err, new(*send.Refusal)) || c.Tracking != upstream {
		return 0, nil
	}
	return len(c.NotYours) + len(c.Removes()), err
}

// Sentence says the situation in plain words.
func (s BranchStatus) Sentence() string {
	var b strings.Builder
	switch {
	case s.Work.Commit.IsZero():
		fmt.Fprintf(&b, "No commit yet in %s; the first will be on %s.", s.Repository, s.Work.Branch())
	case s.Work.Ref == "":
		fmt.Fprintf(&b, "On no branch in %s, at commit %s.", s.Repository, s.Work.Commit.Short())
	default:
		fmt.Fprintf(&b, "On %s in %s", s.Head.Branch(), s.Repository)
		if s.Work.Ref != s.Head.Ref {
			fmt.Fprintf(&b, "; at work is %s, not checked out", s.Work.Branch())
		}
		b.WriteString(s.place())
	}
	if s.Upstream != "" && s.Upstream != s.Target.Name {
		b.WriteString(s.exchange())
	}
	loose, staged := s.Loose(), s.Staged()
	switch {
	case loose > 0 && staged > 0:
		fmt.Fprintf(&b, " Loose: %s, staged: %d.", wording.Count(loose, "file"), staged)
	case loose > 0:
		fmt.Fprintf(&b, " Loose: %s.", wording.Count(loose, "file"))
	case staged > 0:
		fmt.Fprintf(&b, " Staged: %s.", wording.Count(staged, "file"))
	}
	if s.Operation != "" {
		fmt.Fprintf(&b, " A %s begun outside Bastel waits.", s.waits())
	}
	return b.String()
}

// waits names what another tool began: of which branch, and at which step it is.
func (s BranchStatus) waits() string {
	name := s.Operation
	if s.Progress.Branch != "" {
		name += " of " + s.Progress.Branch
	}
	if s.Progress.Steps > 0 {
		name += fmt.Sprintf(", at step %d of %d,", s.Progress.Step, s.Progress.Steps)
	}
	return name
}

// Brief says the situation in few words, what matters most first: for where there is little room.
func (s BranchStatus) Brief() string {
	switch {
	case s.Work.Ref == "" && s.Operation != "":
		return "A " + s.waits() + " begun outside Bastel waits."
	case s.Work.Ref == "" || s.Work.Commit.IsZero():
		return s.Sentence()
	}
	var parts []string
	if s.Operation != "" {
		parts = append(parts, "a "+s.waits()+" begun outside Bastel waits")
	}
	if s.Work.Ref != s.Head.Ref {
		parts = append(parts, "not checked out")
	}
	if s.Removes > 0 {
		parts = append(parts, fmt.Sprintf("%d of others to take in", s.Removes))
	}
	if !s.Target.ID.IsZero() {
		parts = append(parts, fmt.Sprintf("%d ahead", s.Own))
		if s.Missing > 0 {
			parts = append(parts, fmt.Sprintf("%d behind", s.Missing))
		}
	}
	for _, count := range []struct {
		n    int
		what string
	}{{s.Loose(), "loose"}, {s.Staged(), "staged"}, {s.Unsent, "to send"}} {
		if count.n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", count.n, count.what))
		}
	}
	return strings.TrimSuffix(s.Work.Branch()+": "+strings.Join(parts, ", "), ": ")
}

// place says how the branch at work stands to its target.
func (s BranchStatus) place() string {
	var b strings.Builder
	switch {
	case s.Target.Name == "":
	case s.Target.ID.IsZero():
		fmt.Fprintf(&b, ", whose target %s is not there", s.Target.Name)
	default:
		fmt.Fprintf(&b, ", %s ahead of %s", wording.Count(s.Own, "commit"), s.Target.Name)
		if s.Missing > 0 {
			fmt.Fprintf(&b, ", %d behind", s.Missing)
		}
	}
	if s.SitsOn != "" {
		fmt.Fprintf(&b, ", sitting on %s", s.SitsOn)
	}
	b.WriteByte('.')
	return b.String()
}

// exchange says what a push would send, replace, and take away from others.
func (s BranchStatus) exchange() string {
	replaced := s.Unseen - s.Removes
	switch {
	case s.Unsent > 0 && s.Removes > 0 && replaced == 0:
		return fmt.Sprintf(" %s: %d to send, %d of others to take in.", s.Upstream, s.Unsent, s.Removes)
	case s.Unsent > 0 && s.Removes > 0:
		return fmt.Sprintf(" %s: %d to send in place of %d, %d of others to take in.", s.Upstream, s.Unsent, replaced, s.Removes)
	case s.Unsent > 0 && s.Unseen > 0:
		return fmt.Sprintf(" %s: %d to send in place of %d.", s.Upstream, s.Unsent, s.Unseen)
	case s.Unsent > 0:
		return fmt.Sprintf(" %d not on %s yet.", s.Unsent, s.Upstream)
	case s.Unseen > 0:
		return fmt.Sprintf(" %s has %d more.", s.Upstream, s.Unseen)
	}
	return ""
}
