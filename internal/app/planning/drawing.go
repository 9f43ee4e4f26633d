package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/replay"
	"bastel/internal/wording"

	"bastel/internal/draw"
	"bastel/internal/journal"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// SeamOf is the picture of a plan: what the series is and what it shall be.
func (a *App) SeamOf(ctx context.Context, plan shape.Plan) (draw.Seam, error) {
	picture := draw.Seam{Title: plan.Branch, Subtitle: wording.Count(len(plan.Sources), "commit") + " become " + fmt.Sprint(len(plan.Next)) +
		", as planned", Now: "Now", Next: "Next"}
	if plan.Onto != "" {
		picture.Next = "Next, onto " + plan.OntoName()
	}
	forecast, err := a.Forecast(ctx, plan, nil)
	if err != nil {
		return picture, err
	}
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return picture, err
	}
	subjects := map[repo.ID]string{}
	for i, s := range sources {
		places := plan.Places(s.ID)
		subjects[s.ID] = s.Commit.Subject()
		picture.Left = append(picture.Left, draw.Row{Mark: fmt.Sprint(i + 1), Title: s.Commit.Subject(), Note: s.ID.Short(),
			Faded: len(places) == 0})
		for _, place := range places {
			picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: place})
		}
		if len(places) == 0 {
			picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: lanes.Ends})
		}
	}
	for i, e := range plan.Next {
		title := repo.Subject(e.Message)
		if title == "" {
			if title = subjects[e.From[0]]; title == "" {
				made, err := a.Repo.Commit(ctx, e.From[0])
				if err != nil {
					return picture, err
				}
				title = made.Subject()
			}
		}
		var from []string
		for _, id := range e.From {
			if source, _ := plan.Origin(id); !source.IsZero() {
				from = append(from, fmt.Sprint(slices.Index(plan.Sources, source)+1))
			}
		}
		note := "from " + strings.Join(from, " ")
		if i < len(forecast.Steps) && forecast.Steps[i].Result != replay.Clean {
			note += ", " + string(forecast.Steps[i].Result)
		}
		picture.Right = append(picture.Right, draw.Row{Mark: shape.Letter(i), Title: title, Note: note})
	}
	return picture, nil
}

// DrawingOf is the picture of a plan, or of what overlaps in its commits.
func (a *App) DrawingOf(plan shape.Plan, overlap bool) app.Drawing {
	return func(ctx context.Context) (draw.Picture, error) {
		if overlap {
			return a.GridOf(ctx, plan)
		}
		return a.SeamOf(ctx, plan)
	}
}

// LastSeam is the picture of the last rewriting that was applied here.
func (a *App) LastSeam(ctx context.Context) (draw.Seam, error) {
	e, err := a.LastRewriting(ctx)
	if err != nil {
		return draw.Seam{}, err
	}
	return a.seamOfEntry(ctx, e)
}

func (a *App) seamOfEntry(ctx context.Context, e journal.Entry) (draw.Seam, error) {
	picture := draw.Seam{Title: strings.TrimPrefix(e.Ref, "refs/heads/"), Subtitle: e.Title + ", " + e.Time.Format("2 January 2006"),
		Now: "Before", Next: "After"}
	base, err := a.Repo.MergeBase(ctx, e.Old, e.New)
	if err != nil {
		return picture, err
	}
	old, err := a.SourcesBetween(ctx, base, e.Old)
	if err != nil {
		return picture, err
	}
	new, err := a.SourcesBetween(ctx, base, e.New)
	if err != nil {
		return picture, err
	}
	plan, err := shape.Decode([]byte(e.Plan))
	if err != nil && e.Plan != "" {
		return picture, err
	}
	became := map[repo.ID][]repo.ID{}
	made := map[repo.ID]bool{}
	for _, pair := range slices.Concat(e.Pairs, e.Taken) {
		became[pair[0]] = append(became[pair[0]], pair[1])
		made[pair[1]] = true
	}
	// What the target brought is not what became of anything.
	new = slices.DeleteFunc(new, func(s app.Source) bool { return !made[s.ID] })
	for i, s := range old {
		faded := true
		for _, id := range became[s.ID] {
			if at := slices.IndexFunc(new, func(n app.Source) bool { return n.ID == id }); at >= 0 {
				picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: at})
				faded = false
			}
		}
		if faded {
			picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: lanes.Ends})
		}
		note := s.ID.Short()
		if faded && e.Plan != "" && !slices.Contains(plan.LeftOut, s.ID) {
			note += ", emptied"
		}
		picture.Left = append(picture.Left, draw.Row{Mark: fmt.Sprint(i + 1), Title: s.Commit.Subject(), Note: note, Faded: faded})
	}
	for i, s := range new {
		picture.Right = append(picture.Right, draw.Row{Mark: shape.Letter(i), Title: s.Commit.Subject(), Note: s.ID.Short()})
	}
	return picture, nil
}

// GridOf is the picture of what overlaps in a plan's commits.
func (a *App) GridOf(ctx context.Context, plan shape.Plan) (draw.Grid, error) {
	m, err := a.Survey(ctx, plan)
	picture := draw.Grid{Title: plan.Branch, Subtitle: "files by commits"}
	for _, c := range m.Commits {
		picture.Columns = append(picture.Columns, repo.Subject(c.Message))
	}
	for _, row := range m.Rows {
		r := draw.GridRow{Name: row.Path}
		for _, cell := range row.Cells {
			r.Knots = append(r.Knots, cell.Commit)
		}
		for _, o := range m.Overlaps {
			if o.Path == row.Path {
				r.Strong = append(r.Strong, [2]int{o.Older, o.Newer})
			}
		}
		picture.Files = append(picture.Files, r)
	}
	return picture, err
}
