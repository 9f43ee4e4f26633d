package repo

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
)

// Overlay is an object store in memory that lies over the repository's: reads
// find both, writes stay in memory until Flush. A forecast throws it away.
// It also remembers the trees and commits that it read, and reads ahead. Safe for concurrent use.
type Overlay struct {
	repo *Repo

	mu      sync.Mutex
	written map[ID]Object
	trees   map[ID]Tree
	cached  map[ID]Object
	size    int // bytes in cached
	made    int // bytes in written

	lookups map[ID]int // in folders that are not taken apart yet

	coming  map[ID]chan struct{} // what is being read ahead; closed when it is there, or will not be
	asked   []question           // what of that is still to be asked for
	reading bool                 // somebody is at it
}

// question is what somebody said to need soon.
type question struct {
	ctx context.Context
	ids []ID
}

// cacheLimit bounds the objects kept besides the written ones.
const cacheLimit = 32 << 20

// NewOverlay makes an empty overlay.
func (r *Repo) NewOverlay() *Overlay {
	return &Overlay{repo: r, written: map[ID]Object{}, trees: map[ID]Tree{}, cached: map[ID]Object{}, lookups: map[ID]int{},
		coming: map[ID]chan struct{}{}}
}

// Put adds an object and gives its id.
func (o *Overlay) Put(kind Kind, data []byte) ID {
	id := o.repo.HashObject(kind, data)
	o.mu.Lock()
	defer o.mu.Unlock()
	if _, ok := o.written[id]; !ok {
		o.written[id] = Object{kind, data}
		o.made += len(data)
	}
	return id
}

// WrittenSize is how many bytes the new objects take.
func (o *Overlay) WrittenSize() int {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.made
}

// PutTree adds a folder whose entries are in order.
func (o *Overlay) PutTree(tree Tree) ID {
	id := o.Put(KindTree, tree.Encode())
	o.mu.Lock()
	defer o.mu.Unlock()
	o.trees[id] = tree
	return id
}

// Object reads from memory, else from the repository. What is being read ahead is waited for.
func (o *Overlay) Object(ctx context.Context, id ID) (Object, error) {
	object, ok, coming := o.lookup(id)
	if !ok && coming != nil {
		select {
		case <-coming:
		case <-ctx.Done():
			return Object{}, ctx.Err()
		}
		object, ok, _ = o.lookup(id)
	}
	if ok {
		return object, nil
	}
	object, err := o.repo.Object(ctx, id) // also where reading ahead failed: who needs it is told why
	if err == nil {
		o.arrived(id, object)
	}
	return object, err
}

// lookup finds an object in memory, or that it is coming.
func (o *Overlay) lookup(id ID) (object Object, ok bool, coming chan struct{}) {
	o.mu.Lock()
	defer o.mu.Unlock()
	if object, ok = o.written[id]; !ok {
		object, ok = o.cached[id]
	}
	return object, ok, o.coming[id]
}

// Prefetch begins to read what memory does not hold, in the given order, and goes on while the first of them are worked on:
// reading takes a process of its own. Who needs one of them waits for that one only.
func (o *Overlay) Prefetch(ctx context.Context, ids []ID) {
	o.mu.Lock()
	defer o.mu.Unlock()
	var wanted []ID
	for _, id := range ids {
		_, isWritten := o.written[id]
		_, isCached := o.cached[id]
		if !isWritten && !isCached && o.coming[id] == nil {
			o.coming[id] = make(chan struct{})
			wanted = append(wanted, id)
		}
	}
	if len(wanted) == 0 {
		return
	}
	o.asked = append(o.asked, question{ctx, wanted})
	if !o.reading {
		o.reading = true
		go o.readAhead()
	}
}

// atOnce is how many objects are read with one question: others want to read between them.
const atOnce = 512

// readAhead reads what was asked for, until nothing is left.
func (o *Overlay) readAhead() {
	for q, more := o.next(question{}); more; q, more = o.next(q) {
		for some := range slices.Chunk(q.ids, atOnce) {
			// Whoever needs what cannot be read will ask for it, and be told why.
			_ = o.repo.eachObject(q.ctx, some, func(i int, object Object) { o.arrived(some[i], object) })
		}
	}
}

// next gives the latest question, once the one before, if there was one, is answered as far as it can be. Who reads ahead of what is
// worked on asks long before, and who is at work asks last.
func (o *Overlay) next(done question) (q question, more bool) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, id := range done.ids {
		o.settle(id)
	}
	last := len(o.asked) - 1
	if last < 0 {
		o.reading = false
		return question{}, false
	}
	q, o.asked = o.asked[last], o.asked[:last]
	return q, true
}

