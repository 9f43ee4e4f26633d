// Package shape is the screen where a branch is put in order: Now is the branch's
// commits, Next the series as it will be, and the seam ties each commit to what
// becomes of it.
package shape

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"sync"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/suggest"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// Name is the screen's name.
const Name = "Shape"

// mender is the screen that answers a plan's conflicts.
const mender = "Mend"

// Model is the screen.
type Model struct {
	ctx     context.Context
	app     *app.App
	reading kit.Reading[planned]
	why     string // why there is no plan: a no, not a failed reading
	plan    shape.Plan
	before  []shape.Plan // what undo goes back to
	after   []shape.Plan // what redo goes on to
	sources []app.Source
	target  app.Target

	half      kit.Half
	cursor    [2]int // by kit.Half: a source; an entry, or a source left out after those
	top       [2]int
	marked    map[repo.ID]bool // by an entry's first source
	size      kit.Size
	looking   bool // a commit's changes are shown in place of Next
	look      stream.Model
	lookAt    repo.ID // zero: the content at the end
	lookTitle string

	forecast *replay.Forecast
	trouble  string // why there is no forecast
	number   int    // of the latest plan: forecasts of older ones are passed over
	keeper   kit.Keeper
	cancel   context.CancelFunc
	writing  kit.MessageHelp

	extra     map[repo.ID]app.Source // commits made for the plan
	surveying kit.Reading[surveyed]
	matrix    suggest.Matrix
	published map[repo.ID]bool
	stack     []app.Stacked
	at        app.Situation
	then      string // the screen to go to once the plan is applied, which made a part of it
	beneath   string // what the series sits on, beyond its target
	base      string // the commit after which the series shall begin; empty: as Bastel finds it
	placing   inserted
	checked   sync.Map // by content: what the check said of it
	checkSoon bool     // the check was asked for before the forecast was there
	ideasSoon bool     // ideas were asked for before the commits were looked into
	sizes     []string // of the sources, in words
	split     *split   // the view that divides a commit; nil: the series
	grid      *grid    // the view of overlaps; nil: the series
}

// New makes the screen.
func New(ctx context.Context, a *app.App) *Model {
	return &Model{ctx: ctx, app: a, half: kit.Next, marked: map[repo.ID]bool{}}
}

// Name gives the screen's name.
func (m *Model) Name() string { return Name }

type planned struct {
	plan    shape.Plan
	sources []app.Source
	target  app.Target
	writing app.Writing
	note    string
	beneath string // what the series sits on, beyond its target
	number  int    // of the plan that was shown when the reading began
}

type forecasted struct {
	number   int
	forecast *replay.Forecast
	err      error
}

// ontos are the names of what a series can be put onto.
type ontos []string

// looked is what shows in place of Next: a commit's changes, or what is different at
// the end.
type looked struct {
	id    repo.ID // zero: the end
	title string
	files []tray.File
}

// Shows are the topics that the screen is about.
func (m *Model) Shows() repo.Topics { return repo.Refs | repo.Configuration | repo.UnderWay }

// Situated reads the plan's commits anew where the branch or its target moved.
func (m *Model) Situated(s app.Situation) tea.Cmd {
	if m.at = s; s.Work.Branch() != m.plan.Branch {
		m.base = ""
	}
	if m.reading.Known && m.reading.Err == nil && m.why == "" && s.Work.Commit == m.plan.Tip && s.Work.Branch() == m.plan.Branch && s.Target == m.target {
		return m.again()
	}
	return m.read(s.Target)
}

// again reads once more what failed: the commits' sizes and overlaps, the forecast.
func (m *Model) again() tea.Cmd {
	var cmds []tea.Cmd
	if m.surveying.Err != nil {
		cmds = append(cmds, m.survey())
	}
	if m.trouble != "" {
		cmds = append(cmds, m.show(m.plan))
	}
	return tea.Batch(cmds...)
}

// elsewhere says that the branch at work is not what is checked out: loose changes are none of its.
func (m *Model) elsewhere() bool { return m.at.Work.Ref != m.at.Head.Ref }

