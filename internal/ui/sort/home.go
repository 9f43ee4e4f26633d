package sort

import (
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/sorting"
	"bastel/internal/diff"
	"bastel/internal/lanes"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

// homesFound is what was found out about where hunks belong.
type homesFound struct {
	homes     sorting.Homes
	published map[repo.ID]bool
}

// previewed is a commit as it is, and as it will be.
type previewed struct {
	home          repo.ID
	before, after []tray.File
}

type leaveHome struct{}

// home is the view of homing home: Now is the hunks, Next the branch's commits.
type home struct {
	screen    *Model
	homes     sorting.Homes
	published map[repo.ID]bool
	chosen    []int  // for each hunk the place of its home; -1: none
	taken     []bool // whether the hunk goes along
	cursor    int
	top       int
	nextTop   int
	half      kit.Half
	look      [2]stream.Model // a commit before and after
	looking   repo.ID         // zero: at the hunks
}

func newHome(m *Model, homes sorting.Homes, published map[repo.ID]bool) *home {
	h := &home{screen: m, homes: homes, published: published}
	for _, found := range homes.Homes {
		place := slices.IndexFunc(homes.Commits, func(s app.Source) bool { return s.ID == found.Commit })
		h.chosen = append(h.chosen, place)
		h.taken = append(h.taken, place >= 0 && !found.Leftover)
	}
	h.cursor = max(0, slices.Index(h.taken, true))
	return h
}

func (h *home) move(rows int) {
	if h.looking.IsZero() {
		h.cursor = max(0, min(h.cursor+rows, len(h.chosen)-1))
		return
	}
	h.look[h.half].Move(rows)
}

func (h *home) click(half kit.Half, size kit.Size, x, y int) {
	h.half = half
	switch at := h.top + y - headRows; {
	case !h.looking.IsZero():
		h.look[half].ClickIn(half, size, x, y-headRows)
	case half == kit.Now && at >= 0 && at < len(h.chosen):
		h.cursor = at
	}
}

func (h *home) actions() []kit.Action {
	leave := func() tea.Cmd { return kit.Show(kit.ForScreen{Screen: Name, Msg: leaveHome{}}) }
	if !h.looking.IsZero() {
		s := &h.look[h.half]
		back := kit.Act(action.Back, true, kit.Just(func() { h.looking = repo.ID{} })).Named("back to the hunks")
		moves := kit.Navigator{Move: s.Move, Page: s.Page, End: s.End, Turn: func(half kit.Half) { h.half = half }}
		return slices.Concat([]kit.Action{back}, kit.Hunks(true, s.Hunk, s.File), moves.Actions())
	}
	homeless := h.chosen[h.cursor] < 0
	actions := []kit.Action{
		kit.Act(action.JoinHomes, len(h.moves()) > 0, h.apply),
		kit.Act(action.LookAtHome, !homeless, h.preview),
		kit.Asking(action.ChooseHome, true, h.choose),
		kit.Act(action.MarkHome, !homeless, func() tea.Cmd {
			h.taken[h.cursor] = !h.taken[h.cursor]
			h.move(1)
			return nil
		}),
		kit.Act(action.Back, true, leave).Named("back to the trays"),
	}
	page := func(pages int) { h.move(pages * max(1, h.screen.size.Height-headRows-4)) }
	end := func(last bool) {
		h.cursor = 0
		if last {
			h.cursor = len(h.chosen) - 1
		}
	}
	moves := kit.Navigator{Move: h.move, Page: page, End: end, Turn: func(half kit.Half) { h.half = half }}
	return append(actions, moves.Actions()...)
}

// moves are the hunks that go, with their homes.
func (h *home) moves() []sorting.HomeMove {
	var moves []sorting.HomeMove
	for i, place := range h.chosen {
		if h.taken[i] && place >= 0 {
			moves = append(moves, sorting.HomeMove{Fixup: h.homes.Homes[i].Fixup.Selection(), Home: h.homes.Commits[place].ID})
		}
	}
	return moves
}

func (h *home) choose() tea.Cmd {
	at := h.cursor
	choose := kit.Choose{Title: "Which commit does the hunk belong to?"}
	for place, c := range slices.Backward(h.homes.Commits) {
		number := fmt.Sprint(place + 1) // as it stands in Next
		key := number
		if len(h.homes.Commits) > len(action.Digits) {
			key = c.ID.Short() // numbers are typed then
		}
		choose.Options = append(choose.Options, kit.Option{Key: key, Label: number + "  " + safe.Line(c.Commit.Subject()),
			Look: kit.LookAt(h.screen.app, c.ID), Do: func() tea.Cmd {
				h.chosen[at], h.taken[at] = place, true
				h.homes.Homes[at].Reason = "You chose it."
				return nil
			}})
	}
	return kit.Show(choose)
}

// preview works out the home at the cursor with all hunks that go.
func (h *home) preview() tea.Cmd {
	h.taken[h.cursor] = true
	m, moves := h.screen, h.moves()
	id := h.homes.Commits[h.chosen[h.cursor]].ID
	from, view := h.homes.From, m.shown
	return kit.Start(kit.Work[kit.Got]{
		Title: "Working out the commit",
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			p, err := previewOf(ctx, m.app, from, view, moves, id)
			return kit.ToScreen(Name, p), err
		},
	})
}

