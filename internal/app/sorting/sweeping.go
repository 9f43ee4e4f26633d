package sorting

import (
	"context"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/tray"
)

// Sweep takes the leftovers out of the loose changes, as one discard. With dry only
// the findings come.
func (a *App) Sweep(ctx context.Context, dry bool) ([]app.Finding, error) {
	board, err := a.Look(ctx)
	if err != nil {
		return nil, err
	}
	findings, selected, err := a.Leftovers(ctx, board.Loose)
	if err != nil || dry || len(selected) == 0 {
		return findings, err
	}
	_, err = a.Discard(ctx, TrayMove{Selected: selected, View: tray.Plain})
	return findings, err
}

// Swept is what a sweep of the branch found, and what it makes.
type Swept struct {
	Findings []app.Finding
	Emptied  []string // subjects of commits of which nothing is left
	Forecast *replay.Forecast
	Applied  app.Applied
}

// SweepBranch takes the leftovers out of each commit of the branch that brought some
// in: later ones follow. With dry nothing is changed.
func (a *App) SweepBranch(ctx context.Context, dry bool) (Swept, error) {
	if !dry {
		if err := a.RefuseUnfinished(); err != nil {
			return Swept{}, err
		}
	}
	finder, err := a.LeftoverFinder(ctx)
	if err != nil {
		return Swept{}, err
	}
	head, sources, err := a.ownRange(ctx)
	if err != nil || len(sources) == 0 {
		return Swept{}, err
	}
	engine := replay.New(a.Repo)
	base, err := a.TreeOf(ctx, sources[0].Commit.Parent())
	if err != nil {
		return Swept{}, err
	}
	run := app.LeftoverSearch{Ctx: ctx, Objects: engine.Objects(), Finder: finder, Base: base}
	var swept Swept
	var ids, trees []repo.ID
	before := base
	for _, s := range sources {
		found, err := run.Findings(before, s)
		if err != nil {
			return swept, err
		}
		swept.Findings = append(swept.Findings, found...)
		tree, err := run.Tree(s.Commit.Tree)
		if err != nil {
			return swept, err
		}
		ids, trees = append(ids, s.ID), append(trees, tree)
		before = s.Commit.Tree
	}
	if len(swept.Findings) == 0 {
		return swept, nil
	}
	committer, err := a.Repo.Committer(ctx)
	if err != nil {
		return swept, err
	}
	if swept.Forecast, err = engine.ReplayTrees(ctx, sources[0].Commit.Parent(), ids, trees, committer); err != nil {
		return swept, err
	}
	if err := a.KeepsSignatures(ctx, swept.Forecast); err != nil {
		return swept, err
	}
	for _, step := range swept.Forecast.Steps {
		if step.Result == replay.Empty {
			swept.Emptied = append(swept.Emptied, step.Title)
		}
	}
	if dry {
		return swept, nil
	}
	return swept, a.applySweep(ctx, head, app.RangePlan(head, sources), &swept)
}

func (a *App) applySweep(ctx context.Context, head repo.Head, plan shape.Plan, swept *Swept) error {
	f := swept.Forecast
	if f.Tip.IsZero() {
		return app.Refuse("Nothing would be left of the branch. Nothing was changed.")
	}
	if err := a.SignCommits(ctx, f, nil); err != nil {
		return err
	}
	entry := journal.Entry{Kind: journal.Apply, Ref: head.Ref, Old: head.Commit, New: f.Tip,
		Title: wording.Count(len(swept.Findings), "leftover") + " swept", Pairs: f.Pairs()}
	var err error
	carried := 0
	if entry.Others, carried, err = a.StackMovesWith(ctx, plan, f, app.OwnOnly); err != nil {
		return err
	}
	op, err := a.BranchMove(ctx, entry, "sweep: "+entry.Title, f.Tree, f.Objects())
	if err != nil {
		return err
	}
	op.Hooks = func(ctx context.Context) error { return a.Repo.RunPostRewrite(ctx, "rebase", f.Pairs()) }
	warning, err := a.CarryOut(ctx, op)
	if err != nil {
		return err
	}
	swept.Applied = app.Applied{Old: head.Commit, New: f.Tip, Commits: len(f.Steps) - len(swept.Emptied), Signatures: f.Signatures,
		Carried: carried, Warning: warning}
	return nil
}
