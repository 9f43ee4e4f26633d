package tray

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"bastel/internal/diff"
	"bastel/internal/repo"
)

// Outcome is what a step over files makes: what the index shall hold, how the
// trays are sorted then, and the paths that it was about.
type Outcome struct {
	Index []repo.IndexEntry
	Seen  []repo.WorkFile // of a discard: the working files as they were read, in the order of Index
	Kept  *State
	Paths []string
	Gone  int // lines that were in a tray only, and are nowhere afterwards
	Step  Step
}

// found is a picked file with what is picked of it.
type found struct {
	file *LayeredFile
	pick Pick
	step step
}

// resolve finds what is selected among what a layer changes.
func resolve(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View, at Layer, selected []Selection) ([]found,
	error) {
	// First to find out which paths are meant, then these once more, as a whole: all
	// of many files would not fit into memory.
	if len(changes) > batch {
		listing, err := Read(ctx, r, changes, kept, view)
		if err != nil {
			return nil, err
		}
		picks, err := resolveAll(listing.Files(at), selected)
		if err != nil {
			return nil, err
		}
		meant := map[string]bool{}
		for _, p := range picks {
			meant[p.File.Path], meant[p.File.From] = true, true
		}
		changes = slices.DeleteFunc(slices.Clone(changes), func(c repo.Change) bool { return !meant[c.Path] })
	}
	var layered []*LayeredFile
	err := eachBatch(ctx, r, changes, kept, view, func(some []*LayeredFile, _ []string) error {
		layered = append(layered, some...)
		return nil
	})
	if err != nil {
		return nil, err
	}
	return pickFrom(layered, view.Context, at, selected)
}

// pickFrom finds what is selected among what a layer of files changes.
func pickFrom(layered []*LayeredFile, context int, at Layer, selected []Selection) ([]found, error) {
	var changed []*LayeredFile
	var files []File
	var steps []step
	for _, s := range layered {
		if f, st := s.file(at, context); len(f.Hunks) > 0 {
			changed, files, steps = append(changed, s), append(files, f), append(steps, st)
		}
	}
	picks, err := resolveAll(files, selected)
	if err != nil {
		return nil, err
	}
	places := map[*File]int{}
	for i := range files {
		places[&files[i]] = i
	}
	list := make([]found, len(picks))
	for i, p := range picks {
		at := places[p.File]
		list[i] = found{changed[at], p, steps[at]}
	}
	return list, nil
}

// Move takes hunks, lines or files, from one layer
// to another. Nothing is changed yet but the contents stored. Errors: ErrNoSuchHunk,
// ErrBadPick, ErrBlocked, ErrBuildsOn.
func Move(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View, from, to Layer, selected []Selection) (Outcome,
	error) {
	picked, err := resolve(ctx, r, changes, kept, view, from, selected)
	if err != nil {
		return Outcome{}, err
	}
	step, gone, err := moveAll(ctx, r, picked, view, from, to)
	if err != nil {
		return Outcome{}, err
	}
	out, err := outcomeOf(ctx, r, kept, filesOfPicked(picked))
	out.Gone, out.Step = gone, step
	return out, err
}

// moveAll moves what is picked. It gives how that can be taken back, and how many lines are
// nowhere afterwards.
func moveAll(ctx context.Context, r *repo.Repo, picked []found, view View, from, to Layer) (step Step, gone int, err error) {
	step.view = view
	for _, p := range picked {
		if to.IsDraft() && p.pick.File.Old.Mode == repo.ModeNone && p.pick.File.has(repo.ModeSubmodule) {
			// Outside the index nothing tells it from a repository that lies there.
			return step, 0, fmt.Errorf("%s %w: a new submodule can be in tray A only", strconv.Quote(p.file.Path), ErrBlocked)
		}
		if err := p.storeLarge(ctx, r, to); err != nil {
			return step, 0, err
		}
		step.note(p.file)
		gone += p.file.weave.forgets(p.pick.lines(p.step), from, to)
		if err := p.file.move(p.pick, p.step, from, to); err != nil {
			return step, 0, fmt.Errorf("%s: %w", strconv.Quote(p.file.Path), err)
		}
	}
	return step, gone, nil
}

// Movement is one of several moves.
type Movement struct {
	From, To Layer
	Selected []Selection
}

