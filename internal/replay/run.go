package replay

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// run is the state of one replay: the last commit and its content.
type run struct {
	*Engine
	plan       shape.Plan
	origins    map[repo.ID]shape.Origin
	onto       repo.ID
	committer  string
	parent     repo.ID
	tree       repo.ID
	applied    map[repo.ID]bool
	signatures int
	options    merge.Options
	book       mend.AnswerBook
	history    []repo.ID // commits of the repository that what was made so far contains
}

func (r *run) step(ctx context.Context, entry shape.Entry) (Step, error) {
	step := Step{From: entry.From, Merge: entry.Merge, Result: Clean}
	for _, id := range entry.From {
		switch origin := r.origins[id]; {
		case origin.Source.IsZero():
			step.Extra = append(step.Extra, id)
		case !slices.Contains(step.Sources, origin.Source):
			step.Sources = append(step.Sources, origin.Source)
		}
	}
	first := r.commits[entry.From[0]]
	step.Title = first.Subject()
	if entry.Message != "" {
		step.Title = repo.Subject(entry.Message)
	}
	before := r.tree
	meantToBeEmpty := true
	var changes []change
	for _, id := range r.plan.InOrder(entry.From) {
		source := r.commits[id]
		base, err := r.baseOf(ctx, entry, source, id)
		if err != nil {
			return step, err
		}
		meantToBeEmpty = meantToBeEmpty && (entry.Merge || base == source.Tree)
		changes = append(changes, change{id, base, source.Tree})
	}
	changes, err := r.joined(ctx, changes)
	if err != nil {
		return step, err
	}
	for _, c := range changes {
		if err := r.apply(ctx, &step, c); err != nil {
			return step, err
		}
	}
	for _, id := range entry.From {
		r.markApplied(id)
	}
	step.Tree = r.tree
	if err := r.explainMeetings(ctx, &step); err != nil || step.Result == Conflict {
		return step, err
	}
	if r.tree == before && !meantToBeEmpty {
		step.Result = Empty
		if len(step.PathConflicts) > 0 {
			step.Reason = "the answers to its conflicts leave nothing of it"
			return step, nil
		}
		return step, r.explainEmpty(ctx, &step)
	}
	step.sayAnswered()
	return step, r.commit(entry, &step)
}

// sayAnswered tells of conflicts that an answer of another place or plan settled.
func (s *Step) sayAnswered() {
	places, paths := 0, []string{}
	for _, m := range s.PathConflicts {
		for _, q := range m.Questions() {
			if q.Origin == mend.Elsewhere || q.Origin == mend.Remembered {
				places++
				if !slices.Contains(paths, m.Path) {
					paths = append(paths, m.Path)
				}
			}
		}
	}
	if places == 0 {
		return
	}
	s.Result, s.Reason = Answered, fmt.Sprintf("%d places in %s take an answer that was given before", places, strings.Join(paths, ", "))
	if places == 1 {
		s.Reason = "1 place in " + paths[0] + " takes an answer that was given before"
	}
}

// change is what a source does: the contents before it and after it.
type change struct{ source, base, tree repo.ID }

// joined makes one change of several where one of them conflicts, so that there is one
// question in place of many. If they cannot be joined by themselves they stay apart.
func (r *run) joined(ctx context.Context, changes []change) ([]change, error) {
	if len(changes) < 2 {
		return changes, nil
	}
	clean, err := r.cleanOn(ctx, r.tree, changes)
	if err != nil || !clean.IsZero() {
		return changes, err
	}
	first, last := changes[0], changes[len(changes)-1]
	together, err := r.cleanOn(ctx, first.tree, changes[1:])
	if err != nil || together.IsZero() {
		return changes, err
	}
	return []change{{last.source, first.base, together}}, nil
}

// cleanOn gives what changes make of a tree, one after the other; zero if one conflicts.
func (r *run) cleanOn(ctx context.Context, tree repo.ID, changes []change) (repo.ID, error) {
	for _, c := range changes {
		merged, err := r.merge(ctx, tree, c)
		if err != nil || len(merged.Conflicts) > 0 {
			return repo.ID{}, err
		}
		tree = merged.Tree
	}
	return tree, nil
}

// apply brings a change onto the tree built so far, with the answers that there are.
// Where a conflict stays open the others of the step are not looked at.
func (r *run) apply(ctx context.Context, step *Step, c change) error {
	source := c.source
	merged, err := r.merge(ctx, r.tree, c)
	if err != nil {
		return err
	}
	r.tree = merged.Tree
	step.Followed = append(step.Followed, merged.Followed...)
	if len(merged.Conflicts) == 0 {
		return nil
	}
	var states []mend.State
	var met []PathConflict
	var open []merge.Conflict
	for _, conflict := range merged.Conflicts {
		state := mend.Look(conflict, source, r.book)
		states, met = append(states, state), append(met, PathConflict{State: state, Source: source})
		if state.Open() > 0 {
			open = append(open, conflict)
		}
	}
	if r.tree, err = mend.ApplyAnswers(ctx, r.objects, r.tree, states); err != nil {
		return fmt.Errorf("put the answers in at %s: %w", source.Short(), err)
	}
	if step.Result == Conflict {
		return nil
	}
	step.PathConflicts = append(step.PathConflicts, met...)
	if len(open) > 0 {
		step.Result, step.Stopped, step.Conflicts = Conflict, source, open
	}
	return nil
}