func previewOf(ctx context.Context, a *app.App, from tray.Layer, view tray.View, moves []sorting.HomeMove, id repo.ID) (previewed, error) {
	p := previewed{home: id}
	forecast, err := sorting.Of(a).ForecastHome(ctx, from, view, moves)
	if err != nil {
		return p, err
	}
	if p.before, err = a.CommitChanges(ctx, id); err != nil {
		return p, err
	}
	first, err := a.Repo.Commit(ctx, forecast.Steps[0].From[0])
	if err != nil {
		return p, err
	}
	tree := a.Repo.EmptyTree()
	if parent := first.Parent(); !parent.IsZero() {
		c, err := a.Repo.Commit(ctx, parent)
		if err != nil {
			return p, err
		}
		tree = c.Tree
	}
	for _, step := range forecast.Steps {
		if step.From[0] == id {
			p.after, err = tray.BetweenFollowed(ctx, forecast.Objects(), tree, step.Tree)
			return p, err
		}
		tree = step.Tree
	}
	return p, fmt.Errorf("the commit %s is not among those that change", id.Short())
}

func (h *home) havePreview(p previewed) {
	h.looking, h.half = p.home, kit.Next
	h.look = [2]stream.Model{}
	h.look[kit.Now].Set(p.before)
	h.look[kit.Next].Set(p.after)
}

func (h *home) apply() tea.Cmd {
	m, moves, from, view := h.screen, h.moves(), h.homes.From, h.screen.view
	return kit.Start(kit.Work[string]{
		Title: "Joining hunks",
		Do: func(ctx context.Context, _ func(string)) (string, error) {
			applied, err := m.sorting.SendHome(ctx, from, view, moves)
			if err != nil {
				return "", err
			}
			return fmt.Sprintf("Joined %s to earlier commits; %s is at %s now.%s u undoes it.", wording.Count(len(moves), "hunk"),
				safe.Line(m.head.Branch()), applied.New.Short(), applied.Remarks()), nil
		},
		Then: func() tea.Msg { return kit.ForScreen{Screen: Name, Msg: leaveHome{}} },
	})
}

// homeSeam is the room for the threads from the hunks to their homes.
func homeSeam(width int) int { return min(20, width/7) }

func (h *home) view(size kit.Size, theme kit.Theme) []string {
	now, seam, next := kit.Columns(size, homeSeam(size.Width))
	body := size.Height - headRows
	if !h.looking.IsZero() {
		return h.viewCommit(size, theme)
	}
	h.top = kit.Scroll(h.top, h.cursor, body-4, len(h.chosen))
	if place := h.chosen[h.cursor]; place >= 0 {
		h.nextTop = kit.Scroll(h.nextTop, place, body, len(h.homes.Commits))
	}
	left := append(h.nowHead(now, theme), h.hunkRows(now, body, theme)...)
	right := append(h.nextHead(next, theme), h.commitRows(next, body, theme)...)
	if size.Narrow {
		if h.half == kit.Now {
			return left
		}
		return right
	}
	return kit.Join(left, append(kit.Pad(nil, seam, headRows), h.threads(seam, body, theme)...), right)
}

func (h *home) nowHead(width int, theme kit.Theme) []string {
	what := "hunks on their way home"
	if h.homes.From != tray.Loose {
		what = "hunks of tray " + h.homes.From.String()
	}
	return []string{
		kit.Heading(width, "Now", what, h.half == kit.Now, theme.Now, theme, h.screen.size.Narrow),
		kit.Row(width, nil, kit.Seg{Text: safe.Show(fmt.Sprintf("  %d of %s will join a commit", len(h.moves()),
			wording.Count(len(h.chosen), "hunk"))), Style: theme.Dim}),
		kit.Blank(width),
	}
}

func (h *home) nextHead(width int, theme kit.Theme) []string {
	return []string{
		kit.Heading(width, "Next", "the branch's commits, with what joins them", h.half == kit.Next, theme.Next, theme, h.screen.size.Narrow),
		kit.Blank(width),
		kit.Blank(width),
	}
}

