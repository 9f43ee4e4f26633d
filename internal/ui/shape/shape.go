// Package shape is the screen where a branch is put in order: Now is the branch's
// commits, Next the series as it will be, and the seam ties each commit to what
// becomes of it.
//
// Its tests promise: commits are taken in their order; its keys are pressed by the tests of ui and
// test/tmux.
package shape

import (
	"cmp"
	"context"
	"errors"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/resolving"
	"bastel/internal/app/sorting"
	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/suggest"
	"bastel/internal/ui/kit"
)

// Name is the screen's name.
const Name = "Shape"

// mender is the screen that answers a plan's conflicts.
const mender = "Mend"

// Model is the screen: what it works with, what it is about, and what is known of that, each apart.
type Model struct {
	means
	standing
	drafting
	cursors
	forecasting
	findings
	checking
	over    kit.Over // a look, overlaps, a divided commit; nil: the series
	then    string   // the screen to go to once the plan is applied, which made a part of it
	placing inserted
}

// means are the use cases.
type means struct {
	ctx       context.Context
	app       *app.App
	planning  *planning.App
	resolving *resolving.App
	sorting   *sorting.App
}

// standing is where the branch stands.
type standing struct {
	reading kit.Reading[planned]
	why     string      // why there is no plan: a no, not a failed reading
	asked   kit.PlanFor // what another screen wants of the plan, until it is known
	at      app.BranchStatus
	target  app.Target
	beneath string // what the series sits on, beyond its target
	base    string // the commit after which the series shall begin; empty: as Bastel finds it
}

// drafting is the plan as it is edited.
type drafting struct {
	plan    shape.Plan
	before  []shape.Plan           // what undo goes back to
	after   []shape.Plan           // what redo goes on to
	known   map[repo.ID]app.Source // the commits that plans speak of
	keeper  kit.Keeper
	writing app.Writing
}

// cursors are where one is in both halves.
type cursors struct {
	half    kit.Half
	entries [2]kit.Entries
	cursor  [2]int // by kit.Half: a source; an entry, or a source left out after those
	top     [2]int
	marked  map[repo.ID]bool // by an entry's first source
	size    kit.Size
}

// forecasting is what the plan would make.
type forecasting struct {
	forecast *replay.Forecast
	taken    []journal.LostWork // what its answers take back of what came with others
	trouble  string             // why there is no forecast
	number   int                // of the latest plan: forecasts of older ones are passed over
	cancel   context.CancelFunc
}

// findings are what was found out about the branch's commits.
type findings struct {
	surveying kit.Reading[surveyed]
	matrix    suggest.Matrix
	published map[repo.ID]bool
	stack     []app.Stacked
	sizes     map[repo.ID]string // of the sources, in words
	ideasSoon bool               // ideas were asked for before the commits were looked into
}

// checking is what the user's check said.
type checking struct {
	checked   map[repo.ID]app.Checked // by content
	checkSoon bool                    // it was asked for before the forecast was there
}

// New makes the screen.
func New(ctx context.Context, a *app.App) *Model {
	return &Model{
		means:    means{ctx: ctx, app: a, planning: planning.Of(a), resolving: resolving.Of(a), sorting: sorting.Of(a)},
		drafting: drafting{known: map[repo.ID]app.Source{}},
		cursors:  cursors{half: kit.Next, marked: map[repo.ID]bool{}},
		checking: checking{checked: map[repo.ID]app.Checked{}},
	}
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

// Shows are the topics that the screen is about.
func (m *Model) Shows() repo.Topics { return repo.Refs | repo.Configuration | repo.UnderWay }

// Situated reads the plan's commits anew where the branch or its target moved.
func (m *Model) Situated(s app.BranchStatus) tea.Cmd {
	if s.Work.Branch() != m.asked.Branch {
		m.asked = kit.PlanFor{} // the wish was for a branch that is not at work any more
	}
	if m.at = s; s.Work.Branch() != m.plan.Branch {
		m.base = ""
	}
	if m.reading.Known && m.reading.Err == nil && m.why == "" && s.Work.Commit == m.plan.Tip && s.Work.Branch() == m.plan.Branch &&
		s.Target == m.target {
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
		return tea.Batch(m.take(msg), m.serve())
	case kit.PlanFor:
		m.asked = msg
		return m.serve()
	case kit.Read[surveyed]:
		return m.takeSurvey(msg)
	case kit.Found[looked]:
		m.showLook(msg.Value)
	case kit.Found[told]:
		if g, ok := m.over.(*grid); ok {
			g.tellIt(msg.Value)
		}
	case kit.Found[bases]:
		return m.offerBases(msg.Value)
	case kit.Found[differences]:
		return m.offerDifferences(msg.Value)
	case kit.Found[fillings]:
		return m.offerFillings(msg.Value)
	case kit.Found[reverting]:
		return m.writeRevert(msg.Value)
	case kit.Found[kit.Choose]:
		return kit.Show(msg.Value)
	case kit.Found[sourceBranches]:
		return m.offerSources(msg.Value)
	case kit.Found[takeable]:
		return m.offerTakeable(msg.Value)
	case kit.Found[ontos]:
		return m.offerOntos(msg.Value)
	case laidOut:
		return kit.Show(kit.Launch{Dir: msg.scratch.Dir, Shell: msg.shell, Done: m.contentChanged(msg.at, msg.plan, msg.scratch)})
	case made:
		return m.takeMade(msg)
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
		m.over = newSplit(m, msg)
	case outcome:
		m.checked[msg.tree] = msg.checked
	case forecasted:
		return m.takeForecast(msg)
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
		m.asked = kit.PlanFor{}
		return nil
	case !newer:
		return nil
	case known && read.number != m.number && read.plan.Branch == m.plan.Branch && read.plan.Tip == m.plan.Tip:
		return nil
	case known && read.number != m.number && read.plan.Branch == m.plan.Branch:
		return m.read(read.target)
	}
	if !read.plan.Equal(m.plan) { // else what was edited can still be undone
		m.before, m.after = nil, nil
	}
	m.forecast, m.why = nil, ""
	m.target, m.writing, m.beneath = read.target, read.writing, read.beneath
	m.know(read.sources)
	m.over = nil
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

// serve edits the plan as another screen asked, once it is that of the branch which is meant.
func (m *Model) serve() tea.Cmd {
	asked := m.asked
	if !m.reading.Known || m.reading.Pending() || m.why != "" || asked.Branch == "" || m.plan.Branch != asked.Branch {
		return nil
	}
	m.asked = kit.PlanFor{}
	switch {
	case asked.Base != "":
		return m.begin(asked.Base)
	case asked.Merge != "":
		return m.mergeIn(asked.Merge)
	case !asked.Revert.IsZero():
		return m.revert(asked.Revert)
	case !asked.Take.IsZero():
		plan := m.plan
		return m.make("Taking", func(ctx context.Context) (shape.Plan, error) {
			return m.app.WithTaken(ctx, plan, len(plan.Next), []repo.ID{asked.Take})
		})
	}
	return m.Edit(func(p shape.Plan) shape.Plan { p.Onto = asked.Onto; return p })
}
