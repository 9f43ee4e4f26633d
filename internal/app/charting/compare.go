package charting

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/series"
	"bastel/internal/tray"
)

// Comparison is what two points have, and what they lack.
type Comparison struct {
	Points [2]string
	Tips   [2]repo.ID
	Only   [2][]app.Source  // commits that only one of them has, oldest first; the latest of very many
	More   [2]int           // commits beyond those
	Pairs  []series.Pairing // of these
	Files  []tray.File      // that differ, a renamed one as one
}

// mostCompared is how many commits of a side are told of.
const mostCompared = app.LongestSeries

// Compare compares two points: branches, commits, tags, entries of the stash.
func (a *App) Compare(ctx context.Context, from, to string) (Comparison, error) {
	c := Comparison{Points: [2]string{from, to}}
	var err error
	for i, name := range c.Points {
		if c.Tips[i], err = a.CommitNamed(ctx, name); err != nil {
			return c, err
		}
	}
	for i := range c.Tips {
		ids, err := a.Repo.RevList(ctx, "--topo-order", "--reverse", c.Tips[i].String(), "^"+c.Tips[1-i].String())
		if err != nil {
			return c, err
		}
		c.More[i] = max(0, len(ids)-mostCompared)
		if c.Only[i], err = a.Sources(ctx, ids[c.More[i]:]); err != nil {
			return c, err
		}
	}
	if c.Pairs, err = a.PairSeries(ctx, c.Only[0], c.Only[1]); err != nil {
		return c, fmt.Errorf("pair the commits of %s and %s: %w", from, to, err)
	}
	c.Files, err = a.FilesBetween(ctx, c.Tips[0], c.Tips[1])
	return c, err
}

// FilesBetween lists the files that differ between two commits.
func (a *App) FilesBetween(ctx context.Context, from, to repo.ID) ([]tray.File, error) {
	var trees [2]repo.ID
	var err error
	for i, id := range []repo.ID{from, to} {
		if trees[i], err = a.TreeOf(ctx, id); err != nil {
			return nil, err
		}
	}
	return tray.BetweenFollowed(ctx, a.Engine.Objects(), trees[0], trees[1])
}

// Became says what a commit of one side is on the other, in a word; empty: nothing there stands for it.
func (c Comparison) Became(id repo.ID) string {
	at := slices.IndexFunc(c.Pairs, func(p series.Pairing) bool { return p.Old == id || p.New == id })
	if at < 0 || c.Pairs[at].Relation == series.Gone || c.Pairs[at].Relation == series.New {
		return ""
	}
	return string(c.Pairs[at].Relation)
}
