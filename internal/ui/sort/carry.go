package sort

import (
	"context"
	"fmt"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/sorting"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// step is a step of sorting as undo and redo need it.
type step struct {
	board  tray.Listing   // as it was shown before; in memory only where that could be sorted in memory
	sorted sorting.Sorted // once the repository has followed
}

// carry takes what is picked to another layer: on the screen at once, if the board is in
// memory, and then in the repository. The paths narrow down where the selection is looked up.
func (m *Model) carry(to tray.Layer, picked func() []tray.Selection, paths func() []string) func() tea.Cmd {
	return func() tea.Cmd {
		c := sorting.TrayMove{From: m.here(), To: to, Selected: picked(), Within: paths(), View: m.shown}
		if len(c.Selected) == 0 {
			return kit.Say("Nothing to move is at the cursor. Put it on a hunk, or on a file's heading.")
		}
		if c.From == c.To {
			return kit.Say(fmt.Sprintf("It is in tray %s already.", c.To))
		}
		s := m.stream()
		moved, err := m.board.Move(c.From, c.To, c.Selected, c.Within)
		if c.To != tray.Loose && c.To != m.current {
			m.chooseTray(c.To)
		}
		if err != nil {
			return m.carryFirst(c, s)
		}
		done := &step{board: m.board}
		m.before, m.after = append(m.before, done), nil
		s.Unmark()
		m.showBoard(moved)
		return kit.Show(kit.Follow{Screen: Name, Title: "Moving changes", Part: movement{c, done}, Each: m.moveEach})
	}
}

// movement is what the repository has to do for a step that is shown.
type movement struct {
	carry sorting.TrayMove
	step  *step
}

// moveEach has the repository make moves, all at once. It says how many were made.
func (m *Model) moveEach(ctx context.Context, parts []any) (int, error) {
	carries := make([]sorting.TrayMove, len(parts))
	for i, part := range parts {
		carries[i] = part.(movement).carry
	}
	sorted, err := m.sorting.MoveEach(ctx, carries)
	for i, s := range sorted {
		parts[i].(movement).step.sorted = s
	}
	return len(sorted), err
}

// carryFirst does so in the repository first: what can only be sorted there, or not at all.
func (m *Model) carryFirst(c sorting.TrayMove, s *stream.Model) tea.Cmd {
	return kit.Start(kit.Work[sorting.Sorted]{
		Title: "Moving changes",
		Do: func(ctx context.Context, _ func(string)) (sorting.Sorted, error) {
			return m.sorting.Move(ctx, c)
		},
		Done: func(sorted sorting.Sorted) kit.Got { return kit.Got{Msg: sortedBy(s, sorted)} },
	})
}

// sortedBy tells the screen of a step that the repository has done already.
func sortedBy(from *stream.Model, sorted sorting.Sorted) tea.Msg {
	msg := carried{from: from}
	if !sorted.Journaled {
		msg.step = &step{sorted: sorted}
	}
	return kit.ForScreen{Screen: Name, Msg: msg}
}

// ahead says that what is shown is ahead of the repository, and newer than what was begun to be read.
func (m *Model) ahead() {
	m.reading.Supersede()
	m.older = true
	m.behind++
}

// showBoard shows a board as it was sorted in memory.
func (m *Model) showBoard(board tray.Listing) {
	m.ahead()
	m.board = board
	m.halves[kit.Now].Set(board.Loose)
	m.halves[kit.Now].SetAlso(spread(board))
	m.showTrays()
}

// undo takes the last step of sorting back.
func (m *Model) undo() tea.Cmd { return m.back(&m.before, &m.after, "Taken back.") }

// redo does it again.
func (m *Model) redo() tea.Cmd { return m.back(&m.after, &m.before, "Done again.") }

func (m *Model) back(from, to *[]*step, said string) tea.Cmd {
	last := (*from)[len(*from)-1]
	*from = (*from)[:len(*from)-1]
	reverse := &step{board: m.board}
	back := func(ctx context.Context) (err error) {
		reverse.sorted, err = m.sorting.SortBack(ctx, last.sorted.Step)
		return err
	}
	*to = append(*to, reverse)
	if last.board.InMemory() {
		m.showBoard(last.board.WithMessagesOf(m.board))
		return tea.Batch(kit.Say(said), kit.Show(kit.Follow{Screen: Name, Title: "Sorting as before", Do: back}))
	}
	return kit.Start(kit.Work[string]{Title: "Sorting as before", Do: func(ctx context.Context, _ func(string)) (string,
		error) {
		return said, back(ctx)
	}})
}
