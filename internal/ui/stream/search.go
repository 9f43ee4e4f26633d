package stream

import (
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// searchLimit is how many lines a search shows.
const searchLimit = 500

// Find offers the lines that hold what is typed; a choice goes there.
func (m *Model) Find(title string) kit.Choose {
	find := func(typed string) []kit.Option {
		var options []kit.Option
		for _, hit := range m.Search(typed, searchLimit) {
			options = append(options, kit.Option{
				Key:    string(hit.Line.Op),
				Label:  kit.Expand(safe.Line(strings.TrimSpace(string(hit.Line.Text)))),
				Detail: safe.Line(hit.Path),
				Do:     func() tea.Cmd { m.GoTo(hit); return nil },
			})
		}
		return options
	}
	return kit.Choose{Title: title, Find: find}
}
