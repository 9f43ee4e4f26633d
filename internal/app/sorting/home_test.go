package sorting_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// edit replaces lines [start, end) of a text by others, which no other edit brings.
type edit struct {
	start, end int
	lines      []string
}

func (e edit) on(text []string) []string {
	return append(append(append([]string{}, text[:e.start]...), e.lines...), text[e.end:]...)
}

func drawEdit(t *rapid.T, text []string, name string) edit {
	e := edit{start: rapid.IntRange(0, len(text)).Draw(t, name+" start")}
	e.end = rapid.IntRange(e.start, min(len(text), e.start+2)).Draw(t, name+" end")
	fewest := 0
	if e.start == e.end {
		fewest = 1
	}
	for i := range rapid.IntRange(fewest, 2).Draw(t, name+" lines") {
		e.lines = append(e.lines, fmt.Sprintf("%s %d", name, i))
	}
	return e
}

// before gives where an edit of a text lies in the text before another edit made that
// one; ok is false where the two touch.
func (e edit) before(c edit) (edit, bool) {
	newEnd := c.start + len(c.lines)
	switch {
	case e.end < c.start:
		return e, true
	case e.start > newEnd:
		shift := c.end - newEnd
		return edit{e.start + shift, e.end + shift, e.lines}, true
	}
	return e, false
}

// TestHomeAgainstReference: on random histories of one file, a hunk's home is the
// youngest commit whose edit touches it, found by counting lines; homing it there
// gives every later commit the hunk, and no earlier one.
func TestHomeAgainstReference(t *testing.T) {
	fixture.FewerChecks(t, "25")
	f := fixture.New(t)
	f.Commit("root", "x", "")
	f.Git("branch", "start")
	a := opened.App(t, f.Dir)
	rapid.Check(t, func(t *rapid.T) {
		f.Git("checkout", "--quiet", "--force", "-B", "main", "start")
		var text []string
		for i := range 12 {
			text = append(text, fmt.Sprintf("line %d", i))
		}
		f.Commit("base", "x", strings.Join(text, "\n")+"\n")
		f.Git("checkout", "--quiet", "-B", "topic")
		var edits []edit
		texts := [][]string{text}
		for i := range rapid.IntRange(1, 4).Draw(t, "commits") {
			e := drawEdit(t, text, fmt.Sprintf("commit %d", i))
			text = e.on(text)
			edits, texts = append(edits, e), append(texts, text)
			f.Commit(fmt.Sprintf("commit %d", i), "x", strings.Join(text, "\n")+"\n")
		}
		loose := drawEdit(t, text, "loose")
		f.Write("x", strings.Join(loose.on(text), "\n")+"\n")

		// The reference.
		home, at := -1, loose
		wanted := append([][]string{}, texts[1:]...)
		for i := len(edits) - 1; i >= 0; i-- {
			wanted[i] = at.on(texts[i+1])
			var past bool
			if at, past = at.before(edits[i]); !past {
				home = i
				break
			}
		}

		homes, err := sorting.Of(a).FindHomes(ctx, tray.Loose, nil, tray.Plain)
		require.NoError(t, err)
		require.Len(t, homes.Homes, 1)
		if home < 0 {
			assert.True(t, homes.Homes[0].Commit.IsZero())
			return
		}
		require.Equal(t, homes.Commits[home].ID, homes.Homes[0].Commit)
		tip := f.Git("rev-parse", "HEAD")
		_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, []sorting.HomeMove{{Fixup: homes.Homes[0].Fixup.Selection(),
			Home: homes.Homes[0].Commit}})
		require.NoError(t, err)
		ids := strings.Fields(f.Git("rev-list", "--reverse", "main..topic"))
		require.Empty(t, f.Git("status", "--porcelain"), "everything is in the commits")
		n := len(ids) - 1
		for i := len(edits) - 1; i >= 0; i-- {
			if n >= 0 && f.Git("log", "-1", "--format=%s", ids[n]) == fmt.Sprintf("commit %d", i) {
				assert.Equal(t, strings.Join(wanted[i], "\n"), f.Git("show", ids[n]+":x"), "commit %d", i)
				n--
			} // else nothing is left of it: the hunk took it back
		}
		_, err = planning.Of(a).Undo(ctx)
		require.NoError(t, err)
		require.Equal(t, tip, f.Git("rev-parse", "HEAD"))
		require.Equal(t, "M x", strings.TrimSpace(f.Git("status", "--porcelain")))
		require.Equal(t, strings.Join(loose.on(text), "\n"), strings.TrimSuffix(f.Read("x"), "\n"))
	})
}

func TestSeveralHunksFindSeveralHomes(t *testing.T) {
	f := fixture.New(t)
	lines := strings.Split(strings.Repeat("line\n", 40), "\n")
	for i := range lines {
		lines[i] += fmt.Sprint(i)
	}
	with := func(changes ...any) string {
		text := append([]string{}, lines...)
		for i := 0; i < len(changes); i += 2 {
			text[changes[i].(int)] = changes[i+1].(string)
		}
		return strings.Join(text, "\n") + "\n"
	}
	f.Commit("base", "x", with())
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("one", "x", with(3, "one"))
	f.Commit("two", "x", with(3, "one", 20, "two"))
	f.Commit("three", "x", with(3, "one", 20, "two", 35, "three"))
	f.Write("x", with(3, "ONE", 20, "TWO", 35, "THREE", 12, "loose"))
	a := opened.App(t, f.Dir)
	homes, err := sorting.Of(a).FindHomes(ctx, tray.Loose, nil, tray.Plain)
	require.NoError(t, err)
	var moves []sorting.HomeMove
	for i, want := range []string{"one", "", "two", "three"} {
		got := ""
		if id := homes.Homes[i].Commit; !id.IsZero() {
			got = f.Git("log", "-1", "--format=%s", id.String())
			moves = append(moves, sorting.HomeMove{Fixup: homes.Homes[i].Fixup.Selection(), Home: id})
		}
		assert.Equal(t, want, got)
	}
	older := moves[1]
	older.Home = homes.Commits[0].ID
	_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, []sorting.HomeMove{older})
	assert.Contains(t, opened.Refusal(t, err), "touches lines of \"x\" that the later commit")
	_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, []sorting.HomeMove{{Fixup: moves[0].Fixup, Home: repo.ID{}}})
	assert.Contains(t, opened.Refusal(t, err), "not among the branch's own commits")
	_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, moves)
	require.NoError(t, err)
	assert.Equal(t, with(3, "ONE"), f.Git("show", "topic~2:x")+"\n")
	assert.Equal(t, with(3, "ONE", 20, "TWO"), f.Git("show", "topic~1:x")+"\n")
	assert.Equal(t, with(3, "ONE", 20, "TWO", 35, "THREE"), f.Git("show", "topic:x")+"\n")
	assert.Equal(t, "-line12\n+loose", strings.Join(strings.Split(f.Git("diff", "--unified=0"), "\n")[5:], "\n"))
}
