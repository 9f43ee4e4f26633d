package replay

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// explainLimit bounds how many commits of the other side are looked at.
const explainLimit = 500

// explainConflict names the commits on the other side that changed the conflicting
// lines, or at least touched the paths, among those of the target that the branch does not have, and those of the
// branch that came before the source but are not in the series yet.
func (r *run) explainConflict(ctx context.Context, step *Step) error {
	others, err := r.targetCommits(ctx)
	if err != nil {
		return err
	}
	for _, id := range r.plan.Sources {
		if id == step.Stopped {
			break
		}
		if !r.applied[id] {
			others = append(others, id)
		}
	}
	near, byPath := []repo.ID{}, []repo.ID{}
	for _, id := range others {
		touchesPath, touchesLines, err := r.touches(ctx, id, step.Conflicts)
		if err != nil {
			return err
		}
		if touchesLines {
			near = append(near, id)
		}
		if touchesPath {
			byPath = append(byPath, id)
		}
	}
	if step.Against = near; len(near) == 0 {
		step.Against = byPath
	}
	step.Reason = r.conflictReason(step)
	return nil
}

func (r *run) conflictReason(step *Step) string {
	where := step.Conflicts[0].Path
	if n := len(step.Conflicts); n > 1 {
		where = fmt.Sprintf("%d files", n)
	}
	if len(step.Against) == 0 {
		return fmt.Sprintf("%s: the content it builds on is not there", where)
	}
	last := step.Against[len(step.Against)-1]
	return fmt.Sprintf("%s, with %s of %s, %s", where, last.Short(), authorOf(r.commits[last]), quoted(r.commits[last].Subject()))
}

// targetCommits lists the target's commits that the branch does not have, oldest
// first, and has them read.
func (r *run) targetCommits(ctx context.Context) ([]repo.ID, error) {
	if r.onto.IsZero() || r.onto == r.plan.Base {
		return nil, nil
	}
	ids, err := r.repo.RevList(ctx, fmt.Sprintf("--max-count=%d", explainLimit), r.onto.String(), "^"+r.plan.Tip.String())
	if err != nil {
		return nil, err
	}
	slices.Reverse(ids)
	fresh, err := r.readCommits(ctx, ids)
	if err != nil {
		return nil, err
	}
	_, err = r.readCommits(ctx, parentsOf(fresh))
	return ids, err
}

func (r *run) differences(ctx context.Context, id repo.ID) ([]merge.Difference, error) {
	c := r.commits[id]
	if parent := c.Parent(); !parent.IsZero() && r.commits[parent] == nil {
		if _, err := r.readCommits(ctx, []repo.ID{parent}); err != nil {
			return nil, err
		}
	}
	return merge.Compare(ctx, r.objects, r.treeBefore(c), c.Tree)
}

// touches says whether a commit changed a conflicting path, and whether it wrote
// or removed lines that the conflict is about.
func (r *run) touches(ctx context.Context, id repo.ID, conflicts []merge.Conflict) (path, lines bool, err error) {
	list, err := r.differences(ctx, id)
	if err != nil {
		return false, false, err
	}
	for _, c := range conflicts {
		for _, d := range list {
			if d.Path != c.Path {
				continue
			}
			path = true
			wrote, err := r.wroteRegion(ctx, d, c.Regions)
			if err != nil {
				return false, false, err
			}
			lines = lines || wrote
		}
	}
	return path, lines, nil
}

// wroteRegion says whether a change added a line that a region has on its left
// side, and not in its base, or removed one of the base that is gone there.
func (r *run) wroteRegion(ctx context.Context, d merge.Difference, regions []merge.Region) (bool, error) {
	if len(regions) == 0 {
		return false, nil
	}
	old, err := r.fileLines(ctx, d.Old)
	if err != nil {
		return false, err
	}
	new, err := r.fileLines(ctx, d.New)
	if err != nil {
		return false, err
	}
	added, removed := map[string]bool{}, map[string]bool{}
	for _, region := range regions {
		addLines(added, region.Left, region.Base)
		addLines(removed, region.Base, region.Left)
	}
	for _, c := range diff.Lines(old, new) {
		if hasLine(added, new[c.NewStart:c.NewEnd]) || hasLine(removed, old[c.OldStart:c.OldEnd]) {
			return true, nil
		}
	}
	return false, nil
}

// addLines adds the lines that are not among the others.
func addLines(set map[string]bool, lines, others [][]byte) {
	for _, line := range lines {
		if !slices.ContainsFunc(others, func(other []byte) bool { return bytes.Equal(other, line) }) {
			set[string(line)] = true
		}
	}
}

func hasLine(set map[string]bool, lines [][]byte) bool {
	return slices.ContainsFunc(lines, func(line []byte) bool { return set[string(line)] })
}

// explainEmpty says why nothing is left of a step: its commits take each other
// back, or the target has the change already, in which commit if that can be told.
func (r *run) explainEmpty(ctx context.Context, step *Step) error {
	if len(step.From) > 1 {
		step.Reason = "its commits take each other back"
	} else {
		step.Reason = "what it changes is there already"
	}
	others, err := r.targetCommits(ctx)
	if err != nil {
		return err
	}
	wanted, err := r.fingerprint(ctx, step.From[0])
	if err != nil {
		return err
	}
	for _, id := range others {
		have, err := r.fingerprint(ctx, id)
		if err != nil {
			return err
		}
		if have == wanted {
			step.Against = []repo.ID{id}
			step.Reason = fmt.Sprintf("the target has this change already, from %s of %s", id.Short(), authorOf(r.commits[id]))
			return nil
		}
	}
	return nil
}

// fingerprint is a hash of what a commit changes: paths, modes and the lines
// removed and added, without where they stand.
func (r *run) fingerprint(ctx context.Context, id repo.ID) (string, error) {
	list, err := r.differences(ctx, id)
	if err != nil {
		return "", err
	}
	h := sha256.New()
	for _, d := range list {
		fmt.Fprintf(h, "%q %o %o\n", d.Path, d.Old.Mode, d.New.Mode)
		old, err := r.fileLines(ctx, d.Old)
		if err != nil {
			return "", err
		}
		new, err := r.fileLines(ctx, d.New)
		if err != nil {
			return "", err
		}
		for _, c := range diff.Lines(old, new) {
			for _, line := range old[c.OldStart:c.OldEnd] {
				fmt.Fprintf(h, "-%s", line)
			}
			for _, line := range new[c.NewStart:c.NewEnd] {
				fmt.Fprintf(h, "+%s", line)
			}
		}
	}
	return string(h.Sum(nil)), nil
}

// fileLines reads an entry as lines; a submodule is one line with its commit.
func (r *run) fileLines(ctx context.Context, e repo.Entry) ([][]byte, error) {
	if e.Mode == repo.ModeSubmodule {
		return [][]byte{[]byte(e.ID.String())}, nil
	}
	data, err := r.objects.Blob(ctx, e.ID)
	return diff.Split(data), err
}

func authorOf(c *repo.Commit) string {
	name, _, _ := strings.Cut(c.Writer().Name, " ")
	return name
}

func quoted(subject string) string { return "“" + subject + "”" }
