package charting_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/app/planning"
	"bastel/internal/repo"
	"bastel/test/fixture"
	"bastel/test/opened"
)

var ctx = context.Background()

// quay is main with five commits, and branches of all kinds: a stack of three with a sibling, one that only stands
// somewhere, one with a root of its own.
func quay(t *testing.T) *fixture.Repo {
	f := fixture.At(t, t.TempDir())
	for i := range 5 {
		f.Commit(fmt.Sprint("main ", i), "main", strings.Repeat("line\n", i+1))
	}
	branch := func(name, from string, commits int) {
		f.Git("switch", "--quiet", "-c", name, from)
		for i := range commits {
			f.Commit(fmt.Sprint(name, " ", i), name, fmt.Sprint(i, "\n"))
		}
	}
	branch("tide", "main~3", 3)
	branch("board", "tide", 2)
	branch("print", "board", 1)
	branch("sibling", "tide", 1)
	branch("alarm", "main~1", 12)
	f.Git("branch", "--quiet", "landed", "main~2")
	f.Git("switch", "--quiet", "--orphan", "pages")
	f.Commit("pages", "pages", "1\n")
	f.Git("switch", "--quiet", "board")
	return f
}

// drawn writes a chart in a line for each row: the mooring's subject, then the branches with the number of their commits.
func drawn(c charting.Chart) (rows []string) {
	for _, s := range c.Stacks {
		row := "own root"
		if s.Mooring >= 0 {
			row = c.Line[s.Mooring].Subject
		}
		if s.On != "" {
			row += " on " + s.On
		}
		for _, segment := range s.Segments {
			row += fmt.Sprintf(" | %s %d, %d ahead %d behind", segment.Name, len(segment.Commits), segment.Ahead, segment.Behind)
		}
		rows = append(rows, row)
	}
	return rows
}

func TestBranchesHangWhereTheyLeft(t *testing.T) {
	f := quay(t)
	a := charting.Of(opened.App(t, f.Dir))
	c, err := a.Chart(ctx, charting.Show{})
	require.NoError(t, err)
	assert.Equal(t, "main", c.Target.Name)
	assert.Equal(t, []string{
		"main 1 on tide | sibling 1, 4 ahead 3 behind",
		"main 1 | tide 3, 3 ahead 3 behind | board 2, 5 ahead 3 behind | print 1, 6 ahead 3 behind",
		"main 3 | alarm 12, 12 ahead 1 behind",
		"own root | pages 1, 1 ahead 0 behind",
	}, sortedRows(drawn(c)))
	var line []string
	for _, m := range c.Line {
		line = append(line, fmt.Sprint(m.Hidden, " ", m.Subject, " ", len(m.Branches)))
	}
	assert.Equal(t, []string{"1 main 1 0", "0 main 2 1", "0 main 3 0", "0 main 4 1"}, line)
	assert.Zero(t, c.Others)
	require.NoError(t, a.KeepShown(charting.Show{All: true, Line: "board"}))
	assert.Equal(t, charting.Show{All: true, Line: "board"}, a.Shown())
	c2, err := a.Chart(ctx, a.Shown())
	require.NoError(t, err)
	assert.Equal(t, "board", c2.Target.Name)
	will, err := a.Chart(ctx, charting.Show{Changed: map[string]repo.ID{"tide": c.Target.ID, "alarm": {}}, Head: "print"})
	require.NoError(t, err)
	assert.Equal(t, []string{
		"main 1 on board | sibling 1, 4 ahead 3 behind",
		"main 1 | board 5, 5 ahead 3 behind | print 1, 6 ahead 3 behind",
		"own root | pages 1, 1 ahead 0 behind",
	}, sortedRows(drawn(will)), "as it will be")
}

