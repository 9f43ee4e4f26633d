package ui

import (
	"context"
	"fmt"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// chooseBranch offers the branches that could be at work.
func (m *Model) chooseBranch() tea.Cmd {
	head := m.where.Value.Head.Branch()
	return kit.Seek(m.seeking(), "choosing a branch", func(ctx context.Context) tea.Msg {
		refs, err := m.app.Repo.Refs(ctx, "refs/heads")
		if err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		choose := kit.Choose{Title: "Which branch is at work?"}
		for _, ref := range refs {
			name, detail := ref.Short(), "not checked out: files stay as they are"
			switch {
			case name == head:
				detail = "checked out here"
			case ref.Worktree != "":
				detail = "checked out in " + ref.Worktree
			}
			option := kit.Option{Key: ref.ID.Short(), Label: safe.Line(name), Detail: safe.Line(detail),
				Do: func() tea.Cmd { return m.workOn(name) }, Look: kit.LookAt(m.app, ref.ID)}
			if name == head {
				choose.Options = append([]kit.Option{option}, choose.Options...)
				continue
			}
			choose.Options = append(choose.Options, option)
		}
		return choose
	})
}

func (m *Model) workOn(branch string) tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Going to " + safe.Line(branch), Do: func(ctx context.Context, _ func(string)) (string, error) {
		return safe.Line(branch) + " is at work now.", m.app.WorkOn(ctx, branch)
	}})
}

// chooseTarget offers where the branch at work could land.
func (m *Model) chooseTarget() tea.Cmd {
	branch, now := m.where.Value.Work.Branch(), m.where.Value.Target
	return kit.Seek(m.seeking(), "choosing where a branch lands", func(ctx context.Context) tea.Msg {
		names, err := planning.Of(m.app).Ontos(ctx, branch)
		if err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		choose := kit.Choose{Title: "Where does " + safe.Line(branch) + " land?"}
		for _, name := range names {
			detail := ""
			if name == now.Name {
				detail = "as it is now"
			}
			choose.Options = append(choose.Options, kit.Option{Label: safe.Line(name), Detail: detail,
				Do: func() tea.Cmd { return m.setTarget(name) }, Look: m.apartFrom(name)})
		}
		if now.Kept {
			choose.Options = append(choose.Options, kit.Option{Label: "as Bastel finds it",
				Detail: "forget the choice: the default branch of the shared remote", Do: func() tea.Cmd { return m.setTarget("") }})
		}
		return choose
	})
}

// apartFrom says how far the branch at work and another one are apart.
func (m *Model) apartFrom(name string) func(ctx context.Context) (string, error) {
	tip := m.where.Value.Work.Commit
	return func(ctx context.Context) (string, error) {
		id, err := m.app.CommitNamed(ctx, name)
		if err != nil {
			return "", err
		}
		there, own, err := m.app.Repo.AheadBehind(ctx, id, tip)
		return fmt.Sprintf("%s of the branch to land there, %d there that it does not have", wording.Count(own, "commit"), there), err
	}
}

func (m *Model) setTarget(name string) tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Choosing the target", Do: func(ctx context.Context, _ func(string)) (string, error) {
		target, err := m.app.SetTarget(ctx, name)
		if err != nil || target.Name == "" {
			return "The branch has no target.", err
		}
		return "The branch lands on " + safe.Line(target.Name) + ".", nil
	}})
}
