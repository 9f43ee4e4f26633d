package charting

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/wording"
)

// Kind is what a step does with a branch.
type Kind string

// The kinds of steps.
const (
	Made    Kind = "make"
	Renamed Kind = "rename"
	Deleted Kind = "delete"
	Put     Kind = "move"
	Gone    Kind = "switch" // to the branch
	Landed  Kind = "land"   // on its target: done on the remote, so by others than Do
	Tagged  Kind = "tag"    // a point gets a name that stays there
)

// Step is one thing that is done with a branch, alone or with others at once.
type Step struct {
	Kind   Kind
	Branch string // of a tag: its name
	Name   string // of a renaming: the new name
	Point  string // of one that is made or moved, and of a tag: where to
}

// Upstream stands for where a branch's remote has it.
const Upstream = "@upstream"

// Outcome is what came of steps.
type Outcome struct {
	Moves   []journal.RefMove
	Head    repo.Head    // where HEAD is then
	Commits []app.Source // that only the journal holds then
	Aside   int          // files with changes that were put aside with the branch before
	Back    int          // files that were aside with the branch, and are back
	Warning string
}

// Of gives where a branch was, and is.
func (o Outcome) Of(branch string) (old, new repo.ID) {
	for _, move := range o.Moves {
		if move.Ref == "refs/heads/"+branch {
			return move.Old, move.New
		}
	}
	return o.Head.Commit, o.Head.Commit
}

// outlook is the branches as they are, and as steps make them.
type outlook struct {
	*App
	head      repo.Head
	refs      []repo.Ref
	was, will map[string]repo.ID // by name
	tags      map[string]repo.ID // that are made
	current   string             // the branch that is checked out then; empty: none
	titles    []string
	renamed   []string // pairs of names
	upstreams map[string]app.Target
	lines     map[string]repo.ID // targets by their names, as landings will move them
}

// Consent is what steps may do without being asked again.
type Consent struct {
	Losing bool // commits go that nothing else holds: the journal keeps them
	Aside  bool // loose changes are put aside with the branch that is left
}

// Do does several things with branches, all of them in one step or none. Loose changes are carried where the checked out
// branch moves, or another one is. Commits that nothing holds then are named, and need consent. Errors: ErrOnlyThere.
func (a *App) Do(ctx context.Context, steps []Step, consent Consent) (Outcome, error) {
	o, err := a.outlook(ctx, steps)
	if err != nil {
		return Outcome{}, err
	}
	if len(o.lines) > 0 {
		return Outcome{}, app.Refuse("Landing goes to the remote: bastel land BRANCH.")
	}
	moves := o.moves()
	outcome := Outcome{Moves: moves}
	if outcome.Commits, err = a.onlyIn(ctx, moves); err != nil {
		return outcome, err
	}
	if n := len(outcome.Commits); n > 0 && !consent.Losing {
		question := fmt.Sprintf("Nothing else holds %s then: %s.", wording.Count(n, "commit"), listed(outcome.Commits))
		return outcome, &app.Refusal{Question: question, Err: ErrOnlyThere,
			Reason: question + " Nothing was changed. The journal would keep them; confirm it with --yes."}
	}
	if err := o.carryOut(ctx, &outcome, consent); err != nil {
		return outcome, err
	}
	if outcome.Head, err = a.Repo.Head(ctx); err != nil || o.current == o.head.Branch() {
		return outcome, err
	}
	return outcome, a.WorkOn(ctx, o.current)
}

func (o *outlook) carryOut(ctx context.Context, outcome *Outcome, consent Consent) error {
	o.TraysLock.Lock()
	defer o.TraysLock.Unlock()
	ctx, unlock, err := o.HoldLock(ctx)
	if err != nil {
		return err
	}
	defer unlock()
	back := cameBack{}
	op, err := o.operation(ctx, outcome.Moves, consent.Aside, &back)
	if err != nil {
		return err
	}
	warning, err := o.CarryOut(ctx, op)
	outcome.Warning = strings.TrimSpace(back.stays + " " + warning)
	outcome.Aside, outcome.Back = len(op.Entry.Aside), back.files
	return err
}

// Look gives the branches as steps will make them, for the chart; nothing is done.
func (a *App) Look(ctx context.Context, steps []Step) (Show, error) {
	o, err := a.outlook(ctx, steps)
	if err != nil {
		return Show{}, err
	}
	show := Show{Changed: map[string]repo.ID{}, Head: o.current, lines: o.lines}
	for name, at := range o.was {
		if o.will[name] != at {
			show.Changed[name] = o.will[name]
		}
	}
	for name, at := range o.will {
		if o.was[name] != at {
			show.Changed[name] = at
		}
	}
	return show, nil
}