// TestHeadOnNoBranchIsOnTheChart, and an empty repository has an empty one.
func TestHeadOnNoBranchIsOnTheChart(t *testing.T) {
	f := quay(t)
	f.Git("switch", "--quiet", "--detach", "board~1")
	a := charting.Of(opened.App(t, f.Dir))
	c, err := a.Chart(ctx, charting.Show{})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(drawn(c), "\n"), "| HEAD 1, 4 ahead 3 behind | board 1, 5 ahead 3 behind")
	f.Commit("Only here", "only", "1\n")
	_, err = a.Do(ctx, []charting.Step{{Kind: charting.Gone, Branch: "alarm"}}, charting.Consent{})
	assert.Contains(t, opened.Refusal(t, err), "nothing else holds 1 commit")
	_, err = a.Do(ctx, []charting.Step{{Kind: charting.Made, Branch: "kept"}, {Kind: charting.Gone, Branch: "kept"}}, charting.Consent{})
	require.NoError(t, err)
	empty := fixture.At(t, t.TempDir())
	c, err = charting.Of(opened.App(t, empty.Dir)).Chart(ctx, charting.Show{})
	require.NoError(t, err)
	assert.Empty(t, c.Line)
}

// TestAheadAndBehindAreWhatTheRepositoryCounts, merges from the target and from other branches among them.
func TestAheadAndBehindAreWhatTheRepositoryCounts(t *testing.T) {
	f := quay(t)
	f.Git("switch", "--quiet", "tide")
	f.Git("merge", "--quiet", "--no-edit", "main~1")
	f.Commit("after", "after", "1\n")
	f.Git("branch", "--quiet", "higher")
	f.Git("switch", "--quiet", "higher")
	f.Git("merge", "--quiet", "--no-edit", "alarm~3")
	f.Commit("higher", "higher", "1\n")
	c, err := charting.Of(opened.App(t, f.Dir)).Chart(ctx, charting.Show{All: true})
	require.NoError(t, err)
	counted := 0
	for _, s := range c.Stacks {
		for _, segment := range s.Segments {
			if s.Mooring >= 0 {
				counted++
				assert.Equal(t, f.Git("rev-list", "--left-right", "--count", "main..."+segment.Name),
					fmt.Sprintf("%d\t%d", segment.Behind, segment.Ahead),
					segment.Name)
			}
		}
	}
	assert.Equal(t, 6, counted)
}

// TestTagsAndStashesArePoints that are shown and compared like others.
func TestTagsAndStashesArePoints(t *testing.T) {
	f := quay(t)
	f.Git("tag", "v1", "main~2")
	f.Git("tag", "-a", "v2", "-m", "two", "main~2")
	for _, text := range []string{"first\n", "second\n"} {
		f.Write("board", text)
		f.Git("stash", "--quiet")
	}
	a := charting.Of(opened.App(t, f.Dir))
	c, err := a.Chart(ctx, charting.Show{})
	require.NoError(t, err)
	assert.Equal(t, []string{"v1", "v2"}, c.Tags[fixture.ID(t, f.Git("rev-parse", "main~2"))])
	rows := strings.Join(drawn(c), "\n")
	assert.Contains(t, rows, "on board | stash@{1} 1,")
	assert.Contains(t, rows, "stash@{0} 1,")
	compared, err := a.Compare(ctx, "board", "stash@{0}")
	require.NoError(t, err)
	require.Len(t, compared.Files, 1)
	assert.Equal(t, "board", compared.Files[0].Path)
	_, err = a.Compare(ctx, "v1", "v2")
	require.NoError(t, err)
}

// within is a new repository in a folder of its own.
func within(t *rapid.T, dirs string) *fixture.Repo {
	dir, err := os.MkdirTemp(dirs, "")
	require.NoError(t, err)
	return fixture.At(t, dir)
}

// sortedRows are rows in the order of the letters, but for those of a root of their own.
func sortedRows(rows []string) []string {
	slices.Sort(rows)
	return rows
}

