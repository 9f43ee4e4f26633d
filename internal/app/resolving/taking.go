package resolving

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/tray"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

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
		return plan, app.Refuse("%s has all of %s already; there is nothing to merge.", plan.Branch, name)
	case slices.Contains(plan.Extra, id):
		return plan, app.Refuse("%s is in the plan already.", name)
	}
	bases, err := a.Repo.MergeBases(ctx, id, plan.Tip)
	if err != nil {
		return plan, err
	}
	if len(bases) == 0 {
		return plan, app.Refuse("%s and %s have no commit in common, so they cannot be merged.", plan.Branch, name)
	}
	last := len(plan.Next)
	plan = plan.Insert(last, id)
	return plan.Merge(last, fmt.Sprintf("Merge %s into %s\n", name, plan.Branch)), nil
}

// Takeable lists the commits of another branch that the plan's branch does not have,
// the youngest first.
func (a *App) Takeable(ctx context.Context, plan shape.Plan, name string) ([]app.Source, error) {
	id, err := a.CommitNamed(ctx, name)
	if err != nil {
		return nil, err
	}
	ids, err := a.Repo.RevList(ctx, "--no-merges", fmt.Sprintf("--max-count=%d", 2*app.UnboundedRange), id.String(), "^"+plan.Tip.String())
	if err != nil {
		return nil, err
	}
	return a.Sources(ctx, ids)
}

// NamedCommits finds commits by their ids or names, or all that are in one and not in another, FROM..TO, the oldest first.
func (a *App) NamedCommits(ctx context.Context, names []string) ([]repo.ID, error) {
	var ids []repo.ID
	for _, name := range names {
		from, to, isRange := strings.Cut(strings.TrimSpace(name), "..")
		if !isRange {
			to = from
		}
		last, err := a.CommitNamed(ctx, to)
		if err != nil {
			return nil, err
		}
		if !isRange {
			ids = append(ids, last)
			continue
		}
		first, err := a.CommitNamed(ctx, from)
		if err != nil {
			return nil, err
		}
		within, err := a.Repo.Range(ctx, first, last)
		if err != nil {
			return nil, err
		}
		if len(within) == 0 {
			return nil, app.Refuse("%s has all commits of %s.", from, to)
		}
		ids = append(ids, within...)
	}
	return ids, nil
}

// Take brings what commits from elsewhere change into the working files, as loose changes or into a tray: in memory first. If
// something meets there it gives what is to be answered, and changes nothing; the same commits are taken once it is. It
// gives the paths. What lies where a file comes and is in no list of changes, ignored or not to be looked at, is replaced only if
// that is said.
func (a *App) Take(ctx context.Context, ids []repo.ID, into tray.Layer, replace bool) ([]string, *PendingMerge, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	if err := a.RefuseUnfinished(); err != nil {
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
		if into != tray.Loose {
			words = append(words, into.String())
		}
		return nil, t.waiting, a.WriteState(app.TakingFile, strings.Join(words, "\n"))
	}
	paths, err := a.writeTaken(ctx, t, into, replace)
	if err != nil {
		return nil, nil, err
	}
	return paths, nil, errors.Join(a.RememberAnswers(t.waiting.Answers), a.StopTaking())
}

// StopTaking forgets that commits are being taken, with the answers so far.
func (a *App) StopTaking() error {
	return errors.Join(a.WriteState(app.TakingFile, ""), a.KeepAnswers(nil))
}

// taking is a taking worked out: the working tree's content before and after.
type taking struct {
	ids        []repo.ID
	objects    *repo.Overlay
	start, end repo.ID
	unread     map[string]bool          // files that are too large, or cannot be read
	seen       map[string]repo.WorkFile // how the others were read
	waiting    *PendingMerge
}

