// Package chart is the screen of the branches, Map: down the middle runs the target's line, on the left each branch
// hangs from the commit where it left, and on the right as it will hang once the planned steps are done.
//
// Its tests promise: the cursor keeps its place when branches come and go; its keys are pressed by the tests of ui and
// test/tmux.
package chart

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
	"bastel/internal/wording"
)

// Name is the screen's name.
const Name = "Map"

// Model is the screen.
type Model struct {
	ctx      context.Context
	app      *app.App
	charting *charting.App

	status app.BranchStatus
	show   charting.Show
	keeper kit.Keeper
	tips   kit.Reading[[]charting.Branch] // until the chart is there
	now    kit.Reading[charting.Chart]
	next   kit.Reading[outlook] // as it will be, with the steps
	steps  []charting.Step

	cursor   place
	laid     []row // for laidFor; nil: what they show has changed
	laidFor  kit.Size
	top      int
	half     kit.Half
	size     kit.Size
	readOut  kit.Reading[app.ReadOut]
	marked   string               // the point to compare with; empty: the target
	compared *charting.Comparison // what is looked at is between two points; nil: of a commit
	looking  bool
	cameFrom string // the screen to go back to from there; empty: the chart
	look     stream.Model
	title    string
}

// place is where the cursor is: a row, and how far from the line. What stands there is kept when rows come and go.
type place struct {
	row, item int
	wanted    int // how far from the line it was before it came to a shorter row
	branch    string
	commit    repo.ID
	named     bool // it is on the branch's name
}

// New makes the screen.
func New(ctx context.Context, a *app.App) *Model {
	return &Model{ctx: ctx, app: a, charting: charting.Of(a), cursor: place{row: -1}}
}

// Name gives the screen's name.
func (m *Model) Name() string { return Name }

// Shows are the topics that the screen is about.
func (m *Model) Shows() repo.Topics { return repo.Refs | repo.Configuration }

// Failed is why not all could be read anew.
func (m *Model) Failed() error { return cmp.Or(m.now.Err, m.readOut.Err) }

// Situated reads the branches anew.
func (m *Model) Situated(s app.BranchStatus) tea.Cmd {
	m.status = s
	return m.read()
}

func (m *Model) read() tea.Cmd {
	show, steps, first := m.show, slices.Clone(m.steps), !m.now.Known
	cmds := []tea.Cmd{m.now.Begin(m.ctx, Name, func(ctx context.Context) (charting.Chart, error) {
		if first {
			show = m.charting.Shown()
		}
		return m.charting.Chart(ctx, show)
	})}
	if len(steps) > 0 {
		cmds = append(cmds, m.readNext())
	}
	if !m.now.Known { // the walk may take its time: names and dates are there first
		cmds = append(cmds, m.tips.Begin(m.ctx, Name, m.charting.Tips))
	}
	return tea.Batch(cmds...)
}

// readNext works out how the branches will hang.
func (m *Model) readNext() tea.Cmd {
	show, steps := m.show, slices.Clone(m.steps)
	return m.next.Begin(m.ctx, Name, func(ctx context.Context) (o outlook, err error) {
		will := charting.Show{}
		for o.steps = steps; len(o.steps) > 0; o.steps = o.steps[:len(o.steps)-1] {
			if will, err = m.charting.Look(ctx, o.steps); err == nil {
				break
			}
			o.refused = err
			if !errors.As(err, new(*app.Refusal)) {
				return o, err
			}
		}
		will.All, will.Line = show.All, show.Line
		o.chart, err = m.charting.Chart(ctx, will)
		return o, err
	})
}

// outlook is how the branches will hang: with those steps that are possible, up to the first that is not.
type outlook struct {
	chart   charting.Chart
	steps   []charting.Step
	refused error // why the one after them is not possible
}

// found is what differs: by a commit, or between two points.
type found struct {
	title    string
	files    []tray.File
	compared *charting.Comparison // nil: it is a commit
	from     string               // the screen that asked; empty: this one
}

// done says that steps are done: they are planned no longer.
type done struct{}

