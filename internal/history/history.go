// Package history says how a file came to be what it is: which commits changed it, through its renames, and which of them
// wrote each of its lines. It works from the differences between its versions alone; which words that takes is left to
// others.
//
// Its tests promise: commits and lines are those that the repository's own commands name, on random histories with renames
// and merges.
package history

import (
	"context"
	"fmt"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Version is a file as a commit left it.
type Version struct {
	Commit  repo.ID
	Path    string    // of the file there
	From    string    // the path before, if the commit renamed it
	Parents []repo.ID // the versions before it, most often one
}

// Of lists the versions of a file up to a commit, newest first, through its renames: a path that comes with a commit is
// followed to the file that it was made from. None: no commit ever had it.
func Of(ctx context.Context, r *repo.Repo, objects *repo.Overlay, tip repo.ID, path string) ([]Version, error) {
	var versions []Version
	for {
		walk, err := r.WalkFile(ctx, tip, path)
		if err != nil || len(walk) == 0 {
			return versions, err
		}
		if n := len(versions); n > 0 { // the version that was renamed comes after this one
			versions[n-1].Parents = []repo.ID{walk[0].ID}
		}
		for _, c := range walk {
			versions = append(versions, Version{Commit: c.ID, Path: path, Parents: c.Parents})
		}
		first := &versions[len(versions)-1]
		commit, err := r.Commit(ctx, first.Commit)
		if err != nil || commit.Parent().IsZero() {
			return versions, err
		}
		if first.From, err = renamedFrom(ctx, r, objects, commit, path); err != nil || first.From == "" {
			return versions, err
		}
		tip, path = commit.Parent(), first.From
	}
}

// renamedFrom is the path that a commit made a file from; empty: it is new there.
func renamedFrom(ctx context.Context, r *repo.Repo, objects *repo.Overlay, commit *repo.Commit, path string) (string, error) {
	before, err := r.Commit(ctx, commit.Parent())
	if err != nil {
		return "", err
	}
	list, err := merge.Compare(ctx, objects, before.Tree, commit.Tree)
	if err != nil {
		return "", err
	}
	derived, err := merge.Derive(ctx, objects, list)
	for _, d := range derived {
		if d.Path == path && d.From != path && !d.Copy {
			return d.From, err
		}
	}
	return "", err
}

// Origin is where a line was written.
type Origin struct {
	Version int // of the list
	Line    int // its number there, from 0
}

// Texts gives the contents of versions, as they are asked for.
type Texts struct {
	objects *repo.Overlay
	trees   map[repo.ID]repo.ID // by commit
}

// NewTexts prepares to read versions.
func NewTexts(ctx context.Context, r *repo.Repo, objects *repo.Overlay, versions []Version) (*Texts, error) {
	ids := make([]repo.ID, len(versions))
	for i, v := range versions {
		ids[i] = v.Commit
	}
	commits, err := r.Commits(ctx, ids)
	if err != nil {
		return nil, err
	}
	t := &Texts{objects, map[repo.ID]repo.ID{}}
	for i, c := range commits {
		t.trees[ids[i]] = c.Tree
	}
	return t, nil
}

// Of is a version's content; a deleted one has none.
func (t *Texts) Of(ctx context.Context, v Version) ([]byte, error) {
	e, err := t.objects.Find(ctx, t.trees[v.Commit], v.Path)
	if err != nil || !e.Mode.IsFile() && e.Mode != repo.ModeSymlink {
		return nil, err
	}
	return t.objects.Blob(ctx, e.ID)
}

// Origins says of each line of the newest version which version wrote it. A line that a version shares with one before it
// is that one's; where there are several before, the first that has it. The cost is one comparison for each version whose
// lines are asked for still.
func Origins(ctx context.Context, versions []Version, texts *Texts) ([]Origin, error) {
	if len(versions) == 0 {
		return nil, nil
	}
	newest, err := texts.Of(ctx, versions[0])
	if err != nil {
		return nil, err
	}
	o := origins{texts: texts, place: map[repo.ID]int{}, open: make([][]asked, len(versions))}
	for i, v := range versions {
		o.place[v.Commit] = i
	}
	found := make([]Origin, len(diff.Split(newest)))
	for i := range found {
		o.open[0] = append(o.open[0], asked{i, i})
	}
	for at, v := range versions {
		left, err := o.pass(ctx, versions, v, o.open[at])
		if err != nil {
			return nil, fmt.Errorf("the lines of %s as of %s: %w", v.Path, v.Commit.Short(), err)
		}
		for _, a := range left {
			found[a.line] = Origin{at, a.here}
		}
		o.open[at] = nil
	}
	return found, nil
}

// asked is a line of the newest version, and its number in the one at hand.
type asked struct{ line, here int }

type origins struct {
	texts *Texts
	place map[repo.ID]int // of versions in their list, by commit
	open  [][]asked       // by version: lines that it may have written
}

// pass gives the lines on to the versions before that have them, and gives those that none has.
func (o *origins) pass(ctx context.Context, versions []Version, v Version, lines []asked) ([]asked, error) {
	if len(lines) == 0 {
		return nil, nil
	}
	text, err := o.texts.Of(ctx, v)
	if err != nil {
		return nil, err
	}
	for _, parent := range v.Parents {
		at, known := o.place[parent]
		if !known || len(lines) == 0 {
			continue
		}
		before, err := o.texts.Of(ctx, versions[at])
		if err != nil {
			return nil, err
		}
		kept := keptLines(before, text)
		var left []asked
		for _, a := range lines {
			if old := kept[a.here]; old >= 0 {
				o.open[at] = append(o.open[at], asked{a.line, old})
			} else {
				left = append(left, a)
			}
		}
		lines = left
	}
	return lines, nil
}

// keptLines gives for each line of a text its number in the one before; -1: it is not there.
func keptLines(before, text []byte) []int {
	lines := diff.Split(text)
	kept := make([]int, len(lines))
	old, at := 0, 0
	for _, c := range append(diff.Lines(diff.Split(before), lines), diff.Change{OldStart: -1, NewStart: len(lines), NewEnd: len(lines)}) {
		for ; at < c.NewStart; at, old = at+1, old+1 {
			kept[at] = old
		}
		for ; at < c.NewEnd; at++ {
			kept[at] = -1
		}
		old = c.OldEnd
	}
	return kept
}
