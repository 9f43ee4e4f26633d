package shape

import (
	"context"
	"errors"
	"fmt"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

func (m *Model) apply() tea.Cmd {
	return m.applyAtOnce(m.plan)
}

// applyAtOnce rewrites the branch as a plan says. What others may build on is rewritten
// only after a question.
func (m *Model) applyAtOnce(plan shape.Plan) tea.Cmd {
	return m.applyWith(plan, app.OwnOnly)
}

func (m *Model) applyWith(plan shape.Plan, consent app.Consent) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{
		Title: "Rewriting " + plan.Branch,
		Do: func(ctx context.Context, report func(string)) (kit.Got, error) {
			result, err := m.planning.Apply(ctx, plan, consent, func(done, total int) { report(fmt.Sprintf("%d of %d", done, total)) })
			if errors.Is(err, app.ErrPublished) || errors.Is(err, app.ErrNewContent) || errors.Is(err, app.ErrOthers) ||
				errors.Is(err, app.ErrStack) {
				return kit.Got{Msg: m.askConsent(plan, consent, err)}, nil
			}
			if err != nil {
				return kit.Got{}, err
			}
			if err := m.planning.ForgetPlan(ctx, plan.Branch); err != nil {
				return kit.Got{}, err
			}
			return kit.Got{Note: appliedNote(len(plan.Sources), result), Msg: kit.ForScreen{Screen: Name, Msg: applied{}}}, nil
		},
	})
}

// askConsent names what follows from rewriting what others may build on. A shared branch is
// unlocked by a choice of its own.
func (m *Model) askConsent(plan shape.Plan, given app.Consent, guarded error) tea.Msg {
	consequence := app.QuestionOf(guarded)
	if errors.Is(guarded, app.ErrNewContent) {
		return kit.Ask{Question: consequence + " y applies it all the same; = shows the difference.", Key: "y",
			Yes: m.applyWith(plan, given|app.NewContent)}
	}
	if errors.Is(guarded, app.ErrOthers) {
		return kit.Ask{Question: consequence + " y lets it go.", Key: "y", Yes: m.applyWith(plan, given|app.Others)}
	}
	if errors.Is(guarded, app.ErrStack) {
		return kit.Ask{Question: consequence + " y rewrites these all the same.", Key: "y", Yes: m.applyWith(plan, given|app.LeaveStack)}
	}
	if !errors.Is(guarded, app.ErrSharedBranch) {
		return kit.Ask{Question: consequence + " y rewrites it all the same.", Key: "y", Yes: m.applyWith(plan, given|app.Published)}
	}
	branch := safe.Line(plan.Branch)
	return kit.Choose{Title: safe.Line(consequence), Options: []kit.Option{
		{Label: "leave " + branch + " as it is", Detail: "make a new commit instead", Do: func() tea.Cmd { return kit.Say("Nothing was done.") }},
		{Label: "unlock " + branch + " and rewrite it", Detail: "this once", Do: func() tea.Cmd { return m.applyWith(plan, given|app.Unlocked) }},
	}}
}

// applied says that the plan's edits are history: undo is about the whole step now.
type applied struct{}

func appliedNote(sources int, r app.Applied) string {
	note := fmt.Sprintf("%s became %d.", wording.Count(sources, "commit"), r.Commits)
	if r.SameContent {
		note += " The content is the same, byte for byte."
	} else {
		note += " The content changed as planned."
	}
	return note + r.Remarks() + " u undoes it."
}
