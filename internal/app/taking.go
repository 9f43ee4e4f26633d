package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// WithTaken adds commits from elsewhere to a plan, as entries before a place.
func (a *App) WithTaken(ctx context.Context, plan shape.Plan, at int, ids []repo.ID) (shape.Plan, error) {
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return plan, err
	}
	for i, c := range commits {
		id := ids[i]
		switch {
		case len(c.Parents) > 1:
			return plan, refuse("%s (%s) is a merge; take the commits that it brought, one by one.", id.Short(), c.Subject())
		case slices.Contains(plan.Sources, id) || slices.Contains(plan.Extra, id):
			return plan, refuse("%s (%s) is in the plan already.", id.Short(), c.Subject())
		}
		plan = plan.Insert(at+i, id)
	}
	return plan, nil
}

// WithMerge adds the merge of another branch to the end of a plan.
func (a *App) WithMerge(ctx context.Context, plan shape.Plan, name string) (shape.Plan, error) {
	id, err := a.CommitNamed(ctx, name)
	if err != nil {
		return plan, err
	}
	contained, err := a.Repo.IsAncestor(ctx, id, plan.Tip)
	switch {
	case err != nil:
		return plan, err
	case contained:
		return plan, refuse("%s has all of %s already; there is nothing to merge.", plan.Branch, name)
	case slices.Contains(plan.Extra, id):
		return plan, refuse("%s is in the plan already.", name)
	}
	bases, err := a.Repo.MergeBases(ctx, id, plan.Tip)
	if err != nil {
		return plan, err
	}
	if len(bases) == 0 {
		return plan, refuse("%s and %s have no commit in common, so they cannot be merged.", plan.Branch, name)
	}
	last := len(plan.Next)
	plan = plan.Insert(last, id)
	return plan.Merge(last, fmt.Sprintf("Merge %s into %s\n", name, plan.Branch)), nil
}

// Takeable lists the commits of another branch that the plan's branch does not have,
// the youngest first.
func (a *App) Takeable(ctx context.Context, plan shape.Plan, name string) ([]Source, error) {
	id, err := a.CommitNamed(ctx, name)
	if err != nil {
		return nil, err
	}
	ids, err := a.Repo.RevList(ctx, "--no-merges", fmt.Sprintf("--max-count=%d", 2*unboundRange), id.String(), "^"+plan.Tip.String())
	if err != nil {
		return nil, err
	}
	return a.Sources(ctx, ids)
}

// NamedCommits finds commits by their ids or names.
func (a *App) NamedCommits(ctx context.Context, names []string) ([]repo.ID, error) {
	ids := make([]repo.ID, len(names))
	for i, name := range names {
		id, err := a.CommitNamed(ctx, strings.TrimSpace(name))
		if err != nil {
			return nil, err
		}
		ids[i] = id
	}
	return ids, nil
}

// takingFile notes which commits are being taken as loose changes while their conflicts
// are answered.
const takingFile = "taking"

// TakeLoose brings what commits from elsewhere change into the working files, as loose
// changes: in memory first. If something meets there it gives what is to be answered,
// and changes nothing; the same commits are taken once it is. It gives the paths.
func (a *App) TakeLoose(ctx context.Context, ids []repo.ID) ([]string, *Waiting, error) {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	if err := a.free(); err != nil {
		return nil, nil, err
	}
	t, err := a.takeInMemory(ctx, ids)
	if err != nil {
		return nil, nil, err
	}
	if t.waiting.Open() > 0 {
		var words []string
		for _, id := range ids {
			words = append(words, id.String())
		}
		return nil, t.waiting, a.writeState(takingFile, strings.Join(words, "\n"))
	}
	paths, err := a.writeTaken(ctx, t)
	if err != nil {
		return nil, nil, err
	}
	return paths, nil, errors.Join(a.remember(t.waiting.Given), a.StopTaking())
}

// StopTaking forgets that commits are being taken, with the answers so far.
func (a *App) StopTaking() error {
	return errors.Join(a.writeState(takingFile, ""), a.AnswerWaiting(nil))
}

// taking is a taking worked out: the working tree's content before and after.
type taking struct {
	ids        []repo.ID
	objects    *repo.Overlay
	start, end repo.ID
	unread     map[string]bool // files that are too large, or cannot be read
	waiting    *Waiting
}