// MoveEach makes one move after the other, each on what the ones before it left, and gives the
// step of each. It ends before one that cannot be made, whose error it gives, or that would leave
// lines nowhere (ErrForgets): the outcome is that of the steps before it.
func MoveEach(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View, moves []Movement) (Outcome, []Step, error) {
	var layered []*LayeredFile
	err := eachBatch(ctx, r, changes, kept, view, func(some []*LayeredFile, _ []string) error {
		layered = append(layered, some...)
		return nil
	})
	if err != nil {
		return Outcome{}, nil, err
	}
	var steps []Step
	var why error
	for _, m := range moves {
		step, err := moveOne(ctx, r, layered, view, m)
		if err != nil {
			step.undo()
			why = err
			break
		}
		steps = append(steps, step.ended())
	}
	var touched []*LayeredFile
	for _, step := range steps {
		for _, s := range step.layered {
			if !slices.Contains(touched, s) {
				touched = append(touched, s)
			}
		}
	}
	out, err := outcomeOf(ctx, r, kept, touched)
	if err != nil {
		return Outcome{}, nil, err
	}
	return out, steps, why
}

// ErrForgets is a move that would leave lines nowhere, which the journal has to keep.
var ErrForgets = errors.New("it forgets text that only a tray has")

func moveOne(ctx context.Context, r *repo.Repo, layered []*LayeredFile, view View, m Movement) (Step, error) {
	picked, err := pickFrom(layered, view.Context, m.From, m.Selected)
	if err != nil {
		return Step{}, err
	}
	step, gone, err := moveAll(ctx, r, picked, view, m.From, m.To)
	if err == nil && gone > 0 {
		err = ErrForgets
	}
	return step, err
}

// storeLarge stores a large working file that goes into a tray: its content is the
// tray's from then on.
func (p found) storeLarge(ctx context.Context, r *repo.Repo, to Layer) error {
	s := p.file
	if s.stamp == "" || to == Loose || !s.work.ID.IsZero() {
		return nil
	}
	id, err := r.StoreFile(ctx, s.Path)
	if err != nil {
		return err
	}
	s.work.ID = id
	for i := range s.changes {
		if s.changes[i].At == Loose && s.changes[i].Aspect&contentAspect != 0 {
			s.changes[i].New.ID = id
		}
	}
	return nil
}

// Rewrite moves one hunk with other lines in place of those that it has on its new
// side. The working file stays as it is. Errors: as Move's.
func Rewrite(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View, from, to Layer, one Selection,
	text []byte) (Outcome, error) {
	picked, err := resolve(ctx, r, changes, kept, view, from, []Selection{one})
	if err != nil {
		return Outcome{}, err
	}
	s, p := picked[0].file, picked[0]
	at := p.pick.File.hunk(one.Hunk)
	if at < 0 || !p.pick.File.Hunks[at].HasLines() {
		return Outcome{}, fmt.Errorf("%s: %w: only a hunk with lines can be given others", strconv.Quote(one.String()), ErrBadPick)
	}
	hunk := p.pick.File.Hunks[at]
	before := Step{view: view}
	before.note(s)
	s.weave = slices.Clone(s.weave) // the marks are not for the one before
	for _, line := range hunk.Lines {
		if line.Op != diff.Remove {
			s.weave[p.step.place(line)].marked = true
		}
	}
	if err := s.move(p.pick, p.step, from, to); err != nil {
		return Outcome{}, fmt.Errorf("%s: %w", strconv.Quote(s.Path), err)
	}
	places, err := s.weave.takeMarked(to)
	if err != nil {
		return Outcome{}, fmt.Errorf("%s: %w", strconv.Quote(s.Path), err)
	}
	s.weave = s.weave.rewrite(places, diff.Split(likeEnd(text, hunk)), to)
	out, err := outcomeOf(ctx, r, kept, []*LayeredFile{s})
	out.Step = before
	return out, err
}

// likeEnd gives an edited text the line end, or the lack of one, that the hunk has:
// editors put one at the end of what they write.
func likeEnd(text []byte, h Hunk) []byte {
	text = bytes.TrimSuffix(text, []byte("\n"))
	if last := h.Lines[len(h.Lines)-1]; len(text) == 0 || last.Op != diff.Remove && !bytes.HasSuffix(last.Text, []byte("\n")) {
		return bytes.TrimSuffix(text, []byte("\r"))
	}
	return append(slices.Clone(text), '\n')
}

