package planning

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"bastel/internal/app"

	"bastel/internal/diff"
	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/safe"
)

// Rescued is a version of a file that the journal keeps: as it was before an entry.
type Rescued struct {
	Entry journal.Entry
	Path  string
	Mode  repo.Mode
	ID    repo.ID
}

// Rescuable lists the versions of files that the journal keeps and that an entry took from
// the working tree or the index, the latest first; with a number those of one entry.
func (a *App) Rescuable(ctx context.Context, number int) ([]Rescued, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	found := false
	var list []Rescued
	for _, e := range entries {
		if number != 0 && e.Number != number {
			continue
		}
		found = true
		seen := map[string]bool{}
		for i, f := range append(append([]journal.File{}, e.Files...), e.Index...) {
			path := string(f.Path)
			fromDisk := i < len(e.Files)
			if f.Before.IsZero() || f.BeforeMode == repo.ModeSubmodule || seen[path] || fromDisk && !e.KeepsBefore() {
				continue
			}
			seen[path] = true
			list = append(list, Rescued{e, path, f.BeforeMode, f.Before})
		}
	}
	if !found && number != 0 {
		return nil, app.Refuse("The journal has no entry %d. bastel journal lists them.", number)
	}
	return list, nil
}

// Rescue writes versions of files below a folder, which is made; what is there already is
// not written over. It gives the names written.
func (a *App) Rescue(ctx context.Context, list []Rescued, dir string) ([]string, error) {
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return nil, fmt.Errorf("write what the journal keeps: %w", err)
	}
	folder, err := repo.OpenFolder(dir)
	if err != nil {
		return nil, fmt.Errorf("write what the journal keeps: %w", err)
	}
	defer folder.Close()
	for _, r := range list {
		there, err := folder.Has(r.Path)
		if err != nil {
			return nil, &app.Refusal{Reason: fmt.Sprintf("%v. Nothing was written; name another folder.", err), Err: err}
		}
		if there {
			return nil, app.Refuse("%s is there already. Nothing was written; name another folder.", filepath.Join(dir, r.Path))
		}
	}
	var names []string
	for _, r := range list {
		object, err := a.Repo.Object(ctx, r.ID)
		if err == nil { // a link comes as a file with its target: nothing leads out of the folder
			err = folder.Write(r.Path, object.Data)
		}
		if err != nil {
			return names, fmt.Errorf("write %q: %w", r.Path, err)
		}
		names = append(names, filepath.Join(dir, r.Path))
	}
	return names, nil
}

// mostTold is how many lines of an entry's texts are told.
const mostTold = 400

// Changes tells what an entry did to working files, line by line: what it took away, and what it brought.
func (a *App) Changes(ctx context.Context, e journal.Entry) ([]string, error) {
	var told []string
	for _, f := range e.Files {
		told = append(told, "", safe.Line(string(f.Path)))
		if !e.KeepsBefore() || !f.BeforeMode.IsFile() && !f.AfterMode.IsFile() {
			continue
		}
		var texts [2][]byte
		for i, id := range []repo.ID{f.Before, f.After} {
			if id.IsZero() {
				continue
			}
			object, err := a.Repo.Object(ctx, id)
			if err != nil {
				return told, err
			}
			texts[i] = object.Data
		}
		if merge.IsBinary(texts[0]) || merge.IsBinary(texts[1]) {
			told = append(told, "  not text")
			continue
		}
		old, new := diff.Split(texts[0]), diff.Split(texts[1])
		for _, c := range diff.Lines(old, new) {
			for _, line := range old[c.OldStart:c.OldEnd] {
				told = append(told, "  − "+safe.Line(strings.TrimRight(string(line), "\r\n")))
			}
			for _, line := range new[c.NewStart:c.NewEnd] {
				told = append(told, "  + "+safe.Line(strings.TrimRight(string(line), "\r\n")))
			}
			if len(told) > mostTold {
				return append(told, "", fmt.Sprintf("and more: bastel rescue %d -o DIR writes out whole files", e.Number)), nil
			}
		}
	}
	return told, nil
}
