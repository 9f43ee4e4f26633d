package charting

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/wording"
)

// aside works out a switch that puts the loose and staged changes aside with the branch that is left, brings those back that
// are aside with the branch that is gone to, or both. Every file that it is about goes in the one step from what lies there
// to what shall lie there, as bytes of the disk; the tree's step leaves those files alone.
type aside struct {
	*App
	trees [2]repo.ID // of the commit that is left, and of the one that is gone to
	loose map[string]repo.Change
	paths []string                // that it is about
	index map[string]journal.File // what comes back, by the path
	files map[string]journal.File
	entry *journal.Entry
}

// Asides are the entries of the journal that hold what was put aside in this working tree, by the branch, oldest first.
func (a *App) Asides(ctx context.Context) (map[string][]journal.Entry, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	open := map[string][]journal.Entry{}
	for _, e := range journal.StateOf(entries, a.Repo.WorktreeName()).Done {
		for branch, list := range open {
			open[branch] = slices.DeleteFunc(list, func(aside journal.Entry) bool {
				return slices.Contains(e.Back, aside.Number)
			})
		}
		if len(e.Aside) > 0 {
			branch := repo.Ref{Name: e.Ref}.Short()
			open[branch] = append(open[branch], e)
		}
	}
	return open, nil
}

// cameBack is what became of what waited at a branch.
type cameBack struct {
	files int
	stays string // what stays aside, and why
}

// putAside has the entry of a switch put all loose and staged changes aside, if put says so, and bring those back that wait
// at the branch that it goes to. What cannot come back stays aside, and is said.
func (a *App) putAside(ctx context.Context, entry *journal.Entry, from, to repo.Head, put bool) (result cameBack, err error) {
	asides, err := a.Asides(ctx)
	if err != nil {
		return result, err
	}
	waiting := asides[to.Branch()]
	if !put && len(waiting) == 0 {
		return result, nil
	}
	s := aside{App: a, loose: map[string]repo.Change{}, index: map[string]journal.File{}, files: map[string]journal.File{}, entry: entry}
	for i, at := range []repo.ID{from.Commit, to.Commit} {
		if s.trees[i], err = a.TreeOf(ctx, at); err != nil {
			return result, err
		}
	}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return result, err
	}
	for _, c := range changes {
		s.loose[c.Path] = c
	}
	if put {
		if err := s.put(from); err != nil {
			return result, err
		}
	}
	for _, e := range slices.Backward(waiting) {
		took, err := s.back(ctx, e, put)
		if err != nil {
			return result, err
		}
		if !took {
			result.stays = fmt.Sprintf("what was put aside with %s meets other changes, and stays aside; bastel rescue %d writes it "+
				"out.", to.Branch(), e.Number)
		}
	}
	if err := s.steps(ctx, put); err != nil {
		return result, err
	}
	if n := len(entry.Aside); n > 0 {
		entry.Title += fmt.Sprintf(", changes of %s put aside with %s", wording.Count(n, "file"), from.Branch())
	}
	if result.files = len(s.files); result.files > 0 {
		entry.Title += fmt.Sprintf(", changes of %s back", wording.Count(result.files, "file"))
	}
	return result, nil
}

// put takes all loose and staged changes as what is put aside.
func (s *aside) put(from repo.Head) error {
	if from.Ref == "" || from.Commit.IsZero() {
		return app.Refuse("Changes are put aside with a branch that has a commit, and HEAD is on none.")
	}
	for path, c := range s.loose {
		if c.Conflict || slices.Contains([]repo.Mode{c.HeadMode, c.IndexMode, c.WorkMode}, repo.ModeSubmodule) {
			return app.Refuse("%q cannot be put aside: it is a submodule, or not resolved. Nothing was changed.", path)
		}
		s.paths = append(s.paths, path)
	}
	return nil
}

// back takes what an entry has aside, if all of it finds its files as it left them.
func (s *aside) back(ctx context.Context, e journal.Entry, put bool) (bool, error) {
	files, index := e.Aside, e.AsideIndex
	for _, f := range append(slices.Clone(files), index...) {
		path := string(f.Path)
		now, err := s.fileAt(ctx, s.trees[1], path)
		if err != nil {
			return false, err
		}
		_, isLoose := s.loose[path]
		_, twice := s.files[path]
		if now.Mode != f.AfterMode || now.ID != f.After || isLoose && !put || twice || s.ignored(ctx, path) {
			return false, nil
		}
	}
	for _, f := range files {
		s.files[string(f.Path)] = f
		s.paths = append(s.paths, string(f.Path))
	}
	for _, f := range index {
		s.index[string(f.Path)] = f
	}
	s.entry.Back = append(s.entry.Back, e.Number)
	return true, nil
}

// ignored says whether a file lies at a path that the repository knows nothing of, and does not tell of.
func (s *aside) ignored(ctx context.Context, path string) bool {
	if _, isLoose := s.loose[path]; isLoose {
		return false
	}
	lies, err := s.Repo.ReadRaw(ctx, []string{path}, false)
	if err != nil {
		return true
	}
	here, err := s.fileAt(ctx, s.trees[0], path)
	return err != nil || here.IsZero() && lies[0].Mode != repo.ModeNone
}

