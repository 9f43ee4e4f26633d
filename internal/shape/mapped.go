package shape

import (
	"slices"

	"bastel/internal/repo"
)

// Mapped is the plan for a branch that was rewritten since: became says by source what it is now, nothing where it
// is gone. Entries keep their order, messages and answers. Commits that the plan did not speak of come to its end. It gives
// the sources that it spoke of and that are not there any more. A source that became several stays apart unless it was joined;
// parts of one that changed are whole again.
func (p Plan) Mapped(tip, base repo.ID, sources []repo.ID, became map[repo.ID][]repo.ID) (mapped Plan, lost []repo.ID) {
	m := mapping{became: became, used: map[repo.ID]bool{}, extra: p.Extra}
	mapped = Plan{Branch: p.Branch, Tip: tip, Base: base, Onto: p.Onto, Sources: sources, Extra: p.Extra, NotFromMemory: p.NotFromMemory}
	for _, split := range p.Splits {
		if slices.Contains(sources, split.Of) {
			mapped.Splits = append(mapped.Splits, split)
			m.used[split.Of] = true
			m.extra = append(slices.Clip(m.extra), split.Parts...) // they stay as they are
			continue
		}
		for _, part := range split.Parts {
			became[part] = became[split.Of]
		}
	}
	mapped.LeftOut = m.ids(p.LeftOut)
	for _, entry := range p.Next {
		from := m.ids(entry.From)
		if len(from) == 0 {
			continue
		}
		entry.From = from
		if len(from) > 1 && m.single {
			for _, id := range from[:len(from)-1] {
				mapped.Next = append(mapped.Next, Entry{From: []repo.ID{id}})
			}
			entry.From = from[len(from)-1:]
		}
		mapped.Next = append(mapped.Next, entry)
	}
	for _, id := range sources {
		if !m.used[id] {
			mapped.Next = append(mapped.Next, Entry{From: []repo.ID{id}})
		}
	}
	for _, g := range p.Answers {
		if now := m.became[g.Source]; len(now) > 0 {
			g.Source = now[0]
		}
		mapped.Answers = append(mapped.Answers, g)
	}
	for _, id := range p.Sources {
		if len(became[id]) == 0 && !slices.Contains(sources, id) {
			lost = append(lost, id)
		}
	}
	return mapped, lost
}

// mapping replaces commits by what they became, each once.
type mapping struct {
	became map[repo.ID][]repo.ID
	used   map[repo.ID]bool
	extra  []repo.ID
	single bool // what was mapped last was one commit
}

func (m *mapping) ids(list []repo.ID) (now []repo.ID) {
	m.single = len(list) == 1
	for _, id := range list {
		if slices.Contains(m.extra, id) {
			now = append(now, id)
			continue
		}
		for _, id := range m.became[id] {
			if !m.used[id] {
				m.used[id] = true
				now = append(now, id)
			}
		}
	}
	return now
}