// settle lets those go on who wait for an object.
func (o *Overlay) settle(id ID) {
	if coming := o.coming[id]; coming != nil {
		close(coming)
		delete(o.coming, id)
	}
}

// arrived keeps what was read, up to a limit.
func (o *Overlay) arrived(id ID, object Object) {
	o.mu.Lock()
	defer o.mu.Unlock()
	defer o.settle(id)
	if len(object.Data) > cacheLimit/4 {
		return
	}
	if o.size+len(object.Data) > cacheLimit {
		clear(o.cached)
		clear(o.trees)
		clear(o.lookups)
		o.size = 0
	}
	o.cached[id] = object
	o.size += len(object.Data)
}

// Tree reads a folder; the zero id is the empty one.
func (o *Overlay) Tree(ctx context.Context, id ID) (Tree, error) {
	if id.IsZero() {
		return nil, nil
	}
	o.mu.Lock()
	tree, ok := o.trees[id]
	o.mu.Unlock()
	if ok {
		return tree, nil
	}
	data, err := o.folder(ctx, id)
	if err != nil {
		return nil, err
	}
	if tree, err = ParseTree(data, o.repo.idLen); err != nil {
		return nil, fmt.Errorf("tree %s: %w", id, err)
	}
	o.mu.Lock()
	o.trees[id] = tree
	o.mu.Unlock()
	return tree, nil
}

// fewLookups is how many names are looked for in a folder as it is stored before it is taken apart, which takes about as long.
const fewLookups = 16

// Entry is what a folder has under a name; the zero entry where there is nothing, as in the folder of the zero id.
func (o *Overlay) Entry(ctx context.Context, folder ID, name string) (Entry, error) {
	o.mu.Lock()
	_, parsed := o.trees[folder]
	o.lookups[folder]++
	often := o.lookups[folder] > fewLookups
	o.mu.Unlock()
	if parsed || often {
		tree, err := o.Tree(ctx, folder)
		return tree.Named(name), err
	}
	data, err := o.folder(ctx, folder)
	if err != nil {
		return Entry{}, err
	}
	e, err := entryNamed(data, name, o.repo.idLen)
	if err != nil {
		err = fmt.Errorf("tree %s: %w", folder, err)
	}
	return e, err
}

// Blob reads a file's bytes; the zero id is the absent file, without bytes.
func (o *Overlay) Blob(ctx context.Context, id ID) ([]byte, error) {
	if id.IsZero() {
		return nil, nil
	}
	object, err := o.Object(ctx, id)
	return object.Data, err
}

// Larger tells which contents are larger than a limit, in bytes, without reading them.
func (o *Overlay) Larger(ctx context.Context, ids []ID, limit int) (map[ID]bool, error) {
	large := map[ID]bool{}
	var stored []ID
	for _, id := range ids {
		if object, ok, _ := o.lookup(id); ok {
			large[id] = len(object.Data) > limit
		} else {
			stored = append(stored, id)
		}
	}
	sizes, err := o.repo.Sizes(ctx, stored)
	for i, size := range sizes {
		large[stored[i]] = size > int64(limit)
	}
	return large, err
}

// Find looks a path up in the overlay.
func (o *Overlay) Find(ctx context.Context, tree ID, path string) (Entry, error) {
	return Find(ctx, o, tree, path)
}

// FollowsRenames is the repository's.
func (o *Overlay) FollowsRenames(ctx context.Context) (bool, error) {
	return o.repo.FollowsRenames(ctx)
}

// Flush writes the objects that are reachable from the given commits and not in
// the repository yet: whole, and synced, before any of them is visible.
func (o *Overlay) Flush(ctx context.Context, roots ...ID) error {
	o.mu.Lock()
	var order []ID
	seen := map[ID]bool{}
	for _, id := range roots {
		o.reach(id, ID{}, seen, &order)
	}
	objects := make([]namedObject, len(order))
	for i, id := range order {
		objects[i] = namedObject{id, o.written[id]}
	}
	o.mu.Unlock()
	if len(objects) == 0 {
		return nil
	}
	slices.Reverse(objects) // what is pointed at comes first
	return o.repo.writeObjects(ctx, objects)
}

// Folders is what trees are read from and put into.
type Folders interface {
	Tree(ctx context.Context, id ID) (Tree, error)
	Entry(ctx context.Context, folder ID, name string) (Entry, error) // zero where there is nothing
	PutTree(tree Tree) ID
}