func (a *App) takeInMemory(ctx context.Context, ids []repo.ID) (taking, error) {
	t := taking{ids: ids, objects: a.Repo.NewOverlay(), unread: map[string]bool{}}
	if err := a.workContent(ctx, &t); err != nil {
		return t, err
	}
	commits, err := a.Sources(ctx, ids)
	if err != nil {
		return t, err
	}
	w := &Waiting{Taking: ids, merged: map[string]repo.Entry{}, Operation: "taking", Finish: "a",
		Matter: Matter{Title: fmt.Sprintf("%s taken as loose changes", Count(len(ids), "commit")), First: mend.Left}}
	if w.Memory, err = a.memory(); err != nil {
		return t, err
	}
	w.Given, t.waiting = a.keptAnswers(), w
	rules := a.Repo.NewMergeRules()
	defer rules.Close()
	options, err := replay.Options(ctx, a.Repo, rules)
	if err != nil {
		return t, err
	}
	t.end = t.start
	for _, c := range commits {
		if len(c.Commit.Parents) > 1 {
			return t, refuse("%s (%s) is a merge; take the commits that it brought, one by one.", c.ID.Short(), c.Commit.Subject())
		}
		before, err := a.treeOf(ctx, c.Commit.Parent())
		if err != nil {
			return t, err
		}
		merged, err := merge.TreesBy(ctx, t.objects, options, before, t.end, c.Commit.Tree)
		if err != nil {
			return t, err
		}
		t.end = merged.Tree
		var states []mend.State
		for _, conflict := range merged.Conflicts {
			state := mend.Look(conflict, c.ID, w.book())
			states = append(states, state)
			rule, err := rules.Rule(ctx, conflict.Path)
			if err != nil {
				return t, err
			}
			file := MatterFile{State: state, MarkerSize: rule.MarkerSize}
			for range max(1, len(conflict.Regions())) {
				file.Stories = append(file.Stories, Stories{Story{Name: "what you have"}, Story{"the commit that is taken", []Source{c}}})
			}
			w.Files = append(w.Files, file)
		}
		if t.end, err = mend.Settle(ctx, t.objects, t.end, states); err != nil || w.Open() > 0 {
			return t, err
		}
	}
	return t, nil
}

// workContent makes a tree of HEAD with all that is loose.
func (a *App) workContent(ctx context.Context, t *taking) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	tree, err := a.treeOf(ctx, head.Commit)
	if err != nil {
		return err
	}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return err
	}
	files, err := a.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return err
	}
	var entries []repo.IndexEntry
	for i, f := range files {
		e := repo.IndexEntry{Path: changes[i].Path, Mode: f.Mode, ID: f.ID}
		switch {
		case f.Large || f.Failed != nil:
			t.unread[e.Path] = true
			continue
		case f.Mode.IsFile() || f.Mode == repo.ModeSymlink:
			e.ID = t.objects.Put(repo.KindBlob, f.Data)
		}
		entries = append(entries, e)
	}
	t.start, err = t.objects.EditTree(ctx, tree, entries)
	return err
}

// writeTaken writes the files that a taking changes, and journals how they were.
func (a *App) writeTaken(ctx context.Context, t taking) ([]string, error) {
	differences, err := merge.Compare(ctx, t.objects, t.start, t.end)
	if err != nil {
		return nil, err
	}
	var entries []repo.IndexEntry
	var paths []string
	for _, d := range differences {
		e := repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: d.New.ID}
		if t.unread[d.Path] {
			return nil, refuse("%q is too large to be merged with, or cannot be read. Nothing was changed. Take the commit into a plan instead.", d.Path)
		}
		if d.New.Mode == repo.ModeSubmodule || d.Old.Mode == repo.ModeSubmodule {
			return nil, refuse("%q is a submodule, whose commit cannot be a loose change here. Take the commit into a plan instead.", d.Path)
		}
		if err := a.storeBlob(ctx, t.objects, &e); err != nil {
			return nil, err
		}
		entries, paths = append(entries, e), append(paths, d.Path)
	}
	if len(entries) == 0 {
		return nil, refuse("Your working files have all of it already.")
	}
	before, err := a.Repo.ReadRaw(ctx, paths, true)
	if err != nil {
		return nil, err
	}
	entry, err := a.discardEntry(ctx, before, entries)
	if err != nil {
		return nil, err
	}
	entry.Kind, entry.Title = journal.Take, Count(len(t.ids), "commit")+" as loose changes"
	_, err = a.carryOut(ctx, &operation{entry: entry, reflog: titled(entry.Kind, entry.Title)})
	return paths, err
}

// takingNow reads which commits are being taken.
func (a *App) takingNow() (ids []repo.ID) {
	for word := range strings.FieldsSeq(a.readState(takingFile)) {
		if id, err := repo.ParseID(word); err == nil {
			ids = append(ids, id)
		}
	}
	return ids
}
