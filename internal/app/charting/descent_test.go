package charting_test

import (
	"bytes"
	"fmt"
	"os/exec"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app/charting"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// woven is a history of commits on any earlier ones, with branches and what a remote has. Clocks that are right give each
// commit a later date than those before it.
func woven(t *rapid.T, dirs string, right bool) *fixture.Repo {
	f := within(t, dirs)
	var in bytes.Buffer
	mark := 0
	commit := func(ref string, parents ...int) {
		mark++
		when := 1_700_000_000 + mark*3600
		if !right {
			when += 1800 * rapid.IntRange(-40, 40).Draw(t, "wrong by")
		}
		fmt.Fprintf(&in, "commit refs/heads/%s\nmark :%d\ncommitter O <o@x.example> %d +0000\ndata <<.\nc%d\n.\n", ref, mark, when, mark)
		for i, parent := range slices.Compact(parents) {
			fmt.Fprintf(&in, "%s :%d\n", []string{"from", "merge"}[min(i, 1)], parent)
		}
	}
	commit("main")
	on := 1
	for range rapid.IntRange(3, 25).Draw(t, "commits") {
		any := rapid.IntRange(1, mark)
		switch rapid.IntRange(0, 5).Draw(t, "kind") {
		case 0:
			commit("main", on, any.Draw(t, "merged"))
			on = mark
		case 1, 2:
			commit("main", on)
			on = mark
		case 3:
			commit(fmt.Sprint("b", mark), any.Draw(t, "first"), any.Draw(t, "second"))
		case 4:
			commit(fmt.Sprint("remotes/origin/b", mark), any.Draw(t, "from"))
		default:
			commit(fmt.Sprint("b", mark), any.Draw(t, "from"))
		}
	}
	text := strings.ReplaceAll(in.String(), "refs/heads/remotes/", "refs/remotes/")
	cmd := exec.Command("git", "-C", f.Dir, "fast-import", "--quiet")
	cmd.Stdin = strings.NewReader(text)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, "%s", out)
	f.Git("reset", "--quiet", "--hard", "main")
	return f
}

// TestTheWalkFindsWhatTheRepositoryFinds: which commits the line does not have, from which of its commits a branch left, and
// what no remote has; where clocks were wrong, too.
func TestTheWalkFindsWhatTheRepositoryFinds(t *testing.T) {
	fixture.FewerChecks(t, "30")
	dirs := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		f := woven(t, dirs, rapid.Bool().Draw(t, "right clocks"))
		c, err := charting.Of(opened.App(t, f.Dir)).Chart(ctx, charting.Show{All: true, Line: "main"})
		require.NoError(t, err)
		beyond := strings.Fields(f.Git("rev-list", "--topo-order", "--branches", "--remotes", "--not", "main"))
		unsent := strings.Fields(f.Git("rev-list", "--topo-order", "--branches", "--not", "main", "--remotes"))
		for _, s := range c.Stacks {
			for _, segment := range s.Segments {
				for _, mark := range segment.Commits {
					assert.Contains(t, beyond, mark.ID.String(), "%s of %s", mark.Subject, segment.Name)
					assert.Equal(t, slices.Contains(unsent, mark.ID.String()), mark.Unsent, "%s of %s", mark.Subject, segment.Name)
				}
			}
			if s.Mooring < 0 || s.On != "" {
				continue
			}
			first := s.Segments[0].Commits[0]
			from := f.Git("rev-parse", first.ID.String()+"^")
			assert.NotContains(t, beyond, from, "the row begins where the line does not have it")
			want := from
			line := strings.Fields(f.Git("rev-list", "--topo-order", "--first-parent", "main"))
			if !slices.Contains(line, from) { // it came with a merge: the oldest commit of the line that has it
				above := strings.Fields(f.Git("rev-list", "--ancestry-path", "main", "^"+from))
				line = slices.DeleteFunc(line, func(id string) bool { return !slices.Contains(above, id) })
				want = line[len(line)-1]
			}
			assert.Equal(t, want, c.Line[s.Mooring].ID.String(), s.Segments[0].Name)
		}
	})
}

// TestWhatIsFoundFirstStays: each part of the chart has rows of the whole one as they are there, in the same order.
func TestWhatIsFoundFirstStays(t *testing.T) {
	fixture.FewerChecks(t, "30")
	dirs := t.TempDir()
	parts := 0
	rapid.Check(t, func(t *rapid.T) {
		f := woven(t, dirs, true)
		var grown []charting.Chart
		whole, err := charting.Of(opened.App(t, f.Dir)).GrowFast(ctx, charting.Show{All: true, Line: "main"}, func(c charting.Chart) {
			grown = append(grown, c)
		})
		require.NoError(t, err)
		assert.Zero(t, whole.Unmoored)
		all := rowsOf(whole)
		for _, part := range grown {
			parts++
			assert.Equal(t, charting.Uncounted, part.Line[0].Hidden)
			rows := rowsOf(part)
			assert.Equal(t, rows, slices.DeleteFunc(slices.Clone(all), func(row string) bool { return !slices.Contains(rows, row) }))
			assert.Equal(t, part.Branches-part.Others, len(rows)-len(part.Line)+part.Unmoored)
		}
	})
	assert.Greater(t, parts, 30)
}

// rowsOf are the places of a chart, each with the branches that hang from it.
func rowsOf(c charting.Chart) (rows []string) {
	for i, place := range append(slices.Clone(c.Line), charting.Mooring{At: charting.OwnRoot}) {
		if i < len(c.Line) {
			rows = append(rows, fmt.Sprint(place.ID.Short(), " ", place.Subject, " ", place.At))
		}
		for _, b := range place.Branches {
			rows = append(rows, fmt.Sprint(b.Name, " ", b.Behind))
		}
		for _, s := range c.Stacks {
			if s.Mooring != i && (s.Mooring >= 0 || i < len(c.Line)) {
				continue
			}
			for _, segment := range s.Segments {
				for _, b := range segment.Named() {
					rows = append(rows, fmt.Sprintf("%s on %s %d %d %d %+v", b.Name, s.On, s.Below, b.Ahead, b.Behind, segment.Commits))
				}
			}
		}
	}
	return rows
}