// EditTree gives a tree with some paths changed: entries without a mode are removed,
// with the folders that get empty by that. A file in a folder's place, and a folder in
// a file's, take it.
func EditTree(ctx context.Context, folders Folders, tree ID, entries []IndexEntry) (ID, error) {
	entries = slices.Clone(entries)
	slices.SortStableFunc(entries, func(a, b IndexEntry) int { return strings.Compare(a.Path, b.Path) })
	id, err := editTree(ctx, folders, tree, "", entries)
	if err == nil && id.IsZero() {
		id = folders.PutTree(nil)
	}
	return id, err
}

// EditTree does so in the overlay.
func (o *Overlay) EditTree(ctx context.Context, tree ID, entries []IndexEntry) (ID, error) {
	if tree == o.repo.EmptyTree() {
		tree = ID{}
	}
	return EditTree(ctx, o, tree, entries)
}

// Find gives what a tree has at a path; the zero entry where there is nothing.
func Find(ctx context.Context, folders Folders, tree ID, path string) (Entry, error) {
	e := Entry{Mode: ModeTree, ID: tree}
	for name := range strings.SplitSeq(path, "/") {
		if e.Mode != ModeTree {
			return Entry{}, nil
		}
		var err error
		if e, err = folders.Entry(ctx, e.ID, name); err != nil || e.IsZero() {
			return Entry{}, err
		}
	}
	return e, nil
}

// editTree edits one folder; zero stands for one without entries. The entries' paths
// begin with the prefix.
func editTree(ctx context.Context, folders Folders, id ID, prefix string, entries []IndexEntry) (ID, error) {
	tree, err := folders.Tree(ctx, id)
	if err != nil {
		return ID{}, err
	}
	changed := map[string]Entry{} // by name; the zero entry is gone
	named := func(name string) Entry {
		if e, is := changed[name]; is {
			return e
		}
		return tree.Named(name)
	}
	for n := 0; n < len(entries); {
		name, rest, deeper := strings.Cut(strings.TrimPrefix(entries[n].Path, prefix), "/")
		if !deeper {
			changed[name] = Entry{}
			if entries[n].Mode != ModeNone {
				changed[name] = Entry{entries[n].Mode, name, entries[n].ID}
			}
			n++
			continue
		}
		below := strings.TrimSuffix(entries[n].Path, rest)
		end := n
		for end < len(entries) && strings.HasPrefix(entries[end].Path, below) {
			end++
		}
		folder := ID{}
		if old := named(name); old.Mode == ModeTree {
			folder = old.ID
		}
		if folder, err = editTree(ctx, folders, folder, below, entries[n:end]); err != nil {
			return ID{}, err
		}
		if !folder.IsZero() {
			changed[name] = Entry{ModeTree, name, folder}
		} else if named(name).Mode == ModeTree {
			changed[name] = Entry{}
		}
		n = end
	}
	if edited := tree.With(changed); len(edited) > 0 {
		return folders.PutTree(edited), nil
	}
	return ID{}, nil
}

// reach lists the written objects below id; what the repository already has ends
// the descent, since everything below it is there too. A folder is held against another
// version of it that was reached before, if there is one: most of the two is the same.
func (o *Overlay) reach(id, version ID, seen map[ID]bool, order *[]ID) {
	object, ok := o.written[id]
	if !ok || seen[id] {
		return
	}
	seen[id] = true
	*order = append(*order, id)
	switch object.Kind {
	case KindCommit:
		commit, err := ParseCommit(object.Data)
		if err != nil {
			return // Put by this package's own Encode: cannot fail
		}
		if commit.Tree == o.repo.EmptyTree() { // known without being read, and not always there
			o.written[commit.Tree] = Object{Kind: KindTree}
		}
		o.reach(commit.Tree, version, seen, order)
		for _, parent := range commit.Parents {
			o.reach(parent, commit.Tree, seen, order)
		}
	case KindTree:
		tree, ok := o.trees[id]
		if !ok {
			tree, _ = ParseTree(object.Data, o.repo.idLen)
		}
		reached := o.trees[version]
		for _, e := range tree {
			if len(reached) > 0 && reached[0].Same(e) {
				reached = reached[1:]
				continue
			}
			for len(reached) > 0 && Compare(reached[0], e) < 0 {
				reached = reached[1:]
			}
			version := ID{}
			if len(reached) > 0 && reached[0].Name == e.Name {
				version, reached = reached[0].ID, reached[1:]
			}
			if e.Mode != ModeSubmodule {
				o.reach(e.ID, version, seen, order)
			}
		}
	}
}
