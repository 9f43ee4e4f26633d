package resolving

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/mend"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/wording"
)

// KeepAnswers keeps the answers that were given so far.
func (a *App) KeepAnswers(given []mend.Resolution) error {
	if len(given) == 0 {
		return a.WriteState(app.WaitingFile, "")
	}
	var kept app.WaitingKept
	for _, g := range given {
		kept.Answer = append(kept.Answer, shape.NewFileAnswer(g))
	}
	text, err := toml.Marshal(kept)
	if err != nil {
		return fmt.Errorf("keep the answers: %w", err)
	}
	return a.WriteState(app.WaitingFile, string(text))
}

// WriteAnswers writes what is answered whole into the working files and the index. It
// gives the paths.
func (a *App) WriteAnswers(ctx context.Context, w *PendingMerge) ([]string, error) {
	if len(w.Taking) > 0 {
		if err := a.KeepAnswers(w.Answers); err != nil {
			return nil, err
		}
		paths, left, err := a.Take(ctx, w.Taking, a.UnfinishedTray(), false)
		if err == nil && left != nil {
			err = app.Refuse("New conflicts: %s to answer. Nothing was changed yet.", wording.Count(left.Open(), "place"))
		}
		return paths, err
	}
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	var entries []repo.IndexEntry
	for path, e := range w.merged {
		entries = append(entries, repo.IndexEntry{Path: path, Mode: e.Mode, ID: e.ID})
	}
	for _, f := range w.Files {
		if f.Open() > 0 || w.related[f.Path] != nil {
			continue
		}
		edits, err := f.Edits(ctx, w.Objects)
		if err != nil {
			return nil, err
		}
		entries = append(entries, edits...)
	}
	renamed, err := w.byName(ctx)
	if err != nil {
		return nil, err
	}
	if entries = append(entries, renamed...); len(entries) == 0 {
		return nil, &app.Refusal{Reason: "No file is fully answered yet.", Err: app.ErrNotAnswered}
	}
	seen, err := a.withHandEdits(ctx, w, entries)
	if err != nil {
		return nil, err
	}
	for i := range entries {
		if err := a.storeBlob(ctx, w.Objects, &entries[i]); err != nil {
			return nil, err
		}
	}
	paths, err := a.writeResolved(ctx, w.stages, entries, seen, true)
	if err != nil {
		return nil, err
	}
	var done, left []mend.Resolution
	for _, g := range w.Answers {
		if slices.Contains(paths, g.Path) {
			done = append(done, g)
		} else {
			left = append(left, g)
		}
	}
	return paths, errors.Join(a.KeepAnswers(left), a.RememberAnswers(done))
}

// storeBlob writes a blob that is in memory only into the repository.
func (a *App) storeBlob(ctx context.Context, objects *repo.Overlay, e *repo.IndexEntry) error {
	if !e.Mode.IsFile() && e.Mode != repo.ModeSymlink {
		return nil
	}
	data, err := objects.Blob(ctx, e.ID)
	if err != nil {
		return err
	}
	e.ID, err = a.WriteBlob(ctx, data)
	return err
}

