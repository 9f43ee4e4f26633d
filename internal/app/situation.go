package app

import (
	"context"
	"fmt"
	"strings"

	"golang.org/x/sync/errgroup"

	"bastel/internal/repo"
)

// Situation is where the user stands: what the sentence at the top of every
// screen says.
type Situation struct {
	Repository string
	Head       repo.Head
	Target     Target
	Own        int // commits of the branch that its target does not have
	Missing    int // commits of the target that the branch does not have
	Upstream   string
	Unsent     int // commits that the upstream does not have
	Unseen     int // commits of the upstream that the branch does not have
	Changes    []repo.Change
	Operation  string // what another tool left unfinished
	Taking     bool   // commits are being taken as loose changes, and wait to be mended
}

// Target is what the branch will be put onto one day.
type Target struct {
	Name string // as people say it: origin/main
	ID   repo.ID
}

// Loose counts the paths with loose changes.
func (s Situation) Loose() (n int) {
	for _, c := range s.Changes {
		if c.Loose {
			n++
		}
	}
	return n
}

// Staged counts the paths with staged changes.
func (s Situation) Staged() (n int) {
	for _, c := range s.Changes {
		if c.Staged {
			n++
		}
	}
	return n
}

// Situation reads where the user stands.
func (a *App) Situation(ctx context.Context) (Situation, error) {
	s := Situation{Repository: a.Repo.Name()}
	if op, busy := a.Repo.Unfinished(); busy {
		s.Operation = op.Name
	}
	s.Taking = len(a.takingNow()) > 0
	group, ctx := errgroup.WithContext(ctx)
	group.Go(func() (err error) {
		s.Changes, err = a.Repo.Status(ctx)
		return err
	})
	group.Go(func() (err error) {
		if s.Head, err = a.Repo.Head(ctx); err != nil || s.Head.Commit.IsZero() {
			return err
		}
		if s.Target, err = a.FindTarget(ctx, s.Head.Branch()); err != nil {
			return err
		}
		if !s.Target.ID.IsZero() {
			if s.Missing, s.Own, err = a.Repo.CountApart(ctx, s.Target.ID, s.Head.Commit); err != nil {
				return err
			}
		}
		return a.upstream(ctx, &s)
	})
	return s, group.Wait()
}

func (a *App) upstream(ctx context.Context, s *Situation) error {
	if s.Head.Ref == "" {
		return nil
	}
	refs, err := a.Repo.Refs(ctx, s.Head.Ref)
	if err != nil {
		return err
	}
	for _, ref := range refs {
		if ref.Name != s.Head.Ref || ref.Upstream == "" {
			continue
		}
		id, err := a.Repo.RefValue(ctx, ref.Upstream)
		if err != nil || id.IsZero() {
			return err
		}
		s.Upstream = repo.Ref{Name: ref.Upstream}.Short()
		s.Unseen, s.Unsent, err = a.Repo.CountApart(ctx, id, s.Head.Commit)
		return err
	}
	return nil
}

// FindTarget works out what a branch is meant for: the default branch of its
// upstream's remote, else main or master, there or here; never the branch itself.
func (a *App) FindTarget(ctx context.Context, branch string) (Target, error) {
	remote, err := a.Repo.Config(ctx, "branch."+branch+".remote")
	if err != nil {
		return Target{}, err
	}
	if remote == "" || remote == "." {
		remote = "origin"
	}
	there := "refs/remotes/" + remote + "/"
	refs, err := a.Repo.Refs(ctx, there+"HEAD", there+"main", there+"master", "refs/heads/main", "refs/heads/master")
	if err != nil {
		return Target{}, err
	}
	byName := make(map[string]repo.Ref, len(refs))
	for _, ref := range refs {
		byName[ref.Name] = ref
	}
	for _, name := range []string{byName[there+"HEAD"].Symref, there + "main", there + "master", "refs/heads/main", "refs/heads/master"} {
		ref, ok := byName[name]
		if !ok && name != "" && strings.HasPrefix(name, there) && name == byName[there+"HEAD"].Symref {
			id, err := a.Repo.RefValue(ctx, name)
			if err != nil {
				return Target{}, err
			}
			ref, ok = repo.Ref{Name: name, ID: id}, !id.IsZero()
		}
		if ok && name != "refs/heads/"+branch && !ref.ID.IsZero() {
			return Target{Name: ref.Short(), ID: ref.ID}, nil
		}
	}
	return Target{}, nil
}

// Sentence says the situation in plain words.
func (s Situation) Sentence() string {
	var b strings.Builder
	switch {
	case s.Head.Commit.IsZero():
		fmt.Fprintf(&b, "%s has no commit yet; the first will be on %s.", s.Repository, s.Head.Branch())
	case s.Head.Ref == "":
		fmt.Fprintf(&b, "%s stands at commit %s, on no branch.", s.Repository, s.Head.Commit.Short())
	default:
		fmt.Fprintf(&b, "%s is on %s", s.Repository, s.Head.Branch())
		if s.Target.Name != "" {
			fmt.Fprintf(&b, ", %s ahead of %s", Count(s.Own, "commit"), s.Target.Name)
			if s.Missing > 0 {
				fmt.Fprintf(&b, " which has %d new", s.Missing)
			}
		}
		b.WriteByte('.')
	}
	if s.Upstream != "" && s.Upstream != s.Target.Name {
		switch {
		case s.Unsent > 0 && s.Unseen > 0:
			fmt.Fprintf(&b, " %s: %d to send, %d to replace.", s.Upstream, s.Unsent, s.Unseen)
		case s.Unsent > 0:
			fmt.Fprintf(&b, " %d not on %s yet.", s.Unsent, s.Upstream)
		case s.Unseen > 0:
			fmt.Fprintf(&b, " %s has %d more.", s.Upstream, s.Unseen)
		}
	}
	loose, staged := s.Loose(), s.Staged()
	switch {
	case loose > 0 && staged > 0:
		fmt.Fprintf(&b, " Loose: %s, staged: %d.", Count(loose, "file"), staged)
	case loose > 0:
		fmt.Fprintf(&b, " Loose: %s.", Count(loose, "file"))
	case staged > 0:
		fmt.Fprintf(&b, " Staged: %s.", Count(staged, "file"))
	}
	if s.Operation != "" {
		fmt.Fprintf(&b, " Another tool's %s is unfinished.", s.Operation)
	}
	return b.String()
}

// Count says a number of things: "1 commit", "3 commits", "2 entries", "2 branches".
func Count(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	if stem, ok := strings.CutSuffix(noun, "y"); ok {
		return fmt.Sprintf("%d %sies", n, stem)
	}
	if strings.HasSuffix(noun, "ch") {
		return fmt.Sprintf("%d %ses", n, noun)
	}
	return fmt.Sprintf("%d %ss", n, noun)
}
