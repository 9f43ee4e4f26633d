package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"

	"bastel/internal/journal"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// waitingFile holds the answers to conflicts that wait in the working tree.
const waitingFile = "waiting.toml"

// Waiting are conflicts that another tool's merge, rebase, cherry-pick, revert or stash
// left in the working tree.
type Waiting struct {
	Matter
	Memory    map[mend.Key]mend.Given
	Given     []mend.Given
	Operation string    // empty: one that leaves no trace, such as bringing back what was put aside
	Finish    string    // the command that ends it, where Bastel does not
	Taking    []repo.ID // the commits that are taken as loose changes, if it is that
	objects   *repo.Overlay
	stages    []repo.Stage
	merged    map[string]repo.Entry // of paths that merge by themselves
	found     []mend.Given          // answers that stand in working files
	tree      repo.ID               // what the trees merge to; its conflicts of names are asked about
	along     map[string][]string   // by the path of such a conflict: the unsettled paths that it is about
	auto      repo.ID               // what the operation wrote into the working files; zero: not known
}

type waitingKept struct {
	Answer []shape.FileAnswer `toml:"answer"`
}

// Waiting reads what waits; nil if nothing does.
func (a *App) Waiting(ctx context.Context) (*Waiting, error) {
	op, busy := a.Repo.Unfinished()
	stages, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return nil, err
	}
	if len(stages) == 0 && (!busy || op.Name == "bisect") {
		ids := a.takingNow()
		if len(ids) == 0 {
			return nil, nil
		}
		t, err := a.takeInMemory(ctx, ids)
		if err != nil {
			return nil, fmt.Errorf("go on taking commits as loose changes (bastel take --stop forgets it): %w", err)
		}
		return t.waiting, nil
	}
	w := &Waiting{objects: a.Repo.NewOverlay(), stages: stages, merged: map[string]repo.Entry{}, Matter: Matter{Title: "a stash that waits in the working tree", First: mend.Left}}
	if busy {
		w.Operation, w.Finish = op.Name, op.Finish
		w.Title = "a " + op.Name + " that waits in the working tree"
	}
	if w.Memory, err = a.memory(); err != nil {
		return nil, err
	}
	w.Given = a.keptAnswers()
	return w, a.waitingFiles(ctx, w)
}

// keptAnswers reads the answers so far. They are a draft: what cannot be read is asked
// again.
func (a *App) keptAnswers() (given []mend.Given) {
	var kept waitingKept
	if err := toml.Unmarshal([]byte(a.readState(waitingFile)), &kept); err != nil {
		return nil
	}
	for _, f := range kept.Answer {
		if g, err := f.Given(); err == nil {
			given = append(given, g)
		}
	}
	return given
}

