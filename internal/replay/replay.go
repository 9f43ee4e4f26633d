// Package replay carries out a plan in memory: each entry's sources are merged,
// one after the other, onto what came before. Nothing is written; a forecast and
// an application of the plan are the same computation, and the second one adds
// only that the new objects are kept.
//
// Where a branch shall point afterwards, and what happens to the working tree, is
// left to others.
//
// Its tests promise: a plan carried out is what picking its commits one by one makes.
package replay

import (
	"context"
	"fmt"
	"slices"
	"sync"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// Result says what becomes of an entry.
type Result string

// The results there are.
const (
	Clean    Result = "clean"
	Answered Result = "answered" // by answers that were given before, elsewhere
	Conflict Result = "conflict"
	Empty    Result = "empty" // nothing is left of its changes: no commit comes out
)

// Step is the outcome of one entry.
type Step struct {
	Title         string
	From          []repo.ID
	Sources       []repo.ID // the branch's commits that it takes from, as a whole or in part
	Extra         []repo.ID // of From: commits that are none of the branch's, nor parts of them
	Merge         bool      // it merges another branch
	Result        Result
	Reason        string           // of an empty step or a conflict: why, in a sentence
	Stopped       repo.ID          // of a conflict: the source that could not be applied
	Against       []repo.ID        // of a conflict: commits of the other side that touched the same paths
	Conflicts     []merge.Conflict // those that are open
	PathConflicts []PathConflict   // all that met, those that are answered too
	Followed      []merge.Move     // renames that a source's changes followed
	Commit        repo.ID          // the commit that comes out; zero if none does
	Kept          bool             // the commit is the source itself, unchanged
	Tree          repo.ID          // the content after this step
}

// PathConflict is a conflict, with its answers as far as there are any, and who it is with.
type PathConflict struct {
	mend.State
	Source  repo.ID     // the commit whose replay met it
	Against []repo.ID   // commits of the other side that touched the path, oldest first
	Writers [][]repo.ID // by region: those of them that wrote its lines, or removed them
}

// Paths lists where a step conflicts.
func (s Step) Paths() []string {
	paths := make([]string, 0, len(s.Conflicts))
	for _, c := range s.Conflicts {
		paths = append(paths, c.Path)
	}
	return paths
}

// Forecast is the outcome of a whole plan.
type Forecast struct {
	Steps       []Step
	Tip         repo.ID // the new end of the branch; zero while a step conflicts
	Tree        repo.ID // the content at the end
	SameContent bool    // the content at the end is that of the branch now, byte for byte
	Signatures  int     // sources whose signature the rewriting takes away

	objects *repo.Overlay // in which it was made
}

// Objects is where what the forecast makes can be read, for as long as there is the forecast.
func (f *Forecast) Objects() *repo.Overlay { return f.objects }

// Store writes what the forecast makes into the repository, as one pack.
func (f *Forecast) Store(ctx context.Context) error { return f.objects.Flush(ctx, f.Tip) }

// Conflicts counts the steps that conflict.
func (f *Forecast) Conflicts() (n int) {
	for _, step := range f.Steps {
		if step.Result == Conflict {
			n++
		}
	}
	return n
}

// Emptied are the steps of which answers to conflicts leave nothing.
func (f *Forecast) Emptied() (list []Step) {
	for _, step := range f.Steps {
		if step.Result == Empty && len(step.PathConflicts) > 0 {
			list = append(list, step)
		}
	}
	return list
}

// Made counts the commits that come out.
func (f *Forecast) Made() (n int) {
	for _, step := range f.Steps {
		if !step.Commit.IsZero() {
			n++
		}
	}
	return n
}

// Pairs lists for each source that was rewritten what it became.
func (f *Forecast) Pairs() []repo.Mapping {
	var pairs []repo.Mapping
	for _, step := range f.Steps {
		if step.Commit.IsZero() || step.Kept {
			continue
		}
		for _, id := range step.Sources {
			pairs = append(pairs, repo.Mapping{id, step.Commit})
		}
	}
	return pairs
}

// Taken lists for each commit from elsewhere what it became. Parts of sources are none.
func (f *Forecast) Taken() []repo.Mapping {
	var taken []repo.Mapping
	for _, step := range f.Steps {
		for _, id := range step.From {
			if !step.Commit.IsZero() && slices.Contains(step.Extra, id) {
				taken = append(taken, repo.Mapping{id, step.Commit})
			}
		}
	}
	return taken
}

// Engine replays plans over one repository. It keeps what it computed: a step
// whose parent content and source are the same as before costs nothing. Safe for
// concurrent use; one plan is carried out at a time.
type Engine struct {
	repo    *repo.Repo
	objects *repo.Overlay

	mu      sync.Mutex
	commits map[repo.ID]*repo.Commit
	merged  map[mergeKey]merge.Merged
	changed map[repo.ID][]merge.Difference // by commit: what it changes
	lines   map[textPair]lineChange
	memory  map[mend.Key]mend.Resolution
}

type mergeKey struct {
	tree repo.ID
	change
}

// New makes an engine.
func New(r *repo.Repo) *Engine {
	return &Engine{repo: r, objects: r.NewOverlay(), commits: map[repo.ID]*repo.Commit{}, merged: map[mergeKey]merge.Merged{},
		changed: map[repo.ID][]merge.Difference{}, lines: map[textPair]lineChange{}}
}

// Remember gives the engine answers to conflicts, to be used wherever a plan has none.
func (e *Engine) Remember(memory map[mend.Key]mend.Resolution) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.memory = memory
}