// TestEveryCommitIsOnTheChartOnce, whatever the branches: on no other row, and none that a branch has beyond the line is
// missing from the rows that lead to it, merged ones aside.
func TestEveryCommitIsOnTheChartOnce(t *testing.T) {
	fixture.FewerChecks(t, "20")
	dirs := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		f := within(t, dirs)
		f.Commit("root", "a", "1\n")
		names := []string{"main"}
		for i := range rapid.IntRange(2, 14).Draw(t, "steps") {
			on := rapid.SampledFrom(names).Draw(t, "on")
			f.Git("switch", "--quiet", on)
			if rapid.Bool().Draw(t, "branch") {
				name := fmt.Sprint("b", i)
				f.Git("switch", "--quiet", "-c", name)
				names = append(names, name)
			}
			f.Commit(fmt.Sprint("commit ", i), fmt.Sprint("f", i), "1\n")
		}
		a := charting.Of(opened.App(t, f.Dir))
		c, err := a.Chart(ctx, charting.Show{All: true, Line: "main"})
		require.NoError(t, err)
		seen := map[string]bool{}
		for _, s := range c.Stacks {
			for _, segment := range s.Segments {
				for _, mark := range segment.Commits {
					assert.False(t, seen[mark.ID.String()], "twice: %s", mark.Subject)
					seen[mark.ID.String()] = true
				}
			}
		}
		want := strings.Fields(f.Git("rev-list", "--branches", "--not", "main"))
		assert.Len(t, seen, len(want))
		for _, id := range want {
			assert.True(t, seen[id])
		}
	})
}

// TestSwitchingKeepsEveryByte of files, index and modes, loose and staged, there and back again; or refuses and does nothing.
func TestSwitchingKeepsEveryByte(t *testing.T) {
	fixture.FewerChecks(t, "20")
	dirs := t.TempDir()
	rapid.Check(t, func(t *rapid.T) {
		f := within(t, dirs)
		text := func(name string) string {
			return strings.Join(rapid.SliceOfN(rapid.SampledFrom([]string{"a\n", "b\n", "c\n"}), 0, 6).Draw(t, name), "")
		}
		paths := []string{"x", "y.crlf", "dir/z"}
		f.Write(".gitattributes", "*.crlf text eol=crlf\n")
		for _, branch := range []string{"one", "two"} {
			f.Git("checkout", "--quiet", "-B", branch)
			if branch == "two" && rapid.Bool().Draw(t, "a folder in the way") {
				f.Git("rm", "--quiet", "-r", "--ignore-unmatch", "new")
			} else {
				f.Write("new/deep", text(branch+"deep"))
			}
			for _, path := range paths {
				f.Write(path, "same\n"+text(branch+path))
			}
			f.Git("add", "-A")
			f.Git("commit", "--quiet", "--allow-empty", "-m", branch)
			f.Git("rm", "--quiet", "--cached", "-r", ".")
			f.Git("reset", "--quiet", "--hard") // files lie as they are checked out
		}
		for _, path := range append(paths, "new", "other") {
			if path == "new" && f.Git("ls-files", "new") != "" {
				path = "new/deep"
			}
			switch rapid.IntRange(0, 4).Draw(t, "change "+path) {
			case 1:
				f.Write(path, text("loose"))
			case 2:
				f.Write(path, text("staged"))
				f.Git("add", path)
			case 3:
				f.Write(path, text("staged"))
				f.Git("add", path)
				f.Write(path, text("loose"))
			case 4:
				require.NoError(t, os.MkdirAll(filepath.Join(f.Dir, "dir"), 0o777))
				f.Write(path, "run\n")
				require.NoError(t, os.Chmod(filepath.Join(f.Dir, path), 0o755))
			}
		}
		before := state(f)
		a := charting.Of(opened.App(t, f.Dir))
		_, err := a.Do(ctx, []charting.Step{{Kind: charting.Gone, Branch: "one"}}, charting.Consent{})
		if err != nil {
			assert.NotEmpty(t, opened.Refusal(t, err))
			assert.Equal(t, before, state(f), "a refusal changes nothing")
			asideAndBack(t, a, f, before)
			return
		}
		assert.Equal(t, "one", f.Git("branch", "--show-current"))
		if rapid.Bool().Draw(t, "by undo") {
			_, err = planning.Of(a.App).Undo(ctx)
		} else {
			_, err = a.Do(ctx, []charting.Step{{Kind: charting.Gone, Branch: "two"}}, charting.Consent{})
		}
		require.NoError(t, err)
		assert.Equal(t, before, state(f))
		f.Git("fsck", "--strict")
	})
}