// Update takes what was read.
func (m *Model) Update(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case kit.Read[charting.Chart]:
		first := !m.now.Known
		if m.now.Take(msg) {
			if first { // what was kept; later keys choose
				m.show = msg.Value.Show
			}
			m.laid = nil
			m.find()
			return m.tell()
		}
	case kit.Read[outlook]:
		return m.takeOutlook(msg)
	case kit.Read[app.ReadOut]:
		m.readOut.Take(msg)
	case kit.Found[kit.Choose]:
		return kit.Show(msg.Value)
	case kit.Found[found]:
		m.looking, m.title, m.look, m.compared = true, msg.Value.title, stream.Model{}, msg.Value.compared
		m.look.Set(msg.Value.files)
		if m.cameFrom = msg.Value.from; m.cameFrom != "" {
			return kit.Show(kit.Go{Screen: Name})
		}
	case done:
		m.clear()
	case Against:
		return m.against(msg)
	case kit.Found[merged]:
		return m.planMerged(msg.Value.names)
	case kit.Read[[]charting.Branch]:
		m.tips.Take(msg)
	}
	return nil
}

// takeOutlook takes how the branches will hang. Steps that are not possible are dropped, and named.
func (m *Model) takeOutlook(read kit.Read[outlook]) tea.Cmd {
	if !m.next.Take(read) {
		return nil
	}
	if m.laid = nil; read.Value.refused == nil {
		return nil
	}
	dropped := m.steps[min(len(m.steps), len(read.Value.steps)):]
	m.steps = read.Value.steps
	said := app.Explain(read.Value.refused)
	if len(dropped) > 1 {
		var names []string
		for _, step := range dropped[1:] {
			names = append(names, says(step))
		}
		said += " Dropped with it: " + strings.Join(names, ", ") + "."
	}
	if len(m.steps) == 0 {
		m.clear()
	}
	return kit.Show(kit.Notice{Text: said, Trouble: true})
}

// plan adds a step to what Next shows.
func (m *Model) plan(step charting.Step) tea.Cmd {
	m.steps = append(slices.Clone(m.steps), step)
	return m.readNext()
}

// undo forgets the last planned step.
func (m *Model) undo() tea.Cmd {
	m.steps = m.steps[:len(m.steps)-1]
	if len(m.steps) == 0 {
		return m.clear()
	}
	return m.readNext()
}

func (m *Model) clear() tea.Cmd {
	m.steps, m.laid = nil, nil
	m.next.Forget()
	return nil
}

// apply does all planned steps at once. What only the journal would hold then is asked about.
func (m *Model) apply() tea.Cmd {
	if m.steps[0].Kind == charting.Landed {
		return m.askLanding()
	}
	return m.do(m.steps, false)
}

func (m *Model) do(steps []charting.Step, yes bool) tea.Cmd {
	return m.doWith(m.charting.Do, steps, yes)
}

// goes says whether steps go to another branch.
func goes(steps []charting.Step) bool {
	return slices.ContainsFunc(steps, func(s charting.Step) bool { return s.Kind == charting.Gone })
}

func (m *Model) doWith(do func(context.Context, []charting.Step, bool) (charting.Outcome, error), steps []charting.Step, yes bool) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{Title: "Changing branches", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		outcome, err := do(ctx, steps, yes)
		if err != nil && len(outcome.Commits) > 0 && !yes {
			return kit.Got{Msg: kit.Ask{Question: app.QuestionOf(err) + " y does it; the journal keeps them.", Key: "y",
				Yes: m.doWith(do, steps, true)}}, nil
		}
		if errors.Is(err, repo.ErrInTheWay) && goes(steps) {
			_, files, _ := strings.Cut(err.Error(), "\n")
			why := strings.Join(strings.Split(safe.Text(files), "\n"), ", ") + ": loose or staged, and in the way."
			return kit.Got{Msg: kit.Ask{Question: why + " y puts all loose changes aside with " + safe.Line(m.status.Head.Branch()) + " and goes.",
				Key: "y",
				Yes: m.doWith(m.charting.GoAside, steps, yes)}}, nil
		}
		if err != nil {
			return kit.Got{}, err
		}
		note := wording.Count(len(steps), "step") + " done. u undoes all of it."
		if len(steps) == 1 {
			note = says(steps[0]) + ": done. u undoes it."
		}
		if outcome.Aside > 0 {
			note += " Changes of " + wording.Count(outcome.Aside, "file") + " were put aside."
		}
		if outcome.Back > 0 {
			note += " " + wording.Count(outcome.Back, "file") + " that were put aside here are back."
		}
		if outcome.Warning != "" {
			note += " But " + safe.Line(outcome.Warning)
		}
		return kit.Got{Note: note, Msg: kit.ForScreen{Screen: Name, Msg: done{}}}, nil
	}})
}

