package ui

import (
	"context"
	"errors"
	"fmt"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/journal"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/send"
)

// undo offers the last step of the journal by its name and branch: a key that is held down does not go on into that.
func (m *Model) undo() tea.Cmd {
	return kit.Seek(m.seeking(), "what can be taken back", func(ctx context.Context) tea.Msg {
		push, last, err := publishing.Of(m.app).PushedLast(ctx)
		switch {
		case err != nil:
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		case last:
			return m.offerTakingBack(push)
		}
		return m.offerUndo(ctx)
	})
}

func (m *Model) offerUndo(ctx context.Context) tea.Msg {
	entry, err := planning.Of(m.app).LastDone(ctx)
	if err != nil {
		return kit.Notice{Text: app.Explain(err), Trouble: true}
	}
	where := ""
	if name, isBranch := strings.CutPrefix(entry.Ref, "refs/heads/"); isBranch {
		where = ", on " + name
	}
	return kit.Ask{
		Question: fmt.Sprintf("Undo the %s: %s%s? y does it.", entry.Kind.Noun(), safe.Line(entry.Title), safe.Line(where)),
		Key:      "y",
		Yes: kit.Start(kit.Work[kit.Got]{Title: "Undoing", Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			return m.undoStep(ctx, entry.Number)
		}}),
	}
}

// offerTakingBack says that the last thing done was a push, which undo does not take back.
func (m *Model) offerTakingBack(push journal.Entry) kit.Choose {
	name := strings.TrimPrefix(push.Ref, "refs/heads/")
	before := kit.Option{Label: "undo the step before it", Detail: "here only; what is on the remote stays. It says first which one that is.",
		Do: func() tea.Cmd { return kit.Seek(m.seeking(), "what can be taken back", m.offerUndo) }}
	if push.New.IsZero() {
		return kit.Choose{Question: true, Title: "The last thing done here is that " + name + " was deleted on " + push.Remote + ".",
			Options: []kit.Option{
				{Label: "leave it", Detail: "Nothing is changed.", Do: func() tea.Cmd { return kit.Say("Nothing was changed.") }},
				{Label: "bring it back there", Detail: "where it was, at " + push.Old.Short() + ", unless it is there again",
					Do: func() tea.Cmd { return send.BringBack(m.app) }},
				before,
			}}
	}
	return kit.Choose{Question: true, Title: "The last thing done here is the push of " + name + " to " + push.Remote +
		". Others may have it by now.", Options: []kit.Option{
		{Label: "leave it", Detail: "Nothing is changed.", Do: func() tea.Cmd { return kit.Say("Nothing was changed.") }},
		{Label: "take the push back", Detail: "as X does in Send: the remote is asked first", Do: func() tea.Cmd { return send.TakeBack(m.app) }},
		before,
	}}
}

// undoStep takes the last step back, or offers the ways on where that cannot be.
func (m *Model) undoStep(ctx context.Context, number int) (kit.Got, error) {
	entry, err := planning.Of(m.app).UndoThat(ctx, number)
	var refusal *app.Refusal
	if entry.Number > 0 && errors.As(err, &refusal) {
		return kit.Got{Msg: m.offerPassing(ctx, entry.Entry, err)}, nil
	}
	return kit.Got{Note: fmt.Sprintf("Undid the %s: %s. U redoes it.%s", entry.Kind.Noun(), entry.Title, entry.Remarks())}, err
}

// offerPassing says why a step cannot be undone, and the ways on.
func (m *Model) offerPassing(ctx context.Context, entry journal.Entry, why error) kit.Choose {
	carry := []kit.Option{}
	if errors.Is(why, app.ErrLaterWork) {
		detail := "They are put onto what was before the step; where they conflict nothing is changed."
		if forecast, err := planning.Of(m.app).LookCarrying(ctx); err != nil {
			detail += " " + safe.Line(err.Error())
		} else {
			detail += " " + safe.Line(strings.Join(forecast, "; ")) + "."
		}
		carry = append(carry, kit.Option{Label: "carry the later commits over", Detail: detail, Do: m.undoCarrying})
	}
	return kit.Choose{Question: true, Title: safe.Line(why.Error()), Options: append([]kit.Option{
		{Label: "leave it", Detail: "Nothing was changed.", Do: func() tea.Cmd { return kit.Say("Nothing was changed.") }},
		{Label: "pass it over", Detail: fmt.Sprintf("u then reaches the step before it; bastel rescue %d writes out what the entry keeps.",
			entry.Number), Do: m.passOver},
	}, carry...)}
}

func (m *Model) undoCarrying() tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Undoing", Do: func(ctx context.Context, _ func(string)) (string, error) {
		entry, err := planning.Of(m.app).UndoCarrying(ctx)
		return fmt.Sprintf("Undid the %s: %s. What came later is on top of it. u undoes that.%s", entry.Kind.Noun(), entry.Title,
			entry.Remarks()), err
	}})
}

func (m *Model) passOver() tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Passing over", Do: func(ctx context.Context, _ func(string)) (string, error) {
		entry, err := planning.Of(m.app).PassOver(ctx)
		return fmt.Sprintf("Passed over the %s: %s. u undoes the step before it.", entry.Kind.Noun(), entry.Title), err
	}})
}

func (m *Model) redo() tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Redoing", Do: func(ctx context.Context, _ func(string)) (string, error) {
		entry, err := planning.Of(m.app).Redo(ctx)
		return fmt.Sprintf("Redid the %s: %s. u undoes it.%s", entry.Kind.Noun(), entry.Title, entry.Remarks()), err
	}})
}
