package publishing_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/send"
	"bastel/internal/series"
	"bastel/test/opened"
)

var ctx = context.Background()

func TestSendSeriesFollowsTheJournal(t *testing.T) {
	f := opened.Feature(t)
	f.Remote(t)
	f.Git("push", "--quiet", "origin", "main", "feature")
	f.Git("fetch", "--quiet")
	a := opened.App(t, f.Dir)
	for _, edit := range []int{0, 1} {
		plan, err := a.NewPlan(ctx, "", "")
		require.NoError(t, err)
		if edit == 0 {
			plan = plan.Join(0, 2)
		} else {
			plan = plan.Reword(1, "two, reworded")
		}
		_, err = planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
		require.NoError(t, err)
	}
	s, err := publishing.Of(a).SendSeries(ctx, "", false)
	require.NoError(t, err)
	require.Len(t, s.Now, 3)
	require.Len(t, s.Next, 2)
	assert.Equal(t, []series.Pairing{{Old: s.Now[0].ID, New: s.Next[0].ID, Relation: series.Joined},
		{Old: s.Now[1].ID, New: s.Next[1].ID, Relation: series.Reworded},
		{Old: s.Now[2].ID, New: s.Next[0].ID, Relation: series.Joined}}, s.Pairs)
	assert.NoError(t, s.Verdict(send.Consent{}))
}
