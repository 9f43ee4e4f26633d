package planning_test

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/test/opened"
)

// TestWhatOfAStackComesAlong: a copy made at the tip stays, those below and above come along, with their own commits put
// onto what comes out; what is checked out elsewhere, shared or kept by choice stays, and is said.
func TestWhatOfAStackComesAlong(t *testing.T) {
	f, _ := threeCommits(t)
	for _, name := range []string{"backup", "release/1"} {
		f.Git("branch", name)
	}
	f.Git("branch", "trunk", "feature~1") // others build on it: it is the remote's default branch
	f.Git("config", "remote.origin.url", t.TempDir())
	f.Git("config", "remote.origin.fetch", "+refs/heads/*:refs/remotes/origin/*")
	f.Git("update-ref", "refs/remotes/origin/trunk", "main")
	f.Git("symbolic-ref", "refs/remotes/origin/HEAD", "refs/remotes/origin/trunk")
	f.Git("config", "branch.feature.bastelTarget", "main")
	f.Git("branch", "below", "feature~2")
	f.Git("branch", "kept", "feature~1")
	f.Git("worktree", "add", "--quiet", filepath.Join(t.TempDir(), "x"), "-b", "elsewhere", "feature~1")
	f.Git("switch", "--quiet", "-c", "upper")
	f.Commit("upper one", "u", "u\n")
	f.Commit("upper two", "u", "v\n")
	f.Git("branch", "middle", "upper~1")
	f.Git("switch", "--quiet", "feature")
	a := opened.App(t, f.Dir)
	require.NoError(t, a.ChooseStack(ctx, "kept", false))
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	stack, err := a.Stack(ctx, plan)
	require.NoError(t, err)
	stays := map[string]string{}
	for _, s := range stack {
		stays[s.Name] = s.Stays
	}
	assert.Contains(t, stays["elsewhere"], "checked out in")
	delete(stays, "elsewhere")
	assert.Equal(t, map[string]string{"backup": "it marks where the branch was", "release/1": "it is shared", "trunk": "it is shared",
		"below": "", "kept": "you chose so", "upper": "", "middle": ""}, stays)
	refs := func() string { return f.Git("for-each-ref", "--format=%(refname) %(objectname)", "refs/heads") }
	before, tip := refs(), f.Git("rev-parse", "feature")
	applied := opened.Apply(t, a, plan.Reword(0, "ONE"))
	assert.Equal(t, 3, applied.Carried)
	assert.Equal(t, tip, f.Git("rev-parse", "backup"))
	assert.Equal(t, f.Git("rev-parse", tip+"~1"), f.Git("rev-parse", "kept"))
	assert.Equal(t, f.Git("rev-parse", tip+"~1"), f.Git("rev-parse", "elsewhere"))
	assert.Equal(t, "ONE\ntwo\nthree\nupper one\nupper two", f.Git("log", "--reverse", "--format=%s", "main..upper"))
	assert.Equal(t, f.Git("rev-parse", "feature"), f.Git("rev-parse", "upper~2"))
	assert.Equal(t, "upper one", f.Git("log", "-1", "--format=%s", "middle"))
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, before, refs())

	f.Git("config", "rebase.updateRefs", "true")
	a.Close()
	a = opened.App(t, f.Dir)
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Equal(t, 4, opened.Apply(t, a, plan.Reword(0, "ONE")).Carried, "the one at the tip too")
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)

	// What conflicts is not left behind unasked.
	f.Git("switch", "--quiet", "upper")
	f.Commit("upper three", "c", "c\nd\ne\n")
	f.Git("switch", "--quiet", "feature")
	before = refs()
	_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(2), app.OwnOnly, nil)
	require.ErrorIs(t, err, app.ErrStack)
	assert.Contains(t, opened.Refusal(t, err), "upper sits on these commits with 3 commits of its own")
	assert.Equal(t, before, refs())
	_, err = planning.Of(a).Apply(ctx, plan.LeaveOut(2), app.LeaveStack, nil)
	require.NoError(t, err)
	assert.Contains(t, f.Git("log", "--format=%s", "main..upper"), "three", "it stays on the old ones")
}
