package ui

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The terminal is told that text is in order while the application has the screen, and only then.
func TestTheTerminalIsToldThatTextIsInOrder(t *testing.T) {
	file, err := os.Create(filepath.Join(t.TempDir(), "out"))
	require.NoError(t, err)
	out := &terminal{File: file}
	for _, text := range []string{"before", ansi.SetModeAltScreenSaveCursor, "frame", ansi.ResetModeAltScreenSaveCursor, "after"} {
		n, err := out.Write([]byte(text))
		require.NoError(t, err)
		assert.Equal(t, len(text), n)
	}
	written, err := os.ReadFile(file.Name())
	require.NoError(t, err)
	assert.Equal(t, "before\x1b[?1049h\x1b[8lframe\x1b[8h\x1b[?1049lafter", string(written))
}
