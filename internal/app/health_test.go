package app_test

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestForgottenScratchGoes: what lies there for long goes at a start, and nothing else of the folder for temporary files.
func TestForgottenScratchGoes(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	a := opened.App(t, f.Dir)
	temporary := t.TempDir()
	t.Setenv("TMPDIR", temporary)
	for name, age := range map[string]time.Duration{"bastel-check-1": 40 * 24 * time.Hour, "bastel-check-2": 4 * 24 * time.Hour,
		"somebody-elses": 40 * 24 * time.Hour} {
		dir := filepath.Join(temporary, name)
		require.NoError(t, os.Mkdir(dir, 0o777))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "a"), nil, 0o666))
		require.NoError(t, os.Chtimes(dir, time.Now(), time.Now().Add(-age)))
	}
	a.TidyUp(t.Context())
	left, err := filepath.Glob(filepath.Join(temporary, "*"))
	require.NoError(t, err)
	assert.Equal(t, []string{filepath.Join(temporary, "bastel-check-2"), filepath.Join(temporary, "somebody-elses")}, left)
}
