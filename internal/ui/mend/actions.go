package mend

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/diff"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/safe"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	switch {
	case m.look != nil:
		return m.lookActions()
	case m.list != nil:
		return m.listActions()
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
		kit.Act(action.Nothing, region || some && m.file().Kind != merge.RenameRename, take()),
		kit.Act(action.NextOpen, some, func() tea.Cmd { return m.seek(1) }),
		kit.Act(action.SameForRest, some, m.repeat),
		kit.Act(action.ListConflicts, some || m.hasOther(), kit.Just(m.openList)),
		kit.Asking(action.WriteAnswer, region, m.write),
		kit.Asking(action.AnswerIdeas, region, m.suggest),
		kit.Act(action.BaseText, region && !q.Region.NoBase, func() tea.Cmd { return m.give(true, mend.Take(mend.Base)) }),
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
	if m.waiting != nil && m.waiting.Finishable() {
		actions = append(actions, kit.Asking(action.OtherEnds, true, m.otherEnds))
	}
	if m.waiting != nil && len(m.waiting.Taking) > 0 {
		actions = append(actions, kit.Act(action.StopTaking, true, m.stopTaking))
	}
	actions = append(append(actions, m.stepActions()...),
		kit.Act(action.NextSide, region, kit.Just(m.toNextSide)),
		kit.Act(action.AgainstBase, region && !q.Region.NoBase, m.turnAgainst),
		kit.Act(action.OtherConflicts, m.hasOther(), m.toOther))
	moves := kit.Navigator{Move: m.moveLine, Page: func(pages int) { m.moveLine(10 * pages) }, End: m.toEnd,
		Turn: func(half kit.Half) { m.half = half }}
	return append(actions, moves.Actions()...)
}

// stepActions take back what keys did, and do it again.
func (m *Model) stepActions() []kit.Action {
	undo, redo := m.planner.Can(kit.UndoEdit), m.planner.Can(kit.RedoEdit)
	if m.waiting != nil {
		undo, redo = len(m.past) > 0, len(m.future) > 0
	}
	return []kit.Action{kit.Act(action.UndoAnswer, undo, func() tea.Cmd { return m.turn(kit.UndoEdit) }),
		kit.Act(action.RedoAnswer, redo, func() tea.Cmd { return m.turn(kit.RedoEdit) })}
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

// turnAgainst shows what each side changed of the base, or its text again.
func (m *Model) turnAgainst() tea.Cmd {
	m.against = !m.against
	if m.against {
		return kit.Say("Each side is shown as what it changed of the base.")
	}
	return kit.Say("Each side is shown as it is.")
}

// seek goes to the next open place in a direction.
func (m *Model) seek(by int) tea.Cmd {
	at := m.nextOpen(m.at+by, by)
	if at < 0 {
		return kit.Say("Nothing is open.")
	}
	return m.goTo(at)
}

// write lets the user write the text of a region.
func (m *Model) write() tea.Cmd {
	q, _ := m.question()
	answer := q.Answer
	if q.Origin == mend.Open {
		answer = mend.Take(m.sideHere())
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

// sideHere is the side whose line the cursor is on, else the first one.
func (m *Model) sideHere() mend.Side {
	if lines := m.lines(); m.line < len(lines) {
		return lines[m.line].side
	}
	return m.sides()[0]
}

// giveOwn answers by text of the user's own. While marker lines stand in it that is no
// answer, unless they are meant.
func (m *Model) giveOwn(q mend.Question, own []byte) tea.Cmd {
	f := m.file()
	lines := f.Markers(own, f.MarkerSize)
	if len(lines) == 0 {
		return m.giveAll(true, []mend.Resolution{q.Give(mend.Answer{Own: own})}, m.here()+": text of your own.")
	}
	unfinished := m.giveAll(false, []mend.Resolution{q.Give(mend.Answer{Own: own, Unfinished: true})}, m.here()+": kept, not finished.")
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
		lines := diff.Split(bytes.Join(s.Answer.Lines(*q.Region), nil))
		text := make([]string, len(lines))
		for i, line := range lines {
			text[i] = kit.Expand(safe.Text(strings.TrimSuffix(string(line), "\n")))
		}
		choose.Options = append(choose.Options, kit.Option{Label: s.Why, Detail: strings.Join(text, "\n"),
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
			Look: m.goesAlong(side), Do: func() tea.Cmd {
				return m.giveAll(true, []mend.Resolution{q.Give(mend.Take(side))}, fileName(safe.Line(f.Path))+": "+m.answerWords(mend.Take(side))+".")
			}})
	}
	choose.Options = append(choose.Options, kit.Option{Key: "0", Label: "deleted", Do: func() tea.Cmd {
		return m.giveAll(true, []mend.Resolution{q.Give(mend.Take())}, fileName(safe.Line(f.Path))+": deleted.")
	}})
	return kit.Show(choose)
}

// goesAlong says what the other side changed elsewhere in the file, which would go if the file were one side's as a whole.
func (m *Model) goesAlong(side mend.Side) func(ctx context.Context) (string, error) {
	conflict, objects := m.file().Conflict, m.conflicted().Objects
	return func(ctx context.Context) (string, error) {
		text, err := objects.Blob(ctx, entryOf(conflict, side).ID)
		if err != nil {
			return "", err
		}
		var merged [][]byte
		for _, chunk := range conflict.Chunks {
			if chunk.Region == nil {
				merged = append(merged, chunk.Settled...)
			} else {
				merged = append(merged, sideText(chunk.Region, side)...)
			}
		}
		return lostWith(merged, diff.Split(text)), nil
	}
}

// mostLost is how many lines are shown of what would go.
const mostLost = 200

// lostWith lists what a text has that is merged by itself, and one side's version of it has not.
func lostWith(merged, version [][]byte) string {
	var lines []string
	for _, h := range diff.Hunks(merged, version, diff.Lines(merged, version), 0) {
		for _, line := range h.Lines {
			lines = append(lines, map[diff.Op]string{diff.Remove: "− ", diff.Add: "+ ", diff.Keep: "  "}[line.Op]+
				kit.Expand(safe.Line(strings.TrimRight(string(line.Text), "\r\n"))))
		}
	}
	if len(lines) == 0 {
		return "Nothing else goes: the other side changed no other line."
	}
	said := "What the other side changed elsewhere goes with it:\n\n"
	return said + strings.Join(lines[:min(len(lines), mostLost)], "\n")
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
