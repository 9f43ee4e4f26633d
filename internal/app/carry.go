package app

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// carrying takes loose and staged changes along where a step changes the same files: each is merged with what
// the step makes of its file, or the step is refused before anything is touched.
type carrying struct {
	*App
	objects *repo.Overlay
	trees   treeStep
	index   []journal.File // paths of the index, which no tree brings along
	files   []journal.File // and of the working tree
	stays   []repo.IndexEntry
}

// carryAlong changes an operation that goes from one tree to another so that index and working files of paths with
// changes of their own follow by themselves.
func (a *App) carryAlong(ctx context.Context, op *Operation, objects *repo.Overlay) error {
	c := carrying{App: a, objects: objects, trees: op.trees}
	differences, err := merge.Compare(ctx, objects, op.trees[0], op.trees[1])
	if err != nil {
		return err
	}
	byPath := map[string]merge.Difference{}
	var known []repo.IndexEntry
	for _, d := range differences {
		if !d.Old.IsZero() {
			known, byPath[d.Path] = append(known, repo.IndexEntry{Path: d.Path, Mode: d.Old.Mode, ID: d.Old.ID}), d
		}
	}
	look, err := a.Repo.LookAt(ctx, known)
	if err != nil {
		return err
	}
	for _, path := range look.Paths() {
		if ok, err := c.take(ctx, byPath[path], look.Loose[path], look.Staged[path]); err != nil || !ok {
			return err // clearWay says which
		}
	}
	if op.Entry.Raw {
		if c.files, err = a.asBytes(ctx, c.files); err != nil {
			return err
		}
	}
	op.Entry.Index, op.Entry.Files = append(op.Entry.Index, c.index...), append(op.Entry.Files, c.files...)
	return op.keepPaths(ctx, objects, c.stays)
}

// keepPaths has the trees' step keep some paths as they are in the first tree.
func (op *Operation) keepPaths(ctx context.Context, objects *repo.Overlay, stays []repo.IndexEntry) (err error) {
	if len(stays) == 0 {
		return nil
	}
	if op.trees[1], err = objects.EditTree(ctx, op.trees[1], stays); err != nil {
		return err
	}
	write := op.objects
	op.objects = func(ctx context.Context) error {
		if write != nil {
			if err := write(ctx); err != nil {
				return err
			}
		}
		return objects.Flush(ctx, op.trees[1])
	}
	return nil
}

// asBytes gives files whose new contents are bytes of the disk, filters applied.
func (a *App) asBytes(ctx context.Context, files []journal.File) ([]journal.File, error) {
	var clean []repo.IndexEntry
	for _, f := range files {
		clean = append(clean, repo.IndexEntry{Path: string(f.Path), Mode: f.AfterMode, ID: f.After})
	}
	laidOut, err := a.LaidOut(ctx, clean)
	if err != nil {
		return nil, err
	}
	for i := range files {
		files[i].After = laidOut[i].ID
	}
	return files, nil
}

// take works out one path, by what was read of it; ok is false where it cannot be carried.
func (c *carrying) take(ctx context.Context, d merge.Difference, work repo.WorkFile, index repo.IndexEntry) (ok bool, err error) {
	if !d.Old.Mode.IsFile() || !d.New.Mode.IsFile() || !index.Mode.IsFile() || !work.Mode.IsFile() || work.Large || work.Failed != nil {
		return false, nil
	}
	lies := c.objects.Put(repo.KindBlob, work.Data)
	indexAfter, ok, err := c.merged(ctx, d, index.ID)
	if err != nil || !ok {
		return false, err
	}
	workAfter, ok, err := c.merged(ctx, d, lies)
	if err != nil || !ok {
		return false, err
	}
	raw, err := c.Repo.KeepRaw(ctx, []repo.WorkFile{work})
	if err != nil {
		return false, err
	}
	indexMode, workMode := modeAfter(d, index.Mode), modeAfter(d, work.Mode)
	c.stays = append(c.stays, repo.IndexEntry{Path: d.Path, Mode: d.Old.Mode, ID: d.Old.ID})
	c.index = append(c.index, journal.File{Path: []byte(d.Path), BeforeMode: index.Mode, Before: index.ID, AfterMode: indexMode,
		After: indexAfter})
	c.files = append(c.files, journal.File{Path: []byte(d.Path), BeforeMode: raw[0].Mode, Before: raw[0].ID, AfterMode: workMode,
		After: workAfter, Permissions: uint32(raw[0].Permissions)})
	// They must be there before the journal's entry names them.
	return true, c.objects.Flush(ctx, indexAfter, workAfter)
}