// Update takes what was read and forecast.
func (m *Model) Update(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case kit.Read[planned]:
		return m.take(msg)
	case kit.Read[surveyed]:
		return m.takeSurvey(msg)
	case kit.Found[looked]:
		if found := msg.Value; found.id.IsZero() || m.sourceOf(found.id).Commit != nil { // else the branch moved meanwhile
			m.lookAt, m.lookTitle, m.looking = found.id, found.title, true
			m.look = stream.Model{}
			m.look.Set(found.files)
		}
	case kit.Found[told]:
		if m.grid != nil {
			m.grid.tellIt(msg.Value)
		}
	case kit.Found[bases]:
		return m.offerBases(msg.Value)
	case kit.Found[differences]:
		return m.offerDifferences(msg.Value)
	case kit.Found[fillings]:
		return m.offerFillings(msg.Value)
	case kit.Found[sourceBranches]:
		return m.offerSources(msg.Value)
	case kit.Found[takeable]:
		return m.offerTakeable(msg.Value)
	case kit.Found[ontos]:
		return m.offerOntos(msg.Value)
	case laidOut:
		return kit.Show(kit.Launch{Dir: msg.scratch.Dir, Shell: msg.shell, Done: m.contentChanged(msg.at, msg.plan, msg.scratch)})
	case made:
		if msg.number != m.number {
			return kit.Show(kit.Notice{Text: "The plan was edited meanwhile. Do it again.", Trouble: true})
		}
		m.know(msg.sources)
		if msg.plan.Equal(m.plan) {
			return kit.Say("Nothing was changed, so the plan stays as it is.")
		}
		m.then = msg.then
		return m.set(msg.plan)
	case applied:
		m.before, m.after = nil, nil
		then := m.then
		m.then = ""
		if m.base = ""; then != "" {
			return kit.Show(kit.Go{Screen: then})
		}
	case inserted:
		m.placing = msg
		return m.place()
	case divided:
		m.split = newSplit(m, msg)
	case forecasted:
		if msg.number != m.number {
			return nil
		}
		m.forecast, m.trouble = msg.forecast, ""
		if msg.err != nil {
			m.trouble = msg.err.Error()
		}
		known := kit.Show(kit.ForScreen{Screen: mender, Msg: kit.Forecasted{Plan: m.plan, Forecast: m.forecast}})
		if m.checkSoon {
			m.checkSoon = false
			return tea.Batch(known, m.check())
		}
		return known
	}
	return nil
}

// takeSurvey takes what was found out about the commits, if it is about those that are shown.
func (m *Model) takeSurvey(read kit.Read[surveyed]) tea.Cmd {
	if !m.surveying.Take(read) || read.Value.tip != m.plan.Tip {
		return nil
	}
	m.matrix, m.published, m.stack = read.Value.matrix, read.Value.published, read.Value.stack
	m.sizes = sizesOf(m.matrix)
	if m.ideasSoon {
		m.ideasSoon = false
		return m.ideas()
	}
	return nil
}

// Failed is why not all could be read anew.
func (m *Model) Failed() error {
	if m.why != "" {
		return nil
	}
	return cmp.Or(m.reading.Err, m.surveying.Err)
}

// take shows what was read. What was edited meanwhile is newer: it stays, or where the branch itself moved
// it is read again, carried over.
func (m *Model) take(got kit.Read[planned]) tea.Cmd {
	read := got.Value
	known := m.reading.Known && m.why == ""
	newer := m.reading.Take(got)
	var no *app.Refusal
	switch {
	case errors.As(got.Err, &no): // an answer too: there is no series
		m.plan, m.before, m.after, m.forecast, m.why = shape.Plan{}, nil, nil, nil, no.Error()
		return nil
	case !newer:
		return nil
	case known && read.number != m.number && read.plan.Branch == m.plan.Branch && read.plan.Tip == m.plan.Tip:
		return nil
	case known && read.number != m.number && read.plan.Branch == m.plan.Branch:
		return m.read(read.target)
	}
	m.before, m.after, m.forecast, m.why = nil, nil, nil, ""
	m.sources, m.target, m.writing = read.sources, read.target, kit.MessageHelp(read.writing)
	m.sources = read.sources[:len(read.plan.Sources)]
	m.beneath = read.beneath
	m.know(read.sources[len(read.plan.Sources):])
	m.looking, m.split, m.grid = false, nil, nil
	m.marked = map[repo.ID]bool{}
	m.matrix, m.published, m.stack, m.sizes = suggest.Matrix{}, nil, nil, nil
	m.plan = read.plan
	cmds := []tea.Cmd{m.place(), m.survey()}
	if cmds[0] == nil {
		cmds[0] = m.show(read.plan)
	}
	if read.note != "" {
		cmds = append(cmds, kit.Say(safe.Line(read.note)))
	}
	return tea.Batch(cmds...)
}

// set makes an edited plan the current one.
func (m *Model) set(plan shape.Plan) tea.Cmd {
	m.before = append(m.before, m.plan)
	m.after = nil
	return m.show(plan)
}

