package planning_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/mend"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

func subjects(t *testing.T, a *app.App, entries [][]repo.ID) (list [][]string) {
	for _, from := range entries {
		sources, err := a.Sources(ctx, from)
		require.NoError(t, err)
		var names []string
		for _, s := range sources {
			names = append(names, s.Commit.Subject())
		}
		list = append(list, names)
	}
	return list
}

// TestDraftsLiveOn: a draft follows its branch through everything that rewrites it, here and elsewhere.
func TestDraftsLiveOn(t *testing.T) {
	for name, rewrite := range map[string]func(t *testing.T, f *fixture.Repo, a *app.App){
		"amended here": func(t *testing.T, f *fixture.Repo, a *app.App) {
			_, err := sorting.Of(a).Amend(ctx, sorting.Amendment{Author: "Mira Lund <mira@lanternquay.example>"})
			require.NoError(t, err)
		},
		"sent home": func(t *testing.T, f *fixture.Repo, a *app.App) {
			f.Write("b", "b2\n")
			f.Git("add", "b")
			_, _, err := sorting.Of(a).JoinTray(ctx, fixture.ID(t, f.Git("rev-parse", "HEAD~2")))
			require.NoError(t, err)
		},
		"rebased elsewhere": func(t *testing.T, f *fixture.Repo, a *app.App) {
			f.Git("switch", "--quiet", "main")
			f.Commit("main moves", "m", "m\n")
			f.Git("rebase", "--quiet", "main", "feature")
		},
		"loosened and committed again": func(t *testing.T, f *fixture.Repo, a *app.App) {
			_, err := sorting.Of(a).Loosen(ctx, fixture.ID(t, f.Git("rev-parse", "HEAD")), true)
			require.NoError(t, err)
			_, err = sorting.Of(a).CommitTrays(ctx, []sorting.Draft{{Tray: tray.A, Message: "four"}})
			require.NoError(t, err)
		},
		"undone and redone": func(t *testing.T, f *fixture.Repo, a *app.App) {
			_, err := sorting.Of(a).Amend(ctx, sorting.Amendment{Author: "Mira Lund <mira@lanternquay.example>"})
			require.NoError(t, err)
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			_, err = planning.Of(a).Redo(ctx)
			require.NoError(t, err)
		},
	} {
		t.Run(name, func(t *testing.T) {
			f := fixture.New(t)
			f.Commit("base", "a", "1\n")
			f.Git("switch", "--quiet", "-c", "feature")
			for _, file := range []string{"one", "b", "three", "four"} {
				f.Commit(file, file, file+" 1\n"+file+" 2\n"+file+" 3\n")
			}
			a := opened.App(t, f.Dir)
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			require.NoError(t, planning.Of(a).KeepPlan(ctx, plan.Join(0, 2).Reword(0, "joined").Move(2, 1)))
			rewrite(t, f, a)
			draft, err := planning.Of(a).DraftPlan(ctx, "feature")
			require.NoError(t, err)
			require.NoError(t, draft.Plan.Check())
			var from [][]repo.ID
			for _, e := range draft.Plan.Next {
				from = append(from, e.From)
			}
			assert.Equal(t, [][]string{{"one", "three"}, {"four"}, {"b"}}, subjects(t, a, from))
			assert.Equal(t, "joined", draft.Plan.Next[0].Message)
			assert.Equal(t, f.Git("rev-parse", "feature"), draft.Plan.Tip.String())
		})
	}
}

// TestUndoOfAnApplyBringsItsPlanBack, with messages and answers; and what was drafted since comes back with redo.
func TestUndoOfAnApplyBringsItsPlanBack(t *testing.T) {
	f := opened.Feature(t)
	f.Git("switch", "--quiet", "main")
	f.Commit("theirs", "a", "1\n2\n3\nfour\n")
	f.Git("switch", "--quiet", "feature")
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "main", "")
	require.NoError(t, err)
	plan = plan.Reword(0, "reworded")
	forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
	require.NoError(t, err)
	plan = plan.Answer(forecast.Steps[1].PathConflicts[0].Questions()[0].Give(mend.Take(mend.Right)))
	require.NoError(t, planning.Of(a).KeepPlan(ctx, plan))
	opened.Apply(t, a, plan)
	require.NoError(t, planning.Of(a).ForgetPlan(ctx, plan.Branch))
	later, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	later = later.Reword(2, "later")
	require.NoError(t, planning.Of(a).KeepPlan(ctx, later))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	draft, err := planning.Of(a).DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.True(t, plan.Equal(draft.Plan), "%+v", draft)
	assert.Len(t, draft.Plan.Answers, 1)
	_, err = planning.Of(a).Redo(ctx)
	require.NoError(t, err)
	draft, err = planning.Of(a).DraftPlan(ctx, "")
	require.NoError(t, err)
	assert.True(t, later.Equal(draft.Plan), "%+v", draft)
}

// TestLaterWorkIsCarriedOver: a rewriting with commits on top is undone with them, or not at all.
func TestLaterWorkIsCarriedOver(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	opened.Apply(t, a, plan.Join(0, 1, 2))
	f.Commit("later", "z", "z\n")
	_, err = planning.Of(a).Undo(ctx)
	assert.ErrorIs(t, err, app.ErrLaterWork)
	assert.Contains(t, opened.Refusal(t, err), "1 commit on top")
	forecast, err := planning.Of(a).LookCarrying(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"later: clean"}, forecast)
	_, err = planning.Of(a).UndoCarrying(ctx)
	require.NoError(t, err)
	assert.Equal(t, "one\ntwo\nthree\nlater", f.Git("log", "--reverse", "--format=%s", "main.."))
	assert.Empty(t, f.Git("status", "--porcelain"))
	_, err = planning.Of(a).UndoCarrying(ctx)
	assert.Contains(t, opened.Refusal(t, err), "no later commits")
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "one\nlater", f.Git("log", "--reverse", "--format=%s", "main.."))
	f.Commit("in the way", "new", "other\n")
	before := f.Git("rev-parse", "HEAD")
	_, err = planning.Of(a).UndoCarrying(ctx)
	require.NoError(t, err, "nothing conflicts: the joined content is the same")
	assert.NotEqual(t, before, f.Git("rev-parse", "HEAD"))
}
