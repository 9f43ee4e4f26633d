package app

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// What another tool began and left in the working tree is ended here as one operation, which undo takes back: HEAD, index, working
// files, and what the repository keeps of it.

// FinishesHere says whether an operation that another tool began is finished or given up here, and not by the repository's own command.
func FinishesHere(operation string) bool {
	return slices.Contains([]string{"merge", "rebase", "cherry-pick", "revert"}, operation)
}

// StateSteps notes what the repository keeps of the operation under way, and what stays of it: names that keep says.
func (a *App) StateSteps(ctx context.Context, keep func(name string) bool) ([]journal.StateFile, error) {
	kept, err := a.Repo.UnderWay()
	if err != nil {
		return nil, err
	}
	var steps []journal.StateFile
	var texts [][]byte
	for _, name := range slices.Sorted(maps.Keys(kept)) {
		steps, texts = append(steps, journal.StateFile{Name: name}), append(texts, kept[name])
	}
	ids, err := a.Repo.WriteBlobs(ctx, texts)
	if err != nil {
		return nil, err
	}
	for i := range steps {
		steps[i].Before = ids[i]
		if keep(steps[i].Name) {
			steps[i].After = ids[i]
		}
	}
	return steps, nil
}

// StateBack are those steps, the way back.
func StateBack(steps []journal.StateFile) []journal.StateFile {
	turned := slices.Clone(steps)
	for i, s := range steps {
		turned[i].Before, turned[i].After = s.After, s.Before
	}
	return turned
}

// setUnderWay has the repository keep what an entry says of the operation under way, after it or before it.
func (a *App) setUnderWay(ctx context.Context, steps []journal.StateFile, after bool) error {
	if len(steps) == 0 {
		return nil
	}
	kept, objects := map[string][]byte{}, a.Repo.NewOverlay()
	for _, s := range steps {
		id := s.Before
		if after {
			id = s.After
		}
		if id.IsZero() {
			continue
		}
		data, err := objects.Blob(ctx, id)
		if err != nil {
			return err
		}
		kept[s.Name] = data
	}
	return a.Repo.SetUnderWay(kept)
}

// StateIs refuses where the operation under way went on, or ended, since an entry was worked out.
func (a *App) StateIs(ctx context.Context, steps []journal.StateFile) error {
	now, err := a.StateSteps(ctx, func(string) bool { return false })
	if err != nil {
		return err
	}
	want := map[string]repo.ID{}
	for _, s := range steps {
		if !s.Before.IsZero() {
			want[s.Name] = s.Before
		}
	}
	for _, s := range now {
		if want[s.Name] != s.Before {
			return Refuse("What is under way went on, or ended, meanwhile. Nothing was changed. Look again, then repeat.")
		}
		delete(want, s.Name)
	}
	if len(want) > 0 {
		return Refuse("What was under way has ended meanwhile. Nothing was changed. Look again, then repeat.")
	}
	return nil
}

// autostash is the commit in which a rebase or a merge put loose changes away when it began; zero: there were none.
func (a *App) autostash(ctx context.Context) (repo.ID, error) {
	kept, err := a.Repo.UnderWay()
	if err != nil {
		return repo.ID{}, err
	}
	for _, name := range []string{"rebase-merge/autostash", repo.MergeAutostash} {
		if put := FirstLine(string(kept[name])); put != "" {
			return a.CommitNamed(ctx, put)
		}
	}
	return repo.ID{}, nil
}

