package sorting_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/test/opened"
)

var ctx = context.Background()

func TestACommitIsWhatWasSeen(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	f.Write("a", "changed\n")
	err := opened.Move(a, tray.Loose, tray.A, "a")
	require.NoError(t, err)
	s, err := a.BranchStatus(ctx)
	require.NoError(t, err)
	board, err := sorting.Of(a).Listing(ctx, s.Changes, tray.Plain)
	require.NoError(t, err)
	f.Write("b", "another tool\n")
	f.Git("add", "b")
	_, err = opened.Commit(a, "seen", tray.IDs(board.Files(tray.A)))
	assert.ErrorIs(t, err, repo.ErrMoved)
	f.Git("reset", "--quiet", "b")
	_, err = opened.Commit(a, "seen", tray.IDs(board.Files(tray.A)))
	require.NoError(t, err)
	assert.Equal(t, "a", f.Git("show", "--format=", "--name-only"))
}
