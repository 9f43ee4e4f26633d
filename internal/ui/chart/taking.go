package chart

import (
	"context"
	"errors"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/resolving"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/taking"
	"bastel/internal/wording"
)

// mark marks the line at the cursor, to be taken.
func (m *Model) mark() tea.Cmd {
	if m.look.Mark() {
		return nil
	}
	return kit.Say("Only added and removed lines can be marked.")
}

// take asks in which form what is picked of a difference comes here: the marked lines, else the hunk at the cursor, else
// the file.
func (m *Model) take() tea.Cmd {
	selected := m.look.Picked()
	path, _, ok := m.look.BaseAt()
	if !ok || len(selected) == 0 {
		return kit.Say("Put the cursor on what is to be taken: a hunk, or a file; space marks lines.")
	}
	what := wording.Count(len(selected), "hunk")
	if n := m.look.Marked(); n > 0 {
		what = wording.Count(n, "line")
	}
	newer, older := m.looked, m.lookedFrom
	at, _ := m.look.FileAt(newer, repo.ID{})
	choose := kit.Choose{Title: "Take " + what + " of " + safe.Line(path) + " how?"}
	choose.Options = append(m.source(older, newer, selected).Options(m.ctx), []kit.Option{
		{Label: "as an entry of the plan", Detail: "of " + safe.Line(m.status.Work.Branch()) + ", in Shape, with its message",
			Do: func() tea.Cmd { return m.takeIntoPlan(older, newer, selected) }},
		{Label: "the whole file as it is there", Detail: safe.Line(at.Path) + ", in place of what the working tree has",
			Do: func() tea.Cmd { return m.takeFile(newer.String(), at.Path, false) }},
	}...)
	if m.compared == nil {
		all := m.source(older, newer, nil).Options(m.ctx)
		choose.Options = append(choose.Options,
			kit.Option{Label: "all of the commit, as loose changes", Detail: "whatever is marked",
				Look: all[0].Look, Do: all[0].Do},
			kit.Option{Label: "all of the commit, as an entry of the plan", Detail: "of " + safe.Line(m.status.Work.Branch()) + ", in Shape",
				Do: func() tea.Cmd { return m.takeIntoPlan(older, newer, nil) }})
	}
	return kit.Show(choose)
}

// source is what is picked of a difference; with nothing picked all of the newer commit.
func (m *Model) source(older, newer repo.ID, selected []tray.Selection) taking.Source {
	return taking.Source{App: m.app, Screen: Name, Commits: func(ctx context.Context) ([]repo.ID, error) {
		part, err := m.part(ctx, older, newer, selected)
		return []repo.ID{part}, err
	}}
}

// part is a commit of what is picked; with nothing picked all of the newer one.
func (m *Model) part(ctx context.Context, older, newer repo.ID, selected []tray.Selection) (repo.ID, error) {
	if selected == nil {
		return newer, nil
	}
	return resolving.Of(m.app).PartOf(ctx, older, newer, selected)
}

func (m *Model) takeIntoPlan(older, newer repo.ID, selected []tray.Selection) tea.Cmd {
	branch := m.status.Work.Branch()
	return kit.Start(kit.Work[kit.Got]{Title: "Taking", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		part, err := m.part(ctx, older, newer, selected)
		if err != nil {
			return kit.Got{}, err
		}
		return kit.Got{Msg: tea.BatchMsg{tea.Sequence(kit.Show(kit.Go{Screen: planner}),
			kit.Show(kit.ForScreen{Screen: planner, Msg: kit.PlanFor{Branch: branch, Take: part}}))}}, nil
	}})
}

// takeFile puts a file into the working tree as it is at a point. What is not committed is named before it is replaced.
func (m *Model) takeFile(point, path string, replace bool) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{Title: "Taking", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		_, err := resolving.Of(m.app).FilesAsThere(ctx, point, []string{path}, replace)
		if errors.Is(err, repo.ErrInTheWay) && !replace {
			return kit.Got{Msg: kit.Ask{Question: app.QuestionOf(err) + " y does it; u brings them back.", Key: "y",
				Yes: m.takeFile(point, path, true)}}, nil
		}
		return kit.Got{Note: safe.Line(path) + " is as it is there. u undoes it."}, err
	}})
}