func (a *App) waitingFiles(ctx context.Context, w *Waiting) error {
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
	add := func(c merge.Conflict) error {
		rule, err := rules.Rule(ctx, c.Path)
		if err != nil {
			return err
		}
		stories, err := a.waitingStories(ctx, c.Path, sides)
		if err != nil {
			return err
		}
		file := MatterFile{State: mend.Look(c, repo.ID{}, w.book()), MarkerSize: rule.MarkerSize}
		for range max(1, len(c.Regions())) {
			file.Stories = append(file.Stories, stories)
		}
		if err := a.resolvedInFile(ctx, w, &file); err != nil {
			return err
		}
		w.Files = append(w.Files, file)
		return nil
	}
	renames, err := a.renamesWaiting(ctx, w, options, sides[1].not)
	if err != nil {
		return err
	}
	named := map[string]bool{}
	for _, c := range renames {
		for _, path := range w.along[c.Path] {
			named[path] = true
		}
		if err := add(c); err != nil {
			return err
		}
	}
	for at := 0; at < len(w.stages); {
		path := w.stages[at].Path
		var entries [4]repo.Entry
		for ; at < len(w.stages) && w.stages[at].Path == path; at++ {
			s := w.stages[at]
			entries[s.Number] = repo.Entry{Mode: s.Mode, Name: path, ID: s.ID}
		}
		if named[path] {
			continue
		}
		entry, conflicts, err := merge.Path(ctx, w.objects, options, path, entries[1], entries[2], entries[3])
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

// Answer adds answers; one for the same place takes the earlier one's.
func (w *Waiting) Answer(given ...mend.Given) {
	w.Given = shape.Plan{Given: w.Given}.Answer(given...).Given
}

// Finishing is what ends the operation.
func (w *Waiting) Finishing() string {
	if w.Operation == "merge" {
		return "bastel mend --finish"
	}
	return w.Finish
}

// Clone is a copy that stays as it is.
func (w *Waiting) Clone() *Waiting {
	c := *w
	c.Given, c.Files = slices.Clone(w.Given), slices.Clone(w.Files)
	return &c
}

// Reopen takes an answer back.
func (w *Waiting) Reopen(q mend.Question) {
	w.Given = shape.Plan{Given: w.Given}.Reopen(q).Given
}

// Settles says whether there are files to be written.
func (w *Waiting) Settles() bool { return len(w.stages) > 0 || len(w.Taking) > 0 }

func (w *Waiting) book() mend.Book {
	return mend.Book{Given: slices.Concat(w.Given, w.found), Memory: w.Memory}
}

// waitingSide names a side, and where its commits are to be looked for.
type waitingSide struct {
	name string
	tip  repo.ID // zero: not known
	not  repo.ID
	only bool // the tip is the one commit that it is about
}

// waitingSides says what the sides are: the left one is HEAD's.
func (a *App) waitingSides(ctx context.Context, w *Waiting) (sides [2]waitingSide, err error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return sides, err
	}
	here := "HEAD"
	if head.Ref != "" {
		here = "your branch " + head.Branch()
	}
	sides = [2]waitingSide{{name: here, tip: head.Commit}, {name: "the stash"}}
	for _, known := range []struct{ file, name string }{
		{repo.MergeHead, "what is merged"}, {repo.RebaseHead, "your commit"}, {repo.CherryPickHead, "the commit that is taken"}, {repo.RevertHead, "what was before the commit"},
	} {
		id, _, err := a.Repo.OperationHead(known.file)
		if err != nil {
			return sides, err
		}
		if id.IsZero() {
			continue
		}
		sides[1] = waitingSide{name: known.name, tip: id, not: head.Commit, only: known.file != repo.MergeHead}
		sides[0].not = id
		if known.file == repo.RebaseHead {
			sides[0].name, w.First = "the series so far", mend.Right
		}
		break
	}
	return sides, nil
}

// mostNamed is how many commits of a side are named for a path.
const mostNamed = 5

func (a *App) waitingStories(ctx context.Context, path string, sides [2]waitingSide) (Stories, error) {
	var stories [2]Story
	for i, side := range sides {
		ids := []repo.ID{}
		switch {
		case side.only:
			ids = append(ids, side.tip)
		case !side.tip.IsZero() && !side.not.IsZero():
			found, err := a.Repo.RevList(ctx, fmt.Sprintf("--max-count=%d", mostNamed), side.tip.String(), "^"+side.not.String(), "--", ":(top,literal)"+path)
			if err != nil {
				return Stories{}, err
			}
			slices.Reverse(found)
			ids = found
		}
		story, err := a.story(ctx, side.name, ids)
		if err != nil {
			return Stories{}, err
		}
		stories[i] = story
	}
	return Stories{stories[0], stories[1]}, nil
}

// AnswerWaiting keeps the answers that were given so far.
func (a *App) AnswerWaiting(given []mend.Given) error {
	if len(given) == 0 {
		return a.writeState(waitingFile, "")
	}
	var kept waitingKept
	for _, g := range given {
		kept.Answer = append(kept.Answer, shape.NewFileAnswer(g))
	}
	text, err := toml.Marshal(kept)
	if err != nil {
		return fmt.Errorf("keep the answers: %w", err)
	}
	return a.writeState(waitingFile, string(text))
}

// SettleWaiting writes what is answered whole into the working files and the index. It
// gives the paths.
func (a *App) SettleWaiting(ctx context.Context, w *Waiting) ([]string, error) {
	if len(w.Taking) > 0 {
		if err := a.AnswerWaiting(w.Given); err != nil {
			return nil, err
		}
		paths, left, err := a.TakeLoose(ctx, w.Taking)
		if err == nil && left != nil {
			err = refuse("New conflicts: %s to answer. Nothing was changed yet.", Count(left.Open(), "place"))
		}
		return paths, err
	}
	a.sorting.Lock()
	defer a.sorting.Unlock()
	var entries []repo.IndexEntry
	for path, e := range w.merged {
		entries = append(entries, repo.IndexEntry{Path: path, Mode: e.Mode, ID: e.ID})
	}
	for _, f := range w.Files {
		if f.Open() > 0 || w.along[f.Path] != nil {
			continue
		}
		edits, err := f.Edits(ctx, w.objects)
		if err != nil {
			return nil, err
		}
		entries = append(entries, edits...)
	}
	renamed, err := w.byName(ctx)
	if err != nil {
		return nil, err
	}
	if entries = append(entries, renamed...); len(entries) == 0 {
		return nil, &Refusal{Reason: "No file is fully answered yet.", Err: ErrNotAnswered}
	}
	if err := a.withHandEdits(ctx, w, entries); err != nil {
		return nil, err
	}
	for i := range entries {
		if err := a.storeBlob(ctx, w.objects, &entries[i]); err != nil {
			return nil, err
		}
	}
	paths, err := a.settlePaths(ctx, w.stages, entries, true)
	if err != nil {
		return nil, err
	}
	var done, left []mend.Given
	for _, g := range w.Given {
		if slices.Contains(paths, g.Path) {
			done = append(done, g)
		} else {
			left = append(left, g)
		}
	}
	return paths, errors.Join(a.AnswerWaiting(left), a.remember(done))
}

// storeBlob writes a blob that is in memory only into the repository.
func (a *App) storeBlob(ctx context.Context, objects *repo.Overlay, e *repo.IndexEntry) error {
	if !e.Mode.IsFile() && e.Mode != repo.ModeSymlink {
		return nil
	}
	data, err := objects.Blob(ctx, e.ID)
	if err != nil {
		return err
	}
	e.ID, err = a.writeBlob(ctx, data)
	return err
}

func (a *App) writeBlob(ctx context.Context, data []byte) (repo.ID, error) {
	ids, err := a.Repo.WriteBlobs(ctx, [][]byte{data})
	if err != nil {
		return repo.ID{}, err
	}
	return ids[0], nil
}

// settlePaths makes paths settled: entries come into the index, and into the working
// files too if write says so.
func (a *App) settlePaths(ctx context.Context, stages []repo.Stage, entries []repo.IndexEntry, write bool) ([]string, error) {
	now, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return nil, err
	}
	stagesOf := func(list []repo.Stage, path string) (some []repo.Stage) {
		for _, s := range list {
			if s.Path == path {
				some = append(some, s)
			}
		}
		return some
	}
	// What somebody has settled meanwhile stays as it is.
	entries = slices.DeleteFunc(entries, func(e repo.IndexEntry) bool { return len(stagesOf(now, e.Path)) == 0 })
	for _, e := range entries {
		if !slices.Equal(stagesOf(now, e.Path), stagesOf(stages, e.Path)) {
			return nil, &Refusal{Reason: fmt.Sprintf("What waits of %q was changed by another program meanwhile. Nothing was changed. Look again, then repeat.", e.Path), Err: repo.ErrMoved}
		}
	}
	if len(entries) == 0 {
		return nil, refuse("Everything is resolved already.")
	}
	slices.SortFunc(entries, func(x, y repo.IndexEntry) int { return strings.Compare(x.Path, y.Path) })
	var paths []string
	for _, e := range entries {
		paths = append(paths, e.Path)
	}
	before, err := a.Repo.ReadRaw(ctx, paths, true)
	if err != nil {
		return nil, err
	}
	entry, err := a.discardEntry(ctx, before, entries)
	if err != nil {
		return nil, err
	}
	entry.Kind = journal.Mend
	if !write {
		entry.Files = nil
	}
	for _, s := range stages {
		if slices.Contains(paths, s.Path) {
			entry.Stages = append(entry.Stages, journal.Stage{Path: []byte(s.Path), Mode: s.Mode, ID: s.ID, Number: s.Number})
		}
	}
	entry.Title = "resolved " + paths[0]
	if n := len(paths); n > 1 {
		entry.Title = fmt.Sprintf("resolved %d files", n)
	}
	for _, e := range entries {
		entry.Index = append(entry.Index, journal.File{Path: []byte(e.Path), AfterMode: e.Mode, After: e.ID})
	}
	_, err = a.carryOut(ctx, &operation{entry: entry, reflog: titled(entry.Kind, entry.Title)})
	return paths, err
}

