package mend

import (
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	if m.look != nil {
		return m.lookActions()
	}
	q, some := m.question()
	region := some && q.Region != nil
	file := some && m.file().Chunks != nil
	take := func(places ...int) func() tea.Cmd {
		return func() tea.Cmd { return m.takeSides(places...) }
	}
	actions := []kit.Action{
		kit.Act(action.Side1, some, take(0)),
		kit.Act(action.Side2, some, take(1)),
		kit.Act(action.OneThenTwo, region, take(0, 1)),
		kit.Act(action.TwoThenOne, region, take(1, 0)),
		kit.Act(action.BaseText, region && !q.Region.NoBase, func() tea.Cmd { return m.give(true, mend.Take(mend.Base)) }),
		kit.Act(action.Nothing, region || some && m.file().Kind != merge.RenameRename, take()),
		kit.Act(action.NextOpen, some, func() tea.Cmd { return m.seek(1) }),
		kit.Asking(action.SameForRest, some && !q.Open(), m.repeat),
		kit.Asking(action.WriteAnswer, region, m.write),
		kit.Asking(action.AnswerIdeas, region, m.suggest),
		kit.Act(action.ClearAnswer, some && q.Origin != mend.Open, m.reopen),
		kit.Asking(action.ApplyAnswers, m.canApply(), m.apply),
		kit.Asking(action.LookAtSide, some, m.chooseLook),
		kit.Act(action.PickLine, region && m.line < len(m.lines()), m.pick),
		kit.Act(action.PreviousOpen, some, func() tea.Cmd { return m.seek(-1) }),
		kit.Act(action.NextPlace, m.at+1 < len(m.spots), func() tea.Cmd { return m.goTo(m.at + 1) }),
		kit.Act(action.PreviousPlace, m.at > 0, func() tea.Cmd { return m.goTo(m.at - 1) }),
		kit.Asking(action.AnswerFile, file, m.whole),
		kit.Asking(action.EditOutside, some && m.writable(), m.edit),
		kit.Asking(action.JoinFirst, m.joinable() != nil, m.joinFirst),
		kit.Asking(action.MarkResolved, m.waiting != nil && some, m.declare),
		kit.Act(action.Remembered, true, m.remembered),
	}
	if m.waiting != nil && len(m.waiting.Taking) > 0 {
		actions = append(actions, kit.Act(action.StopTaking, true, m.stopTaking))
	}
	if m.waiting == nil {
		step := func(s kit.PlanStep) func() tea.Cmd {
			return func() tea.Cmd {
				cmd := m.planner.Step(s)
				m.lookAnew()
				return cmd
			}
		}
		actions = append(actions,
			kit.Act(action.UndoAnswer, m.planner.Can(kit.UndoEdit), step(kit.UndoEdit)),
			kit.Act(action.RedoAnswer, m.planner.Can(kit.RedoEdit), step(kit.RedoEdit)))
	} else if len(m.waiting.Answers) > 0 {
		actions = append(actions, kit.Act(action.UndoAnswer, true, m.undoWaiting))
	}
	moves := kit.Navigator{Move: m.moveLine, Page: func(pages int) { m.moveLine(10 * pages) }, End: m.toEnd,
		Turn: func(half kit.Half) { m.half = half }}
	return append(actions, moves.Actions()...)
}

func (m *Model) lookActions() []kit.Action {
	back := kit.Act(action.Back, true, kit.Just(func() { m.look = nil })).Named("back to the conflict")
	moves := kit.Navigator{Move: m.look.Move, Page: m.look.Page, End: m.look.End}
	onward := func(by int) func() tea.Cmd {
		return func() tea.Cmd { return m.lookAt(m.lookedAt + by) }
	}
	several := len(m.sideCommits()) > 1
	own := []kit.Action{back, kit.Act(action.NextCommit, several, onward(1)), kit.Act(action.PreviousCommit, several, onward(-1)),
		kit.Copies(m.lookOut)}
	return slices.Concat(own, kit.Hunks(true, m.look.Hunk, m.look.File), moves.Actions())
}

// moveLine moves among the lines of the sides; in Next it scrolls.
func (m *Model) moveLine(by int) {
	if m.half == kit.Next {
		m.shift += by
		return
	}
	if len(m.lines()) == 0 {
		m.top += by // held in bounds where it is drawn
		return
	}
	m.line = max(0, min(m.line+by, len(m.lines())-1))
}

func (m *Model) toEnd(last bool) {
	m.line = 0
	if last {
		m.moveLine(len(m.lines()))
	}
}

