package tray

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"golang.org/x/sync/errgroup"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// View is how changes are looked at. Hunk ids depend on the context.
type View struct {
	Context int             // unchanged lines around a change
	Load    map[string]bool // paths to be read although they are large
}

// Plain is the usual view.
var Plain = View{Context: diff.Context}

// batch is how many files are in memory as a whole at a time.
const batch = 256

// item is a path with all that the repository's status says of it.
type item struct {
	path    string
	records []repo.Change // of the path itself; two where it was taken out of the index and lies there still
	from    *repo.Change
	renamed Layer
	alike   string
}

func itemsOf(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State) ([]item, error) {
	if len(changes) <= batch {
		loose := slices.DeleteFunc(slices.Clone(changes), func(c repo.Change) bool { return !c.Loose })
		if err := r.Prime(ctx, loose); err != nil {
			return nil, err
		}
	}
	pairs, err := pairUp(ctx, r, changes, kept)
	if err != nil {
		return nil, err
	}
	used := map[string]bool{}
	for _, p := range pairs {
		if p.from != nil {
			used[p.from.Path] = true
		}
	}
	var items []item
	places := map[string]int{}
	for _, c := range changes {
		if used[c.Path] {
			continue
		}
		if at, ok := places[c.Path]; ok {
			items[at].records = append(items[at].records, c)
			continue
		}
		places[c.Path] = len(items)
		p := pairs[c.Path]
		items = append(items, item{c.Path, []repo.Change{c}, p.from, p.at, p.alike})
	}
	return items, nil
}

// eachBatch reads the files of changes, some at a time, sorted as kept: the next ones
// are read while do is at work. Lost are the paths of which not all that was kept is
// there any more.
func eachBatch(ctx context.Context, r *repo.Repo, changes []repo.Change, kept *State, view View,
	do func(layered []*LayeredFile, lost []string) error) error {
	items, err := itemsOf(ctx, r, changes, kept)
	if err != nil {
		return err
	}
	group, ctx := errgroup.WithContext(ctx)
	read := make(chan []*LayeredFile)
	group.Go(func() error {
		defer close(read)
		for some := range slices.Chunk(items, batch) {
			layered, err := readLayered(ctx, r, some, view)
			if err != nil {
				return err
			}
			select {
			case read <- layered:
			case <-ctx.Done():
				return ctx.Err()
			}
		}
		return nil
	})
	group.Go(func() error {
		for layered := range read {
			var lost []string
			for _, s := range layered {
				if !kept.sort(s) {
					lost = append(lost, s.Path)
				}
			}
			if err := do(layered, lost); err != nil {
				return err
			}
		}
		return nil
	})
	return group.Wait()
}

func readLayered(ctx context.Context, r *repo.Repo, items []item, view View) ([]*LayeredFile, error) {
	layered := make([]*LayeredFile, len(items))
	var loose []repo.Change
	var owners []*LayeredFile
	var reads []*version
	for i, it := range items {
		s := &LayeredFile{Path: it.path, alike: it.alike}
		layered[i] = s
		records := it.records
		if it.from != nil {
			s.From, s.readAt, s.Renamed = it.from.Path, it.from.Path, it.renamed
			records = append([]repo.Change{*it.from}, records...)
		}
		for n, c := range records {
			if !c.New || n == 0 {
				s.take(c, n == 0)
			}
			if c.Conflict {
				s.Blocked = "in conflict: that is answered first, in Mend"
			}
			if c.Loose && c.Path == s.Path {
				c.Full = view.Load[c.Path]
				loose, owners = append(loose, c), append(owners, s)
			}
		}
		reads = append(reads, &s.head, &s.index)
	}
	limit := repo.LargeFile
	if len(view.Load) > 0 {
		limit = repo.LargestLoaded
	}
	if err := readVersions(ctx, r, reads, limit); err != nil {
		return nil, err
	}
	for _, s := range layered {
		s.work = s.index
		for _, v := range []version{s.head, s.index} {
			s.large = s.large || v.Mode != repo.ModeNone && v.Mode != repo.ModeSubmodule && v.data == nil
		}
	}
	files, err := r.ReadWorkFiles(ctx, loose)
	if err != nil {
		return nil, err
	}
	for i, f := range files {
		owners[i].takeWork(r, f)
	}
	for _, s := range layered {
		s.layOut()
	}
	return layered, nil
}

// take notes what a record of the status says of HEAD and the index. Of a renamed
// file the first record tells of the old path, the second of the new one.
func (s *LayeredFile) take(c repo.Change, first bool) {
	head, index := version{Mode: c.HeadMode, ID: c.HeadID}, version{Mode: c.IndexMode, ID: c.IndexID}
	switch {
	case first:
		s.head, s.index = head, index
	case s.From != "" && s.Renamed == A:
		s.index = index
	}
}

func (s *LayeredFile) takeWork(r *repo.Repo, f repo.WorkFile) {
	if f.Failed != nil {
		s.Blocked = "it cannot be read: " + errors.Unwrap(f.Failed).Error()
		return
	}
	s.work, s.lies = version{Mode: f.Mode, ID: f.ID, data: f.Data}, f
	s.binary = s.binary || f.Binary
	switch {
	case f.Large:
		s.large, s.stamp = true, f.Stamp
	case f.Mode != repo.ModeNone && f.Mode != repo.ModeSubmodule:
		if f.Data == nil {
			s.work.data = []byte{}
		}
		s.work.ID = r.HashObject(repo.KindBlob, f.Data)
	}
}