// Discards takes picked loose changes back. It gives what working files shall hold,
// with the contents stored. A submodule's commit is its own repository's to change.
func Discards(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View, selected []Selection) (Outcome, error) {
	picked, err := resolve(ctx, r, changes, kept, view, Loose, selected)
	if err != nil {
		return Outcome{}, err
	}
	var work []repo.IndexEntry
	var seen []repo.WorkFile
	store := storing{repo: r}
	for _, p := range picked {
		s := p.file
		if p.pick.File.has(repo.ModeSubmodule) {
			return Outcome{}, fmt.Errorf("%s %w: go into the submodule and switch there", strconv.Quote(s.Path), ErrBlocked)
		}
		if s.large && !p.pick.whole() {
			return Outcome{}, fmt.Errorf("%s %w: it is too large to go in parts", strconv.Quote(s.Path), ErrBlocked)
		}
		before := s.Path
		v := s.discard(p.pick, p.step)
		if s.From != "" && s.Renamed == Loose && p.pick.takesRename() {
			work, seen = append(work, repo.IndexEntry{Path: before}), append(seen, s.lies)
			s.Path, s.From, s.readAt = s.From, "", ""
			s.lies = repo.WorkFile{Raw: repo.RawFile{Path: s.Path}} // it had another name
		}
		store.add(&work, s.Path, v)
		seen = append(seen, s.lies)
		s.work = v
		s.stamp = ""
	}
	if err := store.run(ctx, work); err != nil {
		return Outcome{}, err
	}
	out, err := outcomeOf(ctx, r, kept, filesOfPicked(picked))
	out.Index, out.Seen = work, seen
	return out, err
}

func filesOfPicked(picked []found) []*LayeredFile {
	layered := make([]*LayeredFile, len(picked))
	for i, p := range picked {
		layered[i] = p.file
	}
	return layered
}

// outcomeOf works out what the index shall hold for files, and keeps how they are
// sorted. The contents get stored.
func outcomeOf(ctx context.Context, r *repo.Repo, kept *State, layered []*LayeredFile) (Outcome, error) {
	out := Outcome{Kept: kept.Clone()}
	store := storing{repo: r}
	for _, s := range layered {
		out.Paths = append(out.Paths, s.Path)
		if s.changesIndex() {
			store.entries(&out.Index, s, A)
		}
		for _, e := range s.changes {
			if e.At.IsDraft() && e.New.data != nil {
				store.blob(e.New.data)
			}
		}
		out.Kept.note(r, s)
	}
	return out, store.run(ctx, out.Index)
}

// changesIndex says whether the index holds something else than the file's tray A.
func (s *LayeredFile) changesIndex() bool {
	v := s.at(A)
	if v.Mode != s.index.Mode || s.readAt != "" || s.whole && v.ID != s.index.ID {
		return true
	}
	return !s.whole && string(v.data) != string(s.index.data)
}

// storing collects contents to be written with one command.
type storing struct {
	repo   *repo.Repo
	blobs  [][]byte
	places []int // in the entries; -1: only to be kept
}

func (st *storing) blob(data []byte) {
	st.blobs, st.places = append(st.blobs, data), append(st.places, -1)
}

func (st *storing) add(entries *[]repo.IndexEntry, path string, v version) {
	e := repo.IndexEntry{Path: path, Mode: v.Mode, ID: v.ID}
	if v.Mode != repo.ModeNone && v.data != nil {
		st.blobs, st.places = append(st.blobs, v.data), append(st.places, len(*entries))
	}
	*entries = append(*entries, e)
}

// entries adds what a file's path, and the one it is renamed from, hold at a layer.
func (st *storing) entries(entries *[]repo.IndexEntry, s *LayeredFile, at Layer) {
	for _, path := range []string{s.readAt, s.Path} {
		switch path {
		case "":
		case s.pathAt(at):
			st.add(entries, path, s.at(at))
		default:
			*entries = append(*entries, repo.IndexEntry{Path: path})
		}
	}
}

func (st *storing) run(ctx context.Context, entries []repo.IndexEntry) error {
	ids, err := st.repo.WriteBlobs(ctx, st.blobs)
	if err != nil {
		return err
	}
	for n, place := range st.places {
		if place >= 0 {
			entries[place].ID = ids[n]
		}
	}
	return nil
}