// says tells of a step in a few words.
func says(s charting.Step) string {
	branch := safe.Line(s.Branch)
	switch s.Kind {
	case charting.Made:
		return "make " + branch + " at " + safe.Line(s.Point)
	case charting.Renamed:
		return "call " + branch + " " + safe.Line(s.Name)
	case charting.Deleted:
		return "delete " + branch
	case charting.Landed:
		return "land " + branch
	case charting.Put:
		return "move " + branch + " to " + safe.Line(strings.Replace(s.Point, charting.Upstream, "where its remote has it", 1))
	}
	return "check out " + branch
}

// branchHere is the local branch that the cursor means: by its name, or by one of its commits.
func (m *Model) branchHere() (charting.Branch, bool) {
	b, ok := m.branchAt()
	return b, ok && !b.Remote
}

// lookInto shows what the commit at the cursor changes.
func (m *Model) lookInto() tea.Cmd {
	id := m.commitHere()
	if id.IsZero() {
		return nil
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (found, error) {
		out, err := m.app.ReadOut(ctx, id)
		if err != nil {
			return found{}, err
		}
		files, err := m.app.CommitChanges(ctx, id)
		return found{title: id.Short() + "  " + safe.Line(out.Subject), files: files}, err
	})
}

// markHere marks the point at the cursor, or clears the mark.
func (m *Model) markHere() {
	here, _ := m.here()
	if point := pointOf(here); point != m.marked {
		m.marked = point
		return
	}
	m.marked = ""
}

// pointOf is how a point is named: a branch by its name, else the commit.
func pointOf(here item) string {
	if here.kind == name {
		return here.branch
	}
	return here.commit.String()
}

// compare compares the point at the cursor with the marked one, or with the target.
func (m *Model) compare() tea.Cmd {
	here, _ := m.here()
	from, to := m.marked, pointOf(here)
	if from == "" {
		from = m.now.Value.Target.ID.String()
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (found, error) {
		c, err := m.charting.Compare(ctx, from, to)
		return found{title: m.pointName(from) + "  →  " + m.pointName(to), files: c.Files, compared: &c}, err
	})
}

// Against asks to compare the branch at work with its target, and to come back to a screen.
type Against struct{ From string }

func (m *Model) against(asked Against) tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (found, error) {
		work, err := m.app.AtWork(ctx)
		if err != nil {
			return found{}, err
		}
		target, err := m.app.FindTarget(ctx, work.Branch())
		if err != nil {
			return found{}, err
		}
		if target.ID.IsZero() || work.Commit.IsZero() {
			return found{}, app.Refuse("There is no target to compare with. B chooses one.")
		}
		tip := cmp.Or(work.Branch(), work.Commit.String())
		c, err := m.charting.Compare(ctx, target.Name, tip)
		return found{title: safe.Line(target.Name) + "  →  " + m.pointName(tip), files: c.Files, compared: &c, from: asked.From}, err
	})
}

// back leaves what is looked at.
func (m *Model) back() tea.Cmd {
	from := m.cameFrom
	if m.looking, m.cameFrom = false, ""; from == "" {
		return nil
	}
	return kit.Show(kit.Go{Screen: from})
}

// pointName is a point as people say it.
func (m *Model) pointName(point string) string {
	id, err := repo.ParseID(point)
	switch {
	case err != nil:
		return safe.Line(point)
	case id == m.now.Value.Target.ID:
		return safe.Line(m.now.Value.Target.Name)
	}
	return id.Short()
}

// tell reads the commit at the cursor out.
func (m *Model) tell() tea.Cmd {
	id := m.commitHere()
	if id.IsZero() || m.readOut.Known && m.readOut.Value.ID == id {
		return nil
	}
	return m.readOut.Begin(m.ctx, Name, func(ctx context.Context) (app.ReadOut, error) { return m.app.ReadOut(ctx, id) })
}

