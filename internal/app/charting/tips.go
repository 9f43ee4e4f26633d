package charting

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"bastel/internal/repo"
)

// Tips lists all branches with what their last commits say, the newest first: what the chart shows before the walk is done.
func (a *App) Tips(ctx context.Context) ([]Branch, error) {
	tips, err := a.Repo.BranchTips(ctx, "refs/heads", "refs/remotes")
	if err != nil {
		return nil, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	work, err := a.AtWork(ctx)
	if err != nil {
		return nil, err
	}
	people, err := a.Repo.Mailmap(ctx)
	if err != nil {
		return nil, err
	}
	email := a.email(ctx)
	asides, err := a.Asides(ctx)
	if err != nil {
		return nil, err
	}
	var list []Branch
	for _, t := range tips {
		if t.Symref != "" {
			continue
		}
		author := people.Person(repo.Person{Name: t.Author, Email: t.Email})
		list = append(list, Branch{Name: t.Short(), Ref: t.Name, Tip: t.ID, Upstream: t.Upstream, Worktree: t.Worktree, Author: author.Name,
			Remote: strings.HasPrefix(t.Name, "refs/remotes/"), Here: t.Name == head.Ref, AtWork: t.Name == work.Ref, When: t.When,
			Subject: t.Subject,
			Mine:    email != "" && strings.EqualFold(author.Email, email)})
	}
	stashes, err := a.stashes(ctx)
	if err != nil {
		return nil, err
	}
	list = append(list, stashes...)
	for i := range list {
		for _, e := range asides[list[i].Name] {
			files := e.Aside
			list[i].Aside += len(files)
		}
	}
	if head.Ref == "" && !head.Commit.IsZero() { // on no branch: it is drawn like one
		list = append(list, Branch{Name: "HEAD", Ref: "HEAD", Tip: head.Commit, Remote: true, Here: true, AtWork: work.Ref == "",
			When: time.Now()})
	}
	slices.SortStableFunc(list, func(x, y Branch) int { return y.When.Compare(x.When) })
	return list, nil
}

// mostStashes is how many entries of the stash are points of the chart.
const mostStashes = 5

// stashes are the latest entries of the stash, which other tools made: points like any others.
func (a *App) stashes(ctx context.Context) ([]Branch, error) {
	ids, err := a.Repo.ReflogValues(ctx, "refs/stash")
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	commits, err := a.Repo.Commits(ctx, ids[:min(len(ids), mostStashes)])
	if err != nil {
		return nil, err
	}
	var list []Branch
	for i, c := range commits {
		list = append(list, Branch{Name: fmt.Sprintf("stash@{%d}", i), Ref: "refs/stash", Tip: ids[i], Remote: true, Author: c.Writer().Name,
			When: c.Writer().When, Subject: c.Subject()})
	}
	return list, nil
}

// tags are the names of commits by tags.
func (a *App) tags(ctx context.Context) (map[repo.ID][]string, error) {
	refs, err := a.Repo.Refs(ctx, "refs/tags")
	if err != nil {
		return nil, err
	}
	tags := map[repo.ID][]string{}
	for _, ref := range refs {
		tags[ref.ID] = append(tags[ref.ID], ref.Short())
	}
	return tags, nil
}

// email is that of the user; without an identity nothing is the user's.
func (a *App) email(ctx context.Context) string { return a.Me(ctx).Email }