// Objects is where the engine makes new objects. It may be another one after the next run.
func (e *Engine) Objects() *repo.Overlay {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.objects
}

// Progress is told how many of the entries are done.
type Progress func(done, total int)

// Run carries a plan out in memory. Onto is the commit where the series begins;
// zero makes the first commit a root. The committer signs what is rewritten.
func (e *Engine) Run(ctx context.Context, plan shape.Plan, onto repo.ID, committer string, progress Progress) (*Forecast, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.objects.WrittenSize() > memoryLimit {
		e.forget()
	}
	fresh, err := e.load(ctx, plan, onto)
	if err != nil {
		return nil, fmt.Errorf("read the plan's commits: %w", err)
	}
	defer e.readAhead(ctx, fresh)()
	rules := e.repo.NewMergeRules()
	defer rules.Close()
	options, err := Options(ctx, e.repo, rules)
	if err != nil {
		return nil, err
	}
	if options.Renormalize && !onto.IsZero() { // what the series comes onto says which form is the one
		rules.From(e.commits[onto].Tree)
	}
	run := run{Engine: e, plan: plan, origins: plan.Origins(), onto: onto, committer: committer, parent: onto, tree: e.repo.EmptyTree(),
		options: options, book: mend.AnswerBook{Answers: plan.Answers, NotFromMemory: plan.NotFromMemory, Memory: e.memory},
		history: []repo.ID{onto}}
	if !onto.IsZero() {
		run.tree = e.commits[onto].Tree
	}
	f := &Forecast{objects: e.objects}
	for i, entry := range plan.Next {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		step, err := run.step(ctx, entry)
		if err != nil {
			return nil, fmt.Errorf("replay entry %d: %w", i+1, err)
		}
		f.Steps = append(f.Steps, step)
		if progress != nil {
			progress(i+1, len(plan.Next))
		}
	}
	f.Tree, f.Signatures = run.tree, run.signatures
	if tip, ok := e.commits[plan.Tip]; ok {
		f.SameContent = tip.Tree == run.tree
	}
	if f.Conflicts() == 0 {
		f.Tip = run.parent
	}
	return f, nil
}

// memoryLimit bounds what the forecasts of many edits leave behind, in bytes.
const memoryLimit = 48 << 20

// forget drops all that was computed. Commits stay: they are few, and small.
func (e *Engine) forget() {
	e.objects = e.repo.NewOverlay()
	e.merged = map[mergeKey]merge.Merged{}
	e.changed, e.lines = map[repo.ID][]merge.Difference{}, map[textPair]lineChange{}
}

