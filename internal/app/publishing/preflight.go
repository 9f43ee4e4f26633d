package publishing

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"

	"bastel/internal/app"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/send"
)

// tooLarge is the size of a file from which on it is pointed out before it is sent, in
// bytes.
const tooLarge = 5 << 20

// Preflight looks at what would be sent of a branch, or with no name of the one at work. The settings say what counts
// how much.
func (a *App) Preflight(ctx context.Context, branch string) ([]send.Item, error) {
	settings, err := a.Settings(ctx)
	if err != nil {
		return nil, err
	}
	facts, err := a.facts(ctx, branch, settings)
	if err != nil {
		return nil, err
	}
	return send.Preflight(facts, settings.Levels()), nil
}

// blocked refuses to send branches where the settings say so of one of them.
func (a *App) blocked(ctx context.Context, branches ...string) error {
	settings, err := a.Settings(ctx)
	if err != nil {
		return err
	}
	if !slices.Contains(slices.Collect(maps.Values(settings.Preflight)), string(send.Block)) {
		return nil
	}
	for _, branch := range branches {
		items, err := a.Preflight(ctx, branch)
		if err != nil {
			return err
		}
		for _, item := range items {
			if item.Level == send.Block {
				return app.Refuse("The preflight blocks %s: %s. Nothing was sent. Fix it, or change the settings of the preflight.", branch,
					item.Message)
			}
		}
	}
	return nil
}

func (a *App) facts(ctx context.Context, branch string, settings app.Settings) (send.Facts, error) {
	var f send.Facts
	head, err := a.HeadOf(ctx, branch)
	if err != nil {
		return f, err
	}
	compared, err := a.CompareBranch(ctx, head.Branch(), "", false)
	if err != nil {
		return f, err
	}
	sources, err := a.Sources(ctx, compared.Adds)
	if err != nil {
		return f, err
	}
	target, err := a.FindTarget(ctx, head.Branch())
	if err != nil {
		return f, err
	}
	f.Target, f.Check = target.Name, settings.Check != ""
	if !target.ID.IsZero() {
		if f.Missing, _, err = a.Repo.AheadBehind(ctx, target.ID, head.Commit); err != nil {
			return f, err
		}
	}
	if who, err := a.Repo.Committer(ctx); err == nil { // who has no identity yet cannot have made a commit here
		user := repo.ParsePerson(who)
		f.Name, f.Email = user.Name, user.Email
	}
	made, err := a.MergesMade(ctx, compared.Adds)
	if err != nil {
		return f, err
	}
	known := map[string]app.Checked{}
	_ = json.Unmarshal([]byte(a.ReadState(app.ChecksFile)), &known) // what cannot be read was not checked
	for _, s := range sources {
		f.Commits = append(f.Commits, send.Fact{ID: s.ID, Message: s.Message, Parents: len(s.Commit.Parents),
			Meant: slices.Contains(made, s.ID), Name: s.Commit.SignedBy().Name, Email: s.Commit.SignedBy().Email})
		switch c, checked := known[app.CheckKey(settings.Check, s.Commit.Tree)]; {
		case !checked:
			f.Unchecked = append(f.Unchecked, s.ID)
		case !c.Passed:
			f.Failed = append(f.Failed, s.ID)
		}
	}
	if err := a.readFacts(ctx, compared.Branch, sources, &f); err != nil {
		return f, err
	}
	if f.TakesBack, err = a.takenBack(ctx, head, compared.Adds); err != nil {
		return f, err
	}
	return f, a.addedFacts(ctx, sources, &f)
}

// takenBack names what answers to conflicts took back of others' lines in commits that the remote would get, as far as the files
// were not changed since.
func (a *App) takenBack(ctx context.Context, head repo.Head, adds []repo.ID) (said []string, err error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	tip, err := a.TreeOf(ctx, head.Commit)
	if err != nil {
		return nil, err
	}
	objects := a.Engine.Objects()
	for _, e := range slices.Backward(entries) {
		if len(e.TakesBack) == 0 || !slices.Contains(adds, e.New) {
			continue
		}
		applied, err := a.TreeOf(ctx, e.New)
		if err != nil {
			return nil, err
		}
		for _, t := range e.TakesBack {
			changed, err := app.AnyDiffers(ctx, objects, applied, tip, []merge.Difference{{Path: string(t.Path)}})
			if err != nil {
				return nil, err
			}
			if !changed && !t.Mine {
				said = append(said, t.Says())
			}
		}
		break
	}
	return said, nil
}

// readFacts says what was not read yet, and how many remarks are open.
func (a *App) readFacts(ctx context.Context, branch string, sources []app.Source, f *send.Facts) error {
	record, err := a.knownRecord()
	if err != nil {
		return err
	}
	for _, n := range record.Remarks {
		switch {
		case n.Branch != branch || n.Settled:
		case n.By != "":
			f.Reviewers = append(f.Reviewers, n.By)
		default:
			f.Remarks++
		}
	}
	series, err := a.seriesOf(ctx, sources)
	if err != nil {
		return err
	}
	for _, c := range series {
		if slices.ContainsFunc(c.Keys, func(keys [][]string) bool { return slices.Contains(record.WasRead(keys), false) }) {
			f.Unread = append(f.Unread, c.ID)
		}
	}
	return nil
}

// addedFacts looks into what the commits add: for leftovers and for large files.
func (a *App) addedFacts(ctx context.Context, sources []app.Source, f *send.Facts) error {
	finder, err := a.LeftoverFinder(ctx)
	if err != nil {
		return err
	}
	run := app.LeftoverSearch{Ctx: ctx, Objects: a.Repo.NewOverlay(), Finder: finder}
	for _, s := range sources {
		if len(s.Commit.Parents) > 1 {
			continue // its sides were looked at
		}
		before, err := a.TreeOf(ctx, s.Commit.Parent())
		if err != nil {
			return err
		}
		found, err := run.Findings(before, s)
		if err != nil {
			return err
		}
		for _, finding := range found {
			f.Leftovers = append(f.Leftovers, fmt.Sprintf("%s:%d in %s", finding.Path, finding.Line, s.ID.Short()))
		}
		list, err := merge.Compare(ctx, run.Objects, before, s.Commit.Tree)
		if err != nil {
			return err
		}
		var ids []repo.ID
		for _, d := range list {
			if d.New.Mode.IsFile() {
				ids = append(ids, d.New.ID)
			}
		}
		large, err := run.Objects.Larger(ctx, ids, tooLarge)
		if err != nil {
			return err
		}
		for _, d := range list {
			if large[d.New.ID] {
				f.Large = append(f.Large, fmt.Sprintf("%s in %s", d.Path, s.ID.Short()))
			}
		}
	}
	return nil
}
