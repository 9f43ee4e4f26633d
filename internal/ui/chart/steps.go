package chart

import (
	"context"
	"errors"
	"fmt"
	"slices"
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

// plan adds a step to what Next shows.
func (m *Model) plan(step charting.Step) tea.Cmd {
	m.steps = append(slices.Clone(m.steps), step)
	return m.readNext()
}

// undo forgets the last planned step.
func (m *Model) undo() tea.Cmd {
	m.steps = m.steps[:len(m.steps)-1]
	if len(m.steps) == 0 {
		return m.clear()
	}
	return m.readNext()
}

func (m *Model) clear() tea.Cmd {
	m.steps, m.laid = nil, nil
	m.next.Forget()
	return nil
}

// apply does all planned steps at once. What only the journal would hold then is asked about.
func (m *Model) apply() tea.Cmd {
	if m.steps[0].Kind == charting.Landed {
		return m.askLanding()
	}
	return m.do(m.steps, false)
}

func (m *Model) do(steps []charting.Step, yes bool) tea.Cmd {
	return m.doWith(steps, charting.Consent{Losing: yes})
}

// goes says whether steps go to another branch.
func goes(steps []charting.Step) bool {
	return slices.ContainsFunc(steps, func(s charting.Step) bool { return s.Kind == charting.Gone })
}

// doWith does steps, and asks for the consent that they need.
func (m *Model) doWith(steps []charting.Step, consent charting.Consent) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{Title: "Changing branches", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		there, err := m.elsewhere(ctx, steps)
		if err != nil {
			return kit.Got{}, err
		}
		outcome, err := m.charting.Do(ctx, steps, consent)
		if err != nil && len(outcome.Commits) > 0 && !consent.Losing {
			return kit.Got{Msg: kit.Ask{Question: app.QuestionOf(err) + " y does it; the journal keeps them.", Key: "y",
				Yes: m.doWith(steps, charting.Consent{Losing: true, Aside: consent.Aside})}}, nil
		}
		if errors.Is(err, repo.ErrInTheWay) && goes(steps) {
			_, files, _ := strings.Cut(err.Error(), "\n")
			why := strings.Join(strings.Split(safe.Text(files), "\n"), ", ") + ": loose or staged, and in the way."
			return kit.Got{Msg: kit.Ask{Question: why + " y puts all loose changes aside with " + safe.Line(m.status.Head.Branch()) + " and goes.",
				Key: "y",
				Yes: m.doWith(steps, charting.Consent{Losing: consent.Losing, Aside: true})}}, nil
		}
		if err != nil {
			return kit.Got{}, err
		}
		note := wording.Count(len(steps), "step") + " done. u undoes all of it."
		if len(steps) == 1 {
			note = says(steps[0]) + ": done. u undoes it."
		}
		if outcome.Aside > 0 {
			note += " Changes of " + wording.Count(outcome.Aside, "file") + " were put aside."
		}
		if outcome.Back > 0 {
			note += " " + wording.Count(outcome.Back, "file") + " that were put aside here are back."
		}
		if outcome.Warning != "" {
			note += " But " + safe.Line(outcome.Warning)
		}
		return kit.Got{Note: note, Msg: tea.BatchMsg{kit.Show(kit.ForScreen{Screen: Name, Msg: done{}}), m.askThere(note, there)}}, nil
	}})
}

// elsewhere finds where branches that go or get another name are on remotes.
func (m *Model) elsewhere(ctx context.Context, steps []charting.Step) ([]publishing.Elsewhere, error) {
	var branches []string
	names := map[string]string{}
	for _, s := range steps {
		switch s.Kind {
		case charting.Renamed:
			names[s.Branch] = s.Name
			branches = append(branches, s.Branch)
		case charting.Deleted:
			branches = append(branches, s.Branch)
		}
	}
	return publishing.Of(m.app).Elsewhere(ctx, branches, names)
}

// askThere offers to do the same on the remotes. What only they have is named.
func (m *Model) askThere(note string, there []publishing.Elsewhere) tea.Cmd {
	if len(there) == 0 {
		return nil
	}
	var said []string
	for _, e := range there {
		said = append(said, e.Says())
	}
	question := fmt.Sprintf("%s The same there? %s. y does it there too.", note, safe.Line(strings.Join(said, "; ")))
	return kit.Show(kit.Ask{Question: question, Key: "y", Yes: kit.Start(kit.Work[string]{Title: "Changing branches on the remote",
		Do: func(ctx context.Context, report func(string)) (string, error) {
			sent, err := publishing.Of(m.app).FollowThere(ctx, there, report)
			return app.WithWarnings("Done on the remote too.", sent.Warnings), err
		}})})
}