// fileAt is what a tree has at a path: no folder.
func (s *aside) fileAt(ctx context.Context, tree repo.ID, path string) (repo.Entry, error) {
	e, err := repo.Find(ctx, s.Engine.Objects(), tree, path)
	if e.Mode == repo.ModeTree {
		e = repo.Entry{}
	}
	return e, err
}

// steps writes into the entry what becomes of each file.
func (s *aside) steps(ctx context.Context, put bool) error {
	if err := s.placesOf(ctx, put); err != nil || len(s.paths) == 0 {
		return err
	}
	slices.Sort(s.paths)
	s.paths = slices.Compact(s.paths)
	staged, err := s.Repo.IndexEntries(ctx, s.paths)
	if err != nil {
		return err
	}
	lies, err := s.Repo.ReadRaw(ctx, s.paths, true)
	if err != nil {
		return err
	}
	clean := make([]repo.IndexEntry, len(s.paths))
	for i, path := range s.paths {
		then, err := s.fileAt(ctx, s.trees[1], path)
		if err != nil {
			return err
		}
		clean[i] = repo.IndexEntry{Path: path, Mode: then.Mode, ID: then.ID}
	}
	layout, err := s.LaidOut(ctx, clean)
	if err != nil {
		return err
	}
	for i, path := range s.paths {
		if _, isLoose := s.loose[path]; isLoose && put {
			if err := s.keep(ctx, lies[i], staged[path]); err != nil {
				return err
			}
		}
		s.step(lies[i], staged[path], clean[i], layout[i])
	}
	s.entry.Raw = true
	return nil
}

// placesOf adds the files that a file in a folder's place, or a folder in a file's, has to do with; and ignored files that lie
// where one of the other branch will lie, which are put aside too.
func (s *aside) placesOf(ctx context.Context, put bool) error {
	differences, err := merge.Compare(ctx, s.Engine.Objects(), s.trees[0], s.trees[1])
	if err != nil {
		return err
	}
	goes := map[string]bool{}
	for _, d := range differences {
		goes[d.Path] = d.New.IsZero()
	}
	for _, d := range differences {
		if !put || !d.Old.IsZero() {
			continue
		}
		for _, path := range s.Repo.InTheWay(d.Path, func(path string) bool { return goes[path] }) {
			s.loose[path] = repo.Change{Path: path}
			s.paths = append(s.paths, path)
		}
	}
	about, folders := map[string]bool{}, map[string]bool{}
	for added := s.paths; len(added) > 0; { // what meets one that was met is met too
		for _, path := range added {
			about[path] = true
			for folder := range foldersOf(path) {
				folders[folder] = true
			}
		}
		added = nil
		for _, d := range differences {
			met := folders[d.Path]
			for folder := range foldersOf(d.Path) {
				met = met || about[folder]
			}
			if met && !about[d.Path] {
				added = append(added, d.Path)
			}
		}
		s.paths = append(s.paths, added...)
	}
	return nil
}

// foldersOf gives the folders that a path lies in.
func foldersOf(path string) func(yield func(string) bool) {
	return func(yield func(string) bool) {
		for i, c := range []byte(path) {
			if c == '/' && !yield(path[:i]) {
				return
			}
		}
	}
}

// keep notes what a file is put aside as.
func (s *aside) keep(ctx context.Context, lies repo.RawFile, staged repo.IndexEntry) error {
	here, err := s.fileAt(ctx, s.trees[0], lies.Path)
	if err != nil {
		return err
	}
	at := []byte(lies.Path)
	s.entry.Aside = append(s.entry.Aside, journal.File{Path: at, BeforeMode: lies.Mode, Before: lies.ID, AfterMode: here.Mode,
		After: here.ID, Permissions: uint32(lies.Permissions)})
	if staged.Mode != here.Mode || staged.ID != here.ID {
		s.entry.AsideIndex = append(s.entry.AsideIndex, journal.File{Path: at, BeforeMode: staged.Mode, Before: staged.ID,
			AfterMode: here.Mode, After: here.ID})
	}
	return nil
}

// step says what becomes of one file: what the branch has there, or what comes back.
func (s *aside) step(lies repo.RawFile, staged, clean repo.IndexEntry, laidOut repo.RawFile) {
	at := []byte(lies.Path)
	file := journal.File{Path: at, BeforeMode: lies.Mode, Before: lies.ID, AfterMode: laidOut.Mode, After: laidOut.ID,
		Permissions: uint32(lies.Permissions)}
	index := journal.File{Path: at, BeforeMode: staged.Mode, Before: staged.ID, AfterMode: clean.Mode, After: clean.ID}
	if f, comesBack := s.files[lies.Path]; comesBack {
		file.AfterMode, file.After, file.AfterPermissions = f.BeforeMode, f.Before, f.Permissions
	}
	if f, comesBack := s.index[lies.Path]; comesBack {
		index.AfterMode, index.After = f.BeforeMode, f.Before
	}
	s.entry.Files = append(s.entry.Files, file)
	if index.BeforeMode != index.AfterMode || index.Before != index.After {
		s.entry.Index = append(s.entry.Index, index)
	}
}
