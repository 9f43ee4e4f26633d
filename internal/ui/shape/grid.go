package shape

import (
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/suggest"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// grid is the view of what overlaps: a row for each file, a column for each commit. A
// thread runs through the commits that touch the file; it is strong between two that
// touch the same lines, which cannot move past each other. A file unfolds into its
// places, each with the commits that meet there.
type grid struct {
	screen      *Model
	row, column int
	top, left   int
	open        map[string]bool // files that show their places
	story       *stream.Model   // one file's way through the branch; nil: the grid
}

// gridRow is a file, or one of its places.
type gridRow struct {
	file  *suggest.Row
	place int // wholeFile: none
}

const wholeFile = -1

func (g *grid) rows() []gridRow {
	var rows []gridRow
	for i := range g.matrix().Rows {
		file := &g.matrix().Rows[i]
		rows = append(rows, gridRow{file, wholeFile})
		for place := range file.Regions {
			if g.open[file.Path] {
				rows = append(rows, gridRow{file, place})
			}
		}
	}
	return rows
}

// at is the row at the cursor.
func (g *grid) at() gridRow { return g.rows()[g.row] }

// unfold shows or hides the places of the file at the cursor.
func (g *grid) unfold() tea.Cmd {
	at := g.at()
	for at.place != wholeFile && g.at().place != wholeFile {
		g.row--
	}
	g.open[at.file.Path] = !g.open[at.file.Path]
	return nil
}

// told is one file's way through the branch, commit by commit.
type told struct{ sections []stream.Section }

func (g *grid) matrix() suggest.Matrix { return g.screen.matrix }

func (g *grid) move(rows, columns int) {
	g.row = max(0, min(g.row+rows, len(g.rows())-1))
	g.column = max(0, min(g.column+columns, len(g.matrix().Commits)-1))
}

// Explain says what it is for.
func (g *grid) Explain() (title, text string) {
	if g.story != nil {
		return "A file, commit by commit", "What each commit of the branch does to the file, oldest first."
	}
	return "Overlaps", "Each row is a file, each column a commit. A strong thread ties commits that touch the same lines: moving one past " +
		"the other will conflict. What no other commit touches can be moved freely."
}

// Click does nothing: what one goes to is by keys.
func (g *grid) Click(int, int) {}

// Wheel scrolls.
func (g *grid) Wheel(_, turns int) { g.move(turns, 0) }

// Actions lists what can be done in it.
func (g *grid) Actions() []kit.Action {
	if g.story != nil {
		back := kit.Act(action.Back, true, kit.Just(func() { g.story = nil })).Named("back to the overlaps")
		moves := kit.Navigator{Move: g.story.Move, Page: g.story.Page, End: g.story.End}
		return slices.Concat([]kit.Action{back}, kit.Hunks(true, g.story.Hunk, g.story.File), moves.Actions())
	}
	some := len(g.matrix().Rows) > 0
	actions := []kit.Action{
		kit.Act(action.FilesCommits, some, g.tell),
		kit.Act(action.FoldPlaces, some, g.unfold),
		kit.Asking(action.DrawOverlaps, some, g.screen.draw),
		kit.Act(action.Back, true, g.screen.close).Named("back to the plan"),
		kit.Act(action.GridRight, true, kit.Just(func() { g.move(0, 1) })),
		kit.Act(action.GridLeft, true, kit.Just(func() { g.move(0, -1) })),
	}
	moves := kit.Navigator{
		Move: func(rows int) { g.move(rows, 0) },
		Page: func(pages int) { g.move(10*pages, 0) },
		End: func(last bool) {
			g.row = 0
			if last {
				g.move(len(g.rows()), 0)
			}
		},
	}
	return append(actions, moves.Actions()...)
}

// longestStory is up to how many commits of a file are shown.
const longestStory = 100

// tell reads what each commit does to the file at the cursor.
func (g *grid) tell() tea.Cmd {
	m, row := g.screen, g.at().file
	cells := row.Cells[max(0, len(row.Cells)-longestStory):]
	return kit.Find(m.ctx, Name, func(ctx context.Context) (told, error) {
		var t told
		for n, cell := range cells {
			c := m.matrix.Commits[cell.Commit]
			files, err := m.app.CommitChanges(ctx, c.ID)
			if err != nil {
				return told{}, err
			}
			t.sections = append(t.sections, stream.Section{
				Layer: tray.Layer(n), Heading: true, Name: fmt.Sprint(cell.Commit + 1), Title: repo.Subject(c.Message), Note: c.ID.Short(),
				Files: slices.DeleteFunc(files, func(f tray.File) bool { return f.Path != row.Path && f.From != row.Path }),
			})
		}
		return t, nil
	})
}

func (g *grid) tellIt(t told) {
	g.story = &stream.Model{}
	g.story.SetSections(t.sections)
}

const (
	gridColumn = 4 // cells of the screen for a commit
	gridFeet   = 6 // rows below the grid
)

// View draws it.
func (g *grid) View(size kit.Size, theme kit.Theme) []string {
	m := g.matrix()
	if g.story != nil {
		head := []string{kit.Heading(size.Width, "Now", safe.Line(g.at().file.Path)+", commit by commit", true, theme.Now, theme, false),
			kit.Blank(size.Width)}
		return append(head, g.story.View(size.Width, size.Height-len(head), true, stream.Cool, theme)...)
	}
	if len(m.Rows) == 0 {
		return kit.Empty(size.Width, size.Height, theme, "The branch's commits change no files.", "esc goes back.")
	}
	names := 0
	lines := g.rows()
	for _, row := range lines {
		names = max(names, len([]rune(row.name())))
	}
	names = min(names, size.Width/3)
	columns := max(1, (size.Width-names-6)/gridColumn)
	height := size.Height - gridFeet - 4
	g.top = kit.Scroll(g.top, g.row, height, len(lines))
	g.left = kit.Scroll(g.left, g.column, columns, len(m.Commits))
	until := min(len(m.Commits), g.left+columns)

	rows := []string{
		kit.Heading(size.Width, "Now", "files by commits: a strong thread ties commits that touch the same lines", true, theme.Now, theme, false),
		kit.Blank(size.Width), g.head(size.Width, names, until, theme),
	}
	for i := g.top; i < min(len(lines), g.top+height); i++ {
		rows = append(rows, g.line(size.Width, names, until, lines[i], i == g.row, theme))
	}
	rows = append(kit.Pad(rows, size.Width, size.Height-gridFeet), g.foot(size.Width, theme)...)
	return kit.Pad(rows, size.Width, size.Height)
}

func (g *grid) head(width, names, until int, theme kit.Theme) string {
	segs := []kit.Seg{{Text: safe.Show(strings.Repeat(" ", names+4))}}
	for c := g.left; c < until; c++ {
		style := theme.Dim
		if c == g.column {
			style = theme.Accent
		}
		segs = append(segs, kit.Seg{Text: safe.Show(fmt.Sprintf("%3d ", c+1)), Style: style})
	}
	return kit.Row(width, nil, segs...)
}

// name is what stands before a row's knots.
func (r gridRow) name() string {
	if r.place == wholeFile {
		if n := len(r.file.Regions); n > 1 {
			return fmt.Sprintf("%s  %d places", safe.Line(r.file.Path), n)
		}
		return safe.Line(r.file.Path)
	}
	switch region := r.file.Regions[r.place]; region.End - region.Start {
	case 0:
		return "   gone at the end"
	case 1:
		return fmt.Sprintf("   line %d", region.End)
	default:
		return fmt.Sprintf("   lines %d to %d", region.Start+1, region.End)
	}
}

// commits are those that a row has knots for.
func (r gridRow) commits() (commits []int) {
	if r.place != wholeFile {
		return r.file.Regions[r.place].Commits
	}
	for _, cell := range r.file.Cells {
		commits = append(commits, cell.Commit)
	}
	return commits
}

// line draws one row: its commits as knots on a thread.
func (g *grid) line(width, names, until int, row gridRow, here bool, theme kit.Theme) string {
	backdrop, pointer := kit.Cursor(theme, here, 2)
	style := theme.Plain
	if row.place != wholeFile {
		style = theme.Dim
	}
	commits := row.commits()
	segs := []kit.Seg{pointer, {Text: safe.Show(kit.Fit(row.name(), names) + "  "), Style: style}}
	for c := g.left; c < until; c++ {
		before, after := g.threadAt(row, commits, c-1), g.threadAt(row, commits, c)
		knot, style := after, g.thread(after, theme)
		if slices.Contains(commits, c) {
			knot, style = "■", theme.Now
			if c == g.column {
				style = theme.Accent
			}
		}
		segs = append(segs, kit.Seg{Text: safe.Show(before + before), Style: g.thread(before, theme)},
			kit.Seg{Text: safe.Show(knot), Style: style}, kit.Seg{Text: safe.Show(after), Style: g.thread(after, theme)})
	}
	return kit.Row(width, backdrop, segs...)
}

// threadAt is a row's thread between a commit's column and the next one.
func (g *grid) threadAt(row gridRow, commits []int, column int) string {
	if commits[0] > column || column >= commits[len(commits)-1] {
		return " "
	}
	if row.place != wholeFile {
		return "━"
	}
	for _, o := range g.matrix().Overlaps {
		if o.Path == row.file.Path && o.Older <= column && column < o.Newer {
			return "━"
		}
	}
	return "─"
}

func (g *grid) thread(text string, theme kit.Theme) kit.Style {
	if text == "━" {
		return theme.Next
	}
	return theme.Quiet
}

// foot says what the commit at the cursor cannot move past.
func (g *grid) foot(width int, theme kit.Theme) []string {
	m := g.matrix()
	c := m.Commits[g.column]
	rows := []string{kit.Blank(width), kit.Row(width, nil, kit.Seg{Text: safe.Show(fmt.Sprintf("  %d  %s", g.column+1,
		safe.Line(repo.Subject(c.Message)))), Style: theme.Strong})}
	say := func(older, newer int, what string) {
		var paths []string
		for _, o := range m.Of(older, newer) {
			paths = append(paths, safe.Line(o.Path))
		}
		if len(paths) > 0 && len(rows) < gridFeet {
			rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show(fmt.Sprintf("     %s in %s", what, strings.Join(paths, ", "))),
				Style: theme.Dim}))
		}
	}
	for i := range m.Commits {
		other := fmt.Sprintf("%d, %s,", i+1, safe.Line(repo.Subject(m.Commits[i].Message)))
		say(i, g.column, "touches lines of "+other)
		say(g.column, i, "its lines are touched by "+other)
	}
	if len(rows) == 2 {
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: "     no other commit touches its lines: it can be moved freely",
			Style: theme.Dim}))
	}
	return kit.Pad(rows, width, gridFeet)
}
