package publishing

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"bastel/internal/app"
	"bastel/internal/series"

	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/tray"
)

// Series is the branch there and here, commit by commit.
type Series struct {
	send.Comparison
	Now, Next []app.Source     // there and here, oldest first, from where they leave the target
	Pairs     []series.Pairing // what each commit there became here
	Stack     []send.Comparison
	Remotes   []string
	Fetched   time.Time // when the remote was last fetched; zero: that is not known
	Last      string    // what the server said to the last push
}

// SendSeries looks at both series. With ask the remote is asked; with no name it is the one
// that the branch goes to.
func (a *App) SendSeries(ctx context.Context, remote string, ask bool) (Series, error) {
	compared, err := a.CompareRemote(ctx, remote, ask)
	s := Series{Comparison: compared}
	if err != nil {
		return s, err
	}
	if s.Fetched, err = a.LastFetch(ctx, compared.Remote); err != nil {
		return s, err
	}
	if s.Remotes, err = a.Repo.Remotes(ctx); err != nil {
		return s, err
	}
	if s.Last, err = a.LastSaid(ctx, s.Ref); err != nil {
		return s, err
	}
	if s.Stack, err = a.CompareStack(ctx, compared.Remote, ask); err != nil && !errors.As(err, new(*app.Refusal)) {
		return s, err // a series that cannot be planned has no stack
	}
	base, err := a.sharedStart(ctx, compared)
	if err != nil {
		return s, err
	}
	var on repo.Ref // what the series sits on is not listed
	if s.On != "" {
		if on, err = a.BranchNamed(ctx, s.On); err != nil {
			return s, err
		}
	}
	if s.Next, err = a.rangeSources(ctx, compared.Here, base, on.ID); err != nil {
		return s, err
	}
	if known, err := a.Repo.Has(ctx, compared.There); err != nil || !known || compared.There.IsZero() {
		return s, err
	}
	if s.Now, err = a.rangeSources(ctx, compared.There, base, on.ID); err != nil {
		return s, err
	}
	s.Pairs, err = a.PairSeries(ctx, s.Now, s.Next)
	return s, err
}

// sharedStart is where the series there and here part from their target, or from
// each other if that is earlier.
func (a *App) sharedStart(ctx context.Context, c send.Comparison) (repo.ID, error) {
	tips := []repo.ID{}
	target, err := a.FindTarget(ctx, c.Branch)
	if err != nil {
		return repo.ID{}, err
	}
	if !target.ID.IsZero() {
		tips = append(tips, target.ID)
	}
	if known, err := a.Repo.Has(ctx, c.There); err != nil {
		return repo.ID{}, err
	} else if known && !c.There.IsZero() {
		tips = append(tips, c.There)
	}
	base := c.Here
	for _, tip := range tips {
		if base, err = a.Repo.MergeBase(ctx, base, tip); err != nil || base.IsZero() {
			return base, err
		}
	}
	return base, nil
}

func (a *App) rangeSources(ctx context.Context, tip repo.ID, not ...repo.ID) ([]app.Source, error) {
	args := []string{"--topo-order", fmt.Sprintf("--max-count=%d", app.LongestSeries), tip.String()}
	for _, id := range not {
		if !id.IsZero() {
			args = append(args, "^"+id.String())
		}
	}
	ids, err := a.Repo.RevList(ctx, args...)
	if err != nil {
		return nil, err
	}
	slices.Reverse(ids)
	return a.Sources(ctx, ids)
}

// CompareSeries pairs the commits of two lines, from where they part on, without what
// the current branch's target has.
func (a *App) CompareSeries(ctx context.Context, from, to string) (old, new []app.Source, pairs []series.Pairing, err error) {
	var tips repo.Mapping
	for i, name := range []string{from, to} {
		if tips[i], err = a.CommitNamed(ctx, name); err != nil {
			return nil, nil, nil, err
		}
	}
	base, err := a.Repo.MergeBase(ctx, tips[0], tips[1])
	if err != nil {
		return nil, nil, nil, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, nil, nil, err
	}
	target, err := a.FindTarget(ctx, head.Branch())
	if err != nil {
		return nil, nil, nil, err
	}
	var series [2][]app.Source
	for i, tip := range tips {
		not := []repo.ID{base}
		if !target.ID.IsZero() {
			within, err := a.Repo.IsAncestor(ctx, tip, target.ID)
			if err != nil {
				return nil, nil, nil, err
			}
			if !within {
				not = append(not, target.ID)
			}
		}
		if series[i], err = a.rangeSources(ctx, tip, not...); err != nil {
			return nil, nil, nil, err
		}
	}
	pairs, err = a.PairSeries(ctx, series[0], series[1])
	return series[0], series[1], pairs, err
}

// PairChanges compares what two commits change: the difference of their differences,
// file by file.
func (a *App) PairChanges(ctx context.Context, old, new repo.ID) ([]tray.File, error) {
	objects := a.Repo.NewOverlay()
	var trees repo.Mapping
	for i, id := range []repo.ID{old, new} {
		files, err := a.CommitChanges(ctx, id)
		if err != nil {
			return nil, err
		}
		var entries []repo.IndexEntry
		for _, f := range files {
			var text bytes.Buffer
			for _, h := range f.Hunks {
				for _, line := range h.Lines {
					text.WriteByte(byte(line.Op))
					text.Write(line.Text)
				}
			}
			entries = append(entries, repo.IndexEntry{Path: f.Path, Mode: repo.ModeFile, ID: objects.Put(repo.KindBlob, text.Bytes())})
		}
		if trees[i], err = objects.EditTree(ctx, repo.ID{}, entries); err != nil {
			return nil, err
		}
	}
	return tray.Between(ctx, objects, trees[0], trees[1])
}
