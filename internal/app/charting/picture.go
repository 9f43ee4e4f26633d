package charting

import (
	"context"
	"fmt"
	"math"
	"slices"

	"bastel/internal/draw"
	"bastel/internal/lanes"
	"bastel/internal/wording"
)

// pictureWidth is how many cells a row of the picture has for a side, as the screen would have.
const pictureWidth = 58

// Picture draws the chart as it is, and as steps make it.
func (a *App) Picture(ctx context.Context, show Show, steps []Step) (draw.Picture, error) {
	now, err := a.Chart(ctx, show)
	if err != nil {
		return nil, err
	}
	if len(steps) == 0 {
		return picture(now, nil), nil
	}
	will, err := a.Look(ctx, steps)
	if err != nil {
		return nil, err
	}
	will.All, will.Line = show.All, show.Line
	next, err := a.Chart(ctx, will)
	return picture(now, &next), err
}

// picture is a chart, and on its right another one if there is one.
func picture(now Chart, next *Chart) draw.Chart {
	picture := draw.Chart{Title: now.Target.Name, Subtitle: wording.Count(now.Branches-now.Others, "branch") + " of " +
		fmt.Sprint(now.Branches)}
	left, right := hung(now), map[int][]draw.Hung{}
	places := now.Line
	if next != nil {
		right, places = hung(*next), Places(now.Line, next.Line)
	}
	for _, place := range places {
		for n := range max(1, len(left[place.At]), len(right[place.At])) {
			row := draw.ChartRow{Line: true, Comes: place.At < 0}
			if n == 0 {
				row.Title, row.Hidden = place.Subject, place.Hidden
			}
			picture.Rows = append(picture.Rows, sides(row, n, left[place.At], right[place.At]))
		}
	}
	for n := range max(len(left[OwnRoot]), len(right[OwnRoot])) {
		picture.Rows = append(picture.Rows, sides(draw.ChartRow{}, n, left[OwnRoot], right[OwnRoot]))
	}
	return picture
}

func sides(row draw.ChartRow, n int, left, right []draw.Hung) draw.ChartRow {
	if n < len(left) {
		row.Left = left[n]
	}
	if n < len(right) {
		row.Right = right[n]
		for i, piece := range row.Right.Pieces {
			switch piece.Text {
			case "[":
				row.Right.Pieces[i].Text = "]"
			case "]":
				row.Right.Pieces[i].Text = "["
			}
		}
	}
	return row
}

// OwnRoot stands for the place of branches that left no line.
const OwnRoot = math.MinInt

// hung lays out what hangs from a chart's line, by how many commits came after each place.
func hung(c Chart) map[int][]draw.Hung {
	by := map[int][]draw.Hung{}
	for _, s := range c.Stacks {
		at := OwnRoot
		if s.Mooring >= 0 {
			at = c.Line[s.Mooring].At
		}
		by[at] = append(by[at], hungStack(s))
	}
	for _, p := range c.Line {
		for _, b := range p.Branches {
			by[p.At] = append(by[p.At], draw.Hung{Loose: true, Pieces: []draw.HungPiece{{Text: b.Name, Name: true, Strong: b.AtWork}}})
		}
	}
	return by
}

func hungStack(s Stack) draw.Hung {
	h := draw.Hung{Loose: s.On != ""}
	if s.On != "" {
		h.Pieces = append(h.Pieces, draw.HungPiece{Text: "on " + s.On})
	}
	var branches []lanes.ChartBranch
	number := s.Below
	for _, segment := range s.Segments {
		b := lanes.ChartBranch{NameWidth: len([]rune(segment.Name))}
		for _, c := range segment.Commits {
			number++
			b.Marks, b.Open = append(b.Marks, fmt.Sprint(number)), append(b.Open, c.Unsent)
		}
		branches = append(branches, b)
	}
	for _, cell := range lanes.ChartRow(branches, pictureWidth) {
		switch cell.Piece {
		case lanes.Edge:
		case lanes.Opens:
			h.Pieces = append(h.Pieces, draw.HungPiece{Text: "]"})
		case lanes.Closes:
			h.Pieces = append(h.Pieces, draw.HungPiece{Text: "["})
		case lanes.Name:
			segment := s.Segments[cell.Branch]
			h.Pieces = append(h.Pieces, draw.HungPiece{Text: segment.Name, Name: true, Strong: segment.AtWork})
		default:
			h.Pieces = append(h.Pieces, draw.HungPiece{Text: cell.Text})
		}
	}
	return h
}

// Places are those of the line that something hangs from in one of two charts, the oldest first.
func Places(now, then []Mooring) []Mooring {
	places := slices.Clone(now)
	for _, p := range then {
		if !slices.ContainsFunc(places, func(q Mooring) bool { return q.ID == p.ID }) {
			places = append(places, p)
		}
	}
	slices.SortStableFunc(places, func(p, q Mooring) int { return q.At - p.At })
	for i := range places {
		if i > 0 {
			places[i].Hidden = places[i-1].At - places[i].At - 1
		}
	}
	return places
}
