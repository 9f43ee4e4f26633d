package shape

import (
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"

	tea "charm.land/bubbletea/v2"
)

func (m *Model) clamp() {
	m.cursor[kit.Now] = max(0, min(m.cursor[kit.Now], len(m.plan.Sources)-1))
	m.cursor[kit.Next] = max(0, min(m.cursor[kit.Next], m.nextRows()-1))
}

// nextRows counts the rows of Next: the entries, then the sources left out.
func (m *Model) nextRows() int { return len(m.plan.Next) + len(m.plan.LeftOut) }

// entry is the entry that the cursor means, in either half; -1 for one left out.
func (m *Model) entry() int {
	if m.half == kit.Now {
		if len(m.plan.Sources) == 0 {
			return -1
		}
		return m.plan.Place(m.plan.Sources[m.cursor[kit.Now]])
	}
	if m.cursor[kit.Next] < len(m.plan.Next) {
		return m.cursor[kit.Next]
	}
	return -1
}

// outRow is the source left out that the cursor means.
func (m *Model) outRow() (repo.ID, bool) {
	if m.entry() >= 0 || m.nextRows() == 0 {
		return repo.ID{}, false
	}
	if m.half == kit.Now {
		return m.plan.Sources[m.cursor[kit.Now]], true
	}
	return m.plan.LeftOut[m.cursor[kit.Next]-len(m.plan.Next)], true
}

// source is the commit that the cursor means.
func (m *Model) source() (repo.ID, bool) {
	switch at := m.entry(); {
	case len(m.plan.Sources) == 0:
		return repo.ID{}, false
	case m.half == kit.Now:
		return m.plan.Sources[m.cursor[kit.Now]], true
	case at >= 0:
		return m.plan.Next[at].From[0], true
	}
	return m.outRow()
}

// search offers the entries, and the commits that are left out, by subject, letter, number, author and id; a choice goes there.
func (m *Model) search() tea.Cmd {
	choose := kit.Choose{Title: "Find an entry"}
	add := func(row int, key, subject string, from []repo.ID) {
		detail := make([]string, len(from))
		for i, id := range from {
			detail[i] = fmt.Sprintf("%s, %s, %s", m.name(id), m.sourceOf(id).Commit.Writer().Name, id.Short())
		}
		choose.Options = append(choose.Options, kit.Option{Key: key, Label: safe.Line(subject), Detail: safe.Text(strings.Join(detail, "\n")),
			Look: kit.LookAt(m.app, from[0]), Do: func() tea.Cmd {
				m.half, m.cursor[kit.Next] = kit.Next, row
				m.clamp()
				return nil
			}})
	}
	for i, e := range m.plan.Next {
		add(i, "entry "+shape.Letter(i), m.subject(e), e.From)
	}
	for i, id := range m.plan.LeftOut {
		add(len(m.plan.Next)+i, "left out", m.sourceOf(id).Commit.Subject(), []repo.ID{id})
	}
	return kit.Show(choose)
}

func (m *Model) step(rows int) {
	m.cursor[m.half] += rows
	m.clamp()
}

func (m *Model) toEnd(last bool) {
	m.cursor[m.half] = 0
	if last {
		m.cursor[m.half] = m.nextRows() + len(m.plan.Sources)
	}
	m.clamp()
}

// turn takes the cursor across the seam along its thread.
func (m *Model) turn(half kit.Half) {
	id, ok := m.source()
	switch {
	case half == m.half || !ok:
	case half == kit.Now:
		m.cursor[kit.Now] = slices.Index(m.plan.Sources, id)
	case m.plan.Place(id) >= 0:
		m.cursor[kit.Next] = m.plan.Place(id)
	default:
		m.cursor[kit.Next] = len(m.plan.Next) + slices.Index(m.plan.LeftOut, id)
	}
	m.half = half
	m.clamp()
}
