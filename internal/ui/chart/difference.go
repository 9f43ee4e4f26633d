package chart

import (
	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
	"cmp"
	"fmt"
	"slices"

	tea "charm.land/bubbletea/v2"
)

// difference is what is looked at: what a commit changes, or what is between two points.
type difference struct {
	screen         *Model
	title          string
	look           stream.Model
	compared       *charting.Comparison // nil: of a commit
	looked, before repo.ID              // whose content that is, and what it is compared with; zero: of what is not committed
	cameFrom       string               // the screen to go back to; empty: the chart
	out            *app.ReadOut         // of the commit
	story          *story               // that lies below it; nil: the chart
	above          int                  // rows above the difference, as it was drawn
	size           kit.Size
}

// lookAt shows what was found, over the story that is on show, if one is.
func (m *Model) lookAt(f found) {
	d := &difference{screen: m, title: f.title, compared: f.compared, cameFrom: f.from, out: f.out, story: m.storyShown()}
	d.looked, d.before = f.sides()
	d.look.Set(f.files)
	m.over = d
}

// leave goes back to what lies below, or to the screen that asked.
func (d *difference) leave() tea.Cmd {
	if d.screen.over = nil; d.story != nil {
		d.screen.over = d.story
	}
	if d.cameFrom == "" {
		return nil
	}
	return kit.Show(kit.Go{Screen: d.cameFrom})
}

// Explain says what it is for.
func (d *difference) Explain() (title, text string) {
	return "A difference", "What the commit at the cursor changes, or what lies between two points. space marks lines, Y takes them, or the " +
		"hunk or file at the cursor."
}

// Actions lists what can be done in it.
func (d *difference) Actions() []kit.Action {
	m := d.screen
	there := "the chart"
	if d.story != nil {
		there = "the story"
	}
	back := kit.Act(action.Back, true, d.leave).Named("back to " + cmp.Or(d.cameFrom, there))
	alone := d.compared == nil && d.story == nil
	next := kit.Act(action.NextCommit, alone, func() tea.Cmd { return m.onward(1) })
	previous := kit.Act(action.PreviousCommit, alone, func() tea.Cmd { return m.onward(-1) })
	moves := kit.Navigator{Move: d.look.Move, Page: d.look.Page, End: d.look.End}
	mark := kit.Act(action.MarkTaken, !d.looked.IsZero(), d.mark)
	take := kit.Act(action.TakeHere, !d.looked.IsZero(), d.take)
	search := kit.Asking(action.Search, true, func() tea.Cmd { return kit.Show(d.look.Find("Find in the difference")) })
	own := []kit.Action{back, mark, take, next, previous, search, kit.Copies(d.out)}
	return slices.Concat(own, kit.Hunks(true, d.look.Hunk, d.look.File), moves.Actions())
}

// View draws it beside the branches, or beside the commits of a story; a comparison has both halves.
func (d *difference) View(size kit.Size, theme kit.Theme) []string {
	d.size = size
	if d.compared == nil && !size.Narrow && (d.story != nil || d.screen.now.Known) {
		return d.beside(size, theme)
	}
	return d.alone(size, theme)
}

// alone shows what a commit changes, or what is between two points: the commits on either side in Now, what differs in Next.
func (d *difference) alone(size kit.Size, theme kit.Theme) []string {
	rows := []string{kit.Row(size.Width, nil, kit.Seg{Text: "▰ ", Style: theme.Accent},
		kit.Seg{Text: safe.Show(d.title), Style: theme.Strong})}
	rows = append(append(rows, d.outView(size, theme)...), kit.Blank(size.Width))
	d.above = len(rows)
	height := max(1, size.Height-len(rows))
	if d.compared == nil || size.Narrow {
		return kit.Pad(append(rows, d.look.View(size.Width, height, true, stream.Cool, theme)...), size.Width, size.Height)
	}
	left, between, right := kit.Columns(size, 3)
	sides := kit.Pad(d.sidesView(left, height, theme), left, height)
	differ := kit.Pad(d.look.View(right, height, true, stream.Cool, theme), right, height)
	return kit.Pad(append(rows, kit.Join(sides, kit.Pad(nil, between, height), differ)...), size.Width, size.Height)
}

// beside draws what is looked at beside the branches, or beside the commits of a file's story.
func (d *difference) beside(size kit.Size, theme kit.Theme) []string {
	width, beside := kit.Beside(size)
	height := size.Height - headRows
	var half []string
	m := d.screen
	if d.story != nil {
		half = append(kit.Pad([]string{d.story.heading(width, theme, size.Narrow)}, width, headRows), d.story.list(width, height, theme)...)
	} else {
		half = kit.Pad([]string{kit.Heading(width, "Now", m.shown(), false, theme.Now, theme, false)}, width, headRows)
		rows := m.rows()
		m.top = kit.Scroll(m.top, max(0, m.cursor.row), height, len(rows)+1)
		for i := m.top; i < min(len(rows), m.top+height); i++ {
			half = append(half, m.drawLeft(rows[i], i, width, theme))
		}
	}
	return kit.JoinLook(kit.Now, kit.Pad(half, width, size.Height), kit.Pad(d.alone(beside, theme), beside.Width, size.Height))
}