// writeResolved makes paths settled: entries come into the index, and into the working
// files too if write says so, in the place of what was read of them.
func (a *App) writeResolved(ctx context.Context, stages []repo.Stage, entries []repo.IndexEntry, seen map[string]repo.WorkFile,
	write bool) ([]string, error) {
	now, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return nil, err
	}
	stagesOf := func(list []repo.Stage, path string) (some []repo.Stage) {
		for _, s := range list {
			if s.Path == path {
				some = append(some, s)
			}
		}
		return some
	}
	// What somebody has settled meanwhile stays as it is.
	entries = slices.DeleteFunc(entries, func(e repo.IndexEntry) bool { return len(stagesOf(now, e.Path)) == 0 })
	for _, e := range entries {
		if !slices.Equal(stagesOf(now, e.Path), stagesOf(stages, e.Path)) {
			return nil, &app.Refusal{Reason: fmt.Sprintf("What waits of %q was changed by another program meanwhile. Nothing was changed. Look "+
				"again, then repeat.", e.Path), Err: repo.ErrMoved}
		}
	}
	if len(entries) == 0 {
		return nil, app.Refuse("Everything is resolved already.")
	}
	slices.SortFunc(entries, func(x, y repo.IndexEntry) int { return strings.Compare(x.Path, y.Path) })
	var paths []string
	files := make([]repo.WorkFile, len(entries))
	for i, e := range entries {
		paths, files[i] = append(paths, e.Path), seen[e.Path]
	}
	before, err := a.Repo.KeepRaw(ctx, files)
	if err != nil {
		return nil, err
	}
	entry, err := a.DiscardEntry(ctx, before, entries)
	if err != nil {
		return nil, err
	}
	entry.Files = withoutSubmodules(entry.Files)
	entry.Kind = journal.Mend
	if entry.During, err = a.OperationUnderWay(); err != nil {
		return nil, err
	}
	if !write {
		entry.Files = nil
	}
	for _, s := range stages {
		if slices.Contains(paths, s.Path) {
			entry.Stages = append(entry.Stages, journal.Stage{Path: []byte(s.Path), Mode: s.Mode, ID: s.ID, Number: s.Number})
		}
	}
	entry.Title = "resolved " + paths[0]
	if n := len(paths); n > 1 {
		entry.Title = fmt.Sprintf("resolved %d files", n)
	}
	for _, e := range entries {
		entry.Index = append(entry.Index, journal.File{Path: []byte(e.Path), AfterMode: e.Mode, After: e.ID})
	}
	_, err = a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: app.ReflogMessage(entry.Kind, entry.Title)})
	return paths, err
}

// withoutSubmodules leaves the folders of submodules as they are, as the repository does: which commit is checked out in one is for its
// own commands. Only a file in a submodule's place goes.
func withoutSubmodules(files []journal.File) (list []journal.File) {
	for _, f := range files {
		if f.AfterMode == repo.ModeSubmodule {
			f.AfterMode, f.After = repo.ModeNone, repo.ID{}
		}
		if f.BeforeMode != repo.ModeNone && f.BeforeMode != repo.ModeSubmodule || f.AfterMode != repo.ModeNone {
			list = append(list, f)
		}
	}
	return list
}

// modeToRead is how a path is to be read whose folder may be a submodule's.
func modeToRead(stages []repo.Stage, path string) repo.Mode {
	if slices.ContainsFunc(stages, func(s repo.Stage) bool { return s.Path == path && s.Mode == repo.ModeSubmodule }) {
		return repo.ModeSubmodule
	}
	return repo.ModeFile
}

// MarkResolved marks files of the working tree as resolved, as they are. It refuses
// while marker lines stand in them, unless they are meant.
func (a *App) MarkResolved(ctx context.Context, paths []string, meant bool) error {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	stages, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return err
	}
	changes := make([]repo.Change, len(paths))
	for i, path := range paths {
		if !slices.ContainsFunc(stages, func(s repo.Stage) bool { return s.Path == path }) {
			return app.Refuse("%q has no conflict.", path)
		}
		changes[i] = repo.Change{Path: path, IndexMode: modeToRead(stages, path)}
	}
	files, err := a.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return err
	}
	rules := a.Repo.NewMergeRules()
	defer rules.Close()
	entries, seen := make([]repo.IndexEntry, len(files)), map[string]repo.WorkFile{}
	for i, f := range files {
		seen[paths[i]] = f
		rule, err := rules.Rule(ctx, paths[i])
		if err != nil {
			return err
		}
		if lines := (mend.State{}).Markers(f.Data, rule.MarkerSize); len(lines) > 0 && !meant {
			return &app.Refusal{Reason: fmt.Sprintf("There are conflict markers in %q, in line %d for one. Resolve it first, or say that they "+
				"are intended.", paths[i], lines[0]), Err: app.ErrMarkers}
		}
		entries[i] = repo.IndexEntry{Path: paths[i], Mode: f.Mode}
		if f.Mode == repo.ModeSubmodule && f.ID.IsZero() {
			return app.Refuse("The submodule %q is not checked out, so nothing says which commit is meant. Take a side.", paths[i])
		}
		if f.Mode == repo.ModeNone || f.Mode == repo.ModeSubmodule {
			entries[i].ID = f.ID
			continue
		}
		if entries[i].ID, err = a.WriteBlob(ctx, f.Data); err != nil {
			return err
		}
	}
	_, err = a.writeResolved(ctx, stages, entries, seen, false)
	return err
}
