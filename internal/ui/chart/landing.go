package chart

import (
	"context"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// land plans that the branch at the cursor lands, after those that were planned before it, or not after all.
func (m *Model) land() tea.Cmd {
	b, _ := m.branchHere()
	return m.toggle(charting.Step{Kind: charting.Landed, Branch: b.Name})
}

// askLanding asks before anything goes to the remote: a landing is seen by all who fetch.
func (m *Model) askLanding() tea.Cmd {
	names, how := []string{}, publishing.Landing{Seen: map[string]repo.ID{}}
	for _, step := range m.steps {
		names = append(names, step.Branch)
		how.Seen[step.Branch] = m.tipOf(step.Branch)
	}
	gone := how
	gone.Delete = true
	title := "Land " + safe.Line(strings.Join(names, ", then ")) + " on the shared remote?"
	return kit.Show(kit.Choose{Title: title, Options: []kit.Option{
		{Label: "land", Detail: "The target moves forward over each in turn, on the remote and here.",
			Do: func() tea.Cmd { return m.landAll(names, how) }},
		{Label: "land, and delete", Detail: "Then each branch goes, here and on its remote, where all that it has there has landed.",
			Do: func() tea.Cmd { return m.landAll(names, gone) }},
	}})
}

func (m *Model) landAll(names []string, how publishing.Landing) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{Title: "Landing", Do: func(ctx context.Context, report func(string)) (kit.Got, error) {
		landed, err := publishing.Of(m.app).LandInOrder(ctx, names, how, report)
		if publishing.MovedOn(err) {
			return kit.Got{Msg: kit.Ask{Question: app.QuestionOf(err) + " y fetches, and goes to Shape with " + safe.Line(names[0]) + ".",
				Key: "y", Yes: m.catchUp(names[0])}}, nil
		}
		if err != nil {
			return kit.Got{}, err
		}
		last := landed[len(landed)-1]
		var warnings, notes []string
		for _, one := range landed {
			warnings, notes = append(warnings, one.Warnings...), append(notes, one.Notes...)
		}
		said := fmt.Sprintf("%s landed: %s is at %s.", wording.Count(len(landed), "branch"), last.Target, last.New.Short())
		said = strings.TrimSpace(app.WithWarnings(said, warnings) + " " + strings.Join(notes, " "))
		return kit.Got{Note: said, Msg: kit.ForScreen{Screen: Name, Msg: done{}}}, nil
	}})
}

// catchUp fetches, and goes to Shape to put a branch onto its target as that is now.
func (m *Model) catchUp(branch string) tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Fetching", Do: func(ctx context.Context, report func(string)) (string, error) {
		if _, err := publishing.Of(m.app).Fetch(ctx, report); err != nil {
			return "", err
		}
		return "Fetched. " + safe.Line(branch) + " is at work now: ) chooses what it goes onto.", m.app.WorkOn(ctx, branch)
	}, Then: kit.Show(kit.Go{Screen: planner})})
}

// tipOf is the commit of a local branch as the chart shows it.
func (m *Model) tipOf(branch string) repo.ID {
	for b := range m.branches() {
		if b.Name == branch {
			return b.Tip
		}
	}
	return repo.ID{}
}
