package repo

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"golang.org/x/sync/errgroup"
)

// errUnusual is why a status is left to the command of that name: something is not for the index's file alone to say.
var errUnusual = errors.New("out of the ordinary")

// statusByIndex is a whole status, put together from three answers that are had at once: what the index's file says beside one
// look at each working file, where HEAD and index differ, and which files the index does not have. `status` looks at each file
// that changed three times, and asks the rest after that. It is false where anything is out of the ordinary, or changed meanwhile.
func (r *Repo) statusByIndex(ctx context.Context) ([]Change, bool) {
	before := r.indexStamp().b.String()
	head, err := r.Head(ctx)
	if err != nil || head.Commit.IsZero() || !r.usual(ctx) {
		return nil, false
	}
	var loose, staged, untracked []Change
	group, all := errgroup.WithContext(ctx)
	group.Go(func() (err error) {
		var tree ID
		if loose, tree, err = r.looseByIndex(all); err == nil {
			staged, err = r.stagedChanges(all, head.Commit, tree)
		}
		return err
	})
	group.Go(func() (err error) {
		untracked, err = r.untracked(all)
		return err
	})
	if group.Wait() != nil || before != r.indexStamp().b.String() {
		return nil, false // whatever was wrong, the command says it
	}
	r.noteFlagless(before, before) // or they would have been unusual
	return append(joinChanges(staged, loose), untracked...), true
}

// usual says that no setting has a look at a working file say less than it does, or another program look at it.
func (r *Repo) usual(ctx context.Context) bool {
	for key, usual := range map[string]bool{"core.fileMode": true, "core.symlinks": true, "core.fsmonitor": false} {
		value, err := r.Config(ctx, key)
		if err != nil || value != "" && Truth(value, !usual) != usual {
			return false
		}
	}
	return os.Getenv("GIT_INDEX_FILE") == ""
}

// joinChanges joins what is staged with what is loose, each in the order of the paths.
func joinChanges(staged, loose []Change) []Change {
	if len(staged) == 0 {
		return loose
	}
	all := make([]Change, 0, len(staged)+len(loose))
	for _, l := range loose {
		for len(staged) > 0 && staged[0].Path < l.Path {
			all, staged = append(all, staged[0]), staged[1:]
		}
		if len(staged) > 0 && staged[0].Path == l.Path {
			l.Staged, l.HeadMode, l.HeadID = true, staged[0].HeadMode, staged[0].HeadID
			staged = staged[1:]
		}
		all = append(all, l)
	}
	return append(all, staged...)
}

// stagedChanges is where the index differs from a commit, in the order of the paths: nowhere if it is of the very tree, as far as
// it knows its own.
func (r *Repo) stagedChanges(ctx context.Context, head, tree ID) ([]Change, error) {
	commit, err := r.Commit(ctx, head)
	if err != nil || commit.Tree == tree {
		return nil, err
	}
	out, err := r.run(ctx, nil, "diff-index", "--cached", "--raw", "--no-abbrev", "--no-renames", "-z", head.String())
	if err != nil {
		return nil, fmt.Errorf("look for staged changes: %w", err)
	}
	fields := splitNul([]byte(strings.TrimSuffix(string(out), "\x00"))) // ":MODE MODE ID ID LETTER", and a path
	changes := make([]Change, 0, len(fields)/2)
	for ; len(fields) >= 2; fields = fields[2:] {
		var f [5]string
		if !cutFields(strings.TrimPrefix(fields[0], ":"), f[:]) {
			return nil, fmt.Errorf("look for staged changes: unexpected record %q", fields[0])
		}
		c := Change{Path: fields[1], Staged: true, HeadMode: parseMode(f[0]), IndexMode: parseMode(f[1])}
		c.WorkMode = c.IndexMode
		var headErr, indexErr error
		c.HeadID, headErr = ParseID(f[2])
		c.IndexID, indexErr = ParseID(f[3])
		if err := cmp.Or(headErr, indexErr); err != nil {
			return nil, fmt.Errorf("look for staged changes: %w", err)
		}
		changes = append(changes, c)
	}
	return changes, nil
}

// untracked lists the files that the index does not have and that are not ignored.
func (r *Repo) untracked(ctx context.Context) ([]Change, error) {
	out, err := r.run(ctx, nil, "ls-files", "-z", "--others", "--exclude-standard")
	if err != nil {
		return nil, fmt.Errorf("list the files that are not in the index: %w", err)
	}
	var changes []Change
	for _, path := range splitNul([]byte(strings.TrimSuffix(string(out), "\x00"))) {
		if !strings.HasSuffix(path, "/") { // or it is a repository of its own
			changes = append(changes, Change{Path: path, Loose: true, New: true})
		}
	}
	return changes, nil
}

const (
	batchSize = 256 // so many entries of the index are looked at in one go
	lookers   = 16  // by so many at once: where the files lie on another machine, each look waits for an answer
)

