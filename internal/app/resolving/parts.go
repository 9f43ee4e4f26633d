package resolving

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// PartOf makes a commit, for a taking or a plan, of some of what a commit changed, or of what lies between two points: on
// top of the older one, with message and author of the newer. All of what a commit changed is that commit itself.
func (a *App) PartOf(ctx context.Context, older, newer repo.ID, selected []tray.Selection) (repo.ID, error) {
	source, err := a.Repo.Commit(ctx, newer)
	if err != nil {
		return repo.ID{}, err
	}
	if older.IsZero() {
		older = source.Parent()
	}
	before := a.Repo.EmptyTree()
	if !older.IsZero() {
		if before, err = a.TreeOf(ctx, older); err != nil {
			return repo.ID{}, err
		}
	}
	objects := a.Repo.NewOverlay()
	parts, err := tray.FollowedParts(ctx, objects, before, source.Tree)
	if err != nil {
		return repo.ID{}, err
	}
	if err := parts.Move(tray.Loose, tray.A, selected); err != nil {
		return repo.ID{}, app.SelectionRefusal(err)
	}
	trees, err := parts.Trees(ctx, objects, before)
	if err != nil {
		return repo.ID{}, app.SelectionRefusal(err)
	}
	if trees[0] == source.Tree && older == source.Parent() && len(source.Parents) < 2 {
		return newer, nil
	}
	part := *source
	part.Tree, part.Parents = trees[0], nil
	if !older.IsZero() {
		part.Parents = []repo.ID{older}
	}
	part.Extra = nil // such as a signature, which is that of the whole
	id := objects.Put(repo.KindCommit, part.Encode())
	return id, objects.Flush(ctx, id)
}

// FilesAsThere puts files into the working tree as they are at a point, a folder with all that is in it; what is not there
// goes. Files with changes that are not committed are named, and replaced only if that is said. All of it is one entry of
// the journal.
func (a *App) FilesAsThere(ctx context.Context, point string, paths []string, replace bool) ([]string, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	if err := a.RefuseUnfinished(); err != nil {
		return nil, err
	}
	tip, err := a.CommitNamed(ctx, point)
	if err != nil {
		return nil, err
	}
	entries, err := a.entriesThere(ctx, point, tip, paths)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(entries))
	for i, e := range entries {
		names[i] = e.Path
	}
	index, err := a.Repo.IndexEntries(ctx, names)
	if err != nil {
		return nil, err
	}
	before, err := a.replaced(ctx, names, nil, replace, func(path string) (repo.Entry, error) {
		return repo.Entry{Mode: index[path].Mode, ID: index[path].ID}, nil
	})
	if err != nil {
		return nil, err
	}
	entry, err := a.DiscardEntry(ctx, before, entries)
	if err != nil {
		return nil, err
	}
	entry.Kind, entry.Title = journal.Take, fmt.Sprintf("%s as %s has them", wording.Count(len(names), "file"), tip.Short())
	_, err = a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: app.ReflogMessage(entry.Kind, entry.Title)})
	return names, err
}

// entriesThere finds paths at a commit: files, all below a folder, or nothing where only the working tree has them.
func (a *App) entriesThere(ctx context.Context, point string, tip repo.ID, paths []string) ([]repo.IndexEntry, error) {
	tree, err := a.TreeOf(ctx, tip)
	if err != nil {
		return nil, err
	}
	objects := a.Repo.NewOverlay()
	var entries []repo.IndexEntry
	for _, path := range paths {
		e, err := objects.Find(ctx, tree, path)
		if err != nil {
			return nil, err
		}
		switch {
		case e.Mode == repo.ModeSubmodule:
			return nil, app.Refuse("%q is a submodule, whose commit cannot be a loose change here.", path)
		case e.IsZero() && !a.Repo.Exists(path):
			return nil, app.Refuse("Neither %s nor the working tree has %q. Nothing was changed.", point, path)
		case e.Mode != repo.ModeTree:
			entries = append(entries, repo.IndexEntry{Path: path, Mode: e.Mode, ID: e.ID})
			continue
		}
		below, err := merge.Compare(ctx, objects, a.Repo.EmptyTree(), e.ID)
		if err != nil {
			return nil, err
		}
		for _, d := range below {
			if d.New.Mode != repo.ModeSubmodule {
				entries = append(entries, repo.IndexEntry{Path: strings.TrimSuffix(path, "/") + "/" + d.Path, Mode: d.New.Mode, ID: d.New.ID})
			}
		}
	}
	slices.SortFunc(entries, func(x, y repo.IndexEntry) int { return strings.Compare(x.Path, y.Path) })
	return slices.CompactFunc(entries, func(x, y repo.IndexEntry) bool { return x.Path == y.Path }), nil
}