// MarkResolved marks files of the working tree as resolved, as they are. It refuses
// while marker lines stand in them, unless they are meant.
func (a *App) MarkResolved(ctx context.Context, paths []string, meant bool) error {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	stages, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return err
	}
	changes := make([]repo.Change, len(paths))
	for i, path := range paths {
		if !slices.ContainsFunc(stages, func(s repo.Stage) bool { return s.Path == path }) {
			return refuse("%q has no conflict.", path)
		}
		changes[i] = repo.Change{Path: path, IndexMode: repo.ModeFile}
	}
	files, err := a.Repo.ReadWorkFiles(ctx, changes)
	if err != nil {
		return err
	}
	rules := a.Repo.NewMergeRules()
	defer rules.Close()
	entries := make([]repo.IndexEntry, len(files))
	for i, f := range files {
		rule, err := rules.Rule(ctx, paths[i])
		if err != nil {
			return err
		}
		if lines := (mend.State{}).Markers(f.Data, rule.MarkerSize); len(lines) > 0 && !meant {
			return &Refusal{Reason: fmt.Sprintf("There are conflict markers in %q, in line %d for one. Resolve it first, or say that they are intended.", paths[i], lines[0]), Err: ErrMarkers}
		}
		entries[i] = repo.IndexEntry{Path: paths[i], Mode: f.Mode}
		if f.Mode == repo.ModeNone {
			continue
		}
		if entries[i].ID, err = a.writeBlob(ctx, f.Data); err != nil {
			return err
		}
	}
	_, err = a.settlePaths(ctx, stages, entries, false)
	return err
}

