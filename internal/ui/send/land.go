package send

import (
	"context"
	"errors"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	sending "bastel/internal/send"
	"bastel/internal/ui/kit"
)

// chooseLanding asks how the branch comes into its target; the straight line first.
func (m *Model) chooseLanding() tea.Cmd {
	branch := m.series.Branch
	land := func(how app.Landing) func() tea.Cmd { return func() tea.Cmd { return m.land(how) } }
	return kit.Show(kit.Choose{Title: "Land " + safe.Line(branch) + " on its target", Options: []kit.Option{
		{Label: "move the target forward", Detail: "on the remote and here", Do: land(app.Landing{})},
		{Label: "and delete the branch", Detail: "here and there; u brings it back here", Do: land(app.Landing{Delete: true})},
		{Label: "by a merge commit", Detail: "in place of the straight line", Do: func() tea.Cmd {
			return kit.Show(kit.Edit{Title: "Message of the merge", Text: "Merge " + branch, Suffix: "COMMIT_EDITMSG", Done: func(text string) tea.Cmd {
				if app.CleanMessage(text) == "" {
					return kit.Say("Without a message there is no merge.")
				}
				return land(app.Landing{Merge: text})()
			}})
		}},
	}})
}

// land carries a landing out. Where the target has moved on, it offers the way there.
func (m *Model) land(how app.Landing) tea.Cmd {
	var moved error
	return kit.Start(kit.Work{
		Title: "Landing " + safe.Line(m.series.Branch),
		Do: func(ctx context.Context, report func(string)) (string, error) {
			landed, err := m.app.Land(ctx, how, report)
			var refusal *sending.Refusal
			if errors.Is(err, repo.ErrMoved) || errors.As(err, &refusal) && refusal.Cause == sending.Diverged {
				moved = err
				return "", nil
			}
			if err != nil {
				return "", err
			}
			return strings.TrimSpace(fmt.Sprintf("%s is at %s now. %s", landed.Target, landed.New.Short(), strings.Join(landed.Notes, "\n"))), nil
		},
		Then: func() tea.Msg {
			if moved == nil {
				return nil
			}
			first, _, _ := strings.Cut(moved.Error(), " Nothing was changed")
			return kit.Ask{Question: first + " y fetches, and puts your commits onto it in Shape.", Key: "y", Yes: m.catchUp()}
		},
	})
}

// caughtUp says that the target is known as it is now.
type caughtUp struct{}

// catchUp fetches, and goes to Shape with the plan onto the target.
func (m *Model) catchUp() tea.Cmd {
	return kit.Start(kit.Work{
		Title: "Fetching",
		Do: func(ctx context.Context, report func(string)) (string, error) {
			_, err := m.app.Fetch(ctx, report)
			return "Fetched. The plan is onto the target now; a applies it.", err
		},
		Then: kit.Show(kit.ForScreen{Screen: Name, Msg: caughtUp{}}),
	})
}