func (a *App) outlook(ctx context.Context, steps []Step) (*outlook, error) {
	if err := a.RefuseUnfinished(); err != nil {
		return nil, err
	}
	o := &outlook{App: a, was: map[string]repo.ID{}, will: map[string]repo.ID{}, tags: map[string]repo.ID{},
		upstreams: map[string]app.Target{}, lines: map[string]repo.ID{}}
	var err error
	if o.head, err = a.Repo.Head(ctx); err != nil {
		return nil, err
	}
	o.current = o.head.Branch()
	if o.refs, err = a.Repo.Refs(ctx, "refs/heads"); err != nil {
		return nil, err
	}
	for _, ref := range o.refs {
		o.was[ref.Short()], o.will[ref.Short()] = ref.ID, ref.ID
	}
	if len(steps) == 0 {
		return nil, app.Refuse("Nothing is to be done.")
	}
	for _, step := range steps {
		if (step.Kind == Landed) != (steps[0].Kind == Landed) {
			return nil, app.Refuse("Landing goes to the remote, so it is a step of its own. Apply what is planned first: a.")
		}
		if err := o.take(ctx, step); err != nil {
			return nil, err
		}
	}
	return o, o.possible(ctx)
}

func (o *outlook) take(ctx context.Context, step Step) error {
	at, there := o.will[step.Branch]
	if step.Kind != Made && step.Kind != Tagged && !there {
		return app.Refuse("There is no branch %q here. bastel branches lists them.", step.Branch)
	}
	switch step.Kind {
	case Made:
		if err := o.free(ctx, step.Branch); err != nil {
			return err
		}
		upstream, id, err := o.point(ctx, step.Point)
		if err != nil {
			return err
		}
		o.will[step.Branch] = id
		if upstream.Remote != "" {
			o.upstreams[step.Branch] = upstream
		}
		o.titles = append(o.titles, step.Branch+" made at "+id.Short())
	case Renamed:
		if err := o.free(ctx, step.Name); err != nil {
			return err
		}
		delete(o.will, step.Branch)
		o.will[step.Name] = at
		o.renamed = append(o.renamed, step.Branch, step.Name)
		if o.current == step.Branch {
			o.current = step.Name
		}
		o.titles = append(o.titles, step.Branch+" is called "+step.Name)
	case Deleted:
		delete(o.will, step.Branch)
		o.titles = append(o.titles, step.Branch+" deleted")
	case Put:
		id, point, err := o.whereTo(ctx, step)
		if err != nil {
			return err
		}
		if id == at {
			return app.Refuse("%s is at %s already.", step.Branch, id.Short())
		}
		o.will[step.Branch] = id
		o.titles = append(o.titles, step.Branch+" to "+point)
	case Gone:
		if o.current == step.Branch {
			return app.Refuse("You are on %s already.", step.Branch)
		}
		o.current = step.Branch
		o.titles = append(o.titles, "to "+step.Branch)
	case Landed:
		return o.land(ctx, step.Branch)
	case Tagged:
		return o.tag(ctx, step)
	}
	return nil
}

// tag gives a point a name that stays there. A tag that is there already is never moved: others may have it.
func (o *outlook) tag(ctx context.Context, step Step) error {
	ref := "refs/tags/" + step.Branch
	if err := o.Repo.CheckBranchName(ctx, step.Branch); err != nil {
		return &app.Refusal{Reason: fmt.Sprintf("%q cannot be the name of a tag. Use letters, digits, dots, and - or / between them.",
			step.Branch), Err: err}
	}
	there, err := o.Repo.RefValue(ctx, ref)
	if err != nil {
		return err
	}
	if _, planned := o.tags[step.Branch]; planned || !there.IsZero() {
		return app.Refuse("There is a tag %s already. A tag stays where it is; choose another name.", step.Branch)
	}
	_, id, err := o.point(ctx, step.Point)
	o.tags[step.Branch] = id
	o.titles = append(o.titles, "tag "+step.Branch+" at "+id.Short())
	return err
}

// land moves the line of a branch's target forward to it. The local branch of the target's name comes along where it can.
func (o *outlook) land(ctx context.Context, branch string) error {
	target, err := o.FindTarget(ctx, branch)
	if err != nil {
		return err
	}
	switch {
	case target.ID.IsZero(), target.Remote == "":
		return app.Refuse("%s has no target on a remote to land on. Choose one: bastel target NAME.", branch)
	case target.Branch == branch:
		return app.Refuse("%s is the target itself. Sending it is all that there is to do.", branch)
	}
	tip, at := cmp.Or(o.lines[target.Name], target.ID), o.will[branch]
	landed, err := o.Repo.IsAncestor(ctx, at, tip)
	if err != nil {
		return err
	}
	if landed {
		return app.Refuse("%s has all of %s already.", target.Name, branch)
	}
	forward, err := o.Repo.IsAncestor(ctx, tip, at)
	if err != nil {
		return err
	}
	if !forward {
		return app.Refuse("%s does not sit on %s as that will be, so it cannot land there. ) puts it there, in Shape.", branch, target.Name)
	}
	o.lines[target.Name] = at
	for _, ref := range o.refs {
		if ref.Short() != target.Branch || ref.Worktree != "" {
			continue
		}
		along, err := o.Repo.IsAncestor(ctx, ref.ID, at)
		if err != nil {
			return err
		}
		if along {
			o.will[target.Branch] = at
		}
	}
	return nil
}