// EndUnderWay ends what is under way: HEAD goes to a branch, or stays, and index and working files of what it was about go to
// what is there. Loose changes of other files stay, and those that were put away when it began come back; where a loose change is in the
// way it is named, and nothing is changed.
func (a *App) EndUnderWay(ctx context.Context, title string, to repo.Head) (warning string, err error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	from, err := a.Repo.Head(ctx)
	if err != nil {
		return "", err
	}
	e := ending{App: a, objects: a.Repo.NewOverlay()}
	if err := e.look(ctx, from, to); err != nil {
		return "", err
	}
	entry, err := e.entry(ctx)
	if err != nil {
		return "", err
	}
	entry.Kind, entry.Title, entry.Ref, entry.Old, entry.New = journal.End, title, from.Ref, from.Commit, from.Commit
	if entry.Ref == "" {
		entry.Ref = "HEAD"
	}
	op := &Operation{Entry: entry, Reflog: ReflogMessage(entry.Kind, title)}
	if from.Ref != to.Ref {
		op.Entry.Head, op.Head, op.Detached = []string{from.Ref, to.Ref}, [2]string{from.Ref, to.Ref}, from.Commit
	} else if from.Commit != to.Commit {
		op.Entry.Old, op.Entry.New = from.Commit, to.Commit
	}
	if op.Entry.State, err = a.StateSteps(ctx, func(string) bool { return false }); err != nil {
		return "", err
	}
	state := op.Entry.State
	op.Seen = func(ctx context.Context) error {
		now, err := a.Repo.Head(ctx)
		if err != nil {
			return err
		}
		if now != from {
			return &Refusal{Reason: "HEAD has moved meanwhile. Nothing was changed. Look again, then repeat.", Err: repo.ErrMoved}
		}
		return a.StateIs(ctx, state)
	}
	op.Hooks = func(context.Context) error { return a.WriteState(WaitingFile, "") }
	return a.CarryOut(ctx, op)
}

// ending works out what becomes of index and working files.
type ending struct {
	*App
	objects *repo.Overlay
	stages  []repo.Stage
	loose   map[string]bool
	index   map[string]repo.IndexEntry
	files   map[string]repo.Entry // what the working files become
	staged  map[string]repo.Entry // what the index becomes
}

// look finds the paths that differ from what is there: unsettled ones, staged ones, and those that the two commits have otherwise.
func (e *ending) look(ctx context.Context, from, to repo.Head) (err error) {
	if e.stages, err = e.Repo.Unmerged(ctx); err != nil {
		return err
	}
	status, err := e.Repo.Status(ctx)
	if err != nil {
		return err
	}
	trees := [3]repo.ID{}
	for i, id := range []repo.ID{from.Commit, to.Commit} {
		if trees[i], err = e.TreeOf(ctx, id); err != nil {
			return err
		}
	}
	put, err := e.autostash(ctx)
	if err != nil {
		return err
	}
	if trees[2] = trees[1]; !put.IsZero() {
		if trees[2], err = e.TreeOf(ctx, put); err != nil {
			return err
		}
	}
	e.loose, e.files, e.staged = map[string]bool{}, map[string]repo.Entry{}, map[string]repo.Entry{}
	paths := map[string]bool{}
	for _, s := range e.stages {
		paths[s.Path] = true
	}
	for _, c := range status {
		e.loose[c.Path] = (c.Loose || c.New) && !c.Conflict
		if c.Staged && !c.Conflict {
			paths[c.Path] = true
		}
	}
	for _, other := range trees[1:] {
		differ, err := merge.Compare(ctx, e.objects, trees[0], other)
		if err != nil {
			return err
		}
		for _, d := range differ {
			paths[d.Path] = true
		}
	}
	for path := range paths {
		if e.staged[path], err = repo.Find(ctx, e.objects, trees[1], path); err != nil {
			return err
		}
		if e.files[path], err = repo.Find(ctx, e.objects, trees[2], path); err != nil {
			return err
		}
		if e.staged[path].IsZero() { // what was new when it was put away is staged again, as the repository does it
			e.staged[path] = e.files[path]
		}
	}
	e.index, err = e.Repo.IndexEntries(ctx, slices.Sorted(maps.Keys(paths)))
	return err
}

