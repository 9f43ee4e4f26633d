package resolving_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app/planning"
	"bastel/internal/app/resolving"
	"bastel/internal/repo"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestSidesAreWhatTheHistorySays: who has no such file deleted it only if he had it once, and nobody is credited with another's text.
func TestSidesAreWhatTheHistorySays(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", opened.Nine)
	f.Git("switch", "--quiet", "-c", "other")
	f.Commit("add x", "x", opened.Nine)
	change := f.Commit("change x", "x", opened.Nine+"more\n")
	f.Git("switch", "--quiet", "-c", "never", "main")
	f.Commit("mine", "b", "b\n")
	f.Git("switch", "--quiet", "-c", "deleted", "other~1")
	f.Git("rm", "--quiet", "x")
	f.Git("commit", "--quiet", "-m", "without x")
	for branch, want := range map[string]string{"never": "never had it", "deleted": "deleted it"} {
		f.Git("switch", "--quiet", branch)
		a := opened.App(t, f.Dir)
		plan, err := a.NewPlan(ctx, "", branch)
		require.NoError(t, err)
		plan, err = a.WithTaken(ctx, plan, len(plan.Next), []repo.ID{fixture.ID(t, change)})
		require.NoError(t, err)
		forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
		require.NoError(t, err)
		mending, err := resolving.Of(a).Mending(ctx, plan, forecast)
		require.NoError(t, err)
		assert.Equal(t, want, mending.Steps[0].Files[0].Stories[0].Left.Absent, "planned, on %s", branch)
		_, err = f.Run("cherry-pick", change)
		require.Error(t, err)
		w, err := resolving.Of(a).PendingMerge(ctx)
		require.NoError(t, err)
		assert.Equal(t, want, w.Files[0].Stories[0].Left.Absent, "waiting, on %s", branch)
		f.Git("cherry-pick", "--abort")
	}
}

func TestSidesWithoutACommitAreNamedForWhatTheyAre(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", opened.Nine)
	f.Git("switch", "--quiet", "-c", "other")
	f.Commit("theirs", "a", "THEIRS\n"+opened.Nine[2:])
	f.Write("../patch", f.Git("format-patch", "-1", "--stdout")+"\n")
	f.Git("switch", "--quiet", "-c", "third", "main")
	f.Commit("third", "c", "c\n")
	f.Git("switch", "--quiet", "main")
	f.Commit("mine", "a", "mine\n"+opened.Nine[2:])
	a := opened.App(t, f.Dir)
	right := func() resolving.SideHistory {
		w, err := resolving.Of(a).PendingMerge(ctx)
		require.NoError(t, err)
		return w.Files[0].Stories[0].Right
	}
	_, err := f.Run("am", "-3", "../patch")
	require.Error(t, err)
	assert.Equal(t, "the patch", right().Name)
	f.Git("am", "--abort")
	_, err = f.Run("merge", "other")
	require.Error(t, err)
	assert.Equal(t, "theirs", right().Commits[0].Commit.Subject())
	f.Write(".git/MERGE_HEAD", f.Git("rev-parse", "third")+"\n"+f.Git("rev-parse", "other")+"\n") // an octopus that stopped
	assert.Empty(t, right().Commits, "which of them wrote it is not known")
}
