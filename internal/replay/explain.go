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

// explainMeetings names the commits on the other side of each conflict of a step: among
// those of the target that the branch does not have, and those of the branch that came
// before the source but are not in the series yet.
func (r *run) explainMeetings(ctx context.Context, step *Step) error {
	if len(step.PathConflicts) == 0 {
		return nil
	}
	target, err := r.targetCommits(ctx)
	if err != nil {
		return err
	}
	for i := range step.PathConflicts {
		others := r.othersThan(step.PathConflicts[i].Source, target)
		if step.Merge {
			others = r.plan.Sources // the branch's own are what another branch meets
		}
		if err := r.explainMeeting(ctx, &step.PathConflicts[i], others); err != nil {
			return err
		}
	}
	if step.Result == Conflict {
		r.explainConflict(step)
	}
	return nil
}

// othersThan are the commits that a source can have met.
func (r *run) othersThan(source repo.ID, target []repo.ID) []repo.ID {
	others := slices.Clone(target)
	for _, id := range r.plan.Sources {
		if id == source {
			break
		}
		if !r.applied[id] {
			others = append(others, id)
		}
	}
	return others
}

func (r *run) explainMeeting(ctx context.Context, m *PathConflict, others []repo.ID) error {
	regions := m.Conflict.Regions()
	m.Writers = make([][]repo.ID, len(regions))
	for _, id := range others {
		if id == m.Source {
			continue
		}
		list, err := r.differences(ctx, id)
		if err != nil {
			return err
		}
		for _, d := range list {
			if !m.concerns(d.Path) {
				continue
			}
			if !slices.Contains(m.Against, id) {
				m.Against = append(m.Against, id)
			}
			for i, region := range regions {
				wrote, err := r.wroteRegion(ctx, d, region)
				if err != nil {
					return err
				}
				if wrote && !slices.Contains(m.Writers[i], id) {
					m.Writers[i] = append(m.Writers[i], id)
				}
			}
		}
	}
	return nil
}

// concerns says whether a path is one that a conflict is about: of a file against a folder, what lies in the folder is.
func (m *PathConflict) concerns(path string) bool {
	return path == m.Path || path != "" && (path == m.From || path == m.Other) || m.Kind == merge.FileFolder &&
		strings.HasPrefix(path, m.Path+"/")
}

// explainConflict sums a step's open conflicts up: with which commits, those that wrote
// the very lines before those that only touched the paths.
func (r *run) explainConflict(step *Step) {
	var near, byPath []repo.ID
	for _, m := range step.PathConflicts {
		if m.Open() == 0 {
			continue
		}
		byPath = append(byPath, m.Against...)
		near = append(near, slices.Concat(m.Writers...)...)
	}
	if step.Against = unique(near); len(near) == 0 {
		step.Against = unique(byPath)
	}
	step.Reason = r.conflictReason(step)
}

func unique(ids []repo.ID) (once []repo.ID) {
	for _, id := range ids {
		if !slices.Contains(once, id) {
			once = append(once, id)
		}
	}
	return once
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

// differences are what a commit changes.
func (r *run) differences(ctx context.Context, id repo.ID) ([]merge.Difference, error) {
	if list, known := r.changed[id]; known {
		return list, nil
	}
	c := r.commits[id]
	if parent := c.Parent(); !parent.IsZero() && r.commits[parent] == nil {
		if _, err := r.readCommits(ctx, []repo.ID{parent}); err != nil {
			return nil, err
		}
	}
	list, err := merge.Compare(ctx, r.objects, r.treeBefore(c), c.Tree)
	if err == nil {
		r.changed[id] = list
	}
	return list, err
}

// textPair is two versions of a file.
type textPair struct{ old, new repo.Entry }

// lineChange is what a change added and removed, wherever it stands.
type lineChange struct{ added, removed map[string]bool }

func (r *run) lineChange(ctx context.Context, d merge.Difference) (lineChange, error) {
	pair := textPair{d.Old, d.New}
	if change, known := r.lines[pair]; known {
		return change, nil
	}
	change := lineChange{map[string]bool{}, map[string]bool{}}
	old, err := r.fileLines(ctx, d.Old)
	if err != nil {
		return change, err
	}
	new, err := r.fileLines(ctx, d.New)
	if err != nil {
		return change, err
	}
	for _, c := range diff.Lines(old, new) {
		for _, line := range new[c.NewStart:c.NewEnd] {
			change.added[string(line)] = true
		}
		for _, line := range old[c.OldStart:c.OldEnd] {
			change.removed[string(line)] = true
		}
	}
	r.lines[pair] = change
	return change, nil
}

// wroteRegion says whether a change added a line that a region has on its left side,
// and not in its base, or removed one of the base that is gone there.
func (r *run) wroteRegion(ctx context.Context, d merge.Difference, region merge.Region) (bool, error) {
	change, err := r.lineChange(ctx, d)
	if err != nil {
		return false, err
	}
	return hasNew(change.added, region.Left, region.Base) || hasNew(change.removed, region.Base, region.Left), nil
}

// hasNew says whether one of the lines that are not among the others is in a set.
func hasNew(set map[string]bool, lines, others [][]byte) bool {
	return slices.ContainsFunc(lines, func(line []byte) bool {
		return set[string(line)] && !slices.ContainsFunc(others, func(other []byte) bool { return bytes.Equal(other, line) })
	})
}

// explainEmpty says why nothing is left of a step: its commits take each other
// back, or the target has the change already, in which commit if that can be told.
func (r *run) explainEmpty(ctx context.Context, step *Step) error {
	if len(step.From) > 1 {
		step.Reason = "its commits undo each other"
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