// show makes a plan the current one, keeps it as the draft, and has it forecast.
func (m *Model) show(plan shape.Plan) tea.Cmd {
	m.plan = plan
	m.clamp()
	if m.cancel != nil {
		m.cancel()
	}
	ctx, cancel := context.WithCancel(m.ctx)
	m.cancel = cancel
	m.number++
	number := m.number
	m.trouble, m.checkSoon = "", false
	return func() tea.Msg {
		defer cancel()
		if err := m.keeper.Keep(number, func() error { return m.app.KeepPlan(m.ctx, plan) }); err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		forecast, err := m.app.Forecast(ctx, plan, nil)
		return kit.ForScreen{Screen: Name, Msg: forecasted{number, forecast, err}}
	}
}

func (m *Model) clamp() {
	m.cursor[kit.Now] = max(0, min(m.cursor[kit.Now], len(m.plan.Sources)-1))
	m.cursor[kit.Next] = max(0, min(m.cursor[kit.Next], m.nextRows()-1))
}

// nextRows counts the rows of Next: the entries, then the sources left out.
func (m *Model) nextRows() int { return len(m.plan.Next) + len(m.plan.LeftOut) }

// entry is the entry that the cursor means, in either half; -1 for one left out.
func (m *Model) entry() int {
	if m.half == kit.Now {
		if len(m.plan.Sources) == 0 {
			return -1
		}
		return m.plan.Place(m.plan.Sources[m.cursor[kit.Now]])
	}
	if m.cursor[kit.Next] < len(m.plan.Next) {
		return m.cursor[kit.Next]
	}
	return -1
}

// outRow is the source left out that the cursor means.
func (m *Model) outRow() (repo.ID, bool) {
	if m.entry() >= 0 || m.nextRows() == 0 {
		return repo.ID{}, false
	}
	if m.half == kit.Now {
		return m.plan.Sources[m.cursor[kit.Now]], true
	}
	return m.plan.LeftOut[m.cursor[kit.Next]-len(m.plan.Next)], true
}

// source is the commit that the cursor means.
func (m *Model) source() (repo.ID, bool) {
	switch at := m.entry(); {
	case len(m.plan.Sources) == 0:
		return repo.ID{}, false
	case m.half == kit.Now:
		return m.plan.Sources[m.cursor[kit.Now]], true
	case at >= 0:
		return m.plan.Next[at].From[0], true
	}
	return m.outRow()
}

func (m *Model) step(rows int) {
	m.cursor[m.half] += rows
	m.clamp()
}

func (m *Model) toEnd(last bool) {
	m.cursor[m.half] = 0
	if last {
		m.cursor[m.half] = m.nextRows() + len(m.plan.Sources)
	}
	m.clamp()
}

// turn takes the cursor across the seam along its thread.
func (m *Model) turn(half kit.Half) {
	id, ok := m.source()
	switch {
	case half == m.half || !ok:
	case half == kit.Now:
		m.cursor[kit.Now] = slices.Index(m.plan.Sources, id)
	case m.plan.Place(id) >= 0:
		m.cursor[kit.Next] = m.plan.Place(id)
	default:
		m.cursor[kit.Next] = len(m.plan.Next) + slices.Index(m.plan.LeftOut, id)
	}
	m.half = half
	m.clamp()
}

func (m *Model) chooseOnto() tea.Cmd {
	branch := m.plan.Branch
	return kit.Find(m.ctx, Name, func(ctx context.Context) (ontos, error) {
		names, err := m.app.Ontos(ctx, branch)
		return ontos(names), err
	})
}

func (m *Model) offerOntos(names []string) tea.Cmd {
	onto := func(name string) func() tea.Cmd {
		return func() tea.Cmd {
			plan := m.plan
			plan.Onto = name
			return m.set(plan)
		}
	}
	options := []kit.Option{{Label: "stay", Detail: "where the branch begins, at " + short(m.plan.Base), Do: onto("")}}
	for _, name := range names {
		options = append(options, kit.Option{Label: name, Do: onto(name)})
	}
	for _, name := range names {
		options = append(options, kit.Option{Label: "merge " + name, Detail: "instead of moving: a commit with two parents at the end", Do: func() tea.Cmd { return m.mergeIn(name) }})
	}
	return kit.Show(kit.Choose{Title: "What does the series go onto?", Options: options})
}

func (m *Model) lookInto() tea.Cmd {
	id, ok := m.source()
	if !ok {
		return nil
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		files, err := m.app.CommitChanges(ctx, id)
		return looked{id: id, files: files}, err
	})
}

func (m *Model) sourceOf(id repo.ID) app.Source {
	if at := slices.Index(m.plan.Sources, id); at >= 0 {
		return m.sources[at]
	}
	return m.extra[id]
}

func short(id repo.ID) string {
	if id.IsZero() {
		return "the first commit"
	}
	return id.Short()
}
