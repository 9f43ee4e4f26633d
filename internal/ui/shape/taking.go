package shape

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/send"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/taking"
	"bastel/internal/wording"
)

// sourceBranches are those that commits can be taken from.
type sourceBranches []string

// takeable are the commits of another branch that this one does not have.
type takeable struct {
	branch  string
	commits []app.Source
}

func (m *Model) chooseTake() tea.Cmd {
	branch := m.plan.Branch
	return kit.Find(m.ctx, Name, func(ctx context.Context) (sourceBranches, error) {
		names, err := m.planning.Ontos(ctx, branch)
		return sourceBranches(names), err
	})
}

func (m *Model) offerSources(found sourceBranches) tea.Cmd {
	if len(found) == 0 {
		return kit.Say("There is no other branch to take from.")
	}
	plan := m.plan
	choose := kit.Choose{Title: "Take commits from which branch?"}
	for _, name := range found {
		choose.Options = append(choose.Options, kit.Option{Label: safe.Line(name), Do: func() tea.Cmd {
			return kit.Find(m.ctx, Name, func(ctx context.Context) (takeable, error) {
				commits, err := m.resolving.Takeable(ctx, plan, name)
				return takeable{name, commits}, err
			})
		}})
	}
	return kit.Show(choose)
}

func (m *Model) offerTakeable(found takeable) tea.Cmd {
	if len(found.commits) == 0 {
		return kit.Say("You have all commits of " + safe.Line(found.branch) + ".")
	}
	var all []repo.ID
	for _, s := range slices.Backward(found.commits) {
		all = append(all, s.ID)
	}
	choose := kit.Choose{Title: "Take which commit of " + safe.Line(found.branch) + "?", Options: []kit.Option{
		{Label: "all of them", Detail: wording.Count(len(all), "commit") + ", oldest first", Do: func() tea.Cmd { return m.offerWays(all) }},
	}}
	for _, s := range found.commits {
		choose.Options = append(choose.Options, kit.Option{Key: s.ID.Short(), Label: safe.Line(s.Commit.Subject()),
			Detail: safe.Line(s.Commit.Writer().Name), Do: func() tea.Cmd { return m.offerWays([]repo.ID{s.ID}) },
			Look: kit.LookAt(m.app, s.ID)})
	}
	return kit.Show(choose)
}

// offerWays asks in which form commits are taken; the linear series first.
func (m *Model) offerWays(ids []repo.ID) tea.Cmd {
	at, plan := m.entry()+1, m.plan
	choose := kit.Choose{Title: "Take " + wording.Count(len(ids), "commit") + " how?", Options: []kit.Option{
		{Key: "e", Label: "as entries of the plan", Detail: "after entry " + shape.Letter(max(0, at-1)), Do: func() tea.Cmd {
			return m.make("Taking", func(ctx context.Context) (shape.Plan, error) { return m.app.WithTaken(ctx, plan, at, ids) })
		}},
	}}
	if !m.elsewhere() {
		source := taking.Source{App: m.app, Screen: Name, Commits: func(context.Context) ([]repo.ID, error) { return ids, nil }}
		choose.Options = append(choose.Options, source.Options(m.ctx)...)
	}
	return kit.Show(choose)
}

// mergeIn makes the merge of another branch the plan's last entry.
func (m *Model) mergeIn(name string) tea.Cmd {
	plan := m.plan
	return m.make("Merging "+safe.Line(name), func(ctx context.Context) (shape.Plan, error) { return m.resolving.WithMerge(ctx, plan, name) })
}

// reverting is a commit that is to be taken back, with a message that begins by naming it.
type reverting struct {
	id      repo.ID
	message string
}

// revert takes a commit back by the plan's last entry. Its message asks why.
func (m *Model) revert(id repo.ID) tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (reverting, error) {
		message, err := m.planning.RevertMessage(ctx, []repo.ID{id})
		return reverting{id, message}, err
	})
}

func (m *Model) writeRevert(found reverting) tea.Cmd {
	plan := m.plan
	return kit.Show(kit.Edit{Title: "Why is it reverted?", Text: found.message, Message: &m.writing, Suffix: "COMMIT_EDITMSG",
		From:  []string{"message"},
		About: kit.AboutCommit(m.app, "the commit that is taken back", found.id),
		Done: func(text string) tea.Cmd {
			return m.make("Taking back", func(ctx context.Context) (shape.Plan, error) {
				return m.planning.WithRevert(ctx, plan, []repo.ID{found.id}, text)
			})
		}})
}

// TakeIn has the plan take in what the remote's branch has, and commits besides, for
// another screen.
func (m *Model) TakeIn(besides []repo.ID) tea.Cmd {
	of := m.plan
	return kit.Start(kit.Work[kit.Got]{Title: "Taking in", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		plan, said, err := publishing.Of(m.app).TakeIn(ctx, of, besides)
		if err != nil {
			return kit.Got{}, err
		}
		sources, err := m.app.Sources(ctx, slices.Concat(plan.Sources, madeFor(plan)))
		got := kit.ToScreen(Name, made{of: of, plan: plan, sources: sources, then: "Send"})
		got.Note = said
		return got, err
	}})
}

// Mend goes to where a finding before sending is mended.
func (m *Model) Mend(item string) tea.Cmd {
	there := kit.Show(kit.Go{Screen: Name})
	switch item {
	case send.Leftovers:
		return tea.Batch(there, m.sweep())
	case send.Checks:
		return tea.Batch(there, m.check())
	case send.UpToDate:
		target := m.target.Name
		return tea.Batch(there, m.Edit(func(p shape.Plan) shape.Plan { p.Onto = target; return p }))
	case send.Subjects:
		return tea.Batch(there, m.ideas())
	case send.Linear:
		return tea.Batch(there, kit.Say("The plan is a straight line: a applies it."))
	case send.LargeFile:
		return tea.Batch(there, kit.Say("i changes what an entry holds, in a scratch folder."))
	case send.Identity:
		return tea.Batch(there, kit.Say("@ changes an entry's author."))
	}
	return tea.Batch(there, kit.Say("m writes an entry's message."))
}
