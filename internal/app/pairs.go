package app

import (
	"context"
	"slices"

	"bastel/internal/repo"
	"bastel/internal/series"
)

// LongestSeries bounds how many commits of a series are shown.
const LongestSeries = 1000

// knownPairs follows commits through the journal's rewritings, and takings, to the
// commits of a series that they became, or became part of.
func (a *App) knownPairs(ctx context.Context, old, new []Source) (map[repo.ID][]repo.ID, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	steps := map[repo.ID][]repo.ID{}
	for _, e := range entries {
		for _, pair := range append(slices.Clone(e.Pairs), e.Taken...) {
			steps[pair[0]] = append(steps[pair[0]], pair[1])
		}
	}
	isNew := map[repo.ID]bool{}
	for _, s := range new {
		isNew[s.ID] = true
	}
	known := map[repo.ID][]repo.ID{}
	for _, s := range old {
		seen := map[repo.ID]bool{}
		for open := []repo.ID{s.ID}; len(open) > 0; open = open[1:] {
			switch id := open[0]; {
			case seen[id]:
			case isNew[id]:
				known[s.ID] = append(known[s.ID], id)
			default:
				open = append(open, steps[id]...)
			}
			seen[open[0]] = true
		}
	}
	return known, nil
}

// PairSeries finds what each commit of an old series became in a new one.
func (a *App) PairSeries(ctx context.Context, old, new []Source) ([]series.Pairing, error) {
	known, err := a.knownPairs(ctx, old, new)
	if err != nil {
		return nil, err
	}
	objects := a.Repo.NewOverlay()
	read := func(sources []Source) (members []series.Member, err error) {
		for _, s := range sources {
			before, err := a.TreeOf(ctx, s.Commit.Parent())
			if err != nil {
				return nil, err
			}
			m, err := series.ReadMember(ctx, objects, s.ID, before, s.Commit.Tree, s.Message)
			if err != nil {
				return nil, err
			}
			members = append(members, m)
		}
		return members, nil
	}
	olds, err := read(old)
	if err != nil {
		return nil, err
	}
	news, err := read(new)
	if err != nil {
		return nil, err
	}
	return series.Pair(olds, news, known), nil
}
