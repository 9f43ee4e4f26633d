package app_test

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/test/fixture"
	"bastel/test/opened"
)

var ctx = context.Background()

func TestTargetsAndSentences(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	s, err := a.BranchStatus(ctx)
	require.NoError(t, err)
	assert.Equal(t, "On feature in work, 3 commits ahead of main.", s.Sentence())
	assert.Equal(t, "feature: 3 ahead", s.Brief())
	s.Operation, s.Missing, s.Removes, s.Unsent, s.Changes = "merge", 2, 1, 4, []repo.Change{{Loose: true}, {Staged: true}}
	assert.Equal(t,
		"feature: a merge begun outside Bastel waits, 1 of others to take in, 3 ahead, 2 behind, 1 loose, 1 staged, 4 to send",
		s.Brief(), "what matters most comes first")
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main", "main:develop", "feature~1:refs/heads/feature")
	remote.Git("symbolic-ref", "HEAD", "refs/heads/develop")
	f.Git("fetch", "--quiet")
	f.Git("remote", "set-head", "origin", "--auto")
	f.Git("branch", "--quiet", "--set-upstream-to=origin/feature")
	f.Write("a", "loose\n")
	f.Write("staged", "s\n")
	f.Git("add", "staged")
	a = opened.App(t, f.Dir)
	s, err = a.BranchStatus(ctx)
	require.NoError(t, err)
	assert.Equal(t, "origin/develop", s.Target.Name, "the remote's default branch")
	assert.Equal(t, "On feature in work, 3 commits ahead of origin/develop. 1 not on origin/feature yet. Loose: 1 file, staged: 1.",
		s.Sentence())
	target, err := a.FindTarget(ctx, "main")
	require.NoError(t, err)
	assert.Equal(t, "origin/develop", target.Name)
}

func TestRangeOfABranchWithoutTarget(t *testing.T) {
	f := fixture.New(t)
	for i := range 103 {
		f.Commit(strings.Repeat("x", i+1))
	}
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 100)
	f.Git("switch", "--quiet", "-c", "side", "HEAD~3")
	f.Commit("side")
	f.Git("switch", "--quiet", "main")
	f.Git("merge", "--quiet", "--no-ff", "-m", "merge", "side")
	f.Commit("after")
	plan, err = a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 1, "back to the last merge")
}

func TestAShallowCloneBeginsAtItsEdge(t *testing.T) {
	f := opened.Feature(t)
	f.Git("clone", "--quiet", "--depth", "2", "--branch", "feature", "file://"+f.Dir, f.Dir+"/shallow")
	s := fixture.Existing(t, f.Dir+"/shallow")
	s.Git("remote", "remove", "origin")
	a := opened.App(t, s.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 1, "the edge itself cannot be rewritten")
	_, err = planning.Of(a).Apply(ctx, plan.Reword(0, "other\n"), app.OwnOnly, nil)
	require.NoError(t, err)
	plan.Base, plan.Sources = repo.ID{}, append([]repo.ID{plan.Base}, plan.Sources...)
	_, err = planning.Of(a).Survey(ctx, plan)
	require.ErrorIs(t, err, repo.ErrMissingObject)
	assert.Contains(t, app.Explain(err), "git fetch --unshallow")
}

func TestTheForkPointOfARewrittenTarget(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base")
	f.Commit("taken back later", "x", "x\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("mine", "y", "y\n")
	f.Git("branch", "--force", "main", "main~1")
	a := opened.App(t, f.Dir)
	plan, err := a.NewPlan(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, plan.Sources, 1, "what was the target's once is not the branch's")
	f.Git("branch", "ahead", "topic")
	_, err = planning.Of(a).Forecast(ctx, func() shape.Plan { p := plan; p.Onto = "ahead"; return p }(), nil)
	assert.Contains(t, opened.Refusal(t, err), "cannot go onto its own commits")
	f.Git("switch", "--quiet", "ahead")
	f.Commit("more")
	f.Git("switch", "--quiet", "topic")
	_, err = planning.Of(a).Forecast(ctx, func() shape.Plan { p := plan; p.Onto = "ahead"; return p }(), nil)
	assert.Contains(t, opened.Refusal(t, err), "has all of topic already")
}

func TestCleanMessage(t *testing.T) {
	for text, want := range map[string]string{
		"": "", " \n\t\n": "", "a": "a\n", "\n\na  \n\n\n\nb\n\n": "a\n\nb\n", "a\r\nb": "a\nb\n", "# kept": "# kept\n",
	} {
		assert.Equal(t, want, app.CleanMessage(text))
	}
}