// asideAndBack goes with all changes put aside, and comes back to them.
func asideAndBack(t *rapid.T, a *charting.App, f *fixture.Repo, before string) {
	outcome, err := a.Do(ctx, []charting.Step{{Kind: charting.Gone, Branch: "one"}}, charting.Consent{Aside: true})
	require.NoError(t, err)
	assert.Positive(t, outcome.Aside)
	assert.Empty(t, f.Git("status", "--porcelain", "-uall"))
	steps := rapid.IntRange(1, 2).Draw(t, "way back")
	if steps == 1 {
		outcome, err = a.Do(ctx, []charting.Step{{Kind: charting.Gone, Branch: "two"}}, charting.Consent{})
		require.NoError(t, err)
		assert.Positive(t, outcome.Back)
		assert.Equal(t, before, state(f))
		_, err = planning.Of(a.App).Undo(ctx) // aside again
		require.NoError(t, err)
		assert.Equal(t, "one", f.Git("branch", "--show-current"))
		assert.Empty(t, f.Git("status", "--porcelain", "-uall"))
		_, err = planning.Of(a.App).Redo(ctx)
	} else {
		_, err = planning.Of(a.App).Undo(ctx) // of both in one
		require.NoError(t, err)
		assert.Equal(t, before, state(f))
		_, err = planning.Of(a.App).Redo(ctx)
		require.NoError(t, err)
		assert.Empty(t, f.Git("status", "--porcelain", "-uall"))
		_, err = planning.Of(a.App).Undo(ctx)
	}
	require.NoError(t, err)
	assert.Equal(t, before, state(f))
	f.Git("fsck", "--strict")
}

// state is what files and index hold, with HEAD and modes.
func state(f *fixture.Repo) string {
	lies := ""
	for path := range strings.SplitSeq(f.Git("ls-files", "--cached", "--others", "--deduplicate"), "\n") {
		if data, err := os.ReadFile(filepath.Join(f.Dir, path)); err == nil {
			lies += fmt.Sprintf("%s %q\n", path, data)
		}
	}
	return f.Git("symbolic-ref", "HEAD") + f.Git("ls-files", "--stage") + lies + f.Git("diff") + f.Git("status", "--porcelain", "-uall")
}