// merged is a version of the file with what the step changes. It is one only if the way back gives the version again: where both
// changed the same in the same place, nobody could tell afterwards whose change it was.
func (c *carrying) merged(ctx context.Context, d merge.Difference, version repo.ID) (repo.ID, bool, error) {
	if version == d.Old.ID {
		return d.New.ID, true, nil
	}
	var texts [3][]byte
	for i, id := range []repo.ID{d.Old.ID, version, d.New.ID} {
		data, err := c.objects.Blob(ctx, id)
		if err != nil {
			return repo.ID{}, false, err
		}
		texts[i] = data
	}
	text, ok := merge.Clean(texts[0], texts[1], texts[2])
	if !ok {
		return repo.ID{}, false, nil
	}
	if back, ok := merge.Clean(texts[2], text, texts[0]); !ok || !bytes.Equal(back, texts[1]) {
		return repo.ID{}, false, nil
	}
	return c.objects.Put(repo.KindBlob, text), true, nil
}

// modeAfter is a mode with what the step changes of it.
func modeAfter(d merge.Difference, mode repo.Mode) repo.Mode {
	if d.Old.Mode == d.New.Mode {
		return mode
	}
	return d.New.Mode
}

// clearWay refuses where a path that the step changes has loose or staged changes that could not be carried along, or where
// something that is not the repository's lies in a new file's place. What it sees of the others is what the step replaces.
func (a *App) clearWay(ctx context.Context, op *Operation) error {
	differences, err := merge.Compare(ctx, op.content, op.trees[0], op.trees[1])
	if err != nil {
		return err
	}
	var known []repo.IndexEntry
	var paths []string
	goes := map[string]bool{}
	for _, d := range differences {
		if !d.Old.IsZero() {
			known = append(known, repo.IndexEntry{Path: d.Path, Mode: d.Old.Mode, ID: d.Old.ID})
			goes[d.Path] = d.New.IsZero()
		}
	}
	for _, d := range differences {
		if d.Old.IsZero() && d.New.Mode != repo.ModeSubmodule {
			paths = append(paths, a.Repo.InTheWay(d.Path, func(path string) bool { return goes[path] })...)
		}
	}
	look, err := a.Repo.LookAt(ctx, known)
	if err != nil {
		return err
	}
	if paths = append(paths, look.Paths()...); len(paths) > 0 {
		return inTheWayOf(paths)
	}
	op.changes = make([]repo.TreeChange, len(differences))
	for i, d := range differences {
		op.changes[i] = repo.TreeChange{Path: d.Path, Old: d.Old, New: d.New, Seen: look.Seen[d.Path]}
	}
	return nil
}

// inTheWayOf names what is in the way of a step.
func inTheWayOf(paths []string) error {
	slices.Sort(paths)
	paths = slices.Compact(paths)
	const shown = 10
	list := strings.Join(paths[:min(len(paths), shown)], "\n")
	if more := len(paths) - shown; more > 0 {
		list += fmt.Sprintf("\nand %d more", more)
	}
	return &Refusal{Reason: "Loose or staged changes are in the way of the new content, so nothing was changed. Commit them, or put them " +
		"aside:\n" + list, Err: repo.ErrInTheWay}
}
