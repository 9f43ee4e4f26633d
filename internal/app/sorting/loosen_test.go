package sorting_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestLooseningKeepsAuthorAndDate: commits that became trays and are committed again are the same commits,
// whoever wrote them and when, early dates too.
func TestLooseningKeepsAuthorAndDate(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", opened.Nine)
	for i, author := range []string{"Mira Lund <mira@lanternquay.example> 77 +0300",
		"Oskar Brandt <oskar@lanternquay.example> 1000000000 -0930"} {
		f.Write("a", strings.Replace(f.Read("a"), "3\n", "3\nmore "+author[:4]+"\n", 1+i))
		f.Git("add", "-A")
		id, err := f.Open(t).CommitTree(ctx, repo.NewCommit{Tree: id(t, f.Git("write-tree")),
			Parents: []repo.ID{id(t, f.Git("rev-parse", "HEAD"))}, Message: author[:4] + "\n", Author: author})
		require.NoError(t, err)
		f.Git("reset", "--quiet", "--hard", id.String())
	}
	authors := func() string { return f.Git("log", "--format=%an %ae %ad %s", "--date=raw") }
	before := authors()
	a := opened.App(t, f.Dir)
	_, err := sorting.Of(a).Loosen(ctx, id(t, f.Git("rev-parse", "HEAD~1")), true)
	require.NoError(t, err)
	board, err := sorting.Of(a).Look(ctx)
	require.NoError(t, err)
	require.Len(t, board.Trays, 2)
	var drafts []sorting.Draft
	for _, tray := range board.Trays {
		drafts = append(drafts, sorting.Draft{Tray: tray.Layer, Message: tray.Message})
	}
	_, err = sorting.Of(a).CommitTrays(ctx, drafts)
	require.NoError(t, err)
	assert.Equal(t, before, authors())
	board, err = sorting.Of(a).Look(ctx)
	require.NoError(t, err)
	assert.Empty(t, board.Trays[0].Author, "the next commit is the user's own")
	_, err = sorting.Of(a).Amend(ctx, sorting.Amendment{Message: "Reworded\n"})
	require.NoError(t, err)
	assert.Contains(t, authors(), "Oskar Brandt oskar@lanternquay.example 1000000000 -0930 Reworded")
}

func id(t *testing.T, text string) repo.ID {
	id, err := repo.ParseID(text)
	require.NoError(t, err)
	return id
}

// TestIndexesOfAllKinds: sorting, loosening and undo keep marks that no content says, and the form of the index.
func TestIndexesOfAllKinds(t *testing.T) {
	for name, configure := range map[string][]string{"plain": nil, "split": {"core.splitIndex", "true"}, "sparse": {"index.sparse", "true"}} {
		t.Run(name, func(t *testing.T) {
			f := fixture.New(t)
			if configure != nil {
				f.Git(append([]string{"config"}, configure...)...)
			}
			f.Commit("base", "in/a", opened.Nine, "out/b", opened.Nine, "out/c", "c\n", "own", opened.Nine)
			f.Git("switch", "--quiet", "-c", "feature")
			f.Git("rm", "--quiet", "out/c")
			f.Commit("two", "in/a", "one\n"+opened.Nine, "out/b", "one\n"+opened.Nine, "out/n", "n\n", "own", "own\n"+opened.Nine)
			f.Commit("three", "in/a", "two\n"+opened.Nine, "out/b", "two\n"+opened.Nine)
			f.Git("sparse-checkout", "set", "in")
			f.Git("update-index", "--assume-unchanged", "own")
			f.Write("in/new", "x\n")
			if name != "sparse" { // the repository's own commands crash on both at once
				f.Git("add", "-N", "in/new")
			}
			flags := func() string { return f.Git("ls-files", "-v") }
			before, files, head := flags(), f.Git("ls-files", "-s"), f.Git("rev-parse", "HEAD")
			a := opened.App(t, f.Dir)
			_, err := sorting.Of(a).Loosen(ctx, id(t, head), true)
			require.NoError(t, err, "one commit is tray A, which is the index")
			assert.Equal(t, before, flags())
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			_, err = sorting.Of(a).Loosen(ctx, id(t, f.Git("rev-parse", "HEAD~1")), true)
			assert.Contains(t, opened.Refusal(t, err), "outside the sparse checkout")
			loosened, err := sorting.Of(a).Loosen(ctx, id(t, f.Git("rev-parse", "HEAD~1")), false)
			require.NoError(t, err)
			assert.Equal(t, []string{"out/b", "out/n"}, loosened.Staged)
			assert.Equal(t, "M\tout/b\nA\tout/n", f.Git("diff", "--cached", "--name-status"), "what is in no working file stays staged")
			assert.Equal(t, f.Git("rev-parse", head+":out/b"), f.Git("rev-parse", ":out/b"))
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			assert.Equal(t, files, f.Git("ls-files", "-s"))
			assert.Equal(t, before, flags())
			f.Write("in/a", "three\n"+opened.Nine)
			err = opened.Move(a, tray.Loose, tray.A, "in/a")
			require.NoError(t, err)
			err = opened.Move(a, tray.A, tray.Loose, "in/a")
			require.NoError(t, err)
			_, err = sorting.Of(a).Discard(ctx, sorting.TrayMove{From: tray.Loose, Selected: tray.SelectFiles("in/a")})
			require.NoError(t, err)
			assert.Equal(t, files, f.Git("ls-files", "-s"))
			assert.Equal(t, before, flags())
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			opened.Apply(t, a, plan.Join(0, 1).Reword(0, "two and three"))
			assert.Equal(t, before, flags())
			assert.Equal(t, files, f.Git("ls-files", "-s"))
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			f.Write("in/a", "three\n"+opened.Nine)
			err = opened.Move(a, tray.Loose, tray.A, "in/a")
			require.NoError(t, err)
			_, err = opened.Commit(a, "four", nil)
			require.NoError(t, err)
			_, err = sorting.Of(a).Amend(ctx, sorting.Amendment{Message: "four, amended"})
			require.NoError(t, err)
			f.Write("in/a", "THREE\n"+opened.Nine)
			homes, err := sorting.Of(a).FindHomes(ctx, tray.Loose, nil, tray.Plain)
			require.NoError(t, err)
			require.NotEmpty(t, homes.Homes)
			_, err = sorting.Of(a).SendHome(ctx, tray.Loose, tray.Plain, []sorting.HomeMove{{Fixup: homes.Homes[0].Fixup.Selection(),
				Home: homes.Homes[0].Commit}})
			require.NoError(t, err)
			assert.Equal(t, before, flags(), "through a commit, an amend and hunks sent home")
			assert.Empty(t, f.Git("diff", "--name-only", "--diff-filter=D"), "nothing counts as deleted")
			assert.Empty(t, f.Git("fsck", "--no-dangling"))
		})
	}
}