// whereTo is the point that a branch is moved to, and how it is called.
func (o *outlook) whereTo(ctx context.Context, step Step) (repo.ID, string, error) {
	point := step.Point
	if point == Upstream {
		upstream, err := o.UpstreamOf(ctx, repo.Ref{Name: "refs/heads/" + step.Branch, Upstream: o.upstreamOf(step.Branch)})
		if err != nil {
			return repo.ID{}, "", err
		}
		if upstream == "" {
			return repo.ID{}, "", app.Refuse("%s has no upstream.", step.Branch)
		}
		point = repo.Ref{Name: upstream}.Short()
	}
	_, id, err := o.point(ctx, point)
	return id, point, err
}

func (o *outlook) upstreamOf(branch string) string {
	for _, ref := range o.refs {
		if ref.Short() == branch {
			return ref.Upstream
		}
	}
	return ""
}

// possible refuses what other working trees, or HEAD, do not let happen.
func (o *outlook) possible(ctx context.Context) error {
	for _, ref := range o.refs {
		name := ref.Short()
		now, stays := o.will[name]
		elsewhere := ref.Worktree != "" && ref.Name != o.head.Ref
		switch {
		case elsewhere && (!stays || now != ref.ID):
			return app.Refuse("%s is checked out in %s. Do that there.", name, ref.Worktree)
		case elsewhere && name == o.current:
			return app.Refuse("%s is checked out in %s. A branch can be checked out once only.", name, ref.Worktree)
		}
	}
	if _, stays := o.will[o.current]; o.current != "" && !stays && !o.head.Commit.IsZero() {
		return app.Refuse("%s is checked out here, so it cannot go. Switch to another branch first.", o.current)
	}
	if o.head.Ref != "" || o.current == "" {
		return nil
	}
	for _, id := range o.will {
		if id == o.head.Commit {
			return nil
		}
	}
	return o.leaves(ctx, o.head)
}

// moves are those of the refs.
func (o *outlook) moves() (moves []journal.RefMove) {
	names := map[string]bool{}
	for name := range o.was {
		names[name] = true
	}
	for name := range o.will {
		names[name] = true
	}
	for name := range names {
		if o.was[name] != o.will[name] {
			moves = append(moves, journal.RefMove{Ref: "refs/heads/" + name, Old: o.was[name], New: o.will[name]})
		}
	}
	for name, at := range o.tags {
		moves = append(moves, journal.RefMove{Ref: "refs/tags/" + name, New: at})
	}
	slices.SortFunc(moves, func(x, y journal.RefMove) int { return strings.Compare(x.Ref, y.Ref) })
	return moves
}

// operation is all of it as one operation: a switch, a move of what is checked out, or refs alone.
func (o *outlook) operation(ctx context.Context, moves []journal.RefMove, put bool, back *cameBack) (op *app.Operation, err error) {
	entry := journal.Entry{Kind: journal.Branch, Title: strings.Join(o.titles, ", "), Others: moves, Renamed: o.renamed}
	renamedHere := o.will[o.current] == o.head.Commit && o.was[o.current].IsZero() && slices.Contains(o.renamed, o.head.Branch())
	switch {
	case o.current != o.head.Branch() && !renamedHere:
		entry.Kind = journal.Switch
		to := repo.Head{Ref: "refs/heads/" + o.current, Commit: o.will[o.current]}
		if *back, err = o.putAside(ctx, &entry, o.head, to, put); err != nil {
			return nil, err
		}
		op, err = o.SwitchStep(ctx, entry, to)
	case o.head.Ref != "" && o.will[o.current] != o.head.Commit && !o.head.Commit.IsZero():
		op, err = o.moveHere(ctx, entry)
	default:
		entry.Ref, entry.Old, entry.New, entry.Others = moves[0].Ref, moves[0].Old, moves[0].New, moves[1:]
		op = &app.Operation{Entry: entry, Reflog: "branch: " + entry.Title}
		if renamedHere {
			op.Head = [2]string{o.head.Ref, "refs/heads/" + o.current}
		}
	}
	if err != nil {
		return nil, err
	}
	before := op.Hooks
	op.Hooks = func(ctx context.Context) (err error) {
		if before != nil {
			err = before(ctx)
		}
		for name, upstream := range o.upstreams {
			err = errors.Join(err, o.follow(ctx, name, upstream))
		}
		return err
	}
	return op, nil
}

// moveHere moves the branch that is checked out: index and files follow.
func (o *outlook) moveHere(ctx context.Context, entry journal.Entry) (*app.Operation, error) {
	to := o.will[o.current]
	tree, err := o.TreeOf(ctx, to)
	if err != nil {
		return nil, err
	}
	entry.Kind, entry.Ref, entry.Old, entry.New = journal.Move, o.head.Ref, o.head.Commit, to
	entry.Others = slices.DeleteFunc(slices.Clone(entry.Others), func(move journal.RefMove) bool { return move.Ref == o.head.Ref })
	return o.BranchMove(ctx, entry, "move: "+entry.Title, tree, o.Engine.Objects())
}