// create asks for the name of a new branch at the cursor.
func (m *Model) create() tea.Cmd {
	point, name := m.commitHere().String(), ""
	if b, ok := m.branchAt(); ok && b.Remote && b.Tip == m.commitHere() {
		point = b.Name
		_, name, _ = strings.Cut(b.Name, "/")
	}
	return kit.Show(kit.Edit{Title: "Name of the new branch", Text: name, Done: func(text string) tea.Cmd {
		return m.plan(charting.Step{Kind: charting.Made, Branch: strings.TrimSpace(text), Point: point})
	}})
}

func (m *Model) rename() tea.Cmd {
	b, _ := m.branchHere()
	return kit.Show(kit.Edit{Title: "New name of " + safe.Line(b.Name), Text: b.Name, Done: func(text string) tea.Cmd {
		return m.plan(charting.Step{Kind: charting.Renamed, Branch: b.Name, Name: strings.TrimSpace(text)})
	}})
}

// drop deletes the branch at the cursor, or keeps it after all.
func (m *Model) drop() tea.Cmd {
	b, _ := m.branchHere()
	if b.Here && !goes(m.steps) {
		return kit.Say(safe.Line(b.Name) + " is checked out here, so it cannot go. Check another branch out first: o.")
	}
	return m.toggle(charting.Step{Kind: charting.Deleted, Branch: b.Name})
}

// merged are the branches that the line has all of.
type merged struct{ names []string }

// dropMerged plans to delete the branches that the line has all of.
func (m *Model) dropMerged() tea.Cmd {
	line := m.show.Line
	return kit.Find(m.ctx, Name, func(ctx context.Context) (merged, error) {
		names, err := m.charting.Merged(ctx, line)
		return merged{names}, err
	})
}

// planMerged adds their deletion to the steps; those of which something else is planned are left alone.
func (m *Model) planMerged(names []string) tea.Cmd {
	planned := len(m.steps)
	for _, name := range names {
		if !slices.ContainsFunc(m.steps, func(s charting.Step) bool { return s.Branch == name }) {
			m.steps = append(slices.Clone(m.steps), charting.Step{Kind: charting.Deleted, Branch: name})
		}
	}
	if len(m.steps) == planned {
		return kit.Say("No other branch is all in " + safe.Line(m.now.Value.Target.Name) + ".")
	}
	return m.readNext()
}

// toggle plans a step, or forgets it again.
func (m *Model) toggle(step charting.Step) tea.Cmd {
	if at := slices.Index(m.steps, step); at >= 0 {
		m.steps = slices.Delete(slices.Clone(m.steps), at, at+1)
		if len(m.steps) == 0 {
			return m.clear()
		}
		return m.readNext()
	}
	return m.plan(step)
}

func (m *Model) goThere() tea.Cmd {
	b, _ := m.branchHere()
	return m.plan(charting.Step{Kind: charting.Gone, Branch: b.Name})
}

// put asks where the branch at the cursor moves to.
func (m *Model) put() tea.Cmd {
	b, _ := m.branchHere()
	to := func(point string) func() tea.Cmd {
		return func() tea.Cmd { return m.plan(charting.Step{Kind: charting.Put, Branch: b.Name, Point: point}) }
	}
	choose := kit.Choose{Title: "Where does " + safe.Line(b.Name) + " move to?"}
	if b.Upstream != "" {
		choose.Options = append(choose.Options, kit.Option{Label: "exactly as its remote has it",
			Detail: repo.Ref{Name: b.Upstream}.Short() + ", as last fetched", Do: to(charting.Upstream)})
	}
	c := m.now.Value
	if !c.Target.ID.IsZero() && c.Target.ID != b.Tip {
		choose.Options = append(choose.Options, kit.Option{Label: safe.Line(c.Target.Name), Key: c.Target.ID.Short(), Do: to(c.Target.Name),
			Look: kit.LookAt(m.app, c.Target.ID)})
	}
	for _, s := range c.Stacks {
		for _, segment := range s.Segments {
			if segment.Tip != b.Tip {
				choose.Options = append(choose.Options, kit.Option{Label: safe.Line(segment.Name), Key: segment.Tip.Short(), Do: to(segment.Name),
					Look: kit.LookAt(m.app, segment.Tip)})
			}
		}
	}
	for _, s := range c.Stacks {
		for _, segment := range s.Segments {
			for _, mark := range slices.Backward(segment.Commits) {
				if mark.ID != segment.Tip {
					choose.Options = append(choose.Options, kit.Option{Label: safe.Line(mark.Subject), Key: mark.ID.Short(),
						Detail: "a commit of " + safe.Line(segment.Name), Do: to(mark.ID.String()), Look: kit.LookAt(m.app, mark.ID)})
				}
			}
		}
	}
	return kit.Show(choose)
}

