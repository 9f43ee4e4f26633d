package sorting

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/diff"
	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/sweep"
	"bastel/internal/tray"
)

// Home is where a loose hunk, or one of a tray, belongs: the youngest commit of the
// branch that it does not commute past.
type Home struct {
	Fixup  tray.Fixup
	Commit repo.ID // zero: none of the branch's
	Reason string
	// It adds a leftover, so that it goes home only if it is chosen by name.
	Leftover bool
}

// Homes is what was found out about hunks and the branch's commits.
type Homes struct {
	From    tray.Layer
	Commits []app.Source // of the branch, oldest first
	Homes   []Home
}

// HomeMove joins one hunk, named as Stage reads it, to a commit.
type HomeMove struct {
	Fixup tray.Selection
	Home  repo.ID
}

// ownRange reads the branch's own commits, oldest first: those after its target, or
// after the last merge.
func (a *App) ownRange(ctx context.Context) (head repo.Head, sources []app.Source, err error) {
	if head, err = a.BranchHead(ctx); err != nil {
		return head, nil, err
	}
	base, err := a.FindBase(ctx, head, "", "")
	if err != nil {
		return head, nil, err
	}
	ids, err := a.Repo.Range(ctx, base, head.Commit)
	if err != nil {
		return head, nil, err
	}
	if sources, err = a.Sources(ctx, ids); err != nil {
		return head, nil, err
	}
	merged := -1
	for i, s := range sources {
		if len(s.Commit.Parents) > 1 {
			merged = i
		}
	}
	return head, sources[merged+1:], nil
}

// FindHomes works out the homes of hunks, selected; without a selection of
// all that the layer holds.
func (a *App) FindHomes(ctx context.Context, from tray.Layer, selected []tray.Selection, view tray.View) (Homes, error) {
	h := Homes{From: from}
	head, sources, err := a.ownRange(ctx)
	if err != nil {
		return h, err
	}
	h.Commits = sources
	pieces, err := a.fixups(ctx, from, selected, view)
	if err != nil {
		return h, err
	}
	tree, err := a.TreeOf(ctx, head.Commit)
	if err != nil {
		return h, err
	}
	objects := a.Repo.NewOverlay()
	finder, err := a.LeftoverFinder(ctx)
	if err != nil {
		return h, err
	}
	for _, piece := range pieces {
		if err := ctx.Err(); err != nil {
			return h, err
		}
		home, err := a.home(ctx, objects, tree, sources, piece)
		if err != nil {
			return h, err
		}
		if addsLeftover(finder, piece) {
			home.Leftover, home.Reason = true, home.Reason+" It adds a leftover: it goes there only if you choose it."
		}
		h.Homes = append(h.Homes, home)
	}
	return h, nil
}

func addsLeftover(finder *sweep.Finder, piece tray.Fixup) bool {
	is := finder.In(piece.Path)
	if is == nil {
		return false
	}
	for i, line := range piece.Hunk.Lines {
		if line.Op == diff.Add && (piece.Lines == nil || piece.Lines[i]) && is(line.Text) {
			return true
		}
	}
	return false
}

func (a *App) fixups(ctx context.Context, from tray.Layer, selected []tray.Selection, view tray.View) ([]tray.Fixup, error) {
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return nil, err
	}
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return nil, err
	}
	pieces, err := tray.Fixups(ctx, a.Repo, changes, kept, view, from, selected)
	return pieces, app.SelectionRefusal(err)
}

