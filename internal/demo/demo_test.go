package demo_test

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/demo"
	"bastel/test/fixture"
)

// TestTheStoryIsTheSameEachTime: dates are fixed, so ids repeat; and what lies there is what the story needs.
func TestTheStoryIsTheSameEachTime(t *testing.T) {
	var tips [2]string
	for i := range tips {
		place, err := demo.Make(t.Context(), filepath.Join(t.TempDir(), "quay"))
		require.NoError(t, err)
		work := fixture.Existing(t, place.Work)
		tips[i] = work.Git("for-each-ref", "--format=%(refname) %(objectname)")
		assert.Equal(t, demo.BranchName, work.Git("branch", "--show-current"))
		assert.NotEmpty(t, work.Git("diff", "--name-only"), "something is loose")
		assert.NotEmpty(t, work.Git("rev-list", "HEAD..origin/main"), "the target moved on")
		again, err := demo.At(place.Dir)
		require.NoError(t, err)
		assert.Equal(t, place.Remote, again.Remote)
		work.Git("fsck", "--strict")
	}
	assert.Equal(t, tips[0], tips[1])
}

func TestNothingIsMadeWhereSomethingLies(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "mine"), []byte("x"), 0o666))
	_, err := demo.Make(t.Context(), dir)
	require.ErrorContains(t, err, dir)
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, entries, 1)
}
