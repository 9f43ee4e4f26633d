package resolving_test

import (
	"context"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/app/resolving"
	"bastel/internal/mend"
	"bastel/internal/send"
	"bastel/test/fixture"
	"bastel/test/opened"
)

var ctx = context.Background()

// merging is a repository in which a merge waits: what each side does are commands in its folder.
func merging(t *testing.T, mine, theirs string) (*fixture.Repo, *app.App) {
	f := fixture.New(t)
	f.Git("config", "rerere.enabled", "true")
	f.Commit("base", "a", opened.Nine, "d/k", "k\n", "d/x", strings.ReplaceAll(opened.Nine, "\n", " x\n"))
	f.Git("branch", "theirs")
	for branch, does := range map[string]string{"main": mine, "theirs": theirs} {
		f.Git("switch", "--quiet", branch)
		shell(t, f, does+"; git add -A; git commit -q -m "+branch)
	}
	f.Git("switch", "--quiet", "main")
	_ = exec.Command("git", "-C", f.Dir, "merge", "--quiet", "theirs").Run()
	return f, opened.App(t, f.Dir)
}

func shell(t *testing.T, f *fixture.Repo, does string) {
	cmd := exec.Command("sh", "-ec", does)
	cmd.Dir = f.Dir
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
}

// TestNothingWaitingIsSettledUnasked: renames, deletions and clashes of a merge that waits are
// questions, and either answer comes out whole.
func TestNothingWaitingIsSettledUnasked(t *testing.T) {
	for _, test := range []struct{ name, mine, theirs, left, right string }{
		{"renamed and deleted", "git mv a b", "git rm -q a", "b d/k d/x", "d/k d/x"},
		{"deleted and renamed", "git rm -q a", "git mv a b", "d/k d/x", "b d/k d/x"},
		{"renamed and deleted, where the folder keeps others", "git mv d/x d/y", "git rm -q d/x", "a d/k d/y", "a d/k"},
		{"renamed twice", "git mv a b", "git mv a c", "b d/k d/x", "c d/k d/x"},
		{"renamed twice in a folder, changed once", "git mv d/x d/y", "git mv d/x d/z; sed -i s/5/five/ d/z", "a d/k d/y", "a d/k d/z"},
		{"changed and deleted", "sed -i s/5/five/ a", "git rm -q a", "a d/k d/x", "d/k d/x"},
	} {
		for side, want := range map[mend.Side]string{mend.Left: test.left, mend.Right: test.right} {
			f, a := merging(t, test.mine, test.theirs)
			w, err := resolving.Of(a).PendingMerge(ctx)
			require.NoError(t, err)
			require.Positive(t, w.Open(), test.name)
			_, err = resolving.Of(a).WriteAnswers(ctx, w)
			assert.Error(t, err, test.name)
			for _, file := range w.Files {
				for _, q := range file.Questions() {
					w.Answer(q.Give(mend.Take(side)))
				}
			}
			require.NoError(t, resolving.Of(a).KeepAnswers(w.Answers))
			w, err = resolving.Of(a).PendingMerge(ctx)
			require.NoError(t, err)
			_, err = resolving.Of(a).WriteAnswers(ctx, w)
			require.NoError(t, err, test.name)
			assert.Empty(t, f.Git("ls-files", "--unmerged"), test.name)
			assert.Equal(t, want, strings.Join(strings.Fields(f.Git("ls-files")), " "), "%s, %s", test.name, side)
			assert.Empty(t, f.Git("diff", "--name-only")+f.Git("ls-files", "--others"), "the working files are the index's: %s", test.name)
			_, err = planning.Of(a).Undo(ctx)
			require.NoError(t, err)
			assert.NotEmpty(t, f.Git("ls-files", "--unmerged"), test.name)
		}
	}
}

