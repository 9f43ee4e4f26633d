package ui

import (
	"context"
	"errors"
	"fmt"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/ui/kit"
)

// widthForTwo is how wide the terminal has to be for two columns.
const widthForTwo = 110

// fitColumns shows differences in two columns where that is wanted, and there is room.
func (m *Model) fitColumns() { m.theme.TwoColumns = m.columns == 2 && m.width >= widthForTwo }

// turnGround takes the colours for a dark background, or for a light one, and keeps that for all repositories.
func (m *Model) turnGround() tea.Cmd {
	ground, name := kit.Light, "light"
	if m.theme.Ground == kit.Light {
		ground, name = kit.Dark, "dark"
	}
	m.useGround(ground)
	m.groundSet = true
	a := m.app
	return kit.Start(kit.Work[string]{Title: "Keeping the choice", Do: func(ctx context.Context, _ func(string)) (string, error) {
		said := "Colours are for a " + name + " background"
		if err := a.KeepBackground(ctx, name); errors.Is(err, repo.ErrNoConfigFile) {
			return said + ", until you leave: your git configuration is kept in no file.", nil
		} else if err != nil {
			return said + ".", err
		}
		return said + "; bastel.background of your git configuration keeps it.", nil
	}})
}

// turnColumns shows differences in two columns, or in one again, on all screens. It is kept for the next time.
func (m *Model) turnColumns() tea.Cmd {
	m.columns = 3 - max(1, m.columns)
	m.fitColumns()
	said := "Differences are in one column."
	switch {
	case m.theme.TwoColumns:
		said = "Differences are in two columns: what was, and what is."
	case m.columns == 2:
		said = fmt.Sprintf("Two columns need %d columns of the terminal, which has %d. They come once it is wider.", widthForTwo, m.width)
	}
	columns, a := m.columns, m.app
	keep := m.columnsKept.Keep(func() error { return a.KeepColumns(columns) })
	return tea.Batch(kit.Say(said), func() tea.Msg {
		if err := keep(); err != nil {
			return kit.Notice{Text: app.Explain(err), Trouble: true}
		}
		return nil
	})
}