func TestStepsWithBranches(t *testing.T) {
	for name, test := range map[string]struct {
		steps []charting.Step
		yes   bool
		want  string // empty: it is done
	}{
		"new":            {[]charting.Step{{Kind: charting.Made, Branch: "quay/new", Point: "main~1"}}, false, ""},
		"new, here":      {[]charting.Step{{Kind: charting.Made, Branch: "new"}}, false, ""},
		"new, taken":     {[]charting.Step{{Kind: charting.Made, Branch: "tide"}}, false, "already"},
		"new, below one": {[]charting.Step{{Kind: charting.Made, Branch: "tide/low"}}, false, "in the way"},
		"new, bad":       {[]charting.Step{{Kind: charting.Made, Branch: "a..b"}}, false, "cannot be the name"},
		"new, a flag":    {[]charting.Step{{Kind: charting.Made, Branch: "-f"}}, false, "cannot be the name"},
		"new, nowhere":   {[]charting.Step{{Kind: charting.Made, Branch: "new", Point: "nowhere"}}, false, "nowhere"},
		"rename":         {[]charting.Step{{Kind: charting.Renamed, Branch: "tide", Name: "flood"}}, false, ""},
		"rename, here":   {[]charting.Step{{Kind: charting.Renamed, Branch: "board", Name: "panel"}}, false, ""},
		"rename, taken":  {[]charting.Step{{Kind: charting.Renamed, Branch: "tide", Name: "alarm"}}, false, "already"},
		"delete":         {[]charting.Step{{Kind: charting.Deleted, Branch: "landed"}, {Kind: charting.Deleted, Branch: "tide"}}, false, ""},
		"delete, held":   {[]charting.Step{{Kind: charting.Deleted, Branch: "print"}}, false, "Nothing else holds 1 commit"},
		"delete, yes":    {[]charting.Step{{Kind: charting.Deleted, Branch: "print"}, {Kind: charting.Deleted, Branch: "alarm"}}, true, ""},
		"delete, here":   {[]charting.Step{{Kind: charting.Deleted, Branch: "board"}}, true, "checked out"},
		"delete, none":   {[]charting.Step{{Kind: charting.Deleted, Branch: "nope"}}, true, "no branch"},
		"move":           {[]charting.Step{{Kind: charting.Put, Branch: "landed", Point: "main"}}, false, ""},
		"move, here":     {[]charting.Step{{Kind: charting.Put, Branch: "board", Point: "print"}}, false, ""},
		"move, held":     {[]charting.Step{{Kind: charting.Put, Branch: "alarm", Point: "main"}}, false, "Nothing else holds 12 commits"},
		"move, upstream": {[]charting.Step{{Kind: charting.Put, Branch: "alarm", Point: charting.Upstream}}, false, "no upstream"},
		"switch":         {[]charting.Step{{Kind: charting.Gone, Branch: "alarm"}}, false, ""},
		"switch, new": {[]charting.Step{{Kind: charting.Made, Branch: "new", Point: "main~1"}, {Kind: charting.Gone, Branch: "new"}},
			false, ""},
		"switch, here": {[]charting.Step{{Kind: charting.Gone, Branch: "board"}}, false, "already"},
		"switch, none": {[]charting.Step{{Kind: charting.Gone, Branch: "nope"}}, false, "no branch"},
		"several": {[]charting.Step{{Kind: charting.Gone, Branch: "alarm"}, {Kind: charting.Deleted, Branch: "board"},
			{Kind: charting.Renamed, Branch: "tide", Name: "flood"}, {Kind: charting.Put, Branch: "landed", Point: "main"},
			{Kind: charting.Made, Branch: "new", Point: "main"}}, false, ""},
		"move and rename": {[]charting.Step{{Kind: charting.Put, Branch: "board", Point: "print"},
			{Kind: charting.Renamed, Branch: "tide", Name: "flood"}}, false, ""},
		"nothing": {[]charting.Step{}, false, "Nothing is to be done"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			f := quay(t)
			f.Git("config", "branch.tide.bastelTarget", "main")
			f.Write("loose", "kept\n")
			refs := func() string { return f.Git("symbolic-ref", "HEAD") + "\n" + f.Git("for-each-ref", "refs/heads") }
			a := charting.Of(opened.App(t, f.Dir))
			before := refs()
			_, err := a.Do(ctx, test.steps, charting.Consent{Losing: test.yes})
			if test.want != "" {
				require.ErrorContains(t, err, test.want)
				assert.Equal(t, before, refs())
				return
			}
			require.NoError(t, err)
			assert.NotEqual(t, before, refs())
			if name == "rename" || name == "several" || name == "move and rename" {
				assert.Equal(t, "main", f.Git("config", "branch.flood.bastelTarget"))
			}
			after := refs()
			_, err = planning.Of(a.App).Undo(ctx)
			require.NoError(t, err)
			assert.Equal(t, before, refs(), "undo brings everything back")
			assert.Equal(t, "main", f.Git("config", "branch.tide.bastelTarget"))
			_, err = planning.Of(a.App).Redo(ctx)
			require.NoError(t, err)
			assert.Equal(t, after, refs())
			assert.Equal(t, "kept\n", f.Read("loose"))
			f.Git("fsck", "--strict")
		})
	}
}