func (a *App) takeInMemory(ctx context.Context, ids []repo.ID) (taking, error) {
	t := taking{ids: ids, objects: a.Repo.NewOverlay(), unread: map[string]bool{}, seen: map[string]repo.WorkFile{}}
	if err := a.workContent(ctx, &t); err != nil {
		return t, err
	}
	commits, err := a.Sources(ctx, ids)
	if err != nil {
		return t, err
	}
	w := &PendingMerge{Taking: ids, merged: map[string]repo.Entry{}, Operation: "taking", Finish: "a",
		ConflictedStep: ConflictedStep{Title: fmt.Sprintf("%s taken as loose changes", wording.Count(len(ids), "commit")), First: mend.Left,
			Objects: t.objects}}
	if w.Memory, err = a.RememberedAnswers(); err != nil {
		return t, err
	}
	w.Answers, t.waiting = a.WaitingAnswers(), w
	rules := a.Repo.NewMergeRules()
	defer rules.Close()
	options, err := replay.Options(ctx, a.Repo, rules)
	if err != nil {
		return t, err
	}
	t.end = t.start
	for _, c := range commits {
		if len(c.Commit.Parents) > 1 {
			return t, app.Refuse("%s (%s) is a merge; take the commits that it brought, one by one.", c.ID.Short(), c.Commit.Subject())
		}
		before, err := a.TreeOf(ctx, c.Commit.Parent())
		if err != nil {
			return t, err
		}
		merged, err := merge.TreesWith(ctx, t.objects, options, before, t.end, c.Commit.Tree)
		if err != nil {
			return t, err
		}
		t.end = merged.Tree
		var states []mend.State
		for _, conflict := range merged.Conflicts {
			state := mend.Look(conflict, c.ID, w.Book())
			states = append(states, state)
			rule, err := rules.Rule(ctx, conflict.Path)
			if err != nil {
				return t, err
			}
			file := ConflictedFile{State: state, MarkerSize: rule.MarkerSize}
			for range max(1, len(conflict.Regions())) {
				file.Stories = append(file.Stories, RegionHistory{SideHistory{Name: "what you have", Absent: hasNone},
					SideHistory{Name: "the commit that is taken", Commits: []app.Source{c}, Absent: deletedIt}})
			}
			w.Files = append(w.Files, file)
		}
		if t.end, err = mend.ApplyAnswers(ctx, t.objects, t.end, states); err != nil || w.Open() > 0 {
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
	tree, err := a.TreeOf(ctx, head.Commit)
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
		t.seen[e.Path] = f
		entries = append(entries, e)
	}
	t.start, err = t.objects.EditTree(ctx, tree, entries)
	return err
}

// Draft is a tray that something can be taken into.
type Draft struct {
	Layer tray.Layer
	Says  string // its message's first line, or what it is
}

// Trays are those that hold something, tray A, and the next free one.
func (a *App) Trays(ctx context.Context) ([]Draft, error) {
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return nil, err
	}
	filled := kept.Layers()
	var drafts []Draft
	for l := tray.A; l <= tray.Last; l++ {
		says := app.FirstLine(kept.Messages[l])
		switch {
		case l == tray.A && says == "":
			says = "the index"
		case l != tray.A && says == "" && !slices.Contains(filled, l):
			return append(drafts, Draft{l, "a new one"}), nil
		}
		drafts = append(drafts, Draft{l, says})
	}
	return drafts, nil
}

// Preview gives what a taking would change in the working files, and what is to be answered first.
func (a *App) Preview(ctx context.Context, ids []repo.ID) ([]tray.File, *PendingMerge, error) {
	t, err := a.takeInMemory(ctx, ids)
	if err != nil {
		return nil, nil, err
	}
	files, err := tray.Between(ctx, t.objects, t.start, t.end)
	return files, t.waiting, err
}

// writeTaken writes the files that a taking changes, and journals how they were.
func (a *App) writeTaken(ctx context.Context, t taking, into tray.Layer, replace bool) ([]string, error) {
	differences, err := merge.Compare(ctx, t.objects, t.start, t.end)
	if err != nil {
		return nil, err
	}
	var entries []repo.IndexEntry
	var paths []string
	for _, d := range differences {
		e := repo.IndexEntry{Path: d.Path, Mode: d.New.Mode, ID: d.New.ID}
		if t.unread[d.Path] {
			return nil, app.Refuse("%q is too large to be merged with, or cannot be read. Nothing was changed. Take the commit into a plan "+
				"instead.", d.Path)
		}
		if d.New.Mode == repo.ModeSubmodule || d.Old.Mode == repo.ModeSubmodule {
			return nil, app.Refuse("%q is a submodule, whose commit cannot be a loose change here. Take the commit into a plan instead.", d.Path)
		}
		if err := a.storeBlob(ctx, t.objects, &e); err != nil {
			return nil, err
		}
		entries, paths = append(entries, e), append(paths, d.Path)
	}
	if len(entries) == 0 {
		return nil, app.Refuse("Your working files have all of it already.")
	}
	before, err := a.replaced(ctx, paths, t.seen, replace, func(path string) (repo.Entry, error) {
		return repo.Find(ctx, t.objects, t.start, path)
	})
	if err != nil {
		return nil, err
	}
	entry, err := a.DiscardEntry(ctx, before, entries)
	if err != nil {
		return nil, err
	}
	entry.Kind, entry.Title = journal.Take, wording.Count(len(t.ids), "commit")+" as loose changes"
	if into != tray.Loose {
		entry.Title = wording.Count(len(t.ids), "commit") + " into tray " + into.String()
		if err := a.intoTray(ctx, &entry, t, into); err != nil {
			return nil, err
		}
	}
	_, err = a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: app.ReflogMessage(entry.Kind, entry.Title)})
	return paths, err
}

// intoTray has an entry put what is taken into a tray too; what is loose of the same files, or in other trays, stays where it is.
func (a *App) intoTray(ctx context.Context, entry *journal.Entry, t taking, into tray.Layer) error {
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return err
	}
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return err
	}
	out, err := tray.TakeIn(ctx, a.Repo, changes, kept, t.objects, t.start, t.end, into)
	if errors.Is(err, tray.ErrBuildsOn) {
		return &app.Refusal{Err: err, Reason: fmt.Sprintf("What is taken changes lines that are loose, or in a later tray, so it cannot come "+
			"before them in tray %s: %v. Nothing was changed. Put those lines into tray %s first, or take it as loose changes, and sort it there.",
			into, err, into)}
	}
	if err != nil {
		return app.SelectionRefusal(err)
	}
	if entry.Index, err = a.IndexSteps(ctx, out.Index); err != nil {
		return err
	}
	entry.TraysOld = kept.ID
	entry.TraysNew, err = out.Kept.Store(ctx, a.Repo)
	return err
}
