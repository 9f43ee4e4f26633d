package chart

import (
	"context"
	"strconv"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/draw"
	"bastel/internal/journal"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// drawSince offers the steps of the journal, the latest first, and draws the branches as they were before the chosen one beside
// those that there are.
func (m *Model) drawSince() tea.Cmd {
	show := m.show
	return kit.Find(m.ctx, Name, func(ctx context.Context) (kit.Choose, error) {
		entries, err := m.app.Journal.Entries(ctx)
		choose := kit.Choose{Title: "Since which step? The picture has the branches before it, and now."}
		for _, e := range entries {
			if e.Kind == journal.Push || e.Kind == journal.Pushed || e.Kind == journal.Void || e.Kind == journal.Passed {
				continue
			}
			choose.Options = append(choose.Options, kit.Option{Label: safe.Line(e.Title), Detail: e.Kind.Noun() + ", " + kit.Age(e.Time, time.Now()),
				Key: strconv.Itoa(e.Number), Do: func() tea.Cmd {
					return kit.Draw(m.app, "branches", func(ctx context.Context) (draw.Picture, error) {
						return m.charting.PictureSince(ctx, show, e.Number, 0)
					})
				}})
		}
		if len(choose.Options) == 0 {
			choose.Options = []kit.Option{{Label: "nothing was done yet", Detail: "the journal is empty"}}
		}
		return choose, err
	})
}