// readVersions reads stored contents, all with one question. Those over the limit,
// in bytes, stay without data.
func readVersions(ctx context.Context, r *repo.Repo, versions []*version, limit int) error {
	var ids []repo.ID
	seen := map[repo.ID]bool{}
	for _, v := range versions {
		if v.Mode != repo.ModeNone && v.Mode != repo.ModeSubmodule && !seen[v.ID] {
			seen[v.ID] = true
			ids = append(ids, v.ID)
		}
	}
	sizes, err := r.Sizes(ctx, ids)
	if err != nil {
		return err
	}
	var small []repo.ID
	for i, id := range ids {
		if sizes[i] <= int64(limit) {
			small = append(small, id)
		}
	}
	objects, err := r.Objects(ctx, small)
	if err != nil {
		return err
	}
	texts := make(map[repo.ID][]byte, len(small))
	for i, id := range small {
		texts[id] = objects[i].Data
		if texts[id] == nil {
			texts[id] = []byte{}
		}
	}
	for _, v := range versions {
		if v.Mode != repo.ModeNone && v.Mode != repo.ModeSubmodule {
			v.data = texts[v.ID]
		}
	}
	return nil
}

// Between lists what differs between two trees, path by path.
func Between(ctx context.Context, objects *repo.Overlay, old, new repo.ID) ([]File, error) {
	list, err := merge.Compare(ctx, objects, old, new)
	if err != nil {
		return nil, err
	}
	return listed(ctx, objects, asDerived(list))
}

// asDerived has no file follow another one.
func asDerived(list []merge.Difference) []merge.Derived {
	differences := make([]merge.Derived, len(list))
	for i, d := range list {
		differences[i] = merge.Derived{Difference: d}
	}
	return differences
}

// BetweenFollowed lists what differs between two trees, a renamed file as one.
func BetweenFollowed(ctx context.Context, objects *repo.Overlay, old, new repo.ID) ([]File, error) {
	differences, err := followed(ctx, objects, old, new)
	if err != nil {
		return nil, err
	}
	return listed(ctx, objects, differences)
}

// followed compares two trees, with the files that new ones were made from.
func followed(ctx context.Context, objects *repo.Overlay, old, new repo.ID) ([]merge.Derived, error) {
	list, err := merge.Compare(ctx, objects, old, new)
	if err != nil {
		return nil, err
	}
	if follows, err := objects.FollowsRenames(ctx); err != nil || !follows {
		return asDerived(list), err
	}
	return merge.Derive(ctx, objects, list)
}

func listed(ctx context.Context, objects *repo.Overlay, differences []merge.Derived) ([]File, error) {
	var ids []repo.ID
	for _, d := range differences {
		for _, e := range []repo.Entry{d.Old, d.New} {
			if e.Mode.IsFile() || e.Mode == repo.ModeSymlink {
				ids = append(ids, e.ID)
			}
		}
	}
	large, err := objects.Larger(ctx, ids, repo.LargeFile)
	if err != nil {
		return nil, err
	}
	var files []File
	for some := range slices.Chunk(differences, batch) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		batch, err := filesOf(ctx, objects, some, large)
		if err != nil {
			return nil, err
		}
		files = append(files, batch...)
	}
	return files, nil
}

func filesOf(ctx context.Context, objects *repo.Overlay, differences []merge.Derived, large map[repo.ID]bool) ([]File, error) {
	var ids []repo.ID
	for _, d := range differences {
		for _, e := range []repo.Entry{d.Old, d.New} {
			if (e.Mode.IsFile() || e.Mode == repo.ModeSymlink) && !large[e.ID] {
				ids = append(ids, e.ID)
			}
		}
	}
	objects.Prefetch(ctx, ids)
	text := func(e repo.Entry) ([]byte, error) {
		if e.IsZero() || e.Mode == repo.ModeSubmodule || large[e.ID] {
			return nil, nil
		}
		return objects.Blob(ctx, e.ID)
	}
	files := make([]File, len(differences))
	for i, d := range differences {
		f := File{
			Path: d.Path, Large: large[d.Old.ID] || large[d.New.ID],
			Old: repo.IndexEntry{Path: d.Path, Mode: d.Old.Mode, ID: d.Old.ID},
			New: repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: d.New.ID},
		}
		switch {
		case d.Copy: // it is new, and says of what
			f.Old, d.Old = repo.IndexEntry{Path: d.Path}, repo.Entry{}
			f.Alike = fmt.Sprintf("copied from %s, %d %% the same", d.From, d.Alike)
		case d.From != "":
			f.From, f.Old.Path = d.From, d.From
		}
		var err error
		if f.OldText, err = text(d.Old); err != nil {
			return nil, err
		}
		if f.NewText, err = text(d.New); err != nil {
			return nil, err
		}
		f.compare(diff.Context)
		f.forgetTexts()
		files[i] = f
	}
	return files, nil
}