// seek goes to the next open place in a direction.
func (m *Model) seek(by int) tea.Cmd {
	at := m.nextOpen(m.at+by, by)
	if at < 0 {
		return kit.Say("Nothing is open.")
	}
	return m.goTo(at)
}

// takeSides answers the question at the cursor by sides, each by its key's place.
func (m *Model) takeSides(keys ...int) tea.Cmd {
	var sides []mend.Side
	for _, key := range keys {
		sides = append(sides, m.sides()[key])
	}
	return m.give(true, mend.Take(sides...))
}

// give answers the question at the cursor. With onward the cursor goes to the next one
// that is open.
func (m *Model) give(onward bool, a mend.Answer) tea.Cmd {
	q, ok := m.question()
	if !ok {
		return nil
	}
	return m.giveAll(onward, []mend.Resolution{q.Give(a)})
}

func (m *Model) giveAll(onward bool, given []mend.Resolution) tea.Cmd {
	said := m.alsoAnswers(given)
	m.given = true
	var kept tea.Cmd
	if m.waiting != nil {
		m.waiting.Answer(given...)
		kept = m.keepWaiting()
	} else {
		kept = m.planner.Edit(func(p shape.Plan) shape.Plan { return p.Answer(given...) })
	}
	m.lookAnew()
	next := m.nextOpen(m.at, 1)
	if onward && next >= 0 {
		return tea.Batch(kept, said, m.goTo(next))
	}
	m.onward = onward
	return tea.Batch(kept, said)
}

// alsoAnswers says where else one answer counts: in its own file by itself, in others only when it is asked for.
func (m *Model) alsoAnswers(given []mend.Resolution) tea.Cmd {
	if len(given) != 1 || given[0].Answer.Unfinished {
		return nil
	}
	here, elsewhere := 0, []string{}
	m.eachAlike(given[0], func(_ mend.Question, path string) {
		if path == given[0].Path {
			here++
		} else if !slices.Contains(elsewhere, safe.Line(path)) {
			elsewhere = append(elsewhere, safe.Line(path))
		}
	})
	said := ""
	if here > 0 {
		said = fmt.Sprintf("That answers %s more of %s too.", wording.Count(here, "place"), safe.Line(given[0].Path))
	}
	if len(elsewhere) > 0 {
		said += fmt.Sprintf(" The same conflict is in %s: %s answers them too.", strings.Join(elsewhere, ", "),
			action.Find(action.SameForRest).Key())
	}
	if said == "" {
		return nil
	}
	return kit.Say(strings.TrimSpace(said))
}

// eachAlike calls a function for each open question of the same content as an answered one, itself aside.
func (m *Model) eachAlike(g mend.Resolution, do func(q mend.Question, path string)) {
	for _, s := range m.spots {
		if q := m.questionAt(s); q.Key == g.Key && q.Place != g.Place && q.Open() {
			do(q, q.Path)
		}
	}
}

// book is all that is known of answers.
func (m *Model) book() mend.AnswerBook {
	if m.waiting != nil {
		return mend.AnswerBook{Answers: m.waiting.Answers, Memory: m.memory}
	}
	plan := m.planner.Plan()
	return mend.AnswerBook{Answers: plan.Answers, NotFromMemory: plan.NotFromMemory, Memory: m.memory}
}

// lookAnew shows the answers at once; what follows from them comes with the forecast.
func (m *Model) lookAnew() {
	for i := range m.steps {
		for j := range m.steps[i].Files {
			f := &m.steps[i].Files[j]
			f.State = mend.Look(f.Conflict, f.WholeQuestion().Source, m.book())
		}
	}
	m.spots = spotsOf(m.steps)
	m.at = min(m.at, len(m.spots)-1)
}

// reopen takes the answer at the cursor back.
func (m *Model) reopen() tea.Cmd {
	q, _ := m.question()
	if m.waiting != nil {
		m.waiting.Reopen(q)
		if q.Origin != mend.Here {
			delete(m.memory, q.Key)
		}
		m.lookAnew()
		return m.keepWaiting()
	}
	cmd := m.planner.Edit(func(p shape.Plan) shape.Plan { return p.Reopen(q) })
	m.lookAnew()
	return cmd
}

func (m *Model) undoWaiting() tea.Cmd {
	m.waiting.Answers = slices.Clone(m.waiting.Answers[:len(m.waiting.Answers)-1])
	m.lookAnew()
	return m.keepWaiting()
}

