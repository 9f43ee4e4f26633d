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
)

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
		return kit.Got{Msg: tea.BatchMsg{kit.InSequence(kit.Show(kit.Go{Screen: planner}),
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
