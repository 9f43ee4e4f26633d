package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/draw"
	"bastel/internal/journal"
	"bastel/internal/lanes"
	"bastel/internal/repo"
)

// HistoryOf is the picture of the current branch and its target before and after the last
// rewriting; or, where sent is set, as the remote has it and as it is here.
func (a *App) HistoryOf(ctx context.Context, sent bool) (draw.History, error) {
	if sent {
		s, err := a.SendSeries(ctx, false)
		if err != nil {
			return draw.History{}, err
		}
		if s.There.IsZero() {
			return draw.History{}, refuse("%s has no %s yet to hold against yours.", s.Remote, s.Branch)
		}
		return a.history(ctx, s.Branch, s.There, s.Here, "on "+s.Remote, "here")
	}
	e, err := a.lastRewriting(ctx)
	if err != nil {
		return draw.History{}, err
	}
	return a.history(ctx, strings.TrimPrefix(e.Ref, "refs/heads/"), e.Old, e.New, "before", "after")
}

// lastRewriting is the last one that was applied here.
func (a *App) lastRewriting(ctx context.Context) (journal.Entry, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return journal.Entry{}, err
	}
	for _, e := range slices.Backward(journal.StateOf(entries, a.Repo.GitDir()).Done) {
		if len(e.Pairs) > 0 {
			return e, nil
		}
	}
	return journal.Entry{}, refuse("Nothing was rewritten here yet.")
}

func (a *App) history(ctx context.Context, branch string, old, new repo.ID, before, after string) (draw.History, error) {
	picture := draw.History{Title: branch}
	target, err := a.FindTarget(ctx, branch)
	if err != nil {
		return picture, err
	}
	if target.Name != "" {
		picture.Subtitle = "and " + target.Name
	}
	base := old
	for _, id := range []repo.ID{new, target.ID} {
		if !id.IsZero() && !base.IsZero() {
			if base, err = a.Repo.MergeBase(ctx, base, id); err != nil {
				return picture, err
			}
		}
	}
	if picture.Before, err = a.line(ctx, before, branch, old, target, base); err != nil {
		return picture, err
	}
	picture.After, err = a.line(ctx, after, branch, new, target, base)
	return picture, err
}

// line lays out what a tip and its target have from where they part.
func (a *App) line(ctx context.Context, heading, branch string, tip repo.ID, target Target, base repo.ID) (draw.Line, error) {
	line := draw.Line{Heading: heading}
	args := []string{"--topo-order", fmt.Sprintf("--max-count=%d", seriesLimit), tip.String()}
	if !target.ID.IsZero() {
		args = append(args, target.ID.String())
	}
	if !base.IsZero() {
		args = append(args, "^"+base.String())
	}
	ids, err := a.Repo.RevList(ctx, args...)
	if err != nil {
		return line, err
	}
	if !base.IsZero() {
		ids = append(ids, base) // where they part is shown too
	}
	sources, err := a.Sources(ctx, ids)
	if err != nil {
		return line, err
	}
	own := map[repo.ID]bool{}
	if !target.ID.IsZero() {
		alone, err := a.Repo.Range(ctx, target.ID, tip)
		if err != nil {
			return line, err
		}
		for _, id := range alone {
			own[id] = true
		}
	}
	parents := make([][]int, len(ids))
	var trunks []int
	for i, s := range sources {
		note := s.ID.Short()
		if s.ID == target.ID {
			note = target.Name + "  " + note
		}
		if s.ID == tip {
			note = branch + "  " + note
		}
		line.Knots = append(line.Knots, draw.Knot{Title: s.Commit.Subject(), Note: note, Own: own[s.ID] || target.ID.IsZero()})
		if s.ID == target.ID {
			trunks = append(trunks, i)
		}
		for _, parent := range s.Commit.Parents {
			at := slices.Index(ids, parent)
			if at < 0 {
				at = lanes.Ends
			}
			parents[i] = append(parents[i], at)
		}
	}
	line.Graph = lanes.History(parents, trunks...)
	return line, nil
}

// SeamOfSent is the picture of what the remote has, and what becomes of it.
func (a *App) SeamOfSent(ctx context.Context) (draw.Seam, error) {
	s, err := a.SendSeries(ctx, false)
	if err != nil {
		return draw.Seam{}, err
	}
	picture := draw.Seam{Title: s.Branch, Subtitle: "on " + s.Remote + ", and as it will be there"}
	place := map[repo.ID]int{}
	for i, source := range s.Next {
		place[source.ID] = i
		picture.Right = append(picture.Right, draw.Row{Mark: fmt.Sprint(i + 1), Title: source.Commit.Subject(), Note: source.ID.Short()})
	}
	for i, source := range s.Now {
		row := draw.Row{Mark: fmt.Sprint(i + 1), Title: source.Commit.Subject(), Note: source.ID.Short(), Faded: true}
		for _, pair := range s.Pairs {
			if at, ok := place[pair.New]; ok && pair.Old == source.ID {
				picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: at})
				row.Faded = false
			}
		}
		if row.Faded {
			picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: lanes.Ends})
		}
		picture.Left = append(picture.Left, row)
	}
	return picture, nil
}
