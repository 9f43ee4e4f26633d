package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/send"
)

// CompareRemote looks at the current branch and what its remote has. With ask the
// remote is asked, else what was last fetched counts.
func (a *App) CompareRemote(ctx context.Context, ask bool) (send.Comparison, error) {
	head, err := a.branchHead(ctx)
	if err != nil {
		return send.Comparison{}, err
	}
	return send.Compare(ctx, a.Repo, head.Branch(), ask)
}

// Send pushes what the comparison shows. The journal has it before and after.
func (a *App) Send(ctx context.Context, c send.Comparison, progress func(line string)) error {
	if err := a.free(); err != nil {
		return err
	}
	if err := c.Verdict(); err != nil || c.UpToDate() {
		return err
	}
	now, err := a.Repo.RefValue(ctx, "refs/heads/"+c.Branch)
	if err != nil {
		return err
	}
	if now != c.Here {
		return refuse("%s has moved since it was compared with the remote. Nothing was sent. Look again, then repeat.", c.Branch)
	}
	entry := journal.Entry{Kind: journal.Push, Ref: c.Ref, New: c.Here, Title: c.Branch + " to " + c.Remote}
	if known, err := a.Repo.Has(ctx, c.There); err == nil && known {
		entry.Old = c.There
	}
	entry, err = a.Journal.Append(ctx, entry)
	if err != nil {
		return err
	}
	err = send.Push(ctx, a.Repo, c, progress)
	if err != nil && ctx.Err() != nil {
		err = &Refusal{Reason: fmt.Sprintf("The push was stopped. Whether %s took it shows when you fetch; trying again is safe.", c.Remote), Err: ctx.Err()}
	}
	outcome := journal.Entry{Kind: journal.Pushed, Ref: entry.Ref, New: c.Here, Of: entry.Number, Title: "sent"}
	if err != nil {
		outcome.Title = "not sent: " + firstLine(err.Error())
	}
	_, noteErr := a.Journal.Append(context.WithoutCancel(ctx), outcome)
	return errors.Join(err, noteErr)
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return line
}

// Fetch brings the remote's branches up to date, and nothing else.
func (a *App) Fetch(ctx context.Context, progress func(line string)) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	target, err := send.FindTarget(ctx, a.Repo, head.Branch())
	if err != nil {
		return err
	}
	return a.Repo.Fetch(ctx, target.Remote, progress)
}

// Series is the branch there and here, commit by commit.
type Series struct {
	send.Comparison
	Now, Next []Source            // there and here, oldest first, from where they leave the target
	Became    map[repo.ID]repo.ID // for commits there: the one here that they are, or became
}

// SendSeries looks at both series. With ask the remote is asked.
func (a *App) SendSeries(ctx context.Context, ask bool) (Series, error) {
	compared, err := a.CompareRemote(ctx, ask)
	s := Series{Comparison: compared}
	if err != nil {
		return s, err
	}
	base, err := a.sharedStart(ctx, compared)
	if err != nil {
		return s, err
	}
	if s.Next, err = a.rangeSources(ctx, base, compared.Here); err != nil {
		return s, err
	}
	if known, err := a.Repo.Has(ctx, compared.There); err != nil || !known || compared.There.IsZero() {
		return s, err
	}
	if s.Now, err = a.rangeSources(ctx, base, compared.There); err != nil {
		return s, err
	}
	s.Became, err = a.became(ctx, s.Now, s.Next)
	return s, err
}

// seriesLimit bounds how many commits of a series are shown.
const seriesLimit = 1000

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
	if base == c.Here {
		return repo.ID{}, err
	}
	return base, nil
}

func (a *App) rangeSources(ctx context.Context, base, tip repo.ID) ([]Source, error) {
	args := []string{"--topo-order", fmt.Sprintf("--max-count=%d", seriesLimit), tip.String()}
	if !base.IsZero() {
		args = append(args, "^"+base.String())
	}
	ids, err := a.Repo.RevList(ctx, args...)
	if err != nil {
		return nil, err
	}
	slices.Reverse(ids)
	return a.Sources(ctx, ids)
}

// became follows each commit there through the journal's rewritings to the commit
// here that it became part of.
func (a *App) became(ctx context.Context, there, here []Source) (map[repo.ID]repo.ID, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	steps := map[repo.ID][]repo.ID{}
	for _, e := range entries {
		for _, pair := range e.Pairs {
			steps[pair[0]] = append(steps[pair[0]], pair[1])
		}
	}
	isHere := map[repo.ID]bool{}
	for _, s := range here {
		isHere[s.ID] = true
	}
	result := map[repo.ID]repo.ID{}
	for _, s := range there {
		seen := map[repo.ID]bool{}
		for open := []repo.ID{s.ID}; len(open) > 0; open = open[1:] {
			if isHere[open[0]] {
				result[s.ID] = open[0]
				break
			}
			if !seen[open[0]] {
				seen[open[0]] = true
				open = append(open, steps[open[0]]...)
			}
		}
	}
	return result, nil
}
