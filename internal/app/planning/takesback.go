package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// TakesBack lists what the end of a plan does not have of what came with the commits that it goes onto, or merges, since the fork:
// where an answer to a conflict gave a place the text of the fork, or of the branch. The cost follows the conflicts.
func (a *App) TakesBack(ctx context.Context, plan shape.Plan, f *replay.Forecast) ([]journal.LostWork, error) {
	var list []journal.LostWork
	for at, step := range f.Steps {
		if len(step.PathConflicts) == 0 || step.Result == replay.Conflict {
			continue
		}
		l, err := a.losing(ctx, plan, f, step)
		if err != nil || l == nil {
			return list, err
		}
		for _, conflict := range step.PathConflicts {
			if err := l.look(ctx, conflict); err != nil {
				return nil, fmt.Errorf("look what is taken back in %q: %w", conflict.Path, err)
			}
		}
		for _, taken := range l.taken {
			taken.Entry = at + 1
			known := func(k journal.LostWork) bool { return k.Commit == taken.Commit && slices.Equal(k.Path, taken.Path) }
			if !slices.ContainsFunc(list, known) {
				list = append(list, taken)
			}
		}
	}
	return list, nil
}

// losing looks for what one entry's answers take back of a side that came with others.
type losing struct {
	a       *App
	objects *repo.Overlay
	trees   map[string]repo.ID // fork, theirs, own, result
	theirs  []app.Source       // their commits since the fork, oldest first
	mine    func(app.Source) bool
	taken   []journal.LostWork
}

func (a *App) losing(ctx context.Context, plan shape.Plan, f *replay.Forecast, step replay.Step) (*losing, error) {
	theirs := plan.Onto
	if step.Merge {
		theirs = step.From[0].String()
	}
	if theirs == "" {
		return nil, nil
	}
	tip, err := a.CommitNamed(ctx, theirs)
	if err != nil {
		return nil, err
	}
	fork, err := a.Repo.MergeBase(ctx, tip, plan.Tip)
	if err != nil || fork.IsZero() {
		return nil, err
	}
	l := &losing{a: a, objects: f.Objects(), trees: map[string]repo.ID{"result": f.Tree}, mine: a.IsMine(ctx)}
	for name, id := range map[string]repo.ID{"fork": fork, "theirs": tip, "own": plan.Tip} {
		if l.trees[name], err = a.TreeOf(ctx, id); err != nil {
			return nil, err
		}
	}
	ids, err := a.Repo.RevList(ctx, "--no-merges", "--topo-order", "--reverse", tip.String(), "^"+fork.String(), "^"+plan.Tip.String())
	if err != nil {
		return nil, err
	}
	l.theirs, err = a.Sources(ctx, ids)
	return l, err
}

// look compares the files that a conflict is about.
func (l *losing) look(ctx context.Context, c replay.PathConflict) error {
	paths := []string{c.Path}
	if c.Kind == merge.FileFolder {
		inside, err := l.changedBelow(ctx, c.Path)
		if err != nil {
			return err
		}
		paths = append(paths, inside...)
	}
	for _, path := range paths {
		names := slices.DeleteFunc([]string{path, c.From, c.Other}, func(name string) bool { return name == "" })
		if path != c.Path {
			names = []string{path}
		}
		if err := l.file(ctx, names); err != nil {
			return err
		}
	}
	return nil
}

// changedBelow are the files in a folder that their commits changed.
func (l *losing) changedBelow(ctx context.Context, folder string) (paths []string, err error) {
	list, err := merge.Compare(ctx, l.objects, l.trees["fork"], l.trees["theirs"])
	for _, d := range list {
		if strings.HasPrefix(d.Path, folder+"/") {
			paths = append(paths, d.Path)
		}
	}
	return paths, err
}

// file compares one file, which has one of some names in each tree.
func (l *losing) file(ctx context.Context, names []string) error {
	texts, at := map[string][]byte{}, map[string]string{}
	for tree, id := range l.trees {
		for _, name := range names {
			entry, err := l.objects.Find(ctx, id, name)
			if err != nil {
				return err
			}
			if !entry.Mode.IsFile() {
				continue
			}
			if texts[tree], err = l.objects.Blob(ctx, entry.ID); err != nil {
				return err
			}
			at[tree] = name
			break
		}
	}
	if merge.IsBinary(texts["fork"]) || merge.IsBinary(texts["theirs"]) || merge.IsBinary(texts["result"]) {
		return l.binary(ctx, texts, names)
	}
	lost := merge.LostOf(texts["fork"], texts["theirs"], texts["own"], texts["result"])
	if lost.Count() == 0 {
		return nil
	}
	return l.name(ctx, names, texts["fork"], texts["theirs"], lost)
}

