package shape

import (
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	if m.over != nil {
		return m.over.Actions()
	}
	at := m.entry()
	_, out := m.outRow()
	leave := "leave out"
	if out {
		leave = "bring back"
	}
	actions := []kit.Action{
		kit.Act(action.Squash, at > 0 || len(m.markedPlaces()) > 1, m.squash),
		kit.Act(action.MoveUp, at > 0, func() tea.Cmd { return m.move(at, at-1) }),
		kit.Act(action.MoveDown, at >= 0 && at < len(m.plan.Next)-1, func() tea.Cmd { return m.move(at, at+1) }),
		kit.Asking(action.EntryMessage, at >= 0, func() tea.Cmd { return m.reword(at) }),
		kit.Act(action.LeaveOut, at >= 0 || out, m.leaveOut).Named(leave),
		kit.Act(action.MarkEntry, at >= 0, func() tea.Cmd { return m.mark(at) }),
		kit.Asking(action.MarkMany, len(m.plan.Next) > 0, m.markMany),
		kit.Act(action.ClearEntries, len(m.markedPlaces()) > 0, kit.Just(m.unmark)),
		kit.Act(action.Unsquash, at >= 0 && len(m.plan.Next[at].From) > 1, func() tea.Cmd { return m.set(m.plan.Part(at)) }),
		kit.Act(action.Onto, len(m.plan.Sources) > 0, m.chooseOnto),
		kit.Act(action.LookInto, len(m.plan.Sources) > 0, m.lookInto),
		kit.Asking(action.SearchPlan, m.nextRows() > 0, m.search),
		kit.Asking(action.CopyHere, len(m.plan.Sources) > 0, func() tea.Cmd { return kit.CopyOf(m.toCopy()) }),
		kit.Asking(action.Conflicts, m.forecast != nil && m.forecast.Conflicts() > 0, func() tea.Cmd { return kit.Show(kit.Go{Screen: mender}) }),
		kit.Asking(action.ApplyPlan, m.plan.Changes(), m.apply),
		kit.Asking(action.AtOnce, len(m.plan.Next) > 0 && !m.plan.Changes(), m.quick),
		kit.Act(action.Divide, at >= 0, m.divide),
		kit.Asking(action.Ideas, len(m.matrix.Commits) > 0, m.ideas),
		kit.Act(action.ShowOverlaps, len(m.matrix.Commits) > 0, func() tea.Cmd {
			m.over = &grid{screen: m, open: map[string]bool{}}
			return nil
		}),
		kit.Asking(action.MoveTo, at >= 0, m.choosePlace),
		kit.Asking(action.NewCommit, len(m.plan.Sources) > 0, m.insert),
		kit.Asking(action.Author, at >= 0, m.sign),
		kit.Asking(action.EditContent, at >= 0, m.content),
		kit.Asking(action.TakeCommits, !m.plan.Tip.IsZero(), m.chooseTake),
		kit.Act(action.Begins, !m.plan.Tip.IsZero(), m.chooseBase),
		kit.Act(action.CompareEnd, m.forecast != nil, m.compareEnd),
		kit.Act(action.CheckEntries, len(m.plan.Next) > 0, m.check),
		kit.Asking(action.ChooseStack, len(m.stack) > 0, m.chooseStack),
		kit.Asking(action.CheckOutput, at >= 0, m.showCheck),
		m.takeBack(),
		kit.Asking(action.DrawPlan, len(m.plan.Sources) > 0, m.draw),
		kit.Act(action.UndoEdit, len(m.before) > 0, m.undo),
		kit.Act(action.RedoEdit, len(m.after) > 0, m.redo),
		kit.Act(action.SweepBranch, len(m.plan.Sources) > 0, m.sweep),
		kit.Act(action.StartOver, m.plan.Changes(), m.startOver),
	}
	moves := kit.Navigator{
		Move: m.step,
		Page: func(pages int) { m.step(10 * pages) },
		End:  m.toEnd,
		Turn: m.turn,
	}
	return append(actions, moves.Actions()...)
}

// takeBack adds an entry that takes the commit at the cursor back, if it is one of the branch's own.
func (m *Model) takeBack() kit.Action {
	source, own := m.source()
	own = own && slices.Contains(m.plan.Sources, source)
	return kit.Asking(action.RevertSource, own, func() tea.Cmd { return m.revert(source) })
}