// outView tells of the commit that is looked at, as far as there is room beside what it changes: C copies all of it.
func (d *difference) outView(size kit.Size, theme kit.Theme) (rows []string) {
	if d.out == nil {
		return nil
	}
	return kit.LookHeader(d.out.Header(), size, theme)
}

// sidesView lists the commits that only one of two points has.
func (d *difference) sidesView(width, height int, theme kit.Theme) []string {
	c := d.compared
	var rows []string
	for i, only := range c.Only {
		n := len(only) + c.More[i]
		head := fmt.Sprintf("only in %s: %s", d.screen.pointName(c.Points[i]), wording.Count(n, "commit"))
		rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + head), Style: theme.Now.Bold(true)}))
		shown := only[max(0, len(only)-max(1, height/2-3)):]
		for _, s := range slices.Backward(shown) {
			rows = append(rows, kit.Split(width, nil, []kit.Seg{{Text: safe.Show("  " + s.ID.Short() + "  "), Style: theme.Dim},
				{Text: safe.Show(safe.Line(s.Commit.Subject())), Style: theme.Plain}}, kit.Seg{Text: safe.Show(c.Became(s.ID)), Style: theme.Dim}))
		}
		if more := n - len(shown); more > 0 {
			rows = append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show(fmt.Sprintf("  and %d before", more)), Style: theme.Dim}))
		}
		rows = append(rows, kit.Blank(width))
	}
	files := "no file differs"
	if n := len(c.Files); n > 0 {
		added, removed := 0, 0
		for _, f := range c.Files {
			changed := app.FileChanged(f)
			added, removed = added+changed.Added, removed+changed.Removed
		}
		files = fmt.Sprintf("%s  +%d −%d", wording.Count(n, "file"), added, removed)
	}
	return append(rows, kit.Row(width, nil, kit.Seg{Text: safe.Show("  " + files), Style: theme.Next}))
}

// Click goes to a line.
func (d *difference) Click(x, y int) {
	if d.compared != nil && !d.size.Narrow {
		d.look.ClickIn(kit.Next, d.size, x, y-d.above)
		return
	}
	if column, ok := kit.LookAtColumn(kit.Now, d.size, x); ok {
		d.look.Click(column, y-d.above)
	}
}

// Wheel scrolls.
func (d *difference) Wheel(_, turns int) { d.look.Move(3 * turns) }

// mark marks the line at the cursor, to be taken.
func (d *difference) mark() tea.Cmd {
	if d.look.Mark() {
		return nil
	}
	return kit.Say("Only added and removed lines can be marked.")
}

// take asks in which form what is picked of a difference comes here: the marked lines, else the hunk at the cursor, else
// the file.
func (d *difference) take() tea.Cmd {
	m := d.screen
	selected := d.look.Picked()
	path, _, ok := d.look.BaseAt()
	if !ok || len(selected) == 0 {
		return kit.Say("Put the cursor on what is to be taken: a hunk, or a file; space marks lines.")
	}
	what := wording.Count(len(selected), "hunk")
	if n := d.look.Marked(); n > 0 {
		what = wording.Count(n, "line")
	}
	newer, older := d.looked, d.before
	at, _ := d.look.FileAt(newer, repo.ID{})
	choose := kit.Choose{Title: "Take " + what + " of " + safe.Line(path) + " how?"}
	choose.Options = append(m.source(older, newer, selected).Options(m.ctx), []kit.Option{
		{Key: "e", Label: "as an entry of the plan", Detail: "of " + safe.Line(m.status.Work.Branch()) + ", in Shape, with its message",
			Do: func() tea.Cmd { return m.takeIntoPlan(older, newer, selected) }},
		{Key: "w", Label: "the whole file as it is there", Detail: safe.Line(at.Path) + ", in place of what the working tree has",
			Do: func() tea.Cmd { return m.takeFile(newer.String(), at.Path, false) }},
	}...)
	if d.compared == nil {
		all := m.source(older, newer, nil).Options(m.ctx)
		choose.Options = append(choose.Options,
			kit.Option{Key: "a", Label: "all of the commit, as loose changes", Detail: "whatever is marked",
				Look: all[0].Look, Do: all[0].Do},
			kit.Option{Key: "p", Label: "all of the commit, as an entry of the plan",
				Detail: "of " + safe.Line(m.status.Work.Branch()) + ", in Shape",
				Do:     func() tea.Cmd { return m.takeIntoPlan(older, newer, nil) }})
	}
	return kit.Show(choose)
}
