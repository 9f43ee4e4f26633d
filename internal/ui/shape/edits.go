package shape

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
)

func (m *Model) move(from, to int) tea.Cmd {
	if m.half == kit.Next {
		m.cursor[kit.Next] = to
	}
	return m.set(m.plan.Move(from, to))
}

func (m *Model) mark(at int) tea.Cmd {
	id := m.plan.Next[at].From[0]
	if m.marked[id] {
		delete(m.marked, id)
	} else {
		m.marked[id] = true
	}
	if m.half == kit.Next {
		m.cursor[kit.Next] = min(at+1, m.nextRows()-1)
	}
	return nil
}

func (m *Model) unmark() { clear(m.marked) }

func (m *Model) markedPlaces() []int {
	var places []int
	for i, e := range m.plan.Next {
		if m.marked[e.From[0]] {
			places = append(places, i)
		}
	}
	return places
}

func (m *Model) squash() tea.Cmd {
	places := m.markedPlaces()
	if len(places) < 2 {
		at := m.entry()
		if at < 1 {
			return kit.Say("There is no entry above to squash into.")
		}
		places = []int{at - 1, at}
	}
	m.marked = map[repo.ID]bool{}
	if m.half == kit.Next {
		m.cursor[kit.Next] = places[0]
	}
	plan := m.plan.Join(places...)
	said := "Squashed. The message is the first one's; m writes another, with all of them at hand."
	if len(m.coAuthors(plan.Next[places[0]])) > 0 {
		said += " @ names the others who wrote it."
	}
	return tea.Batch(m.set(plan), kit.Say(said))
}

// writingOf helps to write an entry's message: what its commits said, their trailers and authors come first.
func (m *Model) writingOf(e shape.Entry) app.Writing {
	help := m.writing
	if len(e.From) < 2 {
		return help
	}
	var messages []string
	for _, id := range e.From {
		messages = append(messages, m.sourceOf(id).Message)
	}
	help.Earlier = append(app.Joined(messages), help.Earlier...)
	trailers := app.TrailersOf(messages)
	for _, t := range slices.Concat(m.coAuthors(e), help.Trailers) {
		if !slices.Contains(trailers, t) {
			trailers = append(trailers, t)
		}
	}
	help.Trailers = trailers
	return help
}

// begunFrom is what an entry's message is begun from, for the hook that prepares messages.
func (m *Model) begunFrom(e shape.Entry) []string {
	if len(e.From) > 1 {
		return []string{"squash"}
	}
	return []string{"commit", e.From[0].String()}
}

func (m *Model) reword(at int) tea.Cmd {
	id := m.plan.Next[at].From[0]
	text := m.plan.Next[at].Message
	if text == "" {
		text = m.sourceOf(id).Message
	}
	original := m.sourceOf(id).Message
	help := m.writingOf(m.plan.Next[at])
	return kit.Show(kit.Edit{Title: "Message of entry " + shape.Letter(at), Text: text, Message: &help, Suffix: "COMMIT_EDITMSG",
		Begun: m.plan.Next[at].Message != "", From: m.begunFrom(m.plan.Next[at]), About: m.aboutEntry(at),
		Done: func(text string) tea.Cmd {
			text = app.CleanAs(help.Cleanup, help.Comment, text)
			at := m.plan.Place(id)
			switch {
			case at < 0:
				return nil
			case app.CleanMessage(text) == "":
				return kit.Show(kit.Notice{Text: "A commit needs a message; it stays as it was.", Trouble: true})
			case text == original:
				text = ""
			}
			return m.set(m.plan.Reword(at, text))
		}})
}

func (m *Model) leaveOut() tea.Cmd {
	if id, out := m.outRow(); out {
		return m.set(m.plan.BringBack(id))
	}
	plan := m.plan
	for _, at := range slices.Backward(m.places()) {
		plan = plan.LeaveOut(at)
	}
	m.marked = map[repo.ID]bool{}
	return m.set(plan)
}

func (m *Model) undo() tea.Cmd {
	last := len(m.before) - 1
	m.after = append(m.after, m.plan)
	plan := m.before[last]
	m.before = m.before[:last]
	return m.show(plan)
}

func (m *Model) redo() tea.Cmd {
	last := len(m.after) - 1
	m.before = append(m.before, m.plan)
	plan := m.after[last]
	m.after = m.after[:last]
	return m.show(plan)
}

func (m *Model) startOver() tea.Cmd {
	plan := m.plan
	if len(plan.Extra) == 0 { // nothing was settled in merges: there is nothing to read
		return m.set(shape.New(plan.Branch, plan.Tip, plan.Base, plan.Sources))
	}
	return m.make("Starting over", func(ctx context.Context) (shape.Plan, error) { return m.planning.StartOver(ctx, plan) })
}
