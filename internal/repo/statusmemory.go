package repo

import (
	"context"
	"path/filepath"
	"slices"
	"sync"
)

// statusMemory is what the last whole status said, and how index and files were then. What
// Bastel itself writes into the index is known by it and not read back.
type statusMemory struct {
	mu      sync.Mutex
	index   string // stamp of the index
	head    ID
	files   map[string]string // by path that differs: the stamp of its working file
	changes []Change

	flagless string // stamp of an index of which no entry has flags
}

// indexStamp is what says whether the index is as it was: the file, and what it may be split into.
func (r *Repo) indexStamp() *stamps {
	s := &stamps{}
	s.add(filepath.Join(r.gitDir, "index"))
	return s
}

// fileStamp says how a working file is.
func (r *Repo) fileStamp(path string) *stamps {
	s := &stamps{}
	s.add(r.WorkPath(path))
	return s
}

// mostStamped is up to how many paths that differ are kept.
const mostStamped = 1000

// noteStatus keeps what a whole status said, unless something changed while it was read.
func (r *Repo) noteStatus(ctx context.Context, before string, head Head, changes []Change) {
	if len(changes) > mostStamped {
		changes = nil // to look at each of them costs more than it saves
	}
	files := map[string]string{}
	for _, c := range changes {
		files[c.Path] = r.fileStamp(c.Path).b.String()
	}
	if now, err := r.Head(ctx); err != nil || now != head || r.indexStamp().b.String() != before {
		return
	}
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	r.status.index, r.status.head, r.status.files, r.status.changes = before, head.Commit, files, changes
}

// knownStatus gives what is known of paths that differ, if index, HEAD and their files are as
// they were.
func (r *Repo) knownStatus(ctx context.Context, paths []string) ([]Change, bool) {
	head, err := r.Head(ctx)
	if err != nil || len(paths) == 0 {
		return nil, false
	}
	index := r.indexStamp()
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	if r.status.index == "" || head.Commit != r.status.head || index.b.String() != r.status.index || !index.settled() {
		return nil, false
	}
	for _, path := range paths {
		now := r.fileStamp(path)
		if was, ok := r.status.files[path]; !ok || now.b.String() != was || !now.settled() {
			return nil, false
		}
	}
	var known []Change
	for _, c := range r.status.changes {
		if slices.Contains(paths, c.Path) {
			known = append(known, c)
		}
	}
	return known, true
}

// IndexIsKnown says whether the index is as the last status saw it, or as Bastel wrote it since.
func (r *Repo) IndexIsKnown() bool {
	now := r.indexStamp().b.String()
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	return r.status.index == now
}

// withoutFlags says whether no entry of the index has flags. It is asked once, and stays known
// while nobody else writes the index.
func (r *Repo) withoutFlags(ctx context.Context) (bool, error) {
	before := r.indexStamp()
	r.status.mu.Lock()
	known := r.status.flagless == before.b.String() && before.settled()
	r.status.mu.Unlock()
	if known {
		return true, nil
	}
	flags, err := r.readFlags(ctx, nil)
	if err != nil || len(flags) > 0 {
		return false, err
	}
	r.noteFlagless(before.b.String(), before.b.String())
	return true, nil
}

// noteFlagless notes that an index has no flags, if the one that it was made from had none.
func (r *Repo) noteFlagless(before, after string) {
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	if before == after || r.status.flagless == before {
		r.status.flagless = after
	}
}
