package repo

import (
	"cmp"
	"context"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

// statusMemory is what the last whole status said, and how index and files were then. What
// Bastel itself writes into the index is known by it and not read back.
type statusMemory struct {
	mu      sync.Mutex
	index   string // stamp of the index
	head    ID
	files   map[string]string // by path that differs: the stamp of its working file
	changes []Change
	written map[string]IndexEntry // what Bastel wrote into the index since
	told    uint64                // how often a change of files had been told before it

	watched bool   // changes of all files are told
	events  uint64 // how often one was

	flagless string // stamp of an index of which no entry has flags

	begun *begunStatus // one that was begun before it was asked for
	first *begunStatus // the same, until a watch has looked what changed since
}

// begunStatus is a whole status on its way, and how the repository was when it began.
type begunStatus struct {
	at      time.Time
	index   string
	refs    string
	told    uint64
	head    Head
	done    chan struct{}
	changes []Change
	err     error
}

// BeginStatus begins to read the whole status before it is asked for: the next Status takes what it finds, if nothing is known to
// have changed by then.
func (r *Repo) BeginStatus(ctx context.Context) {
	begun := &begunStatus{at: time.Now(), index: r.indexStamp().b.String(), refs: r.refFilesStamp().b.String(), told: r.filesTold(),
		done: make(chan struct{})}
	var err error
	if begun.head, err = r.Head(ctx); err != nil {
		return // whoever asks for the status is told
	}
	r.status.mu.Lock()
	r.status.begun, r.status.first = begun, begun
	r.status.mu.Unlock()
	go func() {
		defer close(begun.done)
		begun.changes, begun.err = r.askStatus(ctx, nil)
	}()
}

// takeBegun waits for a status that was begun, where it holds still; it serves once.
func (r *Repo) takeBegun(ctx context.Context, head Head) (*begunStatus, bool) {
	r.status.mu.Lock()
	begun := r.status.begun
	r.status.begun = nil
	r.status.mu.Unlock()
	if begun == nil || begun.head != head || begun.told != r.filesTold() || begun.index != r.indexStamp().b.String() {
		return nil, false
	}
	select {
	case <-begun.done:
		return begun, begun.err == nil
	case <-ctx.Done():
		return nil, false
	}
}

// indexStamp is what says whether the index is as it was: the file, and what it may be split into.
func (r *Repo) indexStamp() *stamps {
	s := &stamps{replaced: true}
	s.add(filepath.Join(r.gitDir, "index"))
	return s
}

// fileStamp says how a working file is.
func (r *Repo) fileStamp(path string) *stamps {
	s := &stamps{}
	s.add(r.WorkPath(path))
	return s
}

type ownOnlyKey struct{}

// OwnWritesOnly says of a reading that since the one before it, only what Bastel itself wrote into the index and refs can have
// changed, but for what a watch of the files tells of. Where one is kept, no file is looked at then that did not differ before.
func OwnWritesOnly(ctx context.Context) context.Context {
	return context.WithValue(ctx, ownOnlyKey{}, true)
}

// filesChanged notes that a change of files was told, or may not have been.
func (r *Repo) filesChanged(watched bool) {
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	r.status.events++
	r.status.watched = watched
}

func (r *Repo) filesTold() uint64 {
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	return r.status.events
}

// changedUnwatched says what changed between the first status, which was begun early, and a watch that stands now.
func (r *Repo) changedUnwatched(ctx context.Context) (topics Topics) {
	r.status.mu.Lock()
	first := r.status.first
	r.status.first = nil
	r.status.mu.Unlock()
	if first == nil {
		return 0 // nothing was read that could be old
	}
	select {
	case <-first.done:
	case <-ctx.Done():
		return 0
	}
	index, told := r.indexStamp().b.String(), r.filesTold()
	head, err := r.Head(ctx)
	changes, askErr := r.askStatus(ctx, nil)
	if first.refs != r.refFilesStamp().b.String() {
		topics = Refs
	}
	same := err == nil && askErr == nil && first.err == nil && first.index == index && slices.Equal(changes, first.changes)
	if !same || slices.ContainsFunc(changes, func(c Change) bool { return r.changedSince(c.Path, first.at) }) {
		return topics | Files | Index
	}
	r.noteStatus(ctx, index, head, told, changes)
	return topics
}

// tick is how coarse the clock of files may be, where they have times below a second.
const tick = 10 * time.Millisecond

// changedSince says whether something at a path changed after a time, or so shortly before that its time does not tell. What
// is not there has not.
func (r *Repo) changedSince(path string, when time.Time) bool {
	name := r.WorkPath(path)
	stat, ok := statOf(name)
	if !ok { // a folder, or nothing
		info, err := os.Lstat(name)
		return err == nil && !info.ModTime().Add(coarsest).Before(when)
	}
	margin := tick
	if stat.changed.nanoseconds == 0 {
		margin = coarsest
	}
	return !stat.changed.time().Add(margin).Before(when)
}

// noteWritten notes that Bastel wrote paths into an index that was as the last status saw it.
func (r *Repo) noteWritten(before string, entries []IndexEntry) {
	after := r.indexStamp().b.String()
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	if before == "" || r.status.index != before {
		return
	}
	r.status.index = after
	for _, e := range entries {
		r.status.written[e.Path] = e
	}
}

// statusByOwnWrites is a whole status of which only those paths are asked that Bastel wrote, where nothing else can have changed.
func (r *Repo) statusByOwnWrites(ctx context.Context, head Head) ([]Change, bool) {
	if only, _ := ctx.Value(ownOnlyKey{}).(bool); !only {
		return nil, false
	}
	r.status.mu.Lock()
	m := &r.status
	holds := m.watched && m.told == m.events && m.files != nil && m.index == r.indexStamp().b.String() && m.head == head.Commit
	written, told := slices.SortedFunc(maps.Values(m.written), func(x, y IndexEntry) int { return strings.Compare(x.Path, y.Path) }), m.told
	changes := slices.DeleteFunc(slices.Clone(m.changes), func(c Change) bool { _, is := m.written[c.Path]; return is })
	for _, c := range changes {
		now := r.fileStamp(c.Path)
		holds = holds && m.files[c.Path] == now.b.String() && now.settled()
	}
	index, flagless := m.index, m.index == m.flagless
	r.status.mu.Unlock()
	if !holds || len(written) > fewPaths {
		return nil, false
	}
	if len(written) > 0 {
		of, ok := r.statusOfWritten(ctx, head.Commit, written)
		if !ok || !flagless {
			paths := make([]string, len(written))
			for i, e := range written {
				paths[i] = e.Path
			}
			var err error
			if of, err = r.askStatus(ctx, paths); err != nil {
				return nil, false
			}
		}
		changes = append(changes, of...)
		slices.SortStableFunc(changes, func(x, y Change) int { return cmp.Or(x.rank()-y.rank(), strings.Compare(x.Path, y.Path)) })
	}
	r.noteStatus(ctx, index, head, told, changes)
	return changes, true
}

// statusOfWritten is the status of paths of which the index has just this, without flags. It is false where the repository has to
// be asked: which files are ignored, and what becomes of one that is not stored as its bytes are.
func (r *Repo) statusOfWritten(ctx context.Context, head ID, written []IndexEntry) ([]Change, bool) {
	commit, err := r.Commit(ctx, head)
	if err != nil || !r.usual(ctx) {
		return nil, false
	}
	asked := make([]Change, len(written))
	for i, e := range written {
		asked[i] = Change{Path: e.Path, IndexMode: e.Mode, IndexID: e.ID}
	}
	files, err := r.ReadWorkFiles(ctx, asked)
	if err != nil {
		return nil, false
	}
	objects, folders := r.NewOverlay(), map[string]bool{"": true}
	var changes []Change
	for i, c := range asked {
		was, err := Find(ctx, objects, commit.Tree, c.Path)
		c.HeadMode, c.HeadID, c.WorkMode = was.Mode, was.ID, files[i].Mode
		if err != nil || files[i].converts != 0 || files[i].Failed != nil || files[i].Large || c.unusual() || !r.inFolders(c.Path, folders) {
			return nil, false
		}
		c.Staged = c.HeadMode != c.IndexMode || c.HeadID != c.IndexID
		c.Loose = c.WorkMode != c.IndexMode || c.WorkMode != ModeNone && r.HashObject(KindBlob, files[i].Data) != c.IndexID
		if c.Staged || c.Loose {
			changes = append(changes, c)
		}
	}
	return changes, true
}

// unusual says that a path is or was more than a file or a link, or may be ignored.
func (c Change) unusual() bool {
	odd := func(mode Mode) bool { return mode != ModeNone && !mode.IsFile() && mode != ModeSymlink }
	return odd(c.HeadMode) || odd(c.IndexMode) || odd(c.WorkMode) || c.IndexMode == ModeNone && c.WorkMode != ModeNone
}

// rank is where a status lists a change: conflicts after what differs, what the index does not have last.
func (c Change) rank() int {
	switch {
	case c.New:
		return 2
	case c.Conflict:
		return 1
	}
	return 0
}

// mostStamped is up to how many paths that differ are kept.
const mostStamped = 1000

// noteStatus keeps what a whole status said, unless something changed while it was read.
func (r *Repo) noteStatus(ctx context.Context, before string, head Head, told uint64, changes []Change) {
	var files map[string]string
	if len(changes) > mostStamped {
		changes = nil // to look at each of them costs more than it saves
	} else {
		files = map[string]string{}
	}
	for _, c := range changes {
		files[c.Path] = r.fileStamp(c.Path).b.String()
	}
	if now, err := r.Head(ctx); err != nil || now != head || r.indexStamp().b.String() != before {
		return
	}
	r.status.mu.Lock()
	defer r.status.mu.Unlock()
	r.status.index, r.status.head, r.status.files, r.status.changes = before, head.Commit, files, changes
	r.status.written, r.status.told = map[string]IndexEntry{}, told
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
		if _, is := r.status.written[path]; is {
			return nil, false
		}
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
