package tray

import (
	"context"
	"fmt"
	"strconv"

	"bastel/internal/repo"
)

// TreeAt is what lies at a layer, as a tree: that of a commit with the trays up to it, or, of what is loose, the working
// tree's. Contents lie in the overlay; only those of large working files are written.
func TreeAt(ctx context.Context, r *repo.Repo, overlay *repo.Overlay, head repo.ID, changes []repo.Change, kept *State,
	at Layer) (repo.ID, error) {
	var entries []repo.IndexEntry
	err := eachBatch(ctx, r, changes, kept, Plain, func(layered []*LayeredFile, _ []string) error {
		for _, s := range layered {
			if at == Loose && s.stamp != "" && s.work.ID.IsZero() {
				id, err := r.StoreFile(ctx, s.Path)
				if err != nil {
					return fmt.Errorf("read %s: %w", strconv.Quote(s.Path), err)
				}
				s.work.ID = id
			}
			entries = append(entries, s.entriesAt(overlay, s.From, at)...)
		}
		return nil
	})
	if err != nil {
		return repo.ID{}, err
	}
	return overlay.EditTree(ctx, head, entries)
}
