package charting

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/draw"
	"bastel/internal/repo"
)

// asThen gives branches as they were, the newest first. HEAD and the stash are not told of in a picture of another time.
func (a *App) asThen(ctx context.Context, tips []Branch, m app.Moment) ([]Branch, error) {
	now := map[string]Branch{}
	for _, b := range tips {
		now[b.Ref] = b
	}
	var then []Branch
	var ids []repo.ID
	for _, ref := range slices.Sorted(maps.Keys(m)) {
		b, known := now[ref]
		if !known {
			b = Branch{Name: repo.Ref{Name: ref}.Short(), Ref: ref, Remote: strings.HasPrefix(ref, "refs/remotes/")}
		}
		b.Tip = m[ref]
		then, ids = append(then, b), append(ids, b.Tip)
	}
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return nil, err
	}
	email := a.email(ctx)
	for i, c := range commits {
		writer := c.Writer()
		then[i].Author, then[i].Subject, then[i].When = writer.Name, c.Subject(), repo.ParsePerson(c.Committer).When
		then[i].Mine = email != "" && strings.EqualFold(writer.Email, email)
	}
	slices.SortStableFunc(then, func(x, y Branch) int { return y.When.Compare(x.When) })
	return then, nil
}

// PictureAt draws the chart as it was just before an entry of the journal.
func (a *App) PictureAt(ctx context.Context, show Show, number int) (draw.Picture, error) {
	var err error
	if show.moment, err = a.Before(ctx, number); err != nil {
		return nil, err
	}
	was, err := a.Chart(ctx, show)
	return picture(was, nil), err
}

// PictureSince draws the chart as it was before an entry of the journal, and on the right as it was after another one; 0: as
// it is now.
func (a *App) PictureSince(ctx context.Context, show Show, since, until int) (draw.Picture, error) {
	left, right := show, show
	var err error
	if left.moment, err = a.Before(ctx, since); err != nil {
		return nil, err
	}
	if until != 0 {
		if until < since {
			return nil, app.Refuse("Entry %d of the journal comes before entry %d.", until, since)
		}
		if right.moment, err = a.Before(ctx, until+1); err != nil {
			return nil, err
		}
	}
	was, err := a.Chart(ctx, left)
	if err != nil {
		return nil, err
	}
	right.since = was.Target.ID
	then, err := a.Chart(ctx, right)
	drawn := picture(was, &then)
	drawn.Subtitle = fmt.Sprintf("before entry %d of the journal, and now", since)
	if until != 0 {
		drawn.Subtitle = fmt.Sprintf("before entry %d of the journal, and after entry %d", since, until)
	}
	return drawn, err
}
