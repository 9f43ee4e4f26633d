package mend

import (
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/resolving"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// Answers are given, taken back and given on here.

// lastAnswer is the one that was given last, and which side was the user's own there.
type lastAnswer struct {
	mend.Answer
	own mend.Side
	key mend.Key // of its question
}

// takeSides answers the question at the cursor by sides, each by its key's place.
func (m *Model) takeSides(keys ...int) tea.Cmd { return m.give(true, m.bySides(keys...)) }

// bySides is the answer by sides, each by its key's place.
func (m *Model) bySides(keys ...int) mend.Answer {
	var sides []mend.Side
	for _, key := range keys {
		sides = append(sides, m.sides()[key])
	}
	return mend.Take(sides...)
}

// give answers the question at the cursor. With onward the cursor goes to the next one
// that is open.
func (m *Model) give(onward bool, a mend.Answer) tea.Cmd {
	q, ok := m.question()
	if !ok {
		return nil
	}
	m.last = &lastAnswer{a, m.conflicted().First, q.Key}
	said := m.here() + ": " + m.answerWords(a) + "." + m.alsoAnswers(q.Give(a))
	return m.giveAll(onward, []mend.Resolution{q.Give(a)}, said)
}

// giveAll answers by one edit, which one undo takes back, and says what was done and how much is left.
func (m *Model) giveAll(onward bool, given []mend.Resolution, said string) tea.Cmd {
	m.same = nil
	var kept tea.Cmd
	if m.waiting != nil {
		m.noteWaiting()
		m.waiting.Answer(given...)
		kept = m.keepWaiting()
	} else {
		m.given = true
		kept = m.planner.Edit(func(p shape.Plan) shape.Plan { return p.Answer(given...) })
	}
	m.lookAnew()
	next := m.nextOpen(m.at, 1)
	told := kit.Say(said + " " + m.left())
	if onward && next >= 0 {
		return tea.Batch(kept, told, m.goTo(next))
	}
	m.onward = onward
	return tea.Batch(kept, told)
}

// left says how much is open.
func (m *Model) left() string {
	inFile, inAll := m.open()
	switch {
	case inAll == 0:
		return "Nothing is open any more."
	case inFile == 0 || inFile == inAll:
		return fmt.Sprintf("%d left.", inAll)
	}
	return fmt.Sprintf("%d left in this file, %d in all.", inFile, inAll)
}

// here names the place at the cursor in a few words.
func (m *Model) here() string {
	name := fileName(safe.Line(m.file().Path))
	if place := m.place(); place != "" {
		return name + ", " + place
	}
	return name
}

// answerWords says what an answer to the question at the cursor is, by the key of the side and its name.
func (m *Model) answerWords(a mend.Answer) string {
	words := m.answerKeys(a)
	if a.Own == nil && len(a.Take) == 1 && a.Take[0].Lines == nil && a.Take[0].Side != mend.Base {
		words += ", " + safe.Line(m.story(a.Take[0].Side).Name)
	}
	return words
}

// answerKeys says it by the keys alone, which are for all places.
func (m *Model) answerKeys(a mend.Answer) string {
	if a.Own != nil {
		return "text of your own"
	}
	var parts []string
	for _, p := range a.Take {
		if p.Lines != nil {
			return wording.Count(len(a.Take), "line")
		}
		name := "the base"
		if key := slices.Index(m.sidesList(), p.Side); key >= 0 {
			name = fmt.Sprint(key + 1)
		}
		parts = append(parts, name)
	}
	if len(parts) == 0 {
		return "nothing stays"
	}
	return strings.Join(parts, ", then ")
}

func (m *Model) sidesList() []mend.Side {
	sides := m.sides()
	return sides[:]
}

// alsoAnswers says where else one answer counts: in its own file by itself, in others only when it is asked for.
func (m *Model) alsoAnswers(given mend.Resolution) string {
	if given.Answer.Unfinished {
		return ""
	}
	here, others := 0, []string{}
	m.eachAlike(given, func(q mend.Question) {
		if q.Path == given.Path {
			here++
		} else if !slices.Contains(others, safe.Line(q.Path)) {
			others = append(others, safe.Line(q.Path))
		}
	})
	said := ""
	if here > 0 {
		said = fmt.Sprintf(" That answers %s more of this file too.", wording.Count(here, "place"))
	}
	if len(others) > 0 {
		said += fmt.Sprintf(" The same conflict is in %s: %s answers it there too.", strings.Join(others, ", "),
			action.Find(action.SameForRest).Key())
	}
	return said
}

// eachAlike calls a function for each open question of the same content as an answered one, itself aside.
func (m *Model) eachAlike(g mend.Resolution, do func(q mend.Question)) {
	for _, s := range m.spots {
		if q := m.questionAt(s); q.Key == g.Key && q.Place != g.Place && q.Open() {
			do(q)
		}
	}
}

// book is all that is known of answers.
func (m *Model) book() mend.AnswerBook {
	if m.waiting != nil {
		return m.waiting.Book()
	}
	plan := m.planner.Plan()
	return mend.AnswerBook{Answers: plan.Answers, NotFromMemory: plan.NotFromMemory, Memory: m.memory}
}

// lookAnew shows the answers at once; what follows from them comes with the forecast.
func (m *Model) lookAnew() {
	book := m.book()
	for i := range m.steps {
		for j := range m.steps[i].Files {
			f := &m.steps[i].Files[j]
			f.State = mend.Look(f.Conflict, f.WholeQuestion().Source, book)
		}
	}
	m.spots, m.laid = spotsOf(m.steps), nil
	m.at = min(m.at, len(m.spots)-1)
}

// reopen takes the answer at the cursor back.
func (m *Model) reopen() tea.Cmd {
	q, _ := m.question()
	return m.reopenAll([]mend.Question{q}, m.here()+" is open again.")
}

func (m *Model) reopenAll(questions []mend.Question, said string) tea.Cmd {
	told := kit.Say(said + " " + action.Find(action.UndoAnswer).Key() + " undoes that.")
	m.same = nil
	if m.waiting != nil {
		m.noteWaiting()
		for _, q := range questions {
			m.waiting.Reopen(q)
		}
		m.lookAnew()
		return tea.Batch(m.keepWaiting(), told)
	}
	cmd := m.planner.Edit(func(p shape.Plan) shape.Plan {
		for _, q := range questions {
			p = p.Reopen(q)
		}
		return p
	})
	m.lookAnew()
	return tea.Batch(cmd, told)
}

// noteWaiting notes the answers to what waits before a key changes them.
func (m *Model) noteWaiting() { m.past, m.future = append(m.past, m.waiting.Given()), nil }

// keepWaiting keeps the answers to what waits in the working tree, for the next time.
func (m *Model) keepWaiting() tea.Cmd {
	all := slices.Clone(m.waiting.Answers)
	return m.keeper.Command(func() error { return m.resolving.KeepAnswers(all) })
}

// turnWaiting goes back to the answers before the last key, or forth again.
func (m *Model) turnWaiting(from, to *[]resolving.Given) tea.Cmd {
	last := len(*from) - 1
	*to = append(*to, m.waiting.Given())
	m.waiting.Restore((*from)[last])
	*from = (*from)[:last]
	return m.keepWaiting()
}

// turn takes back what one key did, or does it again, and goes to the first question that it is about.
func (m *Model) turn(step kit.PlanStep) tea.Cmd {
	before := map[mend.Place]string{}
	for _, s := range m.spots {
		q := m.questionAt(s)
		before[q.Place] += stateOf(q)
	}
	var cmd tea.Cmd
	switch {
	case m.waiting == nil:
		cmd = m.planner.Step(step)
	case step == kit.UndoEdit:
		cmd = m.turnWaiting(&m.past, &m.future)
	default:
		cmd = m.turnWaiting(&m.future, &m.past)
	}
	m.same = nil
	m.lookAnew()
	after := map[mend.Place]string{}
	for _, s := range m.spots {
		q := m.questionAt(s)
		after[q.Place] += stateOf(q)
	}
	for at, s := range m.spots {
		if q := m.questionAt(s); before[q.Place] != after[q.Place] {
			moved := m.goTo(at)
			return tea.Batch(cmd, moved, kit.Say("At "+m.here()+" again. "+m.left()))
		}
	}
	return cmd
}

// stateOf tells a question's answers apart.
func stateOf(q mend.Question) string { return fmt.Sprintf("%s %d %+v;", q.Key, q.Origin, q.Answer) }

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

// sameAnswer is an answer that is being given on: further with each press.
type sameAnswer struct {
	answer lastAnswer
	path   string
	step   int
	next   int // how far it goes with the next press
	at     int // where the cursor was left
}

// reach is how far an answer goes: which places it is for, and what they are called.
type reach struct {
	fits func(s spot, q mend.Question) bool
	name string
}

// elsewhere is what the same conflict in other files is called: an answer to it counts wherever it comes back.
const elsewhere = "the same conflict elsewhere"

func (m *Model) reaches(of *sameAnswer) []reach {
	like, name := pattern(of.path), safe.Line(fileName(of.path))
	within := func(s spot) bool { return s.step == of.step }
	return []reach{
		{func(s spot, q mend.Question) bool { return within(s) && q.Path == of.path }, "the rest of " + name},
		{func(_ spot, q mend.Question) bool { return q.Key == of.answer.key }, elsewhere},
		{func(s spot, q mend.Question) bool { return within(s) && pattern(q.Path) == like }, "every file like " + safe.Line(like)},
		{func(_ spot, q mend.Question) bool { return pattern(q.Path) == like }, "such files of all entries"},
		{func(spot, mend.Question) bool { return true }, "all that is open"},
	}
}

// repeat gives an answer on: the one at the cursor, or on an open place the one that was given last. Each further press goes further:
// to the rest of the file, to the same conflict elsewhere, to files like it, to later entries, to all.
func (m *Model) repeat() tea.Cmd {
	q, _ := m.question()
	if m.same == nil || m.same.at != m.at {
		answer := m.last
		if !q.Open() {
			answer = &lastAnswer{q.Answer, m.conflicted().First, q.Key}
		}
		switch {
		case answer == nil:
			return kit.Say("No answer was given yet that could be given on.")
		case !answer.isOfSides():
			return kit.Say("Text of your own, and single lines, are for one place only.")
		}
		m.same = &sameAnswer{answer: *answer, path: q.Path, step: m.spot().step}
	}
	same, reaches := m.same, m.reaches(m.same)
	for same.next < len(reaches) {
		here := reaches[same.next]
		same.next++
		given := m.likewise(same.answer, here.fits)
		if len(given) == 0 {
			continue
		}
		for i := range given {
			given[i].Everywhere = here.name == elsewhere
		}
		said := fmt.Sprintf("%s: %s, in %s.", wording.Count(len(given), "place"), m.answerKeys(same.answer.Answer), here.name)
		cmd := m.giveAll(true, given, said+m.further(same, reaches))
		m.same, same.at = same, m.at
		return cmd
	}
	return kit.Say("Nothing else is open that could get the same answer.")
}

// further says what one more press would answer.
func (m *Model) further(same *sameAnswer, reaches []reach) string {
	done := reaches[same.next-1].fits
	for _, next := range reaches[same.next:] {
		more := len(m.likewise(same.answer, func(s spot, q mend.Question) bool { return next.fits(s, q) && !done(s, q) }))
		if more > 0 {
			return fmt.Sprintf(" Once more: %s, in %s.", wording.Count(more, "place"), next.name)
		}
	}
	return ""
}

// isOfSides says whether an answer is one by whole sides, which fits other places too.
func (a lastAnswer) isOfSides() bool {
	return a.Own == nil && !slices.ContainsFunc(a.Take, func(p mend.Part) bool { return p.Lines != nil })
}

// on is the answer where another side may be the user's own.
func (a lastAnswer) on(own mend.Side) mend.Answer {
	if own == a.own {
		return a.Answer
	}
	return a.Flipped()
}

// likewise are the answers for what is open and fits.
func (m *Model) likewise(answer lastAnswer, fits func(s spot, q mend.Question) bool) (given []mend.Resolution) {
	for _, s := range m.spots {
		q := m.questionAt(s)
		if !q.Open() || !fits(s, q) {
			continue
		}
		if g, ok := q.Fitting(m.steps[s.step].Files[s.file].Conflict, answer.on(m.steps[s.step].First)); ok {
			given = append(given, g)
		}
	}
	return given
}
