package planning_test

import (
	"cmp"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/repo"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestRevertsAreTheRepositorysOwn: taking commits of a random history back gives the tree that the repository's own command
// gives, and where that meets a conflict it is one here, and nothing is changed; one for all may spare it.
func TestRevertsAreTheRepositorysOwn(t *testing.T) {
	fixture.FewerChecks(t, "10")
	rapid.Check(t, func(r *rapid.T) {
		f := fixture.New(t)
		f.Commit("base", "a", numberedLines(30, nil), "b", "1\n")
		for i := range rapid.IntRange(4, 6).Draw(r, "commits") {
			at := rapid.IntRange(0, 29).Draw(r, "line")
			f.Commit(fmt.Sprint("commit ", i), "a", numberedLines(30, map[int]string{at: fmt.Sprint("changed ", i)}), fmt.Sprint("new", i), "x\n")
		}
		n := rapid.IntRange(1, 2).Draw(r, "how many")
		ids := []repo.ID{}
		for i := range n {
			ids = append(ids, fixture.ID(t, f.Git("rev-parse", fmt.Sprint("HEAD~", rapid.IntRange(0, 1).Draw(r, "back")+2*i))))
		}
		tip := f.Git("rev-parse", "HEAD")
		args := []string{"revert", "--no-edit"}
		for _, id := range ids {
			args = append(args, id.String())
		}
		f.Git("branch", "--force", "theirs")
		f.Git("switch", "--quiet", "theirs")
		_, theirs := f.Run(args...)
		if theirs != nil {
			f.Git("revert", "--abort")
		}
		f.Git("switch", "--quiet", "main")
		a := planning.Of(opened.App(t, f.Dir))
		one := rapid.Bool().Draw(r, "one")
		done, err := a.Reverts(t.Context(), "main", ids, one, "Because.")
		if theirs != nil && one && err == nil {
			return // joined first: what the one brings the other may take away, and nothing is left to meet
		}
		if theirs != nil {
			require.ErrorIs(r, err, app.ErrConflict)
			require.Equal(r, tip, f.Git("rev-parse", "main"))
			return
		}
		require.NoError(r, err)
		require.Equal(r, f.Git("rev-parse", "theirs^{tree}"), f.Git("rev-parse", "main^{tree}"))
		require.Equal(r, done.New.String(), f.Git("rev-parse", "HEAD"))
		require.Empty(r, f.Git("status", "--porcelain"))
		assert.Contains(r, f.Git("log", "-1", "--format=%B"), "Because.")
		assert.Contains(r, f.Git("log", "-1", "--format=%B"), "This reverts commit ")
	})
}

func TestWhatCannotBeTakenBack(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Git("branch", "other")
	f.Git("switch", "--quiet", "other")
	f.Commit("elsewhere", "b", "1\n")
	f.Git("switch", "--quiet", "main")
	a := planning.Of(opened.App(t, f.Dir))
	_, err := a.Reverts(t.Context(), "main", []repo.ID{fixture.ID(t, f.Git("rev-parse", "other"))}, false, "")
	assert.ErrorContains(t, err, "is not in main")
	_, err = a.Reverts(t.Context(), "nowhere", []repo.ID{fixture.ID(t, f.Git("rev-parse", "main"))}, false, "")
	assert.ErrorContains(t, err, "no branch nowhere")
	_, err = a.Reverts(t.Context(), "other", []repo.ID{fixture.ID(t, f.Git("rev-parse", "other"))}, false, "")
	require.NoError(t, err, "it need not be checked out")
	assert.Equal(t, f.Git("rev-parse", "main^{tree}"), f.Git("rev-parse", "other^{tree}"))
	_, err = a.Undo(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "elsewhere", f.Git("log", "-1", "--format=%s", "other"))
}

// numberedLines are lines with their numbers, some of them changed.
func numberedLines(n int, changed map[int]string) string {
	var text strings.Builder
	for i := range n {
		fmt.Fprintln(&text, cmp.Or(changed[i], fmt.Sprint("line ", i)))
	}
	return text.String()
}