// binary names the last of their commits that changed a file which is as a whole the fork's, or the branch's.
func (l *losing) binary(ctx context.Context, texts map[string][]byte, names []string) error {
	has := string(texts["result"])
	if has == string(texts["theirs"]) || has != string(texts["fork"]) && has != string(texts["own"]) {
		return nil
	}
	for _, s := range slices.Backward(l.theirs) {
		if _, _, changed, err := l.versions(ctx, s, names); err != nil || changed {
			l.add(s, names[0], 0)
			return err
		}
	}
	return nil
}

// name finds which of their commits the lost lines are from.
func (l *losing) name(ctx context.Context, names []string, fork, theirs []byte, lost merge.Lost) error {
	writers := diff.Split(fork) // of each line at this point: who wrote it
	wrote, removed := make([]int, len(writers)), make([]int, len(writers))
	place := make([]int, len(writers)) // of each line: which it is in the fork, from 1
	for i := range place {
		wrote[i], removed[i], place[i] = -1, -1, i+1
	}
	now := fork
	step := func(by int, text []byte) {
		changes := diff.Lines(diff.Split(now), diff.Split(text))
		for _, c := range slices.Backward(changes) {
			for _, p := range place[c.OldStart:c.OldEnd] {
				if p > 0 {
					removed[p-1] = by
				}
			}
			fresh := slices.Repeat([]int{by}, c.NewEnd-c.NewStart)
			wrote = slices.Replace(wrote, c.OldStart, c.OldEnd, fresh...)
			place = slices.Replace(place, c.OldStart, c.OldEnd, make([]int, len(fresh))...)
		}
		now = text
	}
	last := -1
	for i, s := range l.theirs {
		_, after, changed, err := l.versions(ctx, s, names)
		if err != nil {
			return err
		}
		if changed {
			step(i, after)
			last = i
		}
	}
	step(last, theirs) // what only a merge of theirs brought
	counts := make([]merge.Lost, len(l.theirs))
	for _, line := range lost.Lines {
		if by := wrote[line]; by >= 0 {
			counts[by].Lines = append(counts[by].Lines, line)
		}
	}
	for _, line := range lost.Back {
		if by := removed[line]; by >= 0 {
			counts[by].Back = append(counts[by].Back, line)
		}
	}
	for i, c := range counts {
		if c.Count() > 0 {
			l.add(l.theirs[i], names[0], c.Count())
		}
	}
	return nil
}

// versions are a file before and after a commit.
func (l *losing) versions(ctx context.Context, s app.Source, names []string) (before, after []byte, changed bool, err error) {
	var entries [2]repo.Entry
	for i, id := range []repo.ID{s.Commit.Parent(), s.ID} {
		tree, err := l.a.TreeOf(ctx, id)
		if err != nil {
			return nil, nil, false, err
		}
		for _, name := range names {
			if entries[i], err = l.objects.Find(ctx, tree, name); err != nil {
				return nil, nil, false, err
			}
			if entries[i].Mode.IsFile() {
				break
			}
			entries[i] = repo.Entry{}
		}
	}
	if entries[0].ID == entries[1].ID {
		return nil, nil, false, nil
	}
	if !entries[0].IsZero() {
		if before, err = l.objects.Blob(ctx, entries[0].ID); err != nil {
			return nil, nil, false, err
		}
	}
	if !entries[1].IsZero() {
		after, err = l.objects.Blob(ctx, entries[1].ID)
	}
	return before, after, true, err
}

func (l *losing) add(s app.Source, path string, lines int) {
	l.taken = append(l.taken, journal.LostWork{Commit: s.ID, Author: s.Commit.Writer().Name, Subject: s.Commit.Subject(), Path: []byte(path),
		Lines: lines, Mine: l.mine(s)})
}

// TakenBackSays names what is taken back, for people: the first few, and how many more.
func TakenBackSays(list []journal.LostWork) string {
	var parts []string
	for i, t := range list {
		if i == mostNamedLosses {
			parts = append(parts, fmt.Sprintf("%d more", len(list)-i))
			break
		}
		parts = append(parts, t.Says())
	}
	return strings.Join(parts, "; ")
}

// mostNamedLosses is how many are named in a sentence.
const mostNamedLosses = 6
