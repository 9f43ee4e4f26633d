package chart

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/ui/kit"
	"bastel/test/opened"
)

func id(n int) repo.ID {
	id, err := repo.ParseID(fmt.Sprintf("%040x", n+1))
	if err != nil {
		panic(err)
	}
	return id
}

// harbour is a chart with branches of some commits each, one place of the line for each.
func harbour(names []string, commits []int) charting.Chart {
	c := charting.Chart{Target: app.Target{Name: "origin/main", ID: id(0)}, Branches: len(names)}
	for i, name := range names {
		c.Line = append(c.Line, charting.Mooring{ID: id(1000 + i), At: len(names) - i, Subject: "place " + name})
		s := charting.Segment{Branch: charting.Branch{Name: name, Tip: id(2000 + i*100 + commits[i] - 1), Ahead: commits[i], Mine: true}}
		for n := range commits[i] {
			s.Commits = append(s.Commits, charting.Mark{ID: id(2000 + i*100 + n), Subject: fmt.Sprint(name, " ", n), Mine: true})
		}
		c.Stacks = append(c.Stacks, charting.Stack{Mooring: i, Segments: []charting.Segment{s}})
	}
	return c
}

func shown(c charting.Chart, width, height int) *Model {
	m := &Model{cursors: cursors{cursor: place{row: -1}, size: kit.Size{Width: width, Height: height, Narrow: width < 100}}}
	m.now.Value, m.now.Known = c, true
	m.find()
	return m
}

func plain(rows []string) string { return ansi.Strip(strings.Join(rows, "\n")) }

func TestTheChartAsItIsDrawn(t *testing.T) {
	c := harbour([]string{"alarm", "board"}, []int{3, 5})
	for i := range 3 {
		c.Stacks[0].Segments[0].Commits[i].Mine, c.Stacks[0].Segments[0].Commits[i].Author = false, "Mira"
	}
	for i := 2; i < 5; i++ {
		c.Stacks[1].Segments[0].Commits[i].Unsent = true
	}
	c.Line[1].Branches = []charting.Branch{{Name: "main", Tip: id(1001), Behind: 6}}
	c.Stacks = append(c.Stacks, charting.Stack{Mooring: -1, Segments: c.Stacks[0].Segments})
	m := shown(c, 142, 12)
	drawn := plain(m.View(m.size, kit.NewTheme(kit.Look{Ground: kit.Dark})))
	for _, want := range []string{"alarm m─m─m──┤     place alarm", "board [5─4─3]─2─1──┤     place board", "main, 6 behind ╌╌┤",
		"alarm m─m─m──╴"} {
		assert.Contains(t, drawn, want)
	}
	m.next.Value.chart, m.next.Known, m.laid = harbour([]string{"alarm", "board"}, []int{3, 1}), true, nil
	assert.Contains(t, plain(m.View(m.size, kit.NewTheme(kit.Look{Ground: kit.Dark}))), "├─A─B─C alarm")
}

// TestTheChartFits every terminal: rows are as wide and as many as they shall be.
func TestTheChartFits(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, 8).Draw(t, "branches")
		names, commits := make([]string, n), make([]int, n)
		for i := range n {
			names[i] = fmt.Sprint(i) + strings.Repeat(rapid.SampledFrom([]string{"x", "ü", "港"}).Draw(t, "letter"),
				rapid.IntRange(0, 60).Draw(t, "length"))
			commits[i] = rapid.IntRange(1, 80).Draw(t, "commits")
		}
		size := kit.Size{Width: rapid.IntRange(20, 240).Draw(t, "width"), Height: rapid.IntRange(7, 60).Draw(t, "height")}
		m := shown(harbour(names, commits), size.Width, size.Height)
		if rapid.Bool().Draw(t, "planned") {
			m.next.Value.chart, m.next.Known, m.laid = harbour(names, commits), true, nil
			m.steps = []charting.Step{{Kind: charting.Deleted, Branch: "x"}}
		}
		for range rapid.IntRange(0, 10).Draw(t, "moves") {
			m.step(rapid.IntRange(-3, 3).Draw(t, "rows"))
			m.along(rapid.IntRange(-3, 3).Draw(t, "along"))
			if rapid.Bool().Draw(t, "open or close") {
				on, _ := m.here()
				m.openOrClose()
				still, _ := m.here()
				assert.Equal(t, on.commit, still.commit)
			}
		}
		rows := m.View(m.size, kit.NewTheme(kit.Look{Ground: kit.Dark}))
		require.Len(t, rows, size.Height)
		for _, row := range rows {
			assert.Equal(t, size.Width, ansi.StringWidth(row))
		}
	})
}

// TestTheCursorStaysWhereItIs when branches come and go, and the order of the other rows too.
func TestTheCursorStaysWhereItIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names, commits := []string{"a", "b", "c", "d", "e"}, []int{3, 1, 12, 5, 2}
		m := shown(harbour(names, commits), 142, 36)
		m.cursor.row = rapid.IntRange(0, 4).Draw(t, "row")
		m.along(rapid.IntRange(0, 5).Draw(t, "along"))
		if rapid.Bool().Draw(t, "open") {
			m.openOrClose()
			m.step(rapid.IntRange(0, 5).Draw(t, "to a row"))
		}
		before, _ := m.here()
		gone := rapid.IntRange(0, 4).Draw(t, "gone")
		c := m.now.Value
		order := func() (list []string) {
			for _, r := range m.rows() {
				for _, s := range r.left.segments {
					if s.Name != names[gone] {
						list = append(list, s.Name)
					}
				}
			}
			return list
		}
		rows := order()
		c.Stacks = append(append([]charting.Stack{}, c.Stacks[:gone]...), c.Stacks[gone+1:]...)
		m.now.Value, m.laid = c, nil
		m.find()
		assert.Equal(t, rows, order())
		if here, ok := m.here(); before.branch != names[gone] {
			require.True(t, ok)
			assert.Equal(t, before.commit, here.commit)
			assert.Equal(t, before.branch, here.branch)
		}
	})
}

