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
	"bastel/internal/wording"
)

// Name is the screen's name.
const Name = "Map"

// Model is the screen: what it works with, the branches, where one is among them, and what lies over them.
type Model struct {
	ctx      context.Context
	app      *app.App
	charting *charting.App

	branching
	cursors
	readOut kit.Reading[app.ReadOut]
	version kit.Reading[shownVersion]
	over    kit.Over // what is looked at, or the story of a file; nil: the chart
}

// branching is the branches as they are, and as steps will make them.
type branching struct {
	status app.BranchStatus
	show   charting.Show
	sought string // a branch that was looked for: the cursor goes there once the chart has it
	chosen bool   // what to show is known: what was kept, or what keys chose since
	keeper kit.Keeper
	tips   kit.Reading[[]charting.Branch] // until the chart is there
	now    kit.Reading[charting.Chart]
	next   kit.Reading[outlook] // as it will be, with the steps
	steps  []charting.Step
}

// cursors are where one is, and how that is laid out.
type cursors struct {
	cursor  place
	open    map[string]bool // branches whose commits have rows of their own
	laid    []row           // for laidFor; nil: what they show has changed
	laidFor kit.Size
	top     int
	half    kit.Half
	size    kit.Size
	marked  string // the point to compare with; empty: the target
}

// place is where the cursor is: a row, and how far from the line. What stands there is kept when rows come and go.
type place struct {
	row, item int
	wanted    int // how far from the line it was before it came to a shorter row
	branch    string
	commit    repo.ID
	named     bool // it is on the branch's name
	own       bool // it is on a commit that has a row of its own
}

// New makes the screen.
func New(ctx context.Context, a *app.App) *Model {
	return &Model{ctx: ctx, app: a, charting: charting.Of(a), cursors: cursors{cursor: place{row: -1}}}
}

// Name gives the screen's name.
func (m *Model) Name() string { return Name }

// Shows are the topics that the screen is about.
func (m *Model) Shows() repo.Topics { return repo.Refs | repo.Configuration }

// Failed is why not all could be read anew.
func (m *Model) Failed() error { return cmp.Or(m.now.Err, m.readOut.Err, m.version.Err) }

// Situated reads the branches anew.
func (m *Model) Situated(s app.BranchStatus) tea.Cmd {
	m.status = s
	return m.read()
}

func (m *Model) read() tea.Cmd {
	show, steps := m.show, slices.Clone(m.steps)
	var cmds []tea.Cmd
	if m.chosen {
		cmds = append(cmds, m.now.Begin(m.ctx, Name, func(ctx context.Context) (charting.Chart, error) {
			return m.charting.Chart(ctx, show)
		}))
	} else {
		cmds = append(cmds, m.first())
	}
	if len(steps) > 0 {
		cmds = append(cmds, m.readNext())
	}
	if !m.now.Known { // the walk may take its time: names and dates are there first
		cmds = append(cmds, m.tips.Begin(m.ctx, Name, m.charting.Tips))
	}
	return tea.Batch(cmds...)
}

// first reads the chart for the first time: the nearest branches are there before the others, from the one at work on, since
// the cursor begins there.
func (m *Model) first() tea.Cmd {
	return m.now.BeginParts(m.ctx, Name, func(ctx context.Context, part func(charting.Chart)) (charting.Chart, error) {
		return m.charting.Grow(ctx, m.charting.Shown(), func(c charting.Chart) {
			if c.AtWork() {
				part(c)
			}
		})
	})
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
		will.All, will.Also, will.Line = show.All, show.Also, show.Line
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
	commit   repo.ID
	out      *app.ReadOut         // of the commit
	compared *charting.Comparison // nil: it is a commit
	from     string               // the screen that asked; empty: this one
}

// sides are the commit that is looked at, or the newer of two points, and the older one.
func (f found) sides() (commit, before repo.ID) {
	if f.compared == nil {
		return f.commit, repo.ID{}
	}
	if strings.HasPrefix(f.compared.Points[1], "@") {
		return repo.ID{}, repo.ID{}
	}
	return f.compared.Tips[1], f.compared.Tips[0]
}

// done says that steps are done: they are planned no longer.
type done struct{}

// Update takes what was read.
func (m *Model) Update(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case kit.Read[charting.Chart]:
		return m.takeChart(msg)
	case kit.Read[outlook]:
		return m.takeOutlook(msg)
	case kit.Read[app.ReadOut]:
		m.readOut.Take(msg)
	case kit.Found[kit.Choose]:
		return kit.Show(msg.Value)
	case kit.Found[found]:
		m.lookAt(msg.Value)
		if msg.Value.from != "" {
			return kit.Show(kit.Go{Screen: Name})
		}
	case done:
		m.clear()
	case Against:
		return m.against(msg)
	case StoryOf:
		return m.tellStory(msg)
	case kit.Found[kit.Launch]:
		return kit.Show(msg.Value)
	case kit.Found[told]:
		return m.openStory(msg.Value)
	case kit.Read[shownVersion]:
		m.takeVersion(msg)
	case kit.Found[merged]:
		return m.planMerged(msg.Value.names)
	case kit.Read[[]charting.Branch]:
		m.tips.Take(msg)
	}
	return nil
}