// MergeDraft is the message for the merge that waits, with what had conflicted.
func (a *App) MergeDraft(ctx context.Context) (string, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return "", err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return "", err
	}
	var paths []string
	for _, e := range journal.StateOf(entries, a.Repo.WorktreeName()).Done {
		if e.Kind != journal.Mend || e.New != head.Commit {
			continue
		}
		for _, f := range e.Index {
			if path := string(f.Path); !slices.Contains(paths, path) {
				paths = append(paths, path)
			}
		}
	}
	text := CleanMessage(a.Repo.MergeMessage())
	if len(paths) == 0 {
		return text, nil
	}
	slices.Sort(paths)
	return text + "\nResolved by hand:\n" + strings.Join(paths, "\n") + "\n", nil
}

// FinishMerge makes the commit of a merge that waits, through the repository's hooks.
// Lines that look like conflict markers are refused unless they are meant.
func (a *App) FinishMerge(ctx context.Context, message string, meant bool) (Made, error) {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	var made Made
	other, more, err := a.Repo.OperationHead(repo.MergeHead)
	switch {
	case err != nil:
		return made, err
	case other.IsZero():
		return made, refuse("No merge waits here.")
	case more:
		return made, refuse("This merge has more than two sides. Finish it with git commit.")
	case CleanMessage(message) == "":
		return made, refuse("A commit needs a message that says what changes.")
	}
	stages, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return made, err
	}
	if len(stages) > 0 {
		return made, refuse("%q is not resolved yet.", stages[0].Path)
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return made, err
	}
	if err := a.Repo.RunHook(ctx, "pre-merge-commit"); err != nil {
		return made, asRefusal(err)
	}
	if message, err = a.messageHooks(ctx, message); err != nil {
		return made, err
	}
	tree, err := a.Repo.WriteTree(ctx)
	if err != nil {
		return made, err
	}
	var parents []repo.ID
	for _, parent := range []repo.ID{head.Commit, other} {
		side, err := a.treeOf(ctx, parent)
		if err != nil {
			return made, err
		}
		parents = append(parents, side)
	}
	if _, err := a.guardContent(ctx, a.Repo.NewOverlay(), meant, parents, tree); err != nil {
		return made, err
	}
	id, err := a.Repo.CommitTree(ctx, repo.NewCommit{Tree: tree, Parents: []repo.ID{head.Commit, other}, Message: message})
	if err != nil {
		return made, notMade(err)
	}
	made.Commits = []repo.ID{id}
	title := repo.Subject(message)
	entry := journal.Entry{Kind: journal.Commit, Ref: refOf(head), Old: head.Commit, New: id, Title: title}
	op := &operation{entry: entry, reflog: "commit (merge): " + title, endsMerge: true,
		hooks: func(ctx context.Context) error {
			return errors.Join(a.AnswerWaiting(nil), a.Repo.RunHook(ctx, "post-merge", "0"))
		}}
	if made.Warning, err = a.carryOut(ctx, op); err != nil {
		return made, err
	}
	return made, nil
}
