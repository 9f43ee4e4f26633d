package shape

import (
	"context"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/replay"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// read reads the plan to go on with: the draft, or a new one of what was chosen.
func (m *Model) read(target app.Target) tea.Cmd {
	branch, base, number := m.at.Work.Branch(), m.base, m.number
	written := m.keeper.Written()
	return m.reading.Begin(m.ctx, Name, func(ctx context.Context) (planned, error) {
		written() // what is being kept yet would not be found, and the edit be gone
		draft, err := m.planning.DraftPlan(ctx, branch)
		if err == nil && base != "" {
			draft.Note = ""
			draft.Plan, err = m.planning.NewPlanOf(ctx, branch, "", base)
		}
		if err != nil {
			return planned{}, err
		}
		plan := draft.Plan
		sources, err := m.app.Sources(ctx, plan.Sources)
		if err != nil {
			return planned{}, err
		}
		made, err := m.app.Sources(ctx, madeFor(plan))
		if err != nil {
			return planned{}, err
		}
		writing, err := m.app.Writing(ctx)
		if err != nil {
			return planned{}, err
		}
		beneath := ""
		if n, on, err := m.planning.Beneath(ctx, plan); err == nil && n > 0 { // it is only told
			beneath = fmt.Sprintf("on %d of %s, which are shut", n, on)
		}
		return planned{plan, append(sources, made...), target, writing, draft.Note, beneath, number}, nil
	})
}

// begin has the series begin after a commit; with no name where Bastel finds it.
func (m *Model) begin(base string) tea.Cmd {
	m.base = base
	return m.read(m.target)
}

// bases are the commits that a series could begin after.
type bases []app.Source

func (m *Model) chooseBase() tea.Cmd {
	tip := m.plan.Tip
	return kit.Find(m.ctx, Name, func(ctx context.Context) (bases, error) {
		found, err := m.planning.History(ctx, tip)
		return bases(found), err
	})
}

func (m *Model) offerBases(found bases) tea.Cmd {
	options := []kit.Option{{Label: "where it left its target", Detail: "as Bastel finds it", Do: func() tea.Cmd { return m.begin("") }}}
	for i, s := range found {
		options = append(options, kit.Option{Key: s.ID.Short(), Label: safe.Line(s.Commit.Subject()),
			Detail: fmt.Sprintf("%s after it", wording.Count(i, "commit")),
			Do:     func() tea.Cmd { return m.begin(s.ID.String()) }, Look: kit.LookAt(m.app, s.ID)})
	}
	return kit.Show(kit.Choose{Title: "After which commit does the series begin?", Options: options})
}

// differences are the paths in which the end content changes, with what brings that.
type differences []planning.EndChange

func (m *Model) compareEnd() tea.Cmd {
	plan, forecast := m.plan, m.forecast
	return kit.Find(m.ctx, Name, func(ctx context.Context) (differences, error) {
		found, err := m.planning.EndChanges(ctx, plan, forecast)
		return differences(found), err
	})
}

func (m *Model) offerDifferences(found differences) tea.Cmd {
	if len(found) == 0 {
		return kit.Say("The content at the end stays the same, byte for byte.")
	}
	choose := kit.Choose{Title: "What changes in the content at the end, and what causes it"}
	for _, d := range found {
		var by []string
		for _, id := range d.LeftOut {
			by = append(by, "left out: "+m.name(id)+" "+safe.Line(m.sourceOf(id).Commit.Subject()))
		}
		for _, at := range d.Entries {
			by = append(by, "entry "+shape.Letter(at))
		}
		if d.Target {
			by = append(by, safe.Line(plainOr(m.plan.OntoName(), "the new start")))
		}
		choose.Options = append(choose.Options, kit.Option{Key: d.How, Label: safe.Line(d.Path), Detail: strings.Join(by, ", "),
			Do: func() tea.Cmd { return m.lookAtEnd(d.Path, strings.Join(by, ", ")) }})
	}
	return kit.Show(choose)
}

// lookAtEnd shows the lines that are different at the end in one file.
func (m *Model) lookAtEnd(path, by string) tea.Cmd {
	plan, forecast := m.plan, m.forecast
	return kit.Find(m.ctx, Name, func(ctx context.Context) (looked, error) {
		files, err := m.planning.EndLines(ctx, plan, forecast, path)
		return looked{title: safe.Line(path) + ": " + by, files: files}, err
	})
}

func plainOr(text, otherwise string) string {
	if text == "" {
		return otherwise
	}
	return text
}

// ontos are the names of what a series can be put onto.
type ontos []string

func (m *Model) chooseOnto() tea.Cmd {
	branch := m.plan.Branch
	return kit.Find(m.ctx, Name, func(ctx context.Context) (ontos, error) {
		names, err := m.planning.Ontos(ctx, branch)
		return ontos(names), err
	})
}

func (m *Model) offerOntos(names []string) tea.Cmd {
	onto := func(name string) func() tea.Cmd {
		return func() tea.Cmd {
			plan := m.plan
			plan.Onto = name
			return m.set(plan)
		}
	}
	options := []kit.Option{{Label: "stay where it begins", Detail: "at " + short(m.plan.Base), Do: onto(""),
		Look: m.forecastOnto("")}}
	for _, name := range names {
		options = append(options, kit.Option{Label: safe.Line(name), Do: onto(name), Look: m.forecastOnto(name)})
	}
	for _, name := range names {
		options = append(options, kit.Option{Label: "merge " + safe.Line(name) + " into it",
			Detail: "instead of moving: a merge commit at the end",
			Do:     func() tea.Cmd { return m.mergeIn(name) }})
	}
	return kit.Show(kit.Choose{Title: "What does the series go onto?", Options: options})
}

// forecastOnto says how the series comes out if it goes onto something.
func (m *Model) forecastOnto(name string) func(ctx context.Context) (string, error) {
	plan := m.plan
	plan.Onto = name
	return func(ctx context.Context) (string, error) {
		f, err := m.planning.Forecast(ctx, plan, nil)
		if err != nil {
			return "", err
		}
		lines := []string{wording.Count(len(f.Steps), "entry") + ", " + wording.Count(f.Conflicts(), "conflict")}
		for i, step := range f.Steps {
			if step.Result == replay.Conflict || step.Result == replay.Empty {
				lines = append(lines, fmt.Sprintf("%s  %s: %s", shape.Letter(i), step.Result, safe.Line(step.Reason)))
			}
		}
		return strings.Join(lines, "\n"), nil
	}
}
