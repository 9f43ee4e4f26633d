package send

import (
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// Target is where a branch is pushed to.
type Target struct {
	Remote   string
	Branch   string // local short name
	Ref      string // full name on the remote
	Tracking string // the local ref that follows it; empty where none can
}

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
		return t, &Refusal{Cause: NoRemote, Reason: fmt.Sprintf("There are several remotes (%s) and none is chosen. Choose one with: git "+
			"config remote.pushDefault NAME", strings.Join(remotes, ", "))}
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
	t.Tracking, err = Tracking(ctx, r, t.Remote, t.Ref)
	return t, err
}

// Refspecs are a remote's fetch settings: which ref here follows which there.
type Refspecs []refspec

// refspec is one of them: names with at most one star on either side.
type refspec struct{ from, to string }

// Mapping reads a remote's fetch settings.
func Mapping(ctx context.Context, r *repo.Repo, remote string) (Refspecs, error) {
	specs, err := r.ConfigAll(ctx, "remote."+remote+".fetch")
	var list Refspecs
	for _, spec := range specs {
		if from, to, ok := strings.Cut(strings.TrimPrefix(spec, "+"), ":"); ok {
			list = append(list, refspec{from, to})
		}
	}
	return list, err
}

// Follower is the ref here that follows one there; empty: none.
func (s Refspecs) Follower(ref string) string {
	for _, spec := range s {
		if middle, ok := fits(spec.from, ref); ok {
			return strings.Replace(spec.to, "*", middle, 1)
		}
	}
	return ""
}

// Follows says whether a ref here is one of those that follow.
func (s Refspecs) Follows(ref string) bool {
	return slices.ContainsFunc(s, func(spec refspec) bool { _, ok := fits(spec.to, ref); return ok })
}

// fits says whether a name is one of a pattern's, and what the star stands for in it.
func fits(pattern, name string) (middle string, ok bool) {
	prefix, suffix, isPattern := strings.Cut(pattern, "*")
	if !isPattern {
		return "", pattern == name
	}
	if !strings.HasPrefix(name, prefix) || !strings.HasSuffix(name, suffix) || len(name) < len(prefix)+len(suffix) {
		return "", false
	}
	return name[len(prefix) : len(name)-len(suffix)], true
}

// IsMapped says whether the remote's fetch settings name the target's branch.
func IsMapped(ctx context.Context, r *repo.Repo, t Target) (bool, error) {
	specs, err := Mapping(ctx, r, t.Remote)
	return specs.Follower(t.Ref) != "", err
}

// Tracking is the ref here that follows a remote's, by its full name; empty: none can. A branch that the fetch settings leave out,
// as those of a clone of one branch do, is followed where it would be in a whole clone.
func Tracking(ctx context.Context, r *repo.Repo, remote, ref string) (string, error) {
	specs, err := Mapping(ctx, r, remote)
	if err != nil {
		return "", err
	}
	if to := specs.Follower(ref); to != "" {
		return to, nil
	}
	if name, ok := strings.CutPrefix(ref, "refs/heads/"); ok {
		return "refs/remotes/" + remote + "/" + name, nil
	}
	return "", nil
}

// sharedByName are the branches that others build on where bastel.shared does not say
// which: patterns, as path.Match reads them.
var sharedByName = []string{"main", "master", "release/*"}

// SharedByRule says whether others build on a branch: the remote's default branch, and
// those that are so by name.
func SharedByRule(ctx context.Context, r *repo.Repo, t Target) (bool, error) {
	name := strings.TrimPrefix(t.Ref, "refs/heads/")
	patterns, err := sharedPatterns(ctx, r)
	if err != nil {
		return false, err
	}
	for _, pattern := range patterns {
		if matched, _ := path.Match(pattern, name); matched { // all of them can be read
			return true, nil
		}
	}
	if t.Tracking == "" {
		return false, nil
	}
	refs, err := r.Refs(ctx, "refs/remotes/"+t.Remote+"/HEAD")
	return len(refs) == 1 && refs[0].Symref == t.Tracking, err
}

func sharedPatterns(ctx context.Context, r *repo.Repo) ([]string, error) {
	patterns, err := r.ConfigAll(ctx, "bastel.shared")
	if err != nil {
		return nil, err
	}
	for _, pattern := range patterns {
		if _, err := path.Match(pattern, ""); err != nil {
			return nil, &Refusal{Cause: Other, Reason: fmt.Sprintf("The setting bastel.shared has %q, which is no pattern.", pattern)}
		}
	}
	if len(patterns) == 0 {
		return sharedByName, nil
	}
	return patterns, nil
}

// SharedBranches lists the branches of all remotes, as last fetched, on which others build.
// The default branches come first.
func SharedBranches(ctx context.Context, r *repo.Repo) ([]repo.Ref, error) {
	remotes, err := r.Remotes(ctx)
	if err != nil || len(remotes) == 0 {
		return nil, err
	}
	patterns, err := sharedPatterns(ctx, r)
	if err != nil {
		return nil, err
	}
	var wanted []string
	for _, remote := range remotes {
		wanted = append(wanted, "refs/remotes/"+remote+"/HEAD")
		for _, pattern := range patterns {
			wanted = append(wanted, "refs/remotes/"+remote+"/"+pattern)
		}
	}
	refs, err := r.Refs(ctx, wanted...)
	if err != nil {
		return nil, err
	}
	for i, ref := range refs {
		if ref.Symref != "" {
			refs[i].Name = ref.Symref
		}
	}
	slices.SortStableFunc(refs, func(x, y repo.Ref) int { return strings.Compare(y.Symref, x.Symref) })
	return slices.CompactFunc(refs, func(x, y repo.Ref) bool { return x.Name == y.Name }), nil
}
