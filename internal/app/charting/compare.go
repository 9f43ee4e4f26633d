package charting

import (
	"context"
	"fmt"
	"slices"
	"strings"

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

// Compare compares two points: branches, commits, tags, entries of the stash; @loose is what lies in the working tree, and
// @A to @Z what a commit of that tray would hold.
func (a *App) Compare(ctx context.Context, from, to string) (Comparison, error) {
	c := Comparison{Points: [2]string{from, to}}
	var err error
	var trees [2]repo.ID
	objects := a.Repo.NewOverlay()
	for i, name := range c.Points {
		if c.Tips[i], trees[i], err = a.contentAt(ctx, objects, name); err != nil {
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
	c.Files, err = tray.BetweenFollowed(ctx, objects, trees[0], trees[1])
	return c, err
}

// Loose is the point that stands for the working tree.
const Loose = "@loose"

// layerOf is the layer that a point stands for, if it is none that is committed.
func layerOf(point string) (tray.Layer, bool) {
	if point == Loose {
		return tray.Loose, true
	}
	letter, ok := strings.CutPrefix(point, "@")
	if !ok {
		return 0, false
	}
	return tray.ParseLayer(letter)
}

// Trays are the trays of the working tree that hold something, with their messages.
func (a *App) Trays(ctx context.Context) ([]tray.Tray, error) {
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return nil, err
	}
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return nil, err
	}
	board, err := tray.Read(ctx, a.Repo, changes, kept, tray.Plain)
	return slices.DeleteFunc(board.Trays, func(t tray.Tray) bool { return len(t.Files) == 0 }), err
}

// contentAt is a point's commit, and the tree there: of what is not committed yet the commit is HEAD's.
func (a *App) contentAt(ctx context.Context, objects *repo.Overlay, point string) (commit, tree repo.ID, err error) {
	layer, uncommitted := layerOf(point)
	if !uncommitted {
		if commit, err = a.CommitNamed(ctx, point); err == nil {
			tree, err = a.TreeOf(ctx, commit)
		}
		return commit, tree, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return commit, tree, err
	}
	if head.Commit.IsZero() {
		return commit, tree, app.Refuse("There is no commit yet that %s could be compared with.", point)
	}
	if tree, err = a.TreeOf(ctx, head.Commit); err != nil {
		return commit, tree, err
	}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return commit, tree, err
	}
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return commit, tree, err
	}
	tree, err = tray.TreeAt(ctx, a.Repo, objects, tree, changes, kept, layer)
	return head.Commit, tree, err
}

// FilesBetween lists the files that differ between two points.
func (a *App) FilesBetween(ctx context.Context, from, to string) ([]tray.File, error) {
	var trees [2]repo.ID
	var err error
	objects := a.Repo.NewOverlay()
	for i, point := range []string{from, to} {
		if _, trees[i], err = a.contentAt(ctx, objects, point); err != nil {
			return nil, err
		}
	}
	return tray.BetweenFollowed(ctx, objects, trees[0], trees[1])
}

// Became says what a commit of one side is on the other, in a word; empty: nothing there stands for it.
func (c Comparison) Became(id repo.ID) string {
	at := slices.IndexFunc(c.Pairs, func(p series.Pairing) bool { return p.Old == id || p.New == id })
	if at < 0 || c.Pairs[at].Relation == series.Gone || c.Pairs[at].Relation == series.New {
		return ""
	}
	return string(c.Pairs[at].Relation)
}