func (m *Model) workHere() tea.Cmd { return m.workAnd("", "") }

// workAnd makes the branch at the cursor the one at work, and goes on to a screen.
func (m *Model) workAnd(screen, says string) tea.Cmd {
	b, _ := m.branchHere()
	work := kit.Work[string]{Title: "Going to " + safe.Line(b.Name), Do: func(ctx context.Context, _ func(string)) (string, error) {
		return strings.TrimSpace(safe.Line(b.Name) + " is at work now. " + says), m.app.WorkOn(ctx, b.Name)
	}}
	if screen != "" {
		work.Then = kit.Show(kit.Go{Screen: screen})
	}
	return kit.Start(work)
}

func (m *Model) all() tea.Cmd {
	m.show.All = !m.show.All
	return tea.Batch(m.read(), m.keepShow())
}

// keepShow keeps which branches are on show.
func (m *Model) keepShow() tea.Cmd {
	show := m.show
	keep := m.keeper.Keep(func() error { return m.charting.KeepShown(show) })
	return func() tea.Msg {
		if err := keep(); err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		return nil
	}
}

// chooseLine offers the lines that branches can hang from.
func (m *Model) chooseLine() tea.Cmd {
	hang := func(name string) func() tea.Cmd {
		return func() tea.Cmd {
			m.show.Line = name
			return tea.Batch(m.read(), m.keepShow())
		}
	}
	choose := kit.Choose{Title: "From which line do the branches hang?", Options: []kit.Option{{Label: "the target of the branch at work",
		Detail: safe.Line(m.status.Target.Name), Do: hang("")}}}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (kit.Choose, error) {
		tips, err := m.charting.Tips(ctx)
		for _, b := range tips {
			choose.Options = append(choose.Options, kit.Option{Label: safe.Line(b.Name), Key: b.Tip.Short(), Do: hang(b.Name),
				Look: kit.LookAt(m.app, b.Tip)})
		}
		return choose, err
	})
}

// search finds branches and commits on the chart.
func (m *Model) search() tea.Cmd {
	choose := kit.Choose{Title: "Find on the chart"}
	for r, row := range m.rows() {
		for i, item := range row.items {
			p := place{row: r, item: i}
			label, detail := item.branch, item.subject
			if item.kind == mark || item.kind == line {
				label, detail = item.subject, strings.TrimSpace(item.branch+"  "+item.author)
			}
			if label == "" {
				continue
			}
			choose.Options = append(choose.Options, kit.Option{Label: safe.Line(label), Detail: safe.Line(detail), Key: item.commit.Short(),
				Do: func() tea.Cmd {
					m.cursor = p
					m.keepOn(m.rows())
					return m.tell()
				}, Look: kit.LookAt(m.app, item.commit)})
		}
	}
	return kit.Show(choose)
}

// Explain says in the help what is shown.
func (m *Model) Explain() (title, text string) {
	return "Map", "Down the middle runs the line of " + safe.Line(m.now.Value.Target.Name) +
		", oldest first; the number beside a commit counts those of " +
		"the line before it that are not shown. On the left each branch hangs from the commit where it left, its commits as numbers from the " +
		"line outward, what others made as initials, what no remote has in brackets, many as a count. A branch that sits on another goes on " +
		"from it. On the right stand the branches as they will hang once the planned steps are done; with none planned, what the cursor is on. " +
		fmt.Sprintf("%s on show, %d not.", wording.Count(m.now.Value.Branches-m.now.Value.Others, "branch"), m.now.Value.Others)
}