// says tells of a step in a few words.
func says(s charting.Step) string {
	branch := safe.Line(s.Branch)
	switch s.Kind {
	case charting.Made:
		return "make " + branch + " at " + safe.Line(s.Point)
	case charting.Renamed:
		return "call " + branch + " " + safe.Line(s.Name)
	case charting.Deleted:
		return "delete " + branch
	case charting.Landed:
		return "land " + branch
	case charting.Tagged:
		return "tag " + branch + " at " + safe.Line(s.Point)
	case charting.Put:
		return "move " + branch + " to " + safe.Line(strings.Replace(s.Point, charting.Upstream, "where its remote has it", 1))
	}
	return "check out " + branch
}

// takeOutlook takes how the branches will hang. Steps that are not possible are dropped, and named.
func (m *Model) takeOutlook(read kit.Read[outlook]) tea.Cmd {
	if !m.next.Take(read) {
		return nil
	}
	if m.laid = nil; read.Value.refused == nil {
		return nil
	}
	dropped := m.steps[min(len(m.steps), len(read.Value.steps)):]
	m.steps = read.Value.steps
	said := app.Explain(read.Value.refused)
	if len(dropped) > 1 {
		var names []string
		for _, step := range dropped[1:] {
			names = append(names, says(step))
		}
		said += " Dropped with it: " + strings.Join(names, ", ") + "."
	}
	if len(m.steps) == 0 {
		m.clear()
	}
	return kit.Show(kit.Notice{Text: said, Trouble: true})
}

// create asks for the name of a new branch at the cursor.
func (m *Model) create() tea.Cmd {
	point, name := m.commitHere().String(), ""
	if b, ok := m.branchAt(); ok && b.Remote && b.Tip == m.commitHere() {
		point = b.Name
		_, name, _ = strings.Cut(b.Name, "/")
	}
	return m.createAt(point, name)
}

func (m *Model) createAt(point, name string) tea.Cmd {
	return kit.Show(kit.Edit{Title: "Name of the new branch", OneLine: true, Text: name, Done: func(text string) tea.Cmd {
		return m.plan(charting.Step{Kind: charting.Made, Branch: strings.TrimSpace(text), Point: point})
	}})
}

// tag asks for the name of a tag at the cursor.
func (m *Model) tag() tea.Cmd {
	here, _ := m.here()
	return kit.Show(kit.Edit{Title: "Name of the tag at " + m.pointName(pointOf(here)), OneLine: true, Done: func(text string) tea.Cmd {
		return m.plan(charting.Step{Kind: charting.Tagged, Branch: strings.TrimSpace(text), Point: pointOf(here)})
	}})
}

func (m *Model) rename() tea.Cmd {
	b, _ := m.branchHere()
	return kit.Show(kit.Edit{Title: "New name of " + safe.Line(b.Name), OneLine: true, Text: b.Name, Done: func(text string) tea.Cmd {
		return m.plan(charting.Step{Kind: charting.Renamed, Branch: b.Name, Name: strings.TrimSpace(text)})
	}})
}

// drop deletes the branch at the cursor, or keeps it after all.
func (m *Model) drop() tea.Cmd {
	b, _ := m.branchHere()
	if b.Here && !goes(m.steps) {
		return kit.Say(safe.Line(b.Name) + " is checked out here, so it cannot go. Check another branch out first: o.")
	}
	return m.toggle(charting.Step{Kind: charting.Deleted, Branch: b.Name})
}

// merged are the branches that the line has all of.
type merged struct{ names []string }

// dropMerged plans to delete the branches that the line has all of.
func (m *Model) dropMerged() tea.Cmd {
	line := m.show.Line
	return kit.Find(m.ctx, Name, func(ctx context.Context) (merged, error) {
		names, err := m.charting.Merged(ctx, line)
		return merged{names}, err
	})
}

// planMerged adds their deletion to the steps; those of which something else is planned are left alone.
func (m *Model) planMerged(names []string) tea.Cmd {
	planned := len(m.steps)
	for _, name := range names {
		if !slices.ContainsFunc(m.steps, func(s charting.Step) bool { return s.Branch == name }) {
			m.steps = append(slices.Clone(m.steps), charting.Step{Kind: charting.Deleted, Branch: name})
		}
	}
	if len(m.steps) == planned {
		return kit.Say("No other branch is all in " + safe.Line(m.now.Value.Target.Name) + ".")
	}
	return m.readNext()
}

// toggle plans a step, or forgets it again.
func (m *Model) toggle(step charting.Step) tea.Cmd {
	if at := slices.Index(m.steps, step); at >= 0 {
		m.steps = slices.Delete(slices.Clone(m.steps), at, at+1)
		if len(m.steps) == 0 {
			return m.clear()
		}
		return m.readNext()
	}
	return m.plan(step)
}

func (m *Model) goThere() tea.Cmd {
	b, _ := m.branchHere()
	return m.plan(charting.Step{Kind: charting.Gone, Branch: b.Name})
}