// takeChart shows the chart, or the part of it that is known.
func (m *Model) takeChart(msg kit.Read[charting.Chart]) tea.Cmd {
	if !m.now.Take(msg) {
		return nil
	}
	if !m.chosen { // what was kept; later keys choose
		m.show, m.chosen = msg.Value.Show, true
	}
	before := m.cursor.row - m.top
	m.laid = nil
	m.find()
	if before >= 0 { // older places come above, and what is looked at stays where it is
		m.top = max(0, m.cursor.row-before)
	}
	return tea.Batch(m.tell(), msg.More())
}

// branchHere is the local branch that the cursor means: by its name, or by one of its commits.
func (m *Model) branchHere() (charting.Branch, bool) {
	b, ok := m.branchAt()
	return b, ok && !b.Remote
}

// tell reads the commit at the cursor out.
func (m *Model) tell() tea.Cmd {
	id := m.commitHere()
	if id.IsZero() || m.readOut.Known && m.readOut.Value.ID == id {
		return nil
	}
	return m.readOut.Begin(m.ctx, Name, func(ctx context.Context) (app.ReadOut, error) { return m.app.ReadOut(ctx, id) })
}

func (m *Model) all() tea.Cmd {
	m.show.All = !m.show.All
	says := "All branches are shown."
	if !m.show.All {
		says = "Shown are the branch at work, its stack, yours and recent ones."
	}
	return tea.Batch(m.read(), m.keepShow(), kit.Say(says))
}

// keepShow keeps which branches are on show.
func (m *Model) keepShow() tea.Cmd {
	show := m.show
	return m.keeper.Command(func() error { return m.charting.KeepShown(show) })
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

// search finds branches, on show or not, and the commits on the chart.
func (m *Model) search() tea.Cmd {
	var options []kit.Option
	shown := map[string]bool{}
	for r, row := range m.rows() {
		for i, item := range row.items {
			label, detail := item.branch, item.subject
			if item.kind == mark || item.kind == line {
				label, detail = item.subject, strings.TrimSpace(item.branch+"  "+item.author)
			}
			if label == "" {
				continue
			}
			shown[item.branch] = shown[item.branch] || item.kind == name
			options = append(options, kit.Option{Label: safe.Line(label), Detail: safe.Line(detail), Key: item.commit.Short(),
				Do: m.goBack(place{row: r, item: i}), Look: kit.LookAt(m.app, item.commit)})
		}
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (kit.Choose, error) {
		tips, err := m.charting.Tips(ctx)
		for _, b := range tips {
			if shown[b.Name] || b.Ref == "HEAD" {
				continue
			}
			options = append(options, kit.Option{Label: safe.Line(b.Name), Detail: "not on the chart so far", Key: b.Tip.Short(),
				Do: m.showAlso(b), Look: kit.LookAt(m.app, b.Tip)})
		}
		return kit.Choose{Title: "Find on the chart", Options: options}, err
	})
}

func (m *Model) goBack(p place) func() tea.Cmd {
	return func() tea.Cmd {
		m.cursor = p
		m.keepOn(m.rows())
		return m.tell()
	}
}

// showAlso puts a branch on the chart that was looked for, and goes there.
func (m *Model) showAlso(b charting.Branch) func() tea.Cmd {
	return func() tea.Cmd {
		m.show.Also, m.sought = append(m.show.Also[:len(m.show.Also):len(m.show.Also)], b.Name), b.Name
		return m.read()
	}
}

// Explain says in the help what is shown.
func (m *Model) Explain() (title, text string) {
	if m.over != nil {
		return m.over.Explain()
	}
	return "Map", "Down the middle runs the line of " + safe.Line(m.now.Value.Target.Name) +
		", oldest first; the number beside a commit counts those of " +
		"the line before it that are not shown. On the left each branch hangs from the commit where it left, its commits as numbers from the " +
		"line outward, what others made as initials, what no remote has in brackets, many as a count. A branch that sits on another goes on " +
		"from it. On the right stand the branches as they will hang once the planned steps are done; with none planned, the commit or " +
		"branch at the cursor is described. " +
		fmt.Sprintf("%s on show, %d not.", wording.Count(m.now.Value.Branches-m.now.Value.Others, "branch"), m.now.Value.Others)
}