// load reads all commits of the plan, and gives the sources that are new to the
// engine, in the order in which the plan uses them.
func (e *Engine) load(ctx context.Context, plan shape.Plan, onto repo.ID) ([]repo.ID, error) {
	var used []repo.ID
	for _, entry := range plan.Next {
		used = append(used, entry.From...)
	}
	fresh := slices.DeleteFunc(slices.Clone(used), func(id repo.ID) bool { return e.commits[id] != nil })
	ids := append(append([]repo.ID{plan.Tip}, plan.Sources...), used...)
	if _, err := e.readCommits(ctx, ids); err != nil {
		return nil, err
	}
	commits := make([]*repo.Commit, len(ids))
	for i, id := range ids {
		commits[i] = e.commits[id]
	}
	needed := parentsOf(commits)
	if !onto.IsZero() {
		needed = append(needed, onto) // not what came before it: a shallow clone may end there
	}
	_, err := e.readCommits(ctx, needed)
	return fresh, err
}

// aheadBy is how many sources are read with one question.
const aheadBy = 24

// readAhead reads the folders on the way to the sources' changes while the replay
// is at work on earlier ones, since a question for each object would cost more than
// the rest of the replay. Errors are left to the replay, which meets them again where
// they matter. It goes on until it is stopped.
func (e *Engine) readAhead(ctx context.Context, sources []repo.ID) (stop func()) {
	ctx, cancel := context.WithCancel(ctx)
	var groups [][]treePair
	for ids := range slices.Chunk(sources, aheadBy) {
		var pairs []treePair
		for _, id := range ids {
			pairs = append(pairs, treePair{e.treeBefore(e.commits[id]), e.commits[id].Tree})
		}
		groups = append(groups, pairs)
	}
	var working sync.WaitGroup
	working.Go(func() {
		for _, pairs := range groups {
			_ = e.prefetch(ctx, pairs)
		}
	})
	return func() { cancel(); working.Wait() }
}

func parentsOf(commits []*repo.Commit) []repo.ID {
	var ids []repo.ID
	for _, commit := range commits {
		if parent := commit.Parent(); !parent.IsZero() {
			ids = append(ids, parent)
		}
	}
	return ids
}

// readCommits reads the commits that are not known yet, and gives those.
func (e *Engine) readCommits(ctx context.Context, ids []repo.ID) ([]*repo.Commit, error) {
	var wanted []repo.ID
	seen := map[repo.ID]bool{}
	for _, id := range ids {
		if e.commits[id] == nil && !seen[id] {
			seen[id] = true
			wanted = append(wanted, id)
		}
	}
	if len(wanted) == 0 {
		return nil, nil
	}
	commits, err := e.repo.Commits(ctx, wanted)
	if err != nil {
		return nil, err
	}
	for i, id := range wanted {
		e.commits[id] = commits[i]
	}
	return commits, nil
}

type treePair struct{ old, new repo.ID }

// prefetch reads the folders that differ in each pair, one level after the other.
func (e *Engine) prefetch(ctx context.Context, pairs []treePair) error {
	for len(pairs) > 0 {
		var ids []repo.ID
		for _, pair := range pairs {
			for _, id := range []repo.ID{pair.old, pair.new} {
				if id != e.repo.EmptyTree() {
					ids = append(ids, id)
				}
			}
		}
		e.objects.Prefetch(ctx, ids)
		var below []treePair
		for _, pair := range pairs {
			var err error
			if below, err = e.foldersBelow(ctx, pair, below); err != nil {
				return err
			}
		}
		pairs = below
	}
	return nil
}

// foldersBelow adds the folders in which the two trees of a pair differ.
func (e *Engine) foldersBelow(ctx context.Context, pair treePair, list []treePair) ([]treePair, error) {
	differences, err := e.objects.Differences(ctx, pair.old, pair.new)
	for _, d := range differences {
		if d.Old.Mode == repo.ModeTree && d.New.Mode == repo.ModeTree {
			list = append(list, treePair{d.Old.ID, d.New.ID})
		}
	}
	return list, err
}
