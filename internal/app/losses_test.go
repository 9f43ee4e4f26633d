package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestCommitsUnderAnotherAddressAreMine, where .mailmap says whose it is: no guard speaks of somebody else then.
func TestCommitsUnderAnotherAddressAreMine(t *testing.T) {
	f := fixture.New(t)
	id := f.Commit("base", "a", "1\n")
	signed := strings.Fields(f.Git("log", "-1", "--format=%ae %ce"))
	a := opened.App(t, f.Dir)
	mine := func() bool {
		sources, err := a.Sources(t.Context(), []repo.ID{fixture.ID(t, id)})
		require.NoError(t, err)
		return a.IsMine(t.Context())(sources[0])
	}
	t.Setenv("GIT_COMMITTER_EMAIL", "new@x.example")
	a = opened.App(t, f.Dir)
	assert.False(t, mine())
	f.Write(".mailmap", "<new@x.example> <"+signed[0]+">\n<new@x.example> <"+signed[1]+">\n")
	assert.True(t, mine())
}
