package charting

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/wording"
)

// PutAside takes all loose and staged changes out of index and working files, untracked ones too, and keeps them with the
// branch that is checked out: going there again brings them back. The journal keeps every byte. It gives the paths.
func (a *App) PutAside(ctx context.Context) ([]string, error) {
	if err := a.RefuseUnfinished(); err != nil {
		return nil, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	if head.Ref == "" || head.Commit.IsZero() {
		return nil, app.Refuse("Changes are put aside with a branch that has a commit, and HEAD is on none.")
	}
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	ctx, unlock, err := a.HoldLock(ctx)
	if err != nil {
		return nil, err
	}
	defer unlock()
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return nil, err
	}
	var paths []string
	var after []repo.IndexEntry
	var index []journal.File
	for _, c := range changes {
		if c.Conflict || c.HeadMode == repo.ModeSubmodule || c.IndexMode == repo.ModeSubmodule || c.WorkMode == repo.ModeSubmodule {
			return nil, app.Refuse("%q cannot be put aside: it is a submodule, or not resolved. Nothing was changed.", c.Path)
		}
		paths = append(paths, c.Path)
		after = append(after, repo.IndexEntry{Path: c.Path, Mode: c.HeadMode, ID: c.HeadID})
		if c.IndexMode != c.HeadMode || c.IndexID != c.HeadID {
			index = append(index, journal.File{Path: []byte(c.Path), BeforeMode: c.IndexMode, Before: c.IndexID, AfterMode: c.HeadMode,
				After: c.HeadID})
		}
	}
	if len(paths) == 0 {
		return nil, app.Refuse("Nothing is loose or staged.")
	}
	before, err := a.Repo.ReadRaw(ctx, paths, true)
	if err != nil {
		return nil, err
	}
	entry, err := a.DiscardEntry(ctx, before, after)
	if err != nil {
		return nil, err
	}
	entry.Kind, entry.Index = journal.Aside, index
	entry.Title = fmt.Sprintf("changes of %s put aside with %s", wording.Count(len(paths), "file"), head.Branch())
	_, err = a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: app.ReflogMessage(entry.Kind, entry.Title)})
	return paths, err
}

// Asides are the entries of the journal that hold what was put aside in this working tree, by the branch, oldest first.
func (a *App) Asides(ctx context.Context) (map[string][]journal.Entry, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	open := map[string][]journal.Entry{}
	for _, e := range journal.StateOf(entries, a.Repo.WorktreeName()).Done {
		branch := repo.Ref{Name: e.Ref}.Short()
		switch e.Kind {
		case journal.Aside:
			open[branch] = append(open[branch], e)
		case journal.Back:
			open[branch] = slices.DeleteFunc(open[branch], func(aside journal.Entry) bool { return aside.Number == e.Of })
		}
	}
	return open, nil
}

// BringBack brings back what was put aside with the branch that is checked out, the latest first. What meets other changes
// stays aside, and is refused. It says how many files came back.
func (a *App) BringBack(ctx context.Context) (int, error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return 0, err
	}
	asides, err := a.Asides(ctx)
	if err != nil {
		return 0, err
	}
	list := asides[head.Branch()]
	files := 0
	for i := len(list) - 1; i >= 0; i-- {
		e := list[i]
		record := journal.Entry{Kind: journal.Back, Ref: head.Ref, Old: head.Commit, New: head.Commit, Of: e.Number,
			Title: fmt.Sprintf("%s put aside with %s", wording.Count(len(e.Files), "file"), head.Branch()),
			Files: app.FilesBack(e.Files), Index: app.FilesBack(e.Index), Raw: true}
		if _, err := a.CarryOut(ctx, &app.Operation{Entry: record, Reflog: app.ReflogMessage(record.Kind, record.Title)}); err != nil {
			return files, fmt.Errorf("bring back what was put aside with %s (it is kept: bastel rescue %d): %w", head.Branch(), e.Number, err)
		}
		files += len(e.Files)
	}
	return files, nil
}

// GoAside does steps that go to another branch after all loose changes were put aside with the one that is checked out;
// where the steps are refused they are brought back.
func (a *App) GoAside(ctx context.Context, steps []Step, yes bool) (Outcome, error) {
	paths, err := a.PutAside(ctx)
	if err != nil {
		return Outcome{}, err
	}
	outcome, err := a.Do(ctx, steps, yes)
	if err != nil {
		if _, back := a.BringBack(ctx); back != nil {
			return outcome, fmt.Errorf("%w; and %w", err, back)
		}
		return outcome, err
	}
	outcome.Aside = len(paths)
	return outcome, nil
}