// home takes a hunk back through the branch, commit by commit, until one is in its
// way: going past a commit is a merge of the hunk with the commit's reverse.
func (a *App) home(ctx context.Context, objects *repo.Overlay, head repo.ID, sources []app.Source, piece tray.Fixup) (Home, error) {
	home := Home{Fixup: piece, Reason: "No commit of the branch wrote the lines it touches."}
	with, err := piece.Onto(ctx, objects, head)
	if errors.Is(err, tray.ErrBuildsOn) {
		home.Reason = "It builds on another change: " + err.Error()
		return home, nil
	}
	if err != nil {
		return home, err
	}
	touched, err := merge.Compare(ctx, objects, head, with)
	if err != nil {
		return home, err
	}
	for i := len(sources) - 1; i >= 0; i-- {
		after := sources[i].Commit.Tree
		before, err := a.TreeOf(ctx, sources[i].Commit.Parent())
		if err != nil {
			return home, err
		}
		touches, err := app.AnyDiffers(ctx, objects, before, after, touched)
		if err != nil {
			return home, err
		}
		past, conflicts, err := merge.Trees(ctx, objects, after, before, with)
		if err != nil {
			return home, err
		}
		if touches && (len(conflicts) > 0 || past == before) {
			home.Commit = sources[i].ID
			home.Reason = "It changes lines that this commit was the last to change."
			return home, nil
		}
		with = past
	}
	return home, nil
}

// homing is a sending home worked out.
type homing struct {
	head     repo.Head
	plan     shape.Plan // of the commits that are made anew
	forecast *replay.Forecast
	out      tray.Outcome
	title    string
}

// ForecastHome carries a sending home out in memory. The steps are the branch's commits from
// the first one that changes on.
func (a *App) ForecastHome(ctx context.Context, from tray.Layer, view tray.View, moves []HomeMove) (*replay.Forecast, error) {
	f, err := a.planHome(ctx, from, view, moves)
	return f.forecast, err
}

// SendHome joins hunks to commits of the branch and replays the later ones, in one step.
// What is left in the trays and in the working tree stays as it is.
func (a *App) SendHome(ctx context.Context, from tray.Layer, view tray.View, moves []HomeMove) (app.Applied, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	if err := a.RefuseUnfinished(); err != nil {
		return app.Applied{}, err
	}
	f, err := a.planHome(ctx, from, view, moves)
	if err != nil {
		return app.Applied{}, err
	}
	if err := a.SignCommits(ctx, f.forecast, nil); err != nil {
		return app.Applied{}, err
	}
	if err := f.forecast.Store(ctx); err != nil {
		return app.Applied{}, err
	}
	entry := journal.Entry{Kind: journal.Home, Ref: f.head.Ref, Old: f.head.Commit, New: f.forecast.Tip, Title: f.title,
		Pairs: f.forecast.Pairs()}
	carried := 0
	if entry.Others, carried, err = a.StackMovesWith(ctx, f.plan, f.forecast, app.OwnOnly); err != nil {
		return app.Applied{}, err
	}
	hooks := func(ctx context.Context) error { return a.Repo.RunPostRewrite(ctx, "rebase", f.forecast.Pairs()) }
	warning, err := a.carryOutSorting(ctx, entry, "home: "+f.title, f.out, hooks)
	if err != nil {
		return app.Applied{}, err
	}
	return app.Applied{Old: f.head.Commit, New: f.forecast.Tip, Commits: len(f.forecast.Steps), Signatures: f.forecast.Signatures,
		Carried: carried, Warning: warning}, nil
}

// JoinTray joins all that tray A holds to one commit. It gives the number of hunks.
func (a *App) JoinTray(ctx context.Context, into repo.ID) (int, app.Applied, error) {
	pieces, err := a.fixups(ctx, tray.A, nil, tray.Plain)
	if err != nil {
		return 0, app.Applied{}, err
	}
	if len(pieces) == 0 {
		return 0, app.Applied{}, emptyRefusal(tray.A)
	}
	moves := make([]HomeMove, len(pieces))
	for i, p := range pieces {
		moves[i] = HomeMove{Fixup: p.Selection(), Home: into}
	}
	applied, err := a.SendHome(ctx, tray.A, tray.Plain, moves)
	return len(moves), applied, err
}

