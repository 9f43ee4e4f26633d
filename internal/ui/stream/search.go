package stream

import (
	"path/filepath"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// searchLimit is how many lines a search shows.
const searchLimit = 500

// Find offers the files whose paths, and the lines whose text hold what is typed; a choice goes there.
func (m *Model) Find(title string) kit.Choose {
	find := func(typed string) []kit.Option {
		options := m.paths(typed)
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

// paths offers the files whose paths hold what is typed: the one that is called so first, then those that begin so.
func (m *Model) paths(typed string) []kit.Option {
	wanted := strings.ToLower(typed)
	if wanted == "" {
		return nil
	}
	ranks := make([][]kit.Option, 3)
	for f, file := range m.files {
		path, base := strings.ToLower(file.Path), strings.ToLower(filepath.Base(file.Path))
		rank := 2
		switch {
		case !strings.Contains(path, wanted):
			continue
		case path == wanted || base == wanted:
			rank = 0
		case strings.HasPrefix(path, wanted) || strings.HasPrefix(base, wanted):
			rank = 1
		}
		ranks[rank] = append(ranks[rank], kit.Option{Key: "file", Label: safe.Line(file.Path),
			Detail: safe.Line(m.sections[m.owner[f]].Title), Do: func() tea.Cmd { m.goToFile(f); return nil }})
	}
	return slices.Concat(ranks...)
}

// goToFile takes the cursor to a file's heading, even if its section is hidden.
func (m *Model) goToFile(f int) {
	if f >= len(m.files) {
		return // the changes are others by now
	}
	section := m.owner[f]
	delete(m.shut, m.sections[section].Layer)
	m.relayout()
	m.goTo(row{fileRow, section, int32(f), -1, -1, 0, -1})
}