// BenchmarkKeyOnThousands is a key and its frame among 5,000 branches, against the time that a screen of 60 Hz has for one.
func BenchmarkKeyOnThousands(b *testing.B) {
	app.SpendMemory()
	names, commits := make([]string, 5000), make([]int, 5000)
	for i := range names {
		names[i], commits[i] = fmt.Sprint("branch-", i), 1+i%40
	}
	m := shown(harbour(names, commits), 142, 36)
	theme := kit.NewTheme(kit.Look{Ground: kit.Dark})
	for b.Loop() {
		m.step(1)
		m.along(1)
		m.View(m.size, theme)
	}
	b.ReportMetric(float64(b.Elapsed())/float64(b.N)*60/1e9, "x-frame")
}

// TestWhatWasPlannedIsForgotten, also where how it would look comes late.
func TestWhatWasPlannedIsForgotten(t *testing.T) {
	m := shown(harbour([]string{"alarm"}, []int{3}), 142, 36)
	m.ctx = t.Context()
	m.charting = charting.Of(opened.App(t, opened.Feature(t).Dir))
	late := m.plan(charting.Step{Kind: charting.Put, Branch: "main", Point: "feature~1"})
	m.clear()
	m.Update(late())
	assert.False(t, m.next.Known)
	assert.Empty(t, m.steps)
	m.Update(m.plan(charting.Step{Kind: charting.Put, Branch: "main", Point: "feature~1"})())
	assert.True(t, m.next.Known, "the next plan shows")
	m.Update(m.plan(charting.Step{Kind: charting.Gone, Branch: "nowhere"})())
	assert.Len(t, m.steps, 1, "what is not possible is dropped")
}

// TestMovesOnTheChart: to the fork and from merge to merge, also where commits have rows of their own; → opens, ← closes.
func TestMovesOnTheChart(t *testing.T) {
	c := harbour([]string{"a", "b", "c"}, []int{3, 12, 2})
	c.Stacks[1].Segments[0].Commits[6].Merges = id(7)
	c.Stacks[2].Segments[0].Commits[0].Merges = id(8)
	m := shown(c, 142, 36)
	m.step(1)
	m.along(20)
	on, _ := m.here()
	require.Equal(t, "b", on.branch)
	require.Equal(t, name, on.kind)
	m.right()
	require.Len(t, m.rows(), 3+12)
	m.step(8)
	on, _ = m.here()
	assert.Equal(t, "b 7", on.subject)
	m.toFork()
	on, _ = m.here()
	assert.Equal(t, "place b", on.subject)
	var merges []string
	for range 4 {
		m.toMerge()
		on, _ = m.here()
		merges = append(merges, on.subject)
	}
	assert.Equal(t, []string{"b 6", "b 6", "c 0", "b 6"}, merges, "in the branch's row, in its own, and round")
	m.step(6)
	m.left()
	assert.Len(t, m.rows(), 3)
	on, _ = m.here()
	assert.Equal(t, "b", on.branch)
}

// TestTheChartGrowsUpwards: when older places come, what the cursor is on stays where it is on the screen.
func TestTheChartGrowsUpwards(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names := make([]string, 40)
		commits := make([]int, 40)
		for i := range names {
			names[i], commits[i] = fmt.Sprint("b", i), 1+i%3
		}
		known := rapid.IntRange(30, 39).Draw(t, "known at first")
		part := harbour(names[40-known:], commits[40-known:])
		for i := range part.Line { // ids are those of the whole
			part.Line[i].ID = id(1000 + 40 - known + i)
			part.Stacks[i].Segments[0].Tip = id(2000 + (40-known+i)*100)
			for n := range part.Stacks[i].Segments[0].Commits {
				part.Stacks[i].Segments[0].Commits[n].ID = id(2000 + (40-known+i)*100 + n)
			}
		}
		part.Unmoored, part.Branches, part.Line[0].Hidden = 40-known, 40, charting.Uncounted
		m := shown(part, 142, 24)
		m.chosen = true
		m.step(rapid.IntRange(0, known-1).Draw(t, "row"))
		drawn := plain(m.View(m.size, kit.NewTheme(kit.Look{Ground: kit.Dark})))
		assert.Contains(t, drawn, fmt.Sprintf("%d still to be moored", 40-known))
		on, _ := m.here()
		at := m.cursor.row - m.top
		read := m.now.Begin(t.Context(), Name, func(context.Context) (charting.Chart, error) { return harbour(names, commits), nil })
		m.takeChart(read().(kit.Read[charting.Chart]))
		whole := plain(m.View(m.size, kit.NewTheme(kit.Look{Ground: kit.Dark})))
		still, _ := m.here()
		assert.Equal(t, on.commit, still.commit)
		if at >= 3 { // at the very top it makes room for what is above
			assert.Equal(t, at, m.cursor.row-m.top)
		}
		assert.NotContains(t, whole, "still to be moored")
	})
}
