// Package mend is the screen where conflicts are answered: Now is both sides under what
// they are, with their common base; Next is the text as it is being put together. The
// seam between is a map of the file's regions.
//
// Its tests promise: what sides did is said right; its keys are pressed by the tests of ui and test/tmux.
package mend

import (
	"cmp"
	"context"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/resolving"
	"bastel/internal/mend"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// Name is the screen's name.
const Name = "Mend"

// Planner has the plan. It is asked within one update, so that keys that follow each
// other find what the ones before did.
type Planner interface {
	Plan() shape.Plan
	Edit(edit func(shape.Plan) shape.Plan) tea.Cmd
	Can(step kit.PlanStep) bool
	Step(step kit.PlanStep) tea.Cmd
}

// Model is the screen.
type Model struct {
	ctx       context.Context
	app       *app.App
	resolving *resolving.App

	planner    Planner
	forecast   *replay.Forecast
	unforecast error                                // why the plan could not be forecast; what is shown is of an earlier one
	planned    kit.Reading[conflictsRead]           // the plan's conflicts
	looking    kit.Reading[*resolving.PendingMerge] // those in the working tree
	keeper     kit.Keeper
	memory     map[mend.Key]mend.Resolution
	steps      []resolving.ConflictedStep
	ofPlan     resolving.Mending       // the plan's conflicts
	pending    *resolving.PendingMerge // those in the working tree, whoever left them; nil: there are none
	waiting    *resolving.PendingMerge // it is pending, while that is on show; nil: the plan's are
	list       *list                   // all of them are on show beside what the cursor is on; nil: the one at the cursor alone

	spots     []spot
	at        int // among the spots
	last      *lastAnswer
	same      *sameAnswer       // it is being given on; nil: the next press begins anew
	past      []resolving.Given // of what waits in the working tree: before each key; for undo
	future    []resolving.Given // for redo
	given     bool              // an answer was given since the last forecast
	onward    bool              // the last answer was the last one known: go to what comes next
	line      int               // among the lines of the sides and of the base
	against   bool              // the sides show what each changed of the base
	top       int               // of Now
	upper     int               // rows of Now, where Next lies below it
	shift     int               // of Next, away from the region at the cursor
	half      kit.Half
	size      kit.Size
	texts     map[mend.Side][]byte // of a path without regions
	textsOf   spot
	laid      []nowRow // for laidFor; nil: what they show has changed
	laidFor   laying
	code      stream.Code
	look      *stream.Model // what a commit of one side changes; nil: the sides
	lookOut   *app.ReadOut  // of the commit that is looked at
	lookedAt  int           // which of those behind the sides it is
	lookAbove int           // rows above what it changes
}

// spot is the place of a question.
type spot struct{ step, file, question int }

// New makes the screen.
func New(ctx context.Context, a *app.App, planner Planner) *Model {
	return &Model{ctx: ctx, app: a, resolving: resolving.Of(a), planner: planner, at: -1}
}

// Name gives the screen's name.
func (m *Model) Name() string { return Name }

// Shows are the topics that the screen is about.
func (m *Model) Shows() repo.Topics { return repo.AllTopics }

// Situated looks for conflicts that wait in the working tree.
func (m *Model) Situated(s app.BranchStatus) tea.Cmd {
	if !s.Conflicted() {
		m.looking.Supersede()
		m.looking.Err = nil
		if m.pending == nil && m.planned.Err == nil {
			return nil
		}
		return tea.Batch(m.takePending(nil), m.read())
	}
	return m.looking.Begin(m.ctx, Name, m.resolving.PendingMerge)
}

// Failed is why not all could be read anew.
func (m *Model) Failed() error { return cmp.Or(m.unforecast, m.planned.Err, m.looking.Err) }

// conflictsRead are the conflicts of a plan, read anew.
type conflictsRead struct {
	plan  shape.Plan
	found resolving.Mending
}

// told are a path's versions.
type told struct {
	spot  spot
	texts map[mend.Side][]byte
}

// looked is a commit behind one of the sides, among all of those.
type looked struct {
	kit.Looked
	at int
}

// Update takes what was forecast and read.
func (m *Model) Update(msg tea.Msg) tea.Cmd {
	switch msg := msg.(type) {
	case kit.Forecasted:
		if msg.Plan.Equal(m.planner.Plan()) {
			if m.unforecast = msg.Err; msg.Err != nil {
				return nil // what was known stays: that nothing conflicts is not known
			}
			emptied := m.newlyEmpty(msg.Forecast)
			m.forecast = msg.Forecast
			return tea.Batch(m.read(), emptied)
		}
	case joining:
		return m.planner.Edit(func(p shape.Plan) shape.Plan { return p.Join(msg...) })
	case meant:
		return m.giveAll(true, []mend.Resolution{msg.question.Give(mend.Answer{Own: msg.own, Confirmed: true})}, m.here()+": text of your own.")
	case edited:
		return m.giveOwn(msg.question, msg.own)
	case kit.Read[conflictsRead]:
		// What was read of a plan that was answered since says nothing of what is next.
		if m.planned.Take(msg) && msg.Value.plan.Equal(m.planner.Plan()) {
			m.ofPlan = msg.Value.found
			return m.showPlan()
		}
	case kit.Read[*resolving.PendingMerge]:
		if m.looking.Take(msg) {
			return m.takePending(msg.Value)
		}
	case settled:
		return m.finishAs(msg.operation)
	case kit.Found[answers]:
		return m.offerAnswers(msg.Value)
	case kit.Found[drafted]:
		return m.writeMerge(msg.Value)
	case kit.Found[told]:
		if msg.Value.spot == m.spot() {
			m.texts, m.textsOf = msg.Value.texts, msg.Value.spot
		}
	case kit.Found[looked]:
		m.look, m.lookOut, m.lookedAt = &stream.Model{}, &msg.Value.Out, msg.Value.at
		m.look.Set(msg.Value.Files)
	}
	return nil
}

// takePending notes what waits in the working tree. Answers that were given while it was read count, and not those that were kept
// before. What is on show stays on show while something of it is open: keys that are typed at it never meet something else.
func (m *Model) takePending(read *resolving.PendingMerge) tea.Cmd {
	before := m.pending
	m.pending = read
	if before != nil && read != nil && !sameFiles(before, read) { // another step, or another operation: undo is not about it
		m.past, m.future = nil, nil
	}
	if read == nil {
		m.waiting, m.past, m.future = nil, nil, nil
		return m.showPlan()
	}
	if before != nil {
		read.Answers = slices.DeleteFunc(slices.Clone(before.Answers), func(g mend.Resolution) bool {
			return !slices.ContainsFunc(read.Files, func(f resolving.ConflictedFile) bool { return f.Path == g.Path })
		})
	}
	if _, open := m.open(); m.waiting == nil && open > 0 {
		return nil
	}
	return m.showPending()
}

// sameFiles says whether what waits is about some file that it was about before.
func sameFiles(before, now *resolving.PendingMerge) bool {
	return slices.ContainsFunc(before.Files, func(f resolving.ConflictedFile) bool {
		return slices.ContainsFunc(now.Files, func(o resolving.ConflictedFile) bool { return o.Path == f.Path })
	})
}

// showPending shows the conflicts in the working tree.
func (m *Model) showPending() tea.Cmd {
	m.waiting = m.pending
	cmd := m.take([]resolving.ConflictedStep{m.pending.ConflictedStep}, m.pending.Memory)
	m.lookAnew()
	return cmd
}

// showPlan shows the conflicts of the plan, unless others are on show.
func (m *Model) showPlan() tea.Cmd {
	if m.waiting != nil {
		return nil
	}
	return m.take(m.ofPlan.Steps, m.ofPlan.Memory)
}

// newlyEmpty says of which entries an answer leaves nothing, as soon as it does.
func (m *Model) newlyEmpty(now *replay.Forecast) tea.Cmd {
	given := m.given
	m.given = false
	if !given || m.forecast == nil || now == nil { // a plan that came back says nothing new
		return nil
	}
	var titles []string
	for _, step := range now.Emptied() {
		known := func(was replay.Step) bool { return slices.Equal(was.From, step.From) }
		if !slices.ContainsFunc(m.forecast.Emptied(), known) {
			titles = append(titles, "“"+safe.Line(step.Title)+"”")
		}
	}
	if len(titles) == 0 {
		return nil
	}
	return kit.Say("This answer leaves nothing of " + strings.Join(titles, ", ") + ": no commit comes out of it.")
}

// read finds what met in the plan.
func (m *Model) read() tea.Cmd {
	plan, forecast := m.planner.Plan(), m.forecast
	if m.unforecast != nil {
		return nil // the forecast is that of an earlier plan
	}
	if forecast == nil {
		m.planned.Supersede()
		m.ofPlan = resolving.Mending{}
		return m.showPlan()
	}
	return m.planned.Begin(m.ctx, Name, func(ctx context.Context) (conflictsRead, error) {
		found, err := m.resolving.Mending(ctx, plan, forecast)
		return conflictsRead{plan, found}, err
	})
}

// take shows what was read. The cursor stays with its question, or goes to the first
// one that is open.
func (m *Model) take(steps []resolving.ConflictedStep, memory map[mend.Key]mend.Resolution) tea.Cmd {
	var was *mend.Question
	if q, ok := m.question(); ok {
		was = &q
	}
	m.steps, m.memory, m.laid = steps, memory, nil
	m.spots = spotsOf(steps)
	at := -1
	if was != nil {
		at = slices.IndexFunc(m.spots, func(s spot) bool { q := m.questionAt(s); return q.Place == was.Place && q.Key == was.Key })
	}
	if onward := m.nextOpen(max(0, at), 1); onward >= 0 && (at < 0 || m.onward) {
		at = onward
	}
	m.onward = false
	if at < 0 {
		at = min(max(0, m.at), len(m.spots)-1)
	}
	return m.goTo(at)
}

// nextOpen is the next open question in a direction, from a place on, round the ends;
// -1 if there is none.
func (m *Model) nextOpen(from, by int) int {
	n := len(m.spots)
	for i := range n {
		at := ((from+by*i)%n + n) % n
		if m.questionAt(m.spots[at]).Open() {
			return at
		}
	}
	return -1
}

// goTo takes the cursor to a question.
func (m *Model) goTo(at int) tea.Cmd {
	if at != m.at {
		m.line, m.top, m.shift = 0, 0, 0
	}
	m.at = at
	if at < 0 {
		return nil
	}
	s, step, conflict := m.spot(), *m.conflicted(), m.file().Conflict
	if conflict.Chunks != nil {
		return nil
	}
	m.texts = nil
	return kit.Find(m.ctx, Name, func(ctx context.Context) (told, error) {
		texts, err := step.Versions(ctx, conflict)
		return told{s, texts}, err
	})
}

func (m *Model) spot() spot {
	if m.at < 0 || m.at >= len(m.spots) {
		return spot{-1, -1, -1}
	}
	return m.spots[m.at]
}

func (m *Model) conflicted() *resolving.ConflictedStep { return &m.steps[m.spot().step] }

func (m *Model) file() *resolving.ConflictedFile { return &m.conflicted().Files[m.spot().file] }

func (m *Model) questionAt(s spot) mend.Question {
	return m.steps[s.step].Files[s.file].Questions()[s.question]
}

// FileAtHand is the file that conflicts, as the branch at work has it.
func (m *Model) FileAtHand() (kit.FileAt, bool) {
	if _, ok := m.question(); !ok {
		return kit.FileAt{}, false
	}
	point := "HEAD"
	if m.waiting == nil {
		point = m.planner.Plan().Tip.String()
	}
	return kit.FileAt{Point: point, Path: m.file().Path}, true
}

// question is the one at the cursor; ok is false if there is none.
func (m *Model) question() (q mend.Question, ok bool) {
	if m.at < 0 || m.at >= len(m.spots) {
		return q, false
	}
	return m.questionAt(m.spots[m.at]), true
}

// open counts what is open in the file at the cursor, and in all.
func (m *Model) open() (inFile, inAll int) {
	for _, step := range m.steps {
		inAll += step.Open()
	}
	if m.at >= 0 {
		inFile = m.file().Open()
	}
	return inFile, inAll
}

// sides are the two of the question at the cursor, in the order of their keys.
func (m *Model) sides() [2]mend.Side {
	if m.conflicted().First == mend.Left {
		return [2]mend.Side{mend.Left, mend.Right}
	}
	return [2]mend.Side{mend.Right, mend.Left}
}

// stories are those of the question at the cursor.
func (m *Model) story(side mend.Side) resolving.SideHistory {
	f := m.file()
	at := 0
	if f.Chunks != nil && m.spot().question < len(f.Stories) {
		at = m.spot().question
	}
	if side == mend.Left {
		return f.Stories[at].Left
	}
	return f.Stories[at].Right
}
