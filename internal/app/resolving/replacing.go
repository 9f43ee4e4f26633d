package resolving

import (
	"context"
	"strings"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// replaced keeps how the working files at some paths lie that a step replaces, by the one reading that it was worked out from;
// those that nothing was read of yet are read now. A file that does not hold what is known to lie there is nobody's to replace
// unasked: one that is ignored, of a repository of its own, or that the user asked not to be looked at.
func (a *App) replaced(ctx context.Context, paths []string, seen map[string]repo.WorkFile, replace bool,
	known func(path string) (repo.Entry, error)) ([]repo.RawFile, error) {
	changes := make([]repo.Change, len(paths))
	for i, path := range paths {
		e, err := known(path)
		if err != nil {
			return nil, err
		}
		changes[i] = repo.Change{Path: path, IndexMode: e.Mode, IndexID: e.ID}
	}
	files, err := a.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return nil, err
	}
	var there []string
	for i, c := range changes {
		if f, ok := seen[c.Path]; ok {
			files[i] = f
			continue
		}
		holds, err := a.holds(ctx, files[i], c)
		if err != nil {
			return nil, err
		}
		if !holds {
			there = append(there, c.Path)
		}
	}
	if len(there) > 0 && !replace {
		list := strings.Join(there, ", ")
		return nil, &app.Refusal{Reason: list + ": changes that are in no commit would be replaced. Nothing was changed; confirm it with " +
			"--replace.", Question: list + ": changes that are in no commit are replaced.", Err: repo.ErrInTheWay}
	}
	return a.Repo.KeepRaw(ctx, files)
}

// holds says whether replacing a working file loses nothing: there is none, or it is what is known to lie there.
func (a *App) holds(ctx context.Context, file repo.WorkFile, known repo.Change) (bool, error) {
	switch {
	case file.Failed != nil:
		return false, file.Failed
	case file.Mode == repo.ModeNone:
		return true, nil
	case file.Mode != known.IndexMode:
		return false, nil
	case file.Large:
		id, err := a.Repo.StoreFile(ctx, known.Path)
		return id == known.IndexID, err
	}
	return a.Repo.HashObject(repo.KindBlob, file.Data) == known.IndexID, nil
}