// batch is what the index's file notes of some files that follow one another, and what a look at them found.
type batch struct {
	paths []string
	ids   []byte // all of them, one after the other
	stats []fileStat
	racy  []bool

	changed []Change // certainly
	touched []Change // of the same size, at another time: the content tells
}

// looseByIndex is where working files differ from the index, in the order of the paths, and of which tree the index is, if it knows.
func (r *Repo) looseByIndex(ctx context.Context) (loose []Change, tree ID, err error) {
	top, err := os.Open(r.top)
	if err != nil {
		return nil, ID{}, fmt.Errorf("look at the working files: %w", err)
	}
	defer top.Close()
	var batches []*batch
	next := make(chan *batch, lookers)
	group, all := errgroup.WithContext(ctx)
	for range lookers {
		l := looker{r: r, top: top, folders: map[string]bool{"": true}}
		group.Go(func() error { return l.lookAt(next) })
	}
	group.Go(func() (err error) {
		defer close(next)
		tree, err = r.batchIndex(func(b *batch) bool {
			batches = append(batches, b)
			select {
			case next <- b:
				return true
			case <-all.Done():
				return false
			}
		})
		return err
	})
	if err := group.Wait(); err != nil {
		return nil, ID{}, err
	}
	loose, err = r.really(ctx, batches)
	return loose, tree, err
}

// batchIndex hands the entries of the index's file over, as long as they are wanted, and gives its tree.
func (r *Repo) batchIndex(hand func(*batch) (more bool)) (tree ID, err error) {
	file, err := os.Open(filepath.Join(r.gitDir, "index"))
	if err != nil {
		return ID{}, fmt.Errorf("read the index: %w", err)
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil {
		return ID{}, fmt.Errorf("read the index: %w", err)
	}
	b, usual := &batch{}, true
	tree, sound := walkIndex(file, info.Size(), r.idLen, func(e indexed) {
		stat := e.stat()
		if usual = usual && e.plain && (stat.mode.IsFile() || stat.mode == ModeSymlink); !usual {
			return
		}
		b.paths, b.ids, b.stats = append(b.paths, string(e.path)), append(b.ids, e.id...), append(b.stats, stat)
		if b.racy = append(b.racy, stat.racy(info.ModTime())); len(b.paths) == batchSize {
			usual, b = hand(b), &batch{}
		}
	})
	if !sound || !usual || !hand(b) {
		return ID{}, errUnusual
	}
	return tree, nil
}

// looker looks at working files, one after the other.
type looker struct {
	r       *Repo
	top     *os.File
	folders map[string]bool // which of them are no links
}

func (l looker) lookAt(batches <-chan *batch) error {
	for b := range batches {
		for i, path := range b.paths {
			now, ok := statBelow(int(l.top.Fd()), path)
			if ok && !l.r.inFolders(path, l.folders) {
				return errUnusual
			}
			if ok && now == b.stats[i] && !b.racy[i] {
				continue
			}
			if !ok && !l.r.isGone(path) {
				return errUnusual // a folder, or worse
			}
			b.differs(i, now, ok, l.r.idLen)
		}
		b.paths, b.ids, b.stats, b.racy = nil, nil, nil, nil // not needed any more
	}
	return nil
}

// isGone says that there is nothing at a path, not even a folder.
func (r *Repo) isGone(path string) bool {
	_, err := os.Lstat(r.WorkPath(path))
	return isAbsent(err)
}

// differs notes that a file is not as the index notes it.
func (b *batch) differs(i int, now fileStat, there bool, idLen int) {
	noted, id := b.stats[i], ID{string(b.ids[i*idLen : (i+1)*idLen])}
	c := Change{Path: b.paths[i], Loose: true, HeadMode: noted.mode, IndexMode: noted.mode, WorkMode: now.mode, HeadID: id, IndexID: id}
	if !there || now.mode != noted.mode || now.size != noted.size && noted.size != 0 { // which one not looked at has too
		b.changed = append(b.changed, c)
	} else {
		b.touched = append(b.touched, c)
	}
}

// really gives the changes of all batches, of what was touched only that of which the content is another one.
func (r *Repo) really(ctx context.Context, batches []*batch) (changed []Change, err error) {
	modified, most := map[string]bool{}, 0
	for _, b := range batches {
		most += len(b.changed) + len(b.touched)
	}
	changed = make([]Change, 0, most)
	if slices.ContainsFunc(batches, func(b *batch) bool { return len(b.touched) > 0 }) {
		out, err := r.run(ctx, nil, "ls-files", "-z", "--modified")
		if err != nil {
			return nil, fmt.Errorf("look for loose changes: %w", err)
		}
		modified = newSet(splitNul(out)...)
	}
	for _, b := range batches {
		b.touched = slices.DeleteFunc(b.touched, func(c Change) bool { return !modified[c.Path] })
		changed = append(changed, joinChanges(b.changed, b.touched)...)
	}
	return changed, nil
}