// entry is the journal's, with each path that changes.
func (e *ending) entry(ctx context.Context) (entry journal.Entry, err error) {
	var paths, inTheWay []string
	var changes []repo.Change
	unsettled := map[string]bool{}
	for _, s := range e.stages {
		unsettled[s.Path] = true
		entry.Stages = append(entry.Stages, journal.Stage{Path: []byte(s.Path), Mode: s.Mode, ID: s.ID, Number: s.Number})
	}
	for _, path := range slices.Sorted(maps.Keys(e.files)) {
		now, file, staged := e.index[path], e.files[path], e.staged[path]
		if file.Mode == repo.ModeSubmodule || now.Mode == repo.ModeSubmodule {
			return entry, Refuse("%q is a submodule, which Bastel leaves to the repository's own commands here. Nothing was changed.", path)
		}
		if file.Mode == repo.ModeTree { // its files are paths of their own
			file, staged = repo.Entry{}, repo.Entry{}
		}
		if now.Mode != staged.Mode || now.ID != staged.ID || unsettled[path] {
			entry.Index = append(entry.Index, journal.File{Path: []byte(path), BeforeMode: now.Mode, Before: now.ID, AfterMode: staged.Mode,
				After: staged.ID})
		}
		if now.Mode == file.Mode && now.ID == file.ID && !unsettled[path] {
			continue // it lies there so, or as it was changed since
		}
		if e.loose[path] && !unsettled[path] {
			inTheWay = append(inTheWay, path)
		}
		paths, changes = append(paths, path), append(changes, repo.Change{Path: path, IndexMode: repo.ModeFile})
	}
	if len(inTheWay) > 0 {
		return entry, inTheWayOf(inTheWay)
	}
	files, err := e.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return entry, err
	}
	before, err := e.Repo.KeepRaw(ctx, files)
	if err != nil {
		return entry, err
	}
	for i, b := range before {
		to := e.files[paths[i]]
		if to.Mode == repo.ModeTree {
			to = repo.Entry{}
		}
		entry.Files = append(entry.Files, journal.File{Path: []byte(paths[i]), BeforeMode: b.Mode, Before: b.ID, AfterMode: to.Mode, After: to.ID,
			Permissions: uint32(b.Permissions)})
	}
	return entry, nil
}

// BeforeUnderWay is where HEAD was before what is under way began, and its sentence's name.
func (a *App) BeforeUnderWay(ctx context.Context) (to repo.Head, err error) {
	op, busy := a.Repo.Unfinished()
	if !busy {
		return to, Refuse("Nothing waits here that could be given up.")
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return to, err
	}
	kept, err := a.Repo.UnderWay()
	if err != nil {
		return to, err
	}
	switch {
	case op.Name == "merge":
		return head, nil
	case len(kept["rebase-merge/orig-head"]) > 0:
		to.Ref = FirstLine(string(kept["rebase-merge/head-name"]))
		if to.Ref == "detached HEAD" {
			to.Ref = ""
		}
		to.Commit, err = a.CommitNamed(ctx, FirstLine(string(kept["rebase-merge/orig-head"])))
		return to, err
	case len(kept["sequencer/head"]) > 0: // the commit before the first one
		head.Commit, err = a.CommitNamed(ctx, FirstLine(string(kept["sequencer/head"])))
		return head, err
	case op.Name == "cherry-pick" || op.Name == "revert":
		return head, nil
	}
	return to, Refuse("A %s is not given up here: %s.", op.Name, op.Finish)
}

// GiveUp ends what is under way, and has all be as it was before it began, with loose changes carried.
func (a *App) GiveUp(ctx context.Context) (said string, err error) {
	op, _ := a.Repo.Unfinished()
	to, err := a.BeforeUnderWay(ctx)
	if err != nil {
		return "", err
	}
	title := fmt.Sprintf("gave up the %s", op.Name)
	warning, err := a.EndUnderWay(ctx, title, to)
	return joinSentences(fmt.Sprintf("The %s is given up: all is as before it began. u undoes it.", op.Name), warning), err
}
