package chart

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/charting"
	"bastel/internal/draw"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	if m.over != nil {
		return m.over.Actions()
	}
	b, local := m.branchHere()
	some := m.now.Known
	_, isOpen, opens := m.segmentHere()
	rows := "open"
	if isOpen {
		rows = "close"
	}
	deleted, landed := "delete", "land"
	for _, step := range m.steps {
		switch {
		case step.Branch != b.Name:
		case step.Kind == charting.Deleted:
			deleted = "keep after all"
		case step.Kind == charting.Landed:
			landed = "do not land"
		}
	}
	actions := []kit.Action{
		kit.Act(action.DoSteps, len(m.steps) > 0, m.apply),
		kit.Act(action.GoThere, local && !b.Here, m.goThere),
		kit.Asking(action.NewBranch, !m.commitHere().IsZero(), m.create),
		kit.Act(action.DropBranch, local, m.drop).Named(deleted),
		kit.Act(action.DropMerged, some, m.dropMerged),
		kit.Asking(action.RenameBranch, local, m.rename),
		kit.Asking(action.MakeTag, !m.commitHere().IsZero(), m.tag),
		kit.Asking(action.PutBranch, local, m.put),
		kit.Act(action.LookAtBranch, !m.commitHere().IsZero(), m.lookInto),
		kit.Asking(action.DrawChart, some, func() tea.Cmd {
			show, steps := m.show, slices.Clone(m.steps)
			return kit.Draw(m.app, "branches", func(ctx context.Context) (draw.Picture, error) { return m.charting.Picture(ctx, show, steps) })
		}),
		kit.Act(action.OntoFromMap, local, m.putOnto),
		kit.Act(action.BringIn, !m.commitHere().IsZero() && !b.AtWork && m.status.Work.Ref != "", m.bringIn),
		kit.Act(action.RevertCommit, !m.commitHere().IsZero() && m.status.Work.Ref != "", m.revert),
		kit.Act(action.LandFromMap, local, m.land).Named(landed),
		kit.Act(action.ChooseLine, some, m.chooseLine),
		kit.Act(action.MarkPoint, !m.commitHere().IsZero(), kit.Just(m.markHere)),
		kit.Act(action.CompareBranches, !m.commitHere().IsZero() && (m.marked != "" || !m.now.Value.Target.ID.IsZero()), m.compare),
		kit.Act(action.LostAndFound, some, m.findLost),
		kit.Act(action.CompareLoose, !m.commitHere().IsZero(), m.compareLoose),
		kit.Act(action.WorkHere, local && !b.AtWork, m.workHere),
		kit.Act(action.AllBranches, some, m.all),
		kit.Act(action.OpenRows, opens, kit.Just(m.openOrClose)).Named(rows),
		kit.Asking(action.FindOnChart, some, m.search),
		kit.Act(action.UndoStep, len(m.steps) > 0, m.undo),
		kit.Act(action.ClearSteps, len(m.steps) > 0, m.clear),
	}
	actions = append(actions, m.moves()...)
	actions = append(actions, kit.Asking(action.CopyHere, some, func() tea.Cmd { return kit.CopyOf(m.toCopy()) }))
	return append(actions, kit.Act(action.SitOn, local, m.sitOn), kit.Act(action.DrawSince, some, m.drawSince),
		kit.Act(action.ToFork, some, func() tea.Cmd { m.toFork(); return m.tell() }), kit.Act(action.ToMerge, some, m.toMerge))
}

// moves are the keys that move the cursor: from row to row, and along a row.
func (m *Model) moves() []kit.Action {
	act := func(id action.ID, do func()) kit.Action {
		return kit.Act(id, m.now.Known, func() tea.Cmd {
			do()
			return m.tell()
		})
	}
	page := max(1, m.size.Height-headRows-1)
	return []kit.Action{
		act(action.Down, func() { m.step(1) }),
		act(action.Up, func() { m.step(-1) }),
		act(action.PageDown, func() { m.step(page) }),
		act(action.PageUp, func() { m.step(-page) }),
		act(action.Top, func() { m.step(-len(m.rows())) }),
		act(action.End, func() { m.step(len(m.rows())) }),
		act(action.ToNow, m.left),
		act(action.ToNext, m.right),
		kit.Act(action.NextCommit, m.now.Known, func() tea.Cmd { m.toCommit(1); return m.tell() }),
		kit.Act(action.PreviousCommit, m.now.Known, func() tea.Cmd { m.toCommit(-1); return m.tell() }),
	}
}
