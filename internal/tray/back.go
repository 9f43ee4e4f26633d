package tray

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strconv"

	"bastel/internal/repo"
)

// Step is how paths were sorted before a step of sorting, and what became of them, so that it
// can be taken back.
type Step struct {
	view    View
	before  []*LayeredFile // as they were
	after   []*LayeredFile // as the step left them
	layered []*LayeredFile // as they are now, in the same order
}

// note adds a file before it is sorted otherwise.
func (st *Step) note(s *LayeredFile) {
	before := *s // sorting replaces what a file holds, and changes nothing of it
	st.before, st.after, st.layered = append(st.before, &before), append(st.after, s), append(st.layered, s)
}

// ended fixes what the step left, so that files can be sorted on.
func (st Step) ended() Step {
	after := make([]*LayeredFile, len(st.layered))
	for i, s := range st.layered {
		now := *s
		after[i] = &now
	}
	st.after = after
	return st
}

// undo sorts the files themselves as they were.
func (st Step) undo() {
	for i, s := range st.layered {
		*s = *st.before[i]
	}
}

// Paths are those that the step was about.
func (st Step) Paths() []string {
	var paths []string
	for _, s := range st.before {
		paths = append(paths, s.Path)
		if s.From != "" {
			paths = append(paths, s.From)
		}
	}
	return paths
}

// ErrChangedSince is a step of sorting that cannot be taken back, since its files are not as it
// left them.
var ErrChangedSince = errors.New("changed since it was sorted")

// Back sorts the paths of a step as they were before it. The changes are those of its paths. The
// outcome's step does it again.
// Errors: ErrChangedSince.
func Back(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, st Step) (Outcome, error) {
	now := map[string]*LayeredFile{}
	err := eachBatch(ctx, r, changes, kept, st.view, func(layered []*LayeredFile, _ []string) error {
		for _, s := range layered {
			now[s.Path] = s
		}
		return nil
	})
	if err != nil {
		return Outcome{}, err
	}
	back := make([]*LayeredFile, len(st.before))
	for i, before := range st.before {
		after := st.after[i].stored(r)
		s := now[before.Path]
		if s == nil && after.Head == after.Index && after.Index == after.Work || s != nil && reflect.DeepEqual(s.stored(r), after) {
			file := *before
			file.index = st.after[i].at(A)
			file.index.ID = after.Index.ID
			back[i] = &file
			continue
		}
		return Outcome{}, fmt.Errorf("%s %w", strconv.Quote(before.Path), ErrChangedSince)
	}
	out, err := outcomeOf(ctx, r, kept, back)
	slices.Sort(out.Paths)
	out.Step = Step{view: st.view, before: st.after, after: back}
	return out, err
}
