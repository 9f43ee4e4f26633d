package merge

import (
	"context"
	"strings"

	"bastel/internal/repo"
)

// findNamesThatMeet looks whether what was brought to other names has a place there: two files at one name, a file where there is a
// folder, or below a file, would go in silence. Such names are noted, and again says that some are new: then nothing is brought
// to them, and what meets there is a conflict, or stays where it is.
func (r *renaming) findNamesThatMeet(ctx context.Context) (again bool, err error) {
	for at := atLeft; at <= atRight; at++ {
		for path, entry := range r.edits[at] {
			if entry.IsZero() {
				continue
			}
			free, err := r.isFree(ctx, at, path)
			if err != nil {
				return false, err
			}
			if !free && !r.met[path] {
				r.met[path], again = true, true
			}
		}
	}
	return again, nil
}

// isFree says whether a file can stand at a path on one side, with all that is brought together there.
func (r *renaming) isFree(ctx context.Context, at int, path string) (bool, error) {
	if r.put[at][path] > 1 {
		return false, nil
	}
	if below, err := r.belowFile(ctx, path, at); err != nil || below {
		return false, err
	}
	is, err := repo.Find(ctx, r.objects, r.ids[at], path)
	if err != nil || !isTree(is) {
		return err == nil, err
	}
	inside, err := compare(ctx, r.objects, path+"/", repo.ID{}, is.ID, nil)
	if err != nil {
		return false, err
	}
	for _, d := range inside {
		if gone, edited := r.edits[at][d.Path]; !edited || !gone.IsZero() {
			return false, nil
		}
	}
	return true, nil
}

// belowFile says whether one of some sides has a file where a path would need a folder.
func (r *renaming) belowFile(ctx context.Context, path string, sides ...int) (bool, error) {
	for folder := folderOf(path); folder != ""; folder = folderOf(folder) {
		for _, at := range sides {
			is, edited := r.edits[at][folder]
			if !edited {
				var err error
				if is, err = repo.Find(ctx, r.objects, r.ids[at], folder); err != nil {
					return false, err
				}
			}
			if !is.IsZero() && !isTree(is) {
				return true, nil
			}
		}
	}
	return false, nil
}

// folderOf is the folder that a path lies in; empty: the top one.
func folderOf(path string) string { return path[:max(0, strings.LastIndexByte(path, '/'))] }
