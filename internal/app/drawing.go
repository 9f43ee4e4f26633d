package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"bastel/internal/draw"
	"bastel/internal/journal"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/shape"
)

// SeamOf is the picture of a plan: what the series is and what it shall be.
func (a *App) SeamOf(ctx context.Context, plan shape.Plan) (draw.Seam, error) {
	picture := draw.Seam{Title: plan.Branch, Subtitle: Count(len(plan.Sources), "commit") + " become " + fmt.Sprint(len(plan.Next)) + ", as planned"}
	sources, err := a.Sources(ctx, plan.Sources)
	if err != nil {
		return picture, err
	}
	subjects := map[repo.ID]string{}
	for i, s := range sources {
		places := plan.Places(s.ID)
		subjects[s.ID] = s.Commit.Subject()
		picture.Left = append(picture.Left, draw.Row{Mark: fmt.Sprint(i + 1), Title: s.Commit.Subject(), Note: s.ID.Short(), Faded: len(places) == 0})
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
		picture.Right = append(picture.Right, draw.Row{Mark: shape.Letter(i), Title: title, Note: "from " + strings.Join(from, " ")})
	}
	return picture, nil
}

// Drawing works a picture out.
type Drawing func(ctx context.Context) (draw.Picture, error)

// DrawingOf is the picture of a plan, or of what overlaps in its commits.
func (a *App) DrawingOf(plan shape.Plan, overlap bool) Drawing {
	return func(ctx context.Context) (draw.Picture, error) {
		if overlap {
			return a.GridOf(ctx, plan)
		}
		return a.SeamOf(ctx, plan)
	}
}

// DrawTo writes a picture into a new file; a relative name starts at the top of the
// working tree. It gives the file's name.
func (a *App) DrawTo(ctx context.Context, what Drawing, name string) (string, error) {
	format, err := draw.FormatOf(name)
	if err != nil {
		return "", &Refusal{Reason: err.Error(), Err: err}
	}
	picture, err := what(ctx)
	if err != nil {
		return "", err
	}
	var out bytes.Buffer
	if err := draw.Write(&out, picture, format, draw.Light); err != nil {
		return "", err
	}
	return a.WriteNew(name, out.Bytes())
}

// WriteNew writes a file that must not be there yet; a relative name starts at the top of
// the working tree. It gives the file's name.
func (a *App) WriteNew(name string, data []byte) (string, error) {
	if name == "" {
		return "", refuse("The file needs a name.")
	}
	if !filepath.IsAbs(name) {
		name = filepath.Join(a.Repo.Top(), name)
	}
	file, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if errors.Is(err, fs.ErrExist) {
		return "", refuse("%s is there already; choose another name.", name)
	}
	if err != nil {
		return "", fmt.Errorf("write %s: %w", name, err)
	}
	_, err = file.Write(data)
	return name, errors.Join(err, file.Close())
}

// LastSeam is the picture of the last rewriting that was applied here.
func (a *App) LastSeam(ctx context.Context) (draw.Seam, error) {
	e, err := a.lastRewriting(ctx)
	if err != nil {
		return draw.Seam{}, err
	}
	return a.seamOfEntry(ctx, e)
}

func (a *App) seamOfEntry(ctx context.Context, e journal.Entry) (draw.Seam, error) {
	picture := draw.Seam{Title: strings.TrimPrefix(e.Ref, "refs/heads/"), Subtitle: e.Title + ", " + e.Time.Format("2 January 2006")}
	base, err := a.Repo.MergeBase(ctx, e.Old, e.New)
	if err != nil {
		return picture, err
	}
	old, err := a.rangeOf(ctx, base, e.Old)
	if err != nil {
		return picture, err
	}
	new, err := a.rangeOf(ctx, base, e.New)
	if err != nil {
		return picture, err
	}
	became := map[repo.ID][]repo.ID{}
	for _, pair := range e.Pairs {
		became[pair[0]] = append(became[pair[0]], pair[1])
	}
	for i, s := range old {
		faded := true
		for _, id := range became[s.ID] {
			if at := slices.IndexFunc(new, func(n Source) bool { return n.ID == id }); at >= 0 {
				picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: at})
				faded = false
			}
		}
		if faded {
			picture.Threads = append(picture.Threads, lanes.Thread{From: i, To: lanes.Ends})
		}
		picture.Left = append(picture.Left, draw.Row{Mark: fmt.Sprint(i + 1), Title: s.Commit.Subject(), Note: s.ID.Short(), Faded: faded})
	}
	for i, s := range new {
		picture.Right = append(picture.Right, draw.Row{Mark: shape.Letter(i), Title: s.Commit.Subject(), Note: s.ID.Short()})
	}
	return picture, nil
}

func (a *App) rangeOf(ctx context.Context, base, tip repo.ID) ([]Source, error) {
	ids, err := a.Repo.Range(ctx, base, tip)
	if err != nil {
		return nil, err
	}
	return a.Sources(ctx, ids)
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
