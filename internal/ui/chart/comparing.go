package chart

import (
	"cmp"
	"context"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// lookInto shows what the commit at the cursor changes.
func (m *Model) lookInto() tea.Cmd {
	return m.lookAtCommit(m.commitHere())
}

func (m *Model) lookAtCommit(id repo.ID) tea.Cmd {
	if id.IsZero() {
		return nil
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (found, error) {
		look, err := kit.ReadLook(ctx, m.app, id)
		return found{title: look.Title(), files: look.Files, commit: id, out: &look.Out}, err
	})
}

// markHere marks the point at the cursor, or clears the mark.
func (m *Model) markHere() {
	here, _ := m.here()
	if point := pointOf(here); point != m.marked {
		m.marked = point
		return
	}
	m.marked = ""
}

// pointOf is how a point is named: a branch by its name, else the commit.
func pointOf(here item) string {
	if here.kind == name {
		return here.branch
	}
	return here.commit.String()
}

// compare compares the point at the cursor with the marked one, or with the target.
func (m *Model) compare() tea.Cmd {
	here, _ := m.here()
	from, to := m.marked, pointOf(here)
	if from == "" {
		from = m.now.Value.Target.ID.String()
	}
	return m.compareWith(from, to)
}

func (m *Model) compareWith(from, to string) tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (found, error) {
		c, err := m.charting.Compare(ctx, from, to)
		return found{title: m.pointName(from) + "  →  " + m.pointName(to), files: c.Files, compared: &c}, err
	})
}

// compareLoose offers to compare the point at the cursor with what is not committed yet.
func (m *Model) compareLoose() tea.Cmd {
	here, _ := m.here()
	from := pointOf(here)
	option := func(label, detail, to string) kit.Option {
		return kit.Option{Label: label, Detail: detail, Do: func() tea.Cmd { return m.compareWith(from, to) }}
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (kit.Choose, error) {
		choose := kit.Choose{Title: "Compare " + m.pointName(from) + " with what?", Options: []kit.Option{
			option("the working tree", "all of it, whatever tray it is in", charting.Loose)}}
		trays, err := m.charting.Trays(ctx)
		for _, t := range trays {
			detail := cmp.Or(safe.Line(repo.Subject(t.Message)), "no message yet")
			choose.Options = append(choose.Options, option("tray "+t.Layer.String(), detail, "@"+t.Layer.String()))
		}
		return choose, err
	})
}

// Against asks to compare the branch at work with its target, and to come back to a screen.
type Against struct{ From string }

func (m *Model) against(asked Against) tea.Cmd {
	return kit.Find(m.ctx, Name, func(ctx context.Context) (found, error) {
		work, err := m.app.AtWork(ctx)
		if err != nil {
			return found{}, err
		}
		target, err := m.app.FindTarget(ctx, work.Branch())
		if err != nil {
			return found{}, err
		}
		if target.ID.IsZero() || work.Commit.IsZero() {
			return found{}, app.Refuse("There is no target to compare with. B chooses one.")
		}
		tip := cmp.Or(work.Branch(), work.Commit.String())
		c, err := m.charting.Compare(ctx, target.Name, tip)
		return found{title: safe.Line(target.Name) + "  →  " + m.pointName(tip), files: c.Files, compared: &c, from: asked.From}, err
	})
}

// pointName is a point as people say it.
func (m *Model) pointName(point string) string {
	id, err := repo.ParseID(point)
	switch {
	case point == charting.Loose:
		return "the working tree"
	case err != nil && strings.HasPrefix(point, "@"):
		return "tray " + strings.TrimPrefix(point, "@")
	case err != nil:
		return safe.Line(point)
	case id == m.now.Value.Target.ID:
		return safe.Line(m.now.Value.Target.Name)
	}
	return id.Short()
}