// TestHandEditsOfWhatWaits: what was changed in working files meanwhile is kept, in place of answers or beside them.
func TestHandEditsOfWhatWaits(t *testing.T) {
	mine, theirs := "sed -i s/5/mine/ a", "sed -i s/5/theirs/ a"
	answered := func(a *app.App) error {
		w, err := resolving.Of(a).PendingMerge(ctx)
		require.NoError(t, err)
		for _, q := range w.Files[0].Regions {
			w.Answer(q.Give(mend.Take(mend.Left, mend.Right)))
		}
		require.NoError(t, resolving.Of(a).KeepAnswers(w.Answers))
		w, err = resolving.Of(a).PendingMerge(ctx)
		require.NoError(t, err)
		_, err = resolving.Of(a).WriteAnswers(ctx, w)
		return err
	}
	f, a := merging(t, mine, theirs)
	shell(t, f, "sed -i s/^9/nine/ a")
	require.NoError(t, answered(a))
	assert.Equal(t, "1\n2\n3\n4\nmine\ntheirs\n6\n7\n8\nnine\n", f.Read("a"))

	f, a = merging(t, mine, theirs)
	shell(t, f, "sed -i 's/^mine/mine, better/' a")
	before := f.Read("a")
	assert.Contains(t, opened.Refusal(t, answered(a)), "edited by hand")
	assert.Equal(t, before, f.Read("a"))

	f, a = merging(t, mine, theirs)
	f.Write("a", strings.Replace(opened.Nine, "5", "ours, then", 1))
	w, err := resolving.Of(a).PendingMerge(ctx)
	require.NoError(t, err)
	assert.Zero(t, w.Open(), "it is resolved in the file")
	_, err = resolving.Of(a).WriteAnswers(ctx, w)
	require.NoError(t, err)
	assert.Equal(t, strings.Replace(opened.Nine, "5", "ours, then", 1), f.Git("show", ":a")+"\n")
	_, _, err = planning.Of(a).FinishWaiting(ctx, "Merge theirs\n", false)
	require.NoError(t, err)

	// The repository remembers, and fills it in the next time.
	f.Git("rerere")
	f.Git("reset", "--quiet", "--hard", "HEAD~1")
	_ = exec.Command("git", "-C", f.Dir, "merge", "--quiet", "theirs").Run()
	require.Contains(t, f.Read("a"), "ours, then")
	w, err = resolving.Of(a).PendingMerge(ctx)
	require.NoError(t, err)
	assert.Zero(t, w.Open())
}

// TestMarkersAreNotCommitted: a conflict that was staged as it lies there is no content.
func TestMarkersAreNotCommitted(t *testing.T) {
	f, a := merging(t, "sed -i s/5/mine/ a", "sed -i s/5/theirs/ a")
	shell(t, f, "git add -A")
	_, _, err := planning.Of(a).FinishWaiting(ctx, "Merge theirs\n", false)
	assert.ErrorIs(t, err, app.ErrMarkers)
	assert.Contains(t, opened.Refusal(t, err), `"a", in line 5`)
	_, _, err = planning.Of(a).FinishWaiting(ctx, "Merge theirs\n", true)
	require.NoError(t, err)

	f, a = merging(t, "sed -i s/5/mine/ a", "sed -i s/5/theirs/ a")
	shell(t, f, "git add -A; rm .git/MERGE_HEAD")
	_, err = opened.Commit(a, "Half done\n", nil)
	assert.ErrorIs(t, err, app.ErrMarkers)
	f.Git("reset", "--quiet", "--hard")
	f.Write("notes", "Title\n=======\n<<<<<<< quoted\n")
	f.Write("p.go", "package p\n\nfunc f() {\n\tprintln(1)\n}\n")
	f.Git("add", "-A")
	made, err := opened.Commit(a, "Fine\n", nil)
	require.NoError(t, err)
	assert.Equal(t, "it holds 2 leftovers, notes line 3 for one.", made.Warning)
}

// TestAMergeMadeHereStays: nobody proposes to flatten it, neither Shape's plan nor the preflight.
func TestAMergeMadeHereStays(t *testing.T) {
	f, a := merging(t, "sed -i s/5/mine/ a", "sed -i s/5/theirs/ a")
	f.Git("branch", "base", "main~1")
	f.Git("branch", "-m", "main", "topic")
	f.Git("branch", "-m", "base", "main")
	f.Write("a", strings.Replace(opened.Nine, "5", "both", 1))
	f.Git("add", "a")
	made, _, err := planning.Of(a).FinishWaiting(ctx, "Merge theirs\n", false)
	require.NoError(t, err)
	f.Commit("after", "z", "z\n")
	f.Remote(t)
	a.Close()
	a = opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Contains(t, plan.Sources, made.Commits[0], "it is a commit of the series, and what it brings is not")
	assert.Len(t, plan.Sources, 3)
	assert.False(t, plan.Changes())
	forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
	require.NoError(t, err)
	assert.True(t, forecast.SameContent)
	items, err := publishing.Of(a).Preflight(ctx, "")
	require.NoError(t, err)
	for _, item := range items {
		if item.Name == "linear" {
			assert.Equal(t, send.OK, item.Level)
		}
	}
	f.Git("branch", "--force", "main", "theirs") // it is the target that was merged
	again, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Equal(t, plan, again, "the series begins where it began, not at what came")
	applied := opened.Apply(t, a, plan.Move(2, 0).Reword(2, "Bring theirs in\n"))
	assert.True(t, applied.SameContent)
	assert.Equal(t, f.Git("log", "-1", "--format=%an %ad %P", "HEAD"), strings.Replace(f.Git("log", "-1", "--format=%an %ad %P",
		made.Commits[0].String()), f.Git("rev-parse", made.Commits[0].String()+"^"), f.Git("rev-parse", "HEAD~1"), 1), "it brings the same")
	a.Close()
	a = opened.App(t, f.Dir)
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 3, "it is still one that was made on purpose")
	applied = opened.Apply(t, a, plan.Join(1, 2))
	assert.Equal(t, 2, applied.Commits)
	assert.Len(t, strings.Fields(f.Git("log", "-1", "--format=%P", "HEAD")), 2, "joined, it still brings them")
}