// hunkRows lists the hunks, and below them what the one at the cursor changes.
func (h *home) hunkRows(width, height int, theme kit.Theme) []string {
	var rows []string
	for i := h.top; i < min(h.top+height-4, len(h.chosen)); i++ {
		backdrop, pointer := kit.Cursor(theme, i == h.cursor, 2)
		mark, style := "□ ", theme.Dim
		if h.taken[i] {
			mark, style = "■ ", theme.Now
		}
		piece := h.homes.Homes[i].Fixup
		rows = append(rows, kit.Split(width, backdrop,
			[]kit.Seg{pointer, {Text: safe.Show(mark), Style: style}, {Text: safe.Show(piece.Path), Style: style.Bold(true)},
				{Text: safe.Show(fmt.Sprintf(":%d  ", piece.Hunk.NewStart+1)), Style: theme.Dim}, {Text: safe.Show(gist(piece)), Style: theme.Plain}}))
	}
	rows = append(rows, kit.Blank(width), kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + safe.Line(h.homes.Homes[h.cursor].Reason)),
		Style: theme.Dim}), kit.Blank(width))
	var s stream.Model
	shown := h.homes.Homes[h.cursor].Fixup
	s.Set([]tray.File{{Path: shown.Path, Hunks: []tray.Hunk{shown.Hunk}}})
	return kit.Pad(append(rows, s.View(width, max(0, height-len(rows)), false, stream.Cool, theme)...), width, height)
}

// gist is the first line that a hunk changes.
func gist(p tray.Fixup) string {
	for i, line := range p.Hunk.Lines {
		if line.Op != diff.Keep && (p.Lines == nil || p.Lines[i]) {
			return strings.Replace(string(line.Op), "-", "−", 1) + " " + kit.Expand(safe.Line(strings.TrimSpace(string(line.Text))))
		}
	}
	return safe.Line(p.Hunk.Note)
}

func (h *home) commitRows(width, height int, theme kit.Theme) []string {
	joining := map[int]int{}
	for i, place := range h.chosen {
		if h.taken[i] {
			joining[place]++
		}
	}
	var rows []string
	for i := h.nextTop; i < min(h.nextTop+height, len(h.homes.Commits)); i++ {
		c := h.homes.Commits[i]
		backdrop, pointer := kit.Cursor(theme, i == h.chosen[h.cursor], 2)
		note, style := "", theme.Plain
		if h.published[c.ID] {
			note = "sent  "
		}
		if n := joining[i]; n > 0 {
			note, style = note+"joined by "+wording.Count(n, "hunk")+"  ", theme.Next.Bold(true)
		}
		rows = append(rows, kit.Split(width, backdrop,
			[]kit.Seg{pointer, {Text: safe.Show(fmt.Sprintf("%3d  ", i+1)), Style: theme.Dim}, {Text: safe.Show(c.Commit.Subject()), Style: style}},
			kit.Seg{Text: safe.Show(note + c.ID.Short()), Style: theme.Dim}))
	}
	return kit.Pad(rows, width, height)
}

func (h *home) threads(width, height int, theme kit.Theme) []string {
	var strands []kit.Strand
	for i := h.top; i < min(h.top+height-4, len(h.chosen)); i++ {
		s := kit.Strand{Thread: lanes.Thread{From: i - h.top, To: h.chosen[i] - h.nextTop}, Bright: i == h.cursor}
		if !h.taken[i] || h.chosen[i] < 0 {
			s.To, s.Faded = lanes.Ends, true
		}
		strands = append(strands, s)
	}
	return kit.Seam(strands, width, height, 1, 0, theme)
}

// viewCommit shows the home before and after.
func (h *home) viewCommit(size kit.Size, theme kit.Theme) []string {
	now, seam, next := kit.Columns(size, seamWidth)
	place := slices.IndexFunc(h.homes.Commits, func(s app.Source) bool { return s.ID == h.looking })
	subject := safe.Line(h.homes.Commits[place].Commit.Subject())
	half := func(at kit.Half, width int) []string {
		name, what, style, lines := "Now", "the commit as it is", theme.Now, stream.Cool
		if at == kit.Next {
			name, what, style, lines = "Next", "the commit as it will be", theme.Next, stream.Warm
		}
		rows := []string{
			kit.Heading(width, name, what, h.half == at, style, theme, size.Narrow),
			kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + subject), Style: theme.Strong}),
			kit.Blank(width),
		}
		return append(rows, h.look[at].View(width, size.Height-headRows, h.half == at, lines, theme)...)
	}
	if size.Narrow {
		return half(h.half, size.Width)
	}
	return kit.Join(half(kit.Now, now), kit.Pad(nil, seam, size.Height), half(kit.Next, next))
}