// keepWaiting keeps the answers to what waits in the working tree, for the next time.
func (m *Model) keepWaiting() tea.Cmd {
	all := slices.Clone(m.waiting.Answers)
	return m.keeper.Command(func() error { return m.resolving.KeepAnswers(all) })
}

// pick puts the line at the cursor into the answer, or takes it out. Lines stand in the
// answer in the order in which they were picked.
func (m *Model) pick() tea.Cmd {
	q, _ := m.question()
	at := m.lines()[m.line]
	var parts []mend.Part
	if q.Answer.Own == nil && q.Origin != mend.Open {
		for _, p := range q.Answer.Take {
			parts = append(parts, singles(q.Region, p)...)
		}
	}
	line := mend.Part{Side: at.side, Lines: []int{at.line}}
	same := func(p mend.Part) bool { return p.Side == line.Side && p.Lines[0] == line.Lines[0] }
	if slices.ContainsFunc(parts, same) {
		parts = slices.DeleteFunc(parts, same)
	} else {
		parts = append(parts, line)
	}
	if m.line+1 < len(m.lines()) {
		m.line++
	}
	return m.give(false, mend.Answer{Take: append([]mend.Part{}, parts...)})
}

// singles is a part as lines one by one.
func singles(r *merge.Region, p mend.Part) (parts []mend.Part) {
	lines := p.Lines
	if lines == nil {
		for n := range sideText(r, p.Side) {
			lines = append(lines, n)
		}
	}
	for _, n := range lines {
		parts = append(parts, mend.Part{Side: p.Side, Lines: []int{n}})
	}
	return parts
}

// repeat gives the answer at the cursor to the rest.
func (m *Model) repeat() tea.Cmd {
	q, _ := m.question()
	here := m.file().Path
	alike := pattern(here)
	choose := kit.Choose{Title: "Give the same answer to what else?"}
	everywhere, paths := q.Give(q.Answer), []string{}
	everywhere.Everywhere = true
	m.eachAlike(everywhere, func(_ mend.Question, path string) { paths = append(paths, safe.Line(path)) })
	if len(paths) > 0 {
		choose.Options = append(choose.Options, kit.Option{Label: "the same conflict elsewhere",
			Detail: wording.Count(len(paths), "open place") + " in " + strings.Join(slices.Compact(paths), ", "),
			Do:     func() tea.Cmd { return m.giveAll(true, []mend.Resolution{everywhere}) }})
	}
	offer := func(label string, fits func(path string) bool) {
		given := m.likewise(q, fits)
		if len(given) > 0 {
			choose.Options = append(choose.Options, kit.Option{Label: label, Detail: wording.Count(len(given), "open place"),
				Do: func() tea.Cmd { return m.giveAll(true, given) }})
		}
	}
	offer("the rest of "+safe.Line(here), func(path string) bool { return path == here })
	offer("every file like "+safe.Line(alike), func(path string) bool { return pattern(path) == alike })
	offer("everything that is open", func(string) bool { return true })
	if len(choose.Options) == 0 {
		return kit.Say("Nothing else is open that could get the same answer.")
	}
	return kit.Show(choose)
}

// likewise are the answers for what is open in fitting files. Text of one's own, and
// single lines, are for one place only.
func (m *Model) likewise(q mend.Question, fits func(path string) bool) (given []mend.Resolution) {
	if q.Answer.Own != nil || slices.ContainsFunc(q.Answer.Take, func(p mend.Part) bool { return p.Lines != nil }) {
		return nil
	}
	for _, s := range m.spots {
		f := &m.steps[s.step].Files[s.file]
		other := f.Questions()[s.question]
		if other.Open() && fits(f.Path) && (other.Region != nil) == (q.Region != nil) {
			given = append(given, other.Give(q.Answer))
		}
	}
	return given
}

// write lets the user write the text of a region.
func (m *Model) write() tea.Cmd {
	q, _ := m.question()
	answer := q.Answer
	if q.Origin == mend.Open {
		answer = mend.Take(m.sides()[0], m.sides()[1])
	}
	text := ""
	for _, line := range answer.Lines(*q.Region) {
		text += string(line)
	}
	at := m.at
	crlf := kit.AllCRLF(slices.Concat(q.Region.Base, q.Region.Left, q.Region.Right))
	title := fmt.Sprintf("The text for this place in %s", safe.Line(m.file().Path))
	return kit.Show(kit.Edit{Title: title, Text: text, Suffix: fileName(m.file().Path), CRLF: crlf, Done: func(text string) tea.Cmd {
		if at != m.at {
			return kit.Say("The conflict changed meanwhile. Write the text again.")
		}
		own := []byte(text)
		if len(own) > 0 && own[len(own)-1] != '\n' {
			own = append(own, '\n')
		}
		return m.giveOwn(q, own)
	}})
}

