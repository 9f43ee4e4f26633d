package resolving

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/app"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// PendingMerge are conflicts that another tool's merge, rebase, cherry-pick, revert or stash
// left in the working tree.
type PendingMerge struct {
	ConflictedStep
	Memory        map[mend.Key]mend.Resolution
	Answers       []mend.Resolution
	Operation     string    // empty: one that leaves no trace, such as bringing back what was put aside
	Finish        string    // the command that ends it, where Bastel does not
	Taking        []repo.ID // the commits that are taken as loose changes, if it is that
	stages        []repo.Stage
	merged        map[string]repo.Entry // of paths that merge by themselves
	found         []mend.Resolution     // answers that stand in working files
	notFromMemory []mend.Key            // those that were reopened
	tree          repo.ID               // what the trees merge to; its conflicts of names are asked about
	related       map[string][]string   // by the path of such a conflict: the unsettled paths that it is about
	auto          repo.ID               // what the operation wrote into the working files; zero: not known
}

// PendingMerge reads what waits; nil if nothing does.
func (a *App) PendingMerge(ctx context.Context) (*PendingMerge, error) {
	op, busy := a.Repo.Unfinished()
	stages, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return nil, err
	}
	if len(stages) == 0 && (!busy || op.Name == "bisect") {
		ids := a.UnfinishedTake()
		if len(ids) == 0 {
			return nil, nil
		}
		t, err := a.takeInMemory(ctx, ids)
		if err != nil {
			return nil, fmt.Errorf("go on taking commits as loose changes (bastel take --stop forgets it): %w", err)
		}
		return t.waiting, nil
	}
	w := &PendingMerge{stages: stages, merged: map[string]repo.Entry{}, ConflictedStep: ConflictedStep{
		Title: "a stash that waits in the working tree", First: mend.Left, Objects: a.Repo.NewOverlay()}}
	if busy {
		w.Operation, w.Finish = op.Name, op.Finish
		w.Title = "a " + op.Name + " that waits in the working tree"
		if branch := a.Repo.Progress().Branch; branch != "" {
			w.Title = "a " + op.Name + " of " + branch + " that waits in the working tree"
		}
	}
	if w.Memory, err = a.RememberedAnswers(); err != nil {
		return nil, err
	}
	w.Answers = a.WaitingAnswers()
	return w, a.waitingFiles(ctx, w)
}

func (a *App) waitingFiles(ctx context.Context, w *PendingMerge) error {
	rules := a.Repo.NewMergeRules()
	defer rules.Close()
	options, err := replay.Options(ctx, a.Repo, rules)
	if err != nil {
		return err
	}
	sides, err := a.waitingSides(ctx, w)
	if err != nil {
		return err
	}
	if w.auto, _, err = a.Repo.OperationHead(repo.AutoMerge); err != nil {
		return err
	}
	add := func(c merge.Conflict) error { return a.addConflict(ctx, w, c, rules, sides) }
	renames, err := a.renamesWaiting(ctx, w, options, sides[1].not)
	if err != nil {
		return err
	}
	named := map[string]bool{}
	for _, c := range renames {
		for _, path := range w.related[c.Path] {
			named[path] = true
		}
		if err := add(c); err != nil {
			return err
		}
	}
	for _, stages := range byPath(w.stages) {
		path := stages[0].Path
		if named[path] {
			continue
		}
		var entries [4]repo.Entry
		for _, s := range stages {
			entries[s.Number] = repo.Entry{Mode: s.Mode, Name: path, ID: s.ID}
		}
		entry, conflicts, err := merge.Path(ctx, w.Objects, options, path, entries[1], entries[2], entries[3])
		if err != nil {
			return err
		}
		if c, is := undecided(path, entries); is && len(conflicts) == 0 {
			conflicts = append(conflicts, c)
		}
		if len(conflicts) == 0 {
			w.merged[path] = entry
		}
		for _, c := range conflicts {
			if err := add(c); err != nil {
				return err
			}
		}
	}
	return nil
}

// byPath puts the stages of a path together; they follow each other.
func byPath(stages []repo.Stage) (groups [][]repo.Stage) {
	for start := 0; start < len(stages); {
		end := start
		for end < len(stages) && stages[end].Path == stages[start].Path {
			end++
		}
		groups, start = append(groups, stages[start:end]), end
	}
	return groups
}

// addConflict adds a conflict with its answers, and what led to its sides.
func (a *App) addConflict(ctx context.Context, w *PendingMerge, c merge.Conflict, rules *repo.MergeRules, sides [2]waitingSide) error {
	rule, err := rules.Rule(ctx, c.Path)
	if err != nil {
		return err
	}
	stories, err := a.waitingStories(ctx, c, sides)
	if err != nil {
		return err
	}
	file := ConflictedFile{State: mend.Look(c, repo.ID{}, w.Book()), MarkerSize: rule.MarkerSize}
	for range max(1, len(c.Regions())) {
		file.Stories = append(file.Stories, stories)
	}
	if err := a.resolvedInFile(ctx, w, &file); err != nil {
		return err
	}
	w.Files = append(w.Files, file)
	return nil
}

// Answer adds answers; one for the same place takes the earlier one's.
func (w *PendingMerge) Answer(given ...mend.Resolution) {
	w.Answers = shape.Plan{Answers: w.Answers}.Answer(given...).Answers
}

// Finishable says whether it is finished here, and not by the repository's own command.
func (w *PendingMerge) Finishable() bool {
	return app.FinishesHere(w.Operation)
}

// Finishing is what ends the operation.
func (w *PendingMerge) Finishing() string {
	if w.Finishable() {
		return "bastel mend --finish"
	}
	return w.Finish
}

// Clone is a copy that stays as it is.
func (w *PendingMerge) Clone() *PendingMerge {
	c := *w
	c.Answers, c.Files = slices.Clone(w.Answers), slices.Clone(w.Files)
	return &c
}

// Reopen takes an answer back.
func (w *PendingMerge) Reopen(q mend.Question) {
	plan := shape.Plan{Answers: w.Answers, NotFromMemory: w.notFromMemory}.Reopen(q)
	w.Answers, w.notFromMemory = plan.Answers, plan.NotFromMemory
	w.found = slices.DeleteFunc(slices.Clone(w.found), func(g mend.Resolution) bool { return g.Key == q.Key && g.Place == q.Place })
}

// Given are the answers at a moment.
type Given struct {
	answers, found []mend.Resolution
	notFromMemory  []mend.Key
}

// Given notes the answers as they are.
func (w *PendingMerge) Given() Given {
	return Given{slices.Clone(w.Answers), slices.Clone(w.found), slices.Clone(w.notFromMemory)}
}

// Restore goes back to answers that were noted.
func (w *PendingMerge) Restore(g Given) {
	w.Answers, w.found, w.notFromMemory = g.answers, g.found, g.notFromMemory
}

// WritesSomething says whether there are files to be written.
func (w *PendingMerge) WritesSomething() bool { return len(w.stages) > 0 || len(w.Taking) > 0 }

// Book is all that is known of answers to what waits.
func (w *PendingMerge) Book() mend.AnswerBook {
	return mend.AnswerBook{Answers: w.Answers, NotFromMemory: w.notFromMemory, Memory: w.Memory, InFiles: w.found}
}

// mostNamed is how many commits of a side are named for a path.
const mostNamed = 5