// TestLandingsAreForecast: the chart with landings is the one that there is once they were done; what cannot land is refused.
func TestLandingsAreForecast(t *testing.T) {
	f := quay(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main", "tide")
	f.Git("remote", "set-head", "origin", "main")
	for _, name := range []string{"board", "tide", "alarm"} {
		f.Git("config", "branch."+name+".bastelTarget", "origin/main")
	}
	f.Git("switch", "--quiet", "-c", "first", "main~0")
	f.Commit("first 0", "first", "0\n")
	f.Git("switch", "--quiet", "-c", "second")
	f.Commit("second 0", "second", "0\n")
	f.Git("branch", "--quiet", "third")
	f.Git("switch", "--quiet", "board")
	a := charting.Of(opened.App(t, f.Dir))
	land := func(names ...string) (steps []charting.Step) {
		for _, name := range names {
			steps = append(steps, charting.Step{Kind: charting.Landed, Branch: name})
		}
		return steps
	}
	for want, steps := range map[string][]charting.Step{
		"does not sit on":   land("alarm"),
		"has all of":        land("first", "second", "third"),
		"target itself":     land("main"),
		"a step of its own": append(land("first"), charting.Step{Kind: charting.Deleted, Branch: "landed"}),
	} {
		_, err := a.Look(ctx, steps)
		assert.ErrorContains(t, err, want)
	}
	before := f.Git("for-each-ref")
	_, err := a.Do(ctx, land("first"), charting.Consent{Losing: true})
	assert.ErrorContains(t, err, "goes to the remote")
	show, err := a.Look(ctx, land("first", "second"))
	require.NoError(t, err)
	will, err := a.Chart(ctx, show)
	require.NoError(t, err)
	assert.Equal(t, before, f.Git("for-each-ref"), "a look changes nothing")

	f.Git("push", "--quiet", "origin", "second:main")
	f.Git("branch", "--quiet", "--force", "main", "second")
	assert.Equal(t, f.Git("rev-parse", "second"), remote.Git("rev-parse", "main"))
	is, err := a.Chart(ctx, charting.Show{})
	require.NoError(t, err)
	assert.Equal(t, drawn(is), drawn(will))
	assert.Equal(t, -2, will.Line[len(will.Line)-1].At, "both come")
	last := func(c charting.Chart) (names []string) {
		for _, b := range c.Line[len(c.Line)-1].Branches {
			names = append(names, b.Name)
		}
		return names
	}
	assert.ElementsMatch(t, last(is), last(will))
}

// TestMergedBranchesAreOffered: exactly those that the repository itself lists, less what is in use.
func TestMergedBranchesAreOffered(t *testing.T) {
	f := quay(t)
	f.Git("branch", "--quiet", "old", "main")
	f.Git("branch", "--quiet", "elsewhere", "main")
	f.Git("worktree", "add", "--quiet", filepath.Join(t.TempDir(), "there"), "elsewhere")
	f.Git("branch", "--quiet", "release", "main~3")
	f.Git("config", "branch.alarm.bastelTarget", "release")
	a := charting.Of(opened.App(t, f.Dir))
	for line, want := range map[string][]string{"": {"landed", "old"}, "tide": nil, "print": {"tide"}} {
		merged, err := a.Merged(ctx, line)
		require.NoError(t, err)
		assert.Equal(t, want, merged, "in the line of %q", line)
	}
	for _, name := range []string{"landed", "old"} {
		f.Git("merge-base", "--is-ancestor", name, "main")
	}
}

// TestComparing: commits on either side, paired, and the files with their sizes, as the repository itself counts them.
func TestComparing(t *testing.T) {
	f := quay(t)
	f.Git("switch", "--quiet", "alarm")
	f.Git("cherry-pick", "sibling")
	f.Git("mv", "main", "line")
	f.Commit("moved", "line", f.Read("line")+"more\n")
	a := charting.Of(opened.App(t, f.Dir))
	c, err := a.Compare(ctx, "sibling", "alarm")
	require.NoError(t, err)
	assert.Len(t, c.Only[0], 4)
	assert.Len(t, c.Only[1], 2+12+1+1, "two of the line, its own, the picked one, the renaming")
	picked := c.Only[1][len(c.Only[1])-2]
	assert.Equal(t, "sibling 0", picked.Commit.Subject())
	assert.Equal(t, "moved", c.Only[1][len(c.Only[1])-1].Commit.Subject())
	assert.NotEmpty(t, c.Became(picked.ID), "the same change is on the other side")
	assert.Empty(t, c.Became(c.Only[1][len(c.Only[1])-1].ID))
	var list []string
	for _, file := range c.Files {
		changed := app.FileChanged(file)
		path := changed.Path
		if changed.From != "" {
			path = changed.From + " => " + changed.Path
		}
		list = append(list, fmt.Sprintf("%d\t%d\t%s", changed.Added, changed.Removed, path))
	}
	assert.Equal(t, strings.Split(f.Git("diff", "--numstat", "-M30%", "sibling", "alarm", "--"), "\n"), list)
	_, err = a.Compare(ctx, "board", "nowhere")
	assert.ErrorContains(t, err, "nowhere")
}
