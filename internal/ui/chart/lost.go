package chart

import (
	"context"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/charting"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

// findLost lists what can be found again, the latest first; a choice brings it back.
func (m *Model) findLost() tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (kit.Choose, error) {
		found, err := m.charting.Lost(ctx)
		choose := kit.Choose{Title: "What is to be found again?"}
		for _, l := range found {
			choose.Options = append(choose.Options, m.lostOption(l))
		}
		if len(found) == 0 {
			choose.Options = []kit.Option{{Label: "nothing is lost", Detail: "no commit that only a reflog holds, no deleted branch, nothing " +
				"put aside or thrown away"}}
		}
		return choose, err
	})
}

func (m *Model) lostOption(l charting.Lost) kit.Option {
	o := kit.Option{Label: safe.Line(l.Title), Key: kit.Age(l.When, time.Now())}
	switch l.Kind {
	case charting.LostChanges:
		o.Detail = "check the branch out, and they are there again"
		o.Do = func() tea.Cmd { return m.plan(charting.Step{Kind: charting.Gone, Branch: l.Branch}) }
	case charting.LostTexts:
		o.Detail = "into the working tree, unless the files were changed since"
		o.Do = func() tea.Cmd { return m.textsBack(l) }
	case charting.LostBranch:
		o.Detail, o.Look = "make the branch again", kit.LookAt(m.app, l.Commit)
		o.Do = func() tea.Cmd {
			return m.plan(charting.Step{Kind: charting.Made, Branch: l.Branch, Point: l.Commit.String()})
		}
	default:
		o.Detail, o.Look = "make a branch there", kit.LookAt(m.app, l.Commit)
		o.Do = func() tea.Cmd { return m.createAt(l.Commit.String(), "found") }
	}
	if o.Look == nil {
		o.Look = func(context.Context) (string, error) { return safe.Text(strings.Join(l.Files, "\n")), nil }
	}
	return o
}

func (m *Model) textsBack(l charting.Lost) tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Bringing texts back", Do: func(ctx context.Context, _ func(string)) (string, error) {
		files, err := m.charting.TextsBack(ctx, l.Entry)
		return wording.Count(files, "file") + " as before that was thrown away. u undoes it.", err
	}})
}
