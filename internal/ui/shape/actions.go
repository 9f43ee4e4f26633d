package shape

import (
	tea "charm.land/bubbletea/v2"

	"bastel/internal/ui/kit"
)

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	switch {
	case m.split != nil:
		return m.split.actions()
	case m.grid != nil:
		return m.grid.actions()
	case m.looking:
		return m.lookActions()
	}
	at := m.entry()
	_, out := m.outRow()
	leave := "leave out"
	if out {
		leave = "bring back"
	}
	actions := []kit.Action{
		{Keys: []string{"s"}, Name: "squash", Help: "Squash the entry into the one above it, or all marked entries into the first of them. The first one's message stays until you write another.", Do: kit.When(at > 0 || len(m.markedPlaces()) > 1, m.squash)},
		{Keys: []string{"shift+up", "K"}, Name: "move up", Help: "Move the entry up by one, towards the older ones.", Do: kit.When(at > 0, func() tea.Cmd { return m.move(at, at-1) })},
		{Keys: []string{"shift+down", "J"}, Name: "move down", Help: "Move the entry down by one, towards the newer ones.", Rare: true, Do: kit.When(at >= 0 && at < len(m.plan.Next)-1, func() tea.Cmd { return m.move(at, at+1) })},
		{Keys: []string{"m"}, Asks: true, Name: "message", Help: "Write the entry's message.", Do: kit.When(at >= 0, func() tea.Cmd { return m.reword(at) })},
		{Keys: []string{"x"}, Name: leave, Help: "Leave the entry's commits, or those of the marked ones, out of the series, or bring a commit back that was left out.", Do: kit.When(at >= 0 || out, m.leaveOut)},
		{Keys: []string{"space"}, Name: "mark", Help: "Mark the entry, to squash several at once.", Do: kit.When(at >= 0, func() tea.Cmd { return m.mark(at) })},
		{Keys: []string{"t"}, Name: "take apart", Help: "Take an entry of several commits apart again.", Rare: true, Do: kit.When(at >= 0 && len(m.plan.Next[at].From) > 1, func() tea.Cmd { return m.set(m.plan.Part(at)) })},
		{Keys: []string{"o"}, Name: "onto", Help: "Choose where the series goes: it stays where it begins, or moves onto another branch.", Do: kit.When(len(m.plan.Sources) > 0, m.chooseOnto)},
		{Keys: []string{"enter"}, Name: "look", Help: "Show what the commit at the cursor changes.", Do: kit.When(len(m.plan.Sources) > 0, m.lookInto)},
		{Keys: []string{"c"}, Asks: true, Name: "mend conflicts", Help: "Answer the conflicts, in the screen Mend.", Do: kit.When(m.forecast != nil && m.forecast.Conflicts() > 0, func() tea.Cmd { return kit.Show(kit.Go{Screen: mender}) })},
		{Keys: []string{"a"}, Asks: true, Name: "apply", Help: "Rewrite the branch as Next shows it, in one step.", Do: kit.When(m.plan.Changes(), m.apply)},
		{Keys: []string{"Q"}, Asks: true, Name: "at once", Help: "Reword, drop, squash or fold without planning: done at once, if it is clean.", Do: kit.When(len(m.plan.Next) > 0 && !m.plan.Changes(), m.quick)},
		{Keys: []string{"d"}, Name: "divide", Help: "Divide the entry's commit into several, by hunks and lines.", Do: kit.When(at >= 0, m.divide)},
		{Keys: []string{"S"}, Asks: true, Name: "ideas", Help: "Show what could be joined or left out: by subjects, by lines that are written twice, by conflicts.", Rare: true, Do: kit.When(len(m.matrix.Commits) > 0, m.ideas)},
		{Keys: []string{"O"}, Name: "overlaps", Help: "Show files by commits: what overlaps, and what can move past what.", Rare: true, Do: kit.When(len(m.matrix.Commits) > 0, func() tea.Cmd { m.grid = &grid{screen: m, open: map[string]bool{}}; return nil })},
		{Keys: []string{"{"}, Name: "to the start", Help: "Move the entry, or the marked ones, to the start of the series.", Rare: true, Do: kit.When(at >= 0, func() tea.Cmd { return m.gather(0) })},
		{Keys: []string{"}"}, Name: "to the end", Help: "Move the entry, or the marked ones, to the end of the series.", Rare: true, Do: kit.When(at >= 0, func() tea.Cmd { return m.gather(len(m.plan.Next)) })},
		{Keys: []string{"P"}, Asks: true, Name: "to a place", Help: "Move the entry, or the marked ones, before another one.", Rare: true, Do: kit.When(at >= 0, m.choosePlace)},
		{Keys: []string{"+"}, Asks: true, Name: "new commit", Help: "Insert a new commit behind the entry: an empty one, or one of what is loose or in a tray.", Rare: true, Do: kit.When(len(m.plan.Sources) > 0, m.insert)},
		{Keys: []string{"@"}, Asks: true, Name: "author, date", Help: "Change the entry's author or date, or name the others who wrote it.", Rare: true, Do: kit.When(at >= 0, m.sign)},
		{Keys: []string{"i"}, Asks: true, Name: "edit content", Help: "Change what the entry holds, in a scratch folder, with your editor or a shell.", Rare: true, Do: kit.When(at >= 0, m.content)},
		{Keys: []string{"Y"}, Asks: true, Name: "take from elsewhere", Help: "Take commits of another branch: as further entries of the plan, or as loose changes only.", Rare: true, Do: kit.When(!m.plan.Tip.IsZero(), m.chooseTake)},
		{Keys: []string{"B"}, Name: "begin elsewhere", Help: "Choose the commit after which the series begins.", Rare: true, Do: kit.When(!m.plan.Tip.IsZero(), m.chooseBase)},
		{Keys: []string{"A"}, Name: "another branch", Help: "Shape a branch that is not checked out, without switching to it.", Rare: true, Do: m.chooseBranch},
		{Keys: []string{"="}, Name: "content at the end", Help: "List the files whose content at the end is not the branch's, and what brings that.", Rare: true, Do: kit.When(m.forecast != nil, m.compareEnd)},
		{Keys: []string{"T"}, Name: "check", Help: "Run your check command on the exact content of every resulting commit, in scratch folders.", Rare: true, Do: kit.When(len(m.plan.Next) > 0, m.check)},
		{Keys: []string{"!"}, Asks: true, Name: "check's output", Help: "Show what the check said of the entry.", Rare: true, Do: kit.When(at >= 0, m.showCheck)},
		{Keys: []string{"W"}, Asks: true, Name: "draw", Help: "Write a picture of the plan, as SVG or PDF.", Rare: true, Do: kit.When(len(m.plan.Sources) > 0, m.draw)},
		{Keys: []string{"u"}, Name: "undo edit", Help: "Take the last edit of the plan back. With no edit left, the last applied step.", Rare: true, Do: kit.When(len(m.before) > 0, m.undo)},
		{Keys: []string{"U"}, Name: "redo edit", Help: "Do the edit again that was taken back.", Rare: true, Do: kit.When(len(m.after) > 0, m.redo)},
		{Keys: []string{"L"}, Name: "sweep", Help: "Find debug prints and other leftovers in every commit of the branch, and take them out.", Rare: true, Do: kit.When(len(m.plan.Sources) > 0, m.sweep)},
		{Keys: []string{"z"}, Name: "start over", Help: "Forget all edits of the plan.", Rare: true, Do: kit.When(m.plan.Changes(), m.startOver)},
	}
	moves := kit.Navigator{
		Move: m.step,
		Page: func(pages int) { m.step(10 * pages) },
		End:  m.toEnd,
		Turn: m.turn,
	}
	return append(actions, moves.Actions()...)
}

func (m *Model) lookActions() []kit.Action {
	then := func(do func()) func() tea.Cmd {
		return func() tea.Cmd { do(); return nil }
	}
	actions := []kit.Action{
		{Keys: []string{"enter", "esc"}, Name: "back to the series", Help: "Show the series again.", Do: then(func() { m.looking = false })},
		{Keys: []string{"n"}, Name: "next hunk", Help: "Go to the next hunk.", Do: then(func() { m.look.Hunk(1) })},
		{Keys: []string{"p"}, Name: "hunk before", Help: "Go to the hunk before.", Do: then(func() { m.look.Hunk(-1) })},
	}
	return append(actions, kit.Navigator{Move: m.look.Move, Page: m.look.Page, End: m.look.End}.Actions()...)
}