// giveOwn answers by text of the user's own. While marker lines stand in it that is no
// answer, unless they are meant.
func (m *Model) giveOwn(q mend.Question, own []byte) tea.Cmd {
	f := m.file()
	lines := f.Markers(own, f.MarkerSize)
	if len(lines) == 0 {
		return m.giveAll(true, []mend.Resolution{q.Give(mend.Answer{Own: own})})
	}
	unfinished := m.giveAll(false, []mend.Resolution{q.Give(mend.Answer{Own: own, Unfinished: true})})
	return tea.Batch(unfinished, kit.Show(kit.Ask{
		Question: fmt.Sprintf("Line %d looks like a conflict marker. The text is kept, but counts as unfinished. y says that the line is "+
			"intended.", lines[0]),
		Key: "y",
		Yes: func() tea.Msg {
			return kit.ForScreen{Screen: Name, Msg: meant{q, own}}
		},
	}))
}

// meant says that what looks like a marker is none.
type meant struct {
	question mend.Question
	own      []byte
}

func (m *Model) suggest() tea.Cmd {
	q, _ := m.question()
	ideas := m.ideas()
	if len(ideas) == 0 {
		return kit.Say("No suggestions here.")
	}
	choose := kit.Choose{Title: "Answers that could be right"}
	for _, s := range ideas {
		text := ""
		for _, line := range s.Answer.Lines(*q.Region) {
			text += string(line) + " "
		}
		choose.Options = append(choose.Options, kit.Option{Label: s.Why, Detail: kit.Expand(safe.Line(text)),
			Do: func() tea.Cmd { return m.give(true, s.Answer) }})
	}
	return kit.Show(choose)
}

func (m *Model) ideas() []mend.Suggestion {
	q, _ := m.question()
	f := m.file()
	var end [][]byte
	if f.AtEnd != nil {
		end = mend.AtEnd(f.BaseText, f.AtEnd, *q.Region)
	}
	return mend.Suggest(f.Path, *q.Region, end)
}

// whole answers a file as a whole.
func (m *Model) whole() tea.Cmd {
	f := m.file()
	q := f.WholeQuestion()
	choose := kit.Choose{Title: safe.Line(f.Path) + " as a whole"}
	for i, side := range m.sides() {
		choose.Options = append(choose.Options, kit.Option{Key: fmt.Sprint(i + 1), Label: "the version of " + safe.Line(m.story(side).Name),
			Do: func() tea.Cmd {
				return m.giveAll(true, []mend.Resolution{q.Give(mend.Take(side))})
			}})
	}
	choose.Options = append(choose.Options, kit.Option{Key: "0", Label: "deleted", Do: func() tea.Cmd {
		return m.giveAll(true, []mend.Resolution{q.Give(mend.Take())})
	}})
	return kit.Show(choose)
}

// sideCommit is a commit behind a side, which is counted from 1.
type sideCommit struct {
	app.Source
	side int
}

func (m *Model) sideCommits() (commits []sideCommit) {
	for i, side := range m.sides() {
		for _, c := range m.story(side).Commits {
			commits = append(commits, sideCommit{c, i + 1})
		}
	}
	return commits
}

// lookAt shows one of the commits behind the sides.
func (m *Model) lookAt(at int) tea.Cmd {
	commits := m.sideCommits()
	if at < 0 || at >= len(commits) {
		return kit.Say("There is no other commit.")
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		l, err := kit.ReadLook(ctx, m.app, commits[at].ID)
		return looked{l, at}, err
	})
}

// chooseLook offers the commits behind the sides.
func (m *Model) chooseLook() tea.Cmd {
	choose := kit.Choose{Title: "Which commit?"}
	for at, c := range m.sideCommits() {
		choose.Options = append(choose.Options, kit.Option{Key: fmt.Sprintf("side %d", c.side), Label: safe.Line(c.Commit.Subject()),
			Detail: safe.Line(c.Commit.Writer().Name) + ", " + c.ID.Short(), Look: kit.LookAt(m.app, c.ID),
			Do: func() tea.Cmd { return m.lookAt(at) }})
	}
	if len(choose.Options) == 0 {
		return kit.Say("No commit is known for these sides.")
	}
	return kit.Show(choose)
}
