package publishing

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/series"

	"bastel/internal/draw"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// HistoryOf is the picture of the current branch before and after the last
// rewriting; or, where sent is set, as the remote has it and as it is here.
func (a *App) HistoryOf(ctx context.Context, sent bool) (draw.History, error) {
	if sent {
		s, err := a.SendSeries(ctx, "", false)
		if err != nil {
			return draw.History{}, err
		}
		if s.There.IsZero() {
			return draw.History{}, app.Refuse("%s has no %s yet to compare with yours.", s.Remote, s.Branch)
		}
		target, err := a.FindTarget(ctx, s.Branch)
		if err != nil {
			return draw.History{}, err
		}
		return a.history(ctx, s.Branch, lineOf{"on " + s.Remote, s.There, target}, lineOf{"here", s.Here, target})
	}
	e, err := a.LastRewriting(ctx)
	if err != nil {
		return draw.History{}, err
	}
	branch := strings.TrimPrefix(e.Ref, "refs/heads/")
	target, err := a.FindTarget(ctx, branch)
	if err != nil {
		return draw.History{}, err
	}
	before, after := target, target
	if before.ID, err = a.targetBefore(ctx, target, e.Number); err != nil {
		return draw.History{}, err
	}
	if after.ID, err = a.targetBefore(ctx, target, e.Number+1); err != nil {
		return draw.History{}, err
	}
	return a.history(ctx, branch, lineOf{"before", e.Old, before}, lineOf{"after", e.New, after})
}

// targetBefore is where a target was just before an entry of the journal.
func (a *App) targetBefore(ctx context.Context, target app.Target, number int) (repo.ID, error) {
	moment, err := a.Before(ctx, number)
	if err != nil {
		return repo.ID{}, err
	}
	return moment.Of(target), nil
}

// lineOf is a branch at one time, and its target then.
type lineOf struct {
	heading string
	tip     repo.ID
	target  app.Target
}

// history draws two lines from where they part, and ties each commit to what it became.
func (a *App) history(ctx context.Context, branch string, before, after lineOf) (draw.History, error) {
	picture := draw.History{Title: branch, Before: draw.Line{Heading: before.heading}, After: draw.Line{Heading: after.heading}}
	base, err := a.Repo.MergeBase(ctx, before.tip, after.tip)
	if err != nil {
		return picture, err
	}
	if !base.IsZero() {
		picture.Subtitle = "since " + base.Short()
	}
	var sides [2][]app.Source
	for side, tip := range []repo.ID{before.tip, after.tip} {
		if sides[side], err = a.SourcesBetween(ctx, base, tip); err != nil {
			return picture, err
		}
	}
	pairs, err := a.PairSeries(ctx, sides[0], sides[1])
	if err != nil {
		return picture, err
	}
	if picture.Before.Knots, err = a.knots(ctx, sides[0], before.target, func(n int) string { return fmt.Sprint(n + 1) }); err != nil {
		return picture, err
	}
	if picture.After.Knots, err = a.knots(ctx, sides[1], after.target, shape.Letter); err != nil {
		return picture, err
	}
	picture.Threads = threadsOf(sides[0], sides[1], pairs)
	return picture, nil
}

// knots are the commits of a line; those of the branch alone have a mark.
func (a *App) knots(ctx context.Context, line []app.Source, target app.Target, mark func(n int) string) ([]draw.Knot, error) {
	own := map[repo.ID]bool{}
	if len(line) > 0 && !target.ID.IsZero() {
		alone, err := a.Repo.Range(ctx, target.ID, line[len(line)-1].ID)
		if err != nil {
			return nil, err
		}
		for _, id := range alone {
			own[id] = true
		}
	}
	var knots []draw.Knot
	marks := 0
	for _, s := range line {
		knot := draw.Knot{Title: s.Commit.Subject(), Note: s.ID.Short(), Own: own[s.ID] || target.ID.IsZero()}
		if knot.Own {
			knot.Mark = mark(marks)
			marks++
		} else {
			knot.Note = target.Name + "  " + knot.Note
		}
		knots = append(knots, knot)
	}
	return knots, nil
}

// threadsOf ties each commit to what it became, or ends its thread.
func threadsOf(old, new []app.Source, pairs []series.Pairing) []lanes.Thread {
	place := map[repo.ID]int{}
	for i, s := range new {
		place[s.ID] = i
	}
	var threads []lanes.Thread
	for i, s := range old {
		ends := true
		for _, pair := range pairs {
			if at, ok := place[pair.New]; ok && pair.Old == s.ID {
				threads = append(threads, lanes.Thread{From: i, To: at})
				ends = false
			}
		}
		if ends {
			threads = append(threads, lanes.Thread{From: i, To: lanes.Ends})
		}
	}
	return threads
}

// SeamOfSent is the picture of what the remote has, and what becomes of it.
func (a *App) SeamOfSent(ctx context.Context) (draw.Seam, error) {
	s, err := a.SendSeries(ctx, "", false)
	if err != nil {
		return draw.Seam{}, err
	}
	picture := draw.Seam{Title: s.Branch, Subtitle: "on " + s.Remote + ", and as it will be there",
		Now: "Now", Next: "Next"}
	for i, source := range s.Next {
		picture.Right = append(picture.Right, draw.Row{Mark: shape.Letter(i), Title: source.Commit.Subject(), Note: source.ID.Short()})
	}
	picture.Threads = threadsOf(s.Now, s.Next, s.Pairs)
	for i, source := range s.Now {
		gone := slices.Contains(picture.Threads, lanes.Thread{From: i, To: lanes.Ends})
		picture.Left = append(picture.Left, draw.Row{Mark: fmt.Sprint(i + 1), Title: source.Commit.Subject(), Note: source.ID.Short(),
			Faded: gone})
	}
	return picture, nil
}