func (a *App) planHome(ctx context.Context, from tray.Layer, view tray.View, moves []HomeMove) (homing, error) {
	f := homing{title: wording.Count(len(moves), "hunk") + " joined"}
	head, sources, err := a.ownRange(ctx)
	f.head = head
	if err != nil {
		return f, err
	}
	if len(moves) == 0 {
		return f, app.Refuse("There is nothing to join.")
	}
	groups, homes, err := a.groupMoves(ctx, from, view, moves, sources)
	if err != nil {
		return f, err
	}
	tree, err := a.TreeOf(ctx, head.Commit)
	if err != nil {
		return f, err
	}
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return f, err
	}
	engine := replay.New(a.Repo)
	objects := engine.Objects()
	tips, out, err := tray.Join(ctx, a.Repo, objects, tree, kept, groups)
	if err != nil {
		return f, app.SelectionRefusal(err)
	}
	f.out = out
	first := homes[0]
	f.plan = app.RangePlan(head, sources[first:])
	trees := make([]repo.ID, len(sources)-first)
	for n, home := range homes {
		until := len(sources)
		if n+1 < len(homes) {
			until = homes[n+1]
		}
		if err := a.takeDown(ctx, objects, tips[n], sources, home, until, trees, first); err != nil {
			return f, err
		}
	}
	committer, err := a.Repo.Committer(ctx)
	if err != nil {
		return f, err
	}
	var ids []repo.ID
	for _, s := range sources[first:] {
		ids = append(ids, s.ID)
	}
	if f.forecast, err = engine.ReplayTrees(ctx, sources[first].Commit.Parent(), ids, trees, committer); err != nil {
		return f, err
	}
	return f, a.KeepsSignatures(ctx, f.forecast)
}

// groupMoves puts the pieces together by their homes, which come oldest first, by
// their places in the range.
func (a *App) groupMoves(ctx context.Context, from tray.Layer, view tray.View, moves []HomeMove,
	sources []app.Source) (groups [][]tray.Fixup, homes []int, err error) {
	selected := make([]tray.Selection, len(moves))
	for i, m := range moves {
		selected[i] = m.Fixup
	}
	pieces, err := a.fixups(ctx, from, selected, view)
	if err != nil {
		return nil, nil, err
	}
	byHome := map[int][]tray.Fixup{}
	for _, m := range moves {
		place := slices.IndexFunc(sources, func(s app.Source) bool { return s.ID == m.Home })
		if place < 0 {
			return nil, nil, app.Refuse("%s is not among the branch's own commits, so nothing can be joined to it.", m.Home.Short())
		}
		piece := slices.IndexFunc(pieces, func(p tray.Fixup) bool { return p.Selection().Equal(m.Fixup) })
		if piece < 0 {
			return nil, nil, app.Refuse("%q is no single hunk. Name hunks by their ids.", m.Fixup)
		}
		byHome[place] = append(byHome[place], pieces[piece])
	}
	for place := range len(sources) {
		if len(byHome[place]) > 0 {
			groups, homes = append(groups, byHome[place]), append(homes, place)
		}
	}
	return groups, homes, nil
}

// takeDown takes a tree, HEAD's with some hunks, down to the commit that is their
// home, and notes what each commit from there up to another place will hold.
func (a *App) takeDown(ctx context.Context, objects *repo.Overlay, tip repo.ID, sources []app.Source, home, until int, trees []repo.ID,
	first int) error {
	with := tip
	for i := len(sources) - 1; ; i-- {
		if i < until {
			trees[i-first] = with
		}
		if i == home {
			return nil
		}
		past, conflicts, err := merge.Trees(ctx, objects, sources[i].Commit.Tree, sources[i-1].Commit.Tree, with)
		if err != nil {
			return err
		}
		if len(conflicts) > 0 {
			s := sources[i]
			return &app.Refusal{Reason: fmt.Sprintf("What is to join %s (%s) touches lines of %q that the later commit %s (%s) wrote. Join it "+
				"there, or separately.",
				sources[home].ID.Short(), sources[home].Commit.Subject(), conflicts[0].Path, s.ID.Short(), s.Commit.Subject()), Err: app.ErrConflict}
		}
		with = past
	}
}
