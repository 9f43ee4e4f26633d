package sort

import (
	"context"
	"fmt"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// Actions lists what can be done here.
func (m *Model) Actions() []kit.Action {
	if m.home != nil {
		return m.home.actions()
	}
	s := m.stream()
	some, now := !s.Empty(), m.half == kit.Now
	staged := len(m.drafts(tray.Head)) > 0
	verb, to := "into tray "+m.current.String(), m.current
	if !now {
		verb, to = "take out", tray.Loose
	}
	anywhere := func() []string { return nil }
	actions := []kit.Action{
		kit.Act(action.Carry, some, m.carry(to, s.Picked, s.PickedPaths)).Named(verb).InMemory(),
		kit.Choosing(action.IntoTray, some, m.carryByKey).InMemory(),
		kit.Act(action.MarkLine, some, m.mark).InMemory(),
		kit.Act(action.WholeFile, some, m.carry(to, s.PickedFile, s.PickedPaths)).InMemory(),
		kit.Asking(action.Message, true, m.editMessage),
		kit.Asking(action.Commit, staged, func() tea.Cmd { return m.commit(m.drafts(tray.Head)) }),
		kit.Act(action.FindHomes, some, m.findHomes),
		kit.Asking(action.Discard, some && now, m.discard),
		kit.Asking(action.SweepLoose, m.found > 0, m.sweepLoose),
		kit.Act(action.Everything, some, m.carry(to, s.PickedSection, anywhere)).InMemory(),
		kit.Act(action.UndoSorting, len(m.before) > 0, m.undo).InMemory(),
		kit.Act(action.RedoSorting, len(m.after) > 0, m.redo).InMemory(),
		kit.Asking(action.ChooseTray, true, m.chooseFromTrays),
		kit.Asking(action.CommitOne, len(m.drafts(m.trayHere())) > 0, func() tea.Cmd { return m.commit(m.drafts(m.trayHere())) }),
		kit.Asking(action.Amend, !m.head.Commit.IsZero(), m.amend),
		kit.Act(action.Loosen, !m.head.Commit.IsZero(), m.loosen),
		kit.Act(action.CheckTray, staged, m.check),
		kit.Asking(action.EditHunk, some, m.rewrite),
		kit.Asking(action.OpenFile, some && s.CursorPath() != "", func() tea.Cmd {
			return kit.Show(kit.Launch{Path: s.CursorPath(),
				Line: s.CursorLine()})
		}),
		kit.Act(action.DivideHunk, some, m.cut).InMemory(),
		kit.Act(action.ReadHunk, some, kit.Just(s.Read)).InMemory(),
		kit.Act(action.Hide, s.CanHide(), kit.Just(s.Hide)).InMemory(),
		kit.Act(action.MoreContext, m.view.Context < app.MostContext, func() tea.Cmd { return m.widen(max(1, 2*m.view.Context)) }),
		kit.Act(action.LessContext, m.view.Context > 0, func() tea.Cmd { return m.widen(m.view.Context / 2) }),
		kit.Act(action.HideSpaces, true, m.hideSpaces),
		kit.Act(action.Load, m.canLoad(), m.load),
		kit.Act(action.Ignored, true, m.showIgnored),
		kit.Asking(action.Search, some, func() tea.Cmd { return kit.Show(m.stream().Find("Find in the changes")) }),
		kit.Act(action.ClearMarks, some && s.HasMarks(), kit.Just(s.Unmark)).InMemory(),
		kit.Asking(action.CopyHere, some, func() tea.Cmd { return kit.CopyOf(s.ToCopy()) }),
	}
	moves := kit.Navigator{Move: s.Move, Page: s.Page, End: s.End, Turn: func(half kit.Half) { m.half = half }}
	return slices.Concat(actions, kit.Hunks(some, s.Hunk, s.File), moves.Actions())
}

func (m *Model) carryByKey(key string) tea.Cmd {
	s := m.stream()
	return m.carry(tray.A+tray.Layer(slices.Index(action.Digits, key)), s.Picked, s.PickedPaths)()
}

func (m *Model) mark() tea.Cmd {
	if m.stream().Mark() {
		return nil
	}
	return kit.Say("Only added and removed lines can be marked.")
}

func (m *Model) cut() tea.Cmd {
	if m.stream().Cut() {
		return nil
	}
	return kit.Say("Put the cursor on a line within a hunk: it is divided before that line.")
}

func (m *Model) widen(context int) tea.Cmd {
	m.view.Context = context
	m.stream().Unmark()
	return m.read()
}

func (m *Model) hideSpaces() tea.Cmd {
	m.spaces = !m.spaces
	for i := range m.halves {
		m.halves[i].HideSpaces(m.spaces)
	}
	if m.spaces {
		return kit.Say("Changes of white space are hidden. _ shows them again.")
	}
	return kit.Say("Changes of white space are shown.")
}

func (m *Model) canLoad() bool {
	h, ok := m.stream().HunkAtCursor()
	return ok && h.Kind == tray.Large
}

func (m *Model) load() tea.Cmd {
	load := map[string]bool{m.stream().CursorPath(): true}
	for path := range m.view.Load {
		load[path] = true
	}
	m.view.Load = load
	return m.read()
}

func (m *Model) showIgnored() tea.Cmd {
	return kit.Seek(m.ctx, "what is ignored", func(ctx context.Context) tea.Msg {
		paths, err := m.app.Repo.Ignored(ctx)
		if err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		choose := kit.Choose{Title: "Ignored files and folders"}
		for _, path := range paths {
			choose.Options = append(choose.Options, kit.Option{Label: safe.Line(path)})
		}
		return choose
	})
}

func (m *Model) chooseFromTrays() tea.Cmd {
	choose := kit.Choose{Title: "Which tray does enter put things into?"}
	free := tray.A
	for _, t := range m.board.Trays {
		free = max(free, t.Layer+1)
		s := m.section(t)
		choose.Options = append(choose.Options, kit.Option{Key: s.Name, Label: safe.Line(s.Title), Detail: s.Note, Do: func() tea.Cmd {
			m.chooseTray(t.Layer)
			return nil
		}})
	}
	if free <= tray.Last {
		choose.Options = append(choose.Options, kit.Option{Key: free.String(), Label: "a new tray", Do: func() tea.Cmd {
			m.chooseTray(free)
			return nil
		}})
	}
	return kit.Show(choose)
}

// findHomes works out where hunks belong: those of the layer at the cursor.
func (m *Model) findHomes() tea.Cmd {
	from, view := m.here(), m.shown
	return kit.Start(kit.Work[kit.Got]{
		Title: "Finding homes",
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			homes, err := m.sorting.FindHomes(ctx, from, nil, view)
			if err != nil {
				return kit.Got{}, err
			}
			if len(homes.Commits) == 0 {
				return kit.Got{}, fmt.Errorf("the branch has no commit of its own that a hunk could join")
			}
			if len(homes.Homes) == 0 {
				return kit.Got{}, fmt.Errorf("there is no hunk here any more that could join a commit")
			}
			published, err := m.sorting.Published(ctx, homes.Commits)
			return kit.ToScreen(Name, homesFound{homes, published}), err
		},
	})
}