// baseOf is the content that a source's change is held against: that of its parent; for
// a merge that of where the histories parted.
func (r *run) baseOf(ctx context.Context, entry shape.Entry, source *repo.Commit, id repo.ID) (repo.ID, error) {
	if !entry.Merge {
		return r.treeBefore(source), nil
	}
	tree, err := CommonTree(ctx, r.repo, r.objects, r.options, id, r.history...)
	if err != nil {
		return repo.ID{}, err
	}
	r.history = append(r.history, id)
	return tree, nil
}

// moved says whether the series so far can have renamed a file: the target's commits
// can, of what was there where the branch begins, and each commit of the branch that
// has both names, whether it came before or is still to come.
func (r *run) moved(ctx context.Context, from, to string) (bool, error) {
	if base := r.commits[r.plan.Base]; base != nil {
		there, err := r.objects.Find(ctx, base.Tree, from)
		if err != nil || !there.IsZero() {
			return true, err
		}
	}
	for _, id := range r.plan.Sources {
		list, err := r.differences(ctx, id)
		if err != nil {
			return false, err
		}
		names := 0
		for _, d := range list {
			if (d.Path == from || d.Path == to) && (d.Old.IsZero() || d.New.IsZero()) {
				names++
			}
		}
		if names == 2 {
			return true, nil
		}
	}
	return false, nil
}

func (r *run) markApplied(id repo.ID) {
	if r.applied == nil {
		r.applied = map[repo.ID]bool{}
	}
	r.applied[id] = true
}

func (e *Engine) treeBefore(c *repo.Commit) repo.ID {
	if parent := c.Parent(); !parent.IsZero() {
		return e.commits[parent].Tree
	}
	return e.repo.EmptyTree()
}

// merge brings a change onto a tree.
func (r *run) merge(ctx context.Context, tree repo.ID, c change) (merge.Merged, error) {
	key := mergeKey{tree, c}
	if value, ok := r.merged[key]; ok {
		return value, nil
	}
	options := r.options
	if slices.Contains(r.plan.Sources, r.origins[c.source].Source) {
		options.Moved = r.moved // of what comes from elsewhere its own base says what was there
	}
	value, err := merge.TreesWith(ctx, r.objects, options, c.base, tree, c.tree)
	if err != nil {
		return value, fmt.Errorf("apply %s: %w", c.source.Short(), err)
	}
	r.merged[key] = value
	return value, nil
}

// commit makes the entry's commit, or keeps the source where nothing about it changes.
func (r *run) commit(entry shape.Entry, step *Step) error {
	id := entry.From[0]
	source := r.commits[id]
	unchanged := len(entry.From) == 1 && !entry.Merge && entry.Message == "" && entry.Author == "" && entry.Date == "" &&
		r.origins[id] == (shape.Origin{Source: id}) && source.Tree == r.tree &&
		source.Parent() == r.parent
	if unchanged {
		step.Commit, step.Kept = id, true
		r.parent = id
		r.history = append(r.history, id)
		return nil
	}
	c := &repo.Commit{Tree: r.tree, Author: source.Author, Committer: r.committer, Encoding: source.Encoding, Message: source.Message}
	if !r.parent.IsZero() {
		c.Parents = []repo.ID{r.parent}
	}
	c.Parents = append(c.Parents, r.broughtBy(entry)...)
	if entry.Merge {
		c = &repo.Commit{Tree: r.tree, Parents: append(c.Parents, id), Author: r.committer, Committer: r.committer}
	}
	c.Author = signedAs(c.Author, entry)
	for _, from := range entry.From {
		for _, h := range r.commits[from].Extra {
			if entry.Merge {
				break // that commit stays as it is
			}
			if isSignature(h) {
				r.signatures++
			} else if from == id && h.Key != "mergetag" {
				c.Extra = append(c.Extra, h)
			}
		}
	}
	if entry.Message != "" {
		if err := c.SetMessage(withFinalNewline(entry.Message)); err != nil {
			return err
		}
	}
	step.Commit = r.objects.Put(repo.KindCommit, c.Encode())
	r.commits[step.Commit] = c
	r.parent = step.Commit
	return nil
}

// broughtBy lists what the merges among an entry's commits bring: each stands for that, and goes on to hold it.
func (r *run) broughtBy(entry shape.Entry) (brought []repo.ID) {
	if entry.Merge {
		return nil
	}
	for _, id := range entry.From {
		if parents := r.commits[id].Parents; len(parents) > 1 && slices.Contains(r.plan.Sources, id) {
			brought = append(brought, parents[1:]...)
		}
	}
	return brought
}

// signedAs puts an entry's own author and date in the place of a source's.
func signedAs(line string, entry shape.Entry) string {
	if entry.Author == "" && entry.Date == "" {
		return line // as it is, even if it is none that anybody would write
	}
	person, date, _ := strings.Cut(line, "> ")
	if entry.Author != "" {
		person = strings.TrimSuffix(entry.Author, ">")
	}
	if entry.Date != "" {
		date = entry.Date
	}
	return person + "> " + date
}

func isSignature(h repo.Header) bool { return strings.HasPrefix(h.Key, "gpgsig") }

func withFinalNewline(message string) string { return strings.TrimRight(message, "\n") + "\n" }