// put asks where the branch at the cursor moves to.
func (m *Model) put() tea.Cmd {
	b, _ := m.branchHere()
	to := func(point string) func() tea.Cmd {
		return func() tea.Cmd { return m.plan(charting.Step{Kind: charting.Put, Branch: b.Name, Point: point}) }
	}
	choose := kit.Choose{Title: "Where does " + safe.Line(b.Name) + " move to?"}
	if b.Upstream != "" {
		choose.Options = append(choose.Options, kit.Option{Label: "exactly as its remote has it",
			Detail: repo.Ref{Name: b.Upstream}.Short() + ", as last fetched", Do: to(charting.Upstream)})
	}
	c := m.now.Value
	if !c.Target.ID.IsZero() && c.Target.ID != b.Tip {
		choose.Options = append(choose.Options, kit.Option{Label: safe.Line(c.Target.Name), Key: c.Target.ID.Short(), Do: to(c.Target.Name),
			Look: kit.LookAt(m.app, c.Target.ID)})
	}
	for _, s := range c.Stacks {
		for _, segment := range s.Segments {
			if segment.Tip != b.Tip {
				choose.Options = append(choose.Options, kit.Option{Label: safe.Line(segment.Name), Key: segment.Tip.Short(), Do: to(segment.Name),
					Look: kit.LookAt(m.app, segment.Tip)})
			}
		}
	}
	for _, s := range c.Stacks {
		for _, segment := range s.Segments {
			for _, mark := range slices.Backward(segment.Commits) {
				if mark.ID != segment.Tip {
					choose.Options = append(choose.Options, kit.Option{Label: safe.Line(mark.Subject), Key: mark.ID.Short(),
						Detail: "a commit of " + safe.Line(segment.Name), Do: to(mark.ID.String()), Look: kit.LookAt(m.app, mark.ID)})
				}
			}
		}
	}
	return kit.Show(choose)
}

func (m *Model) workHere() tea.Cmd { return m.workAnd("", nil) }

// workAnd makes the branch at the cursor the one at work, and goes on.
func (m *Model) workAnd(says string, then tea.Cmd) tea.Cmd {
	b, _ := m.branchHere()
	return kit.Start(kit.Work[string]{Title: "Going to " + safe.Line(b.Name), Do: func(ctx context.Context, _ func(string)) (string, error) {
		return strings.TrimSpace(safe.Line(b.Name) + " is at work now. " + says), m.app.WorkOn(ctx, b.Name)
	}, Then: then})
}

// planner is the screen that shapes plans.
const planner = "Shape"

// putOnto goes to Shape, where the series of the branch at the cursor goes onto the marked point, or one that is chosen.
func (m *Model) putOnto() tea.Cmd {
	return m.shapeWith(") chooses what it goes onto.", func(point string) (string, kit.PlanFor) {
		return "It goes onto " + m.pointName(point) + "; a applies it.", kit.PlanFor{Onto: point}
	})
}

// sitOn has the series of the branch at the cursor begin at the marked point, in Shape, or goes there to choose one.
func (m *Model) sitOn() tea.Cmd {
	return m.shapeWith("( chooses what it sits on.", func(point string) (string, kit.PlanFor) {
		return "It sits on " + m.pointName(point) + ".", kit.PlanFor{Base: point}
	})
}

// shapeWith goes to Shape with the branch at the cursor at work, and asks there for what the marked point is for. With none marked
// it says which key chooses one.
func (m *Model) shapeWith(unmarked string, ask func(point string) (says string, plan kit.PlanFor)) tea.Cmd {
	b, _ := m.branchHere()
	there := kit.Show(kit.Go{Screen: planner})
	if m.marked == "" || m.marked == b.Name {
		return m.workAnd(unmarked, there)
	}
	says, plan := ask(m.marked)
	plan.Branch, m.marked = b.Name, ""
	return m.workAnd(says, kit.InSequence(there, kit.Show(kit.ForScreen{Screen: planner, Msg: plan})))
}

// revert plans that the branch at work takes the commit at the cursor back.
func (m *Model) revert() tea.Cmd {
	return kit.InSequence(kit.Show(kit.Go{Screen: planner}),
		kit.Show(kit.ForScreen{Screen: planner, Msg: kit.PlanFor{Branch: m.status.Work.Branch(), Revert: m.commitHere()}}))
}

// bringIn plans a merge of the point at the cursor into the branch at work.
func (m *Model) bringIn() tea.Cmd {
	here, _ := m.here()
	return kit.InSequence(kit.Show(kit.Go{Screen: planner}),
		kit.Show(kit.ForScreen{Screen: planner, Msg: kit.PlanFor{Branch: m.status.Work.Branch(), Merge: pointOf(here)}}))
}
