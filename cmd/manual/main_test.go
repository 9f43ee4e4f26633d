package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/cli"
)

// TestTheManualIsInOrder: its pages and completions are the same twice, the pages without warnings where man is there, and
// the shells that are there understand the completions.
func TestTheManualIsInOrder(t *testing.T) {
	t.Setenv("SOURCE_DATE_EPOCH", "1764201600")
	var first map[string][]byte
	for range 2 {
		dir := t.TempDir()
		require.NoError(t, write(cli.Commands(), dir))
		pages := map[string][]byte{}
		entries, err := os.ReadDir(dir)
		require.NoError(t, err)
		for _, e := range entries {
			pages[e.Name()], err = os.ReadFile(filepath.Join(dir, e.Name()))
			require.NoError(t, err)
		}
		if first != nil {
			assert.Equal(t, first, pages)
		}
		first = pages
		for name, program := range map[string][]string{"bastel.bash": {"bash", "-n"}, "_bastel": {"zsh", "-n"}, "bastel.fish": {"fish", "-n"},
			"bastel-take.1": {"man", "--warnings", "-l"}} {
			if _, err := exec.LookPath(program[0]); err == nil {
				cmd := exec.Command(program[0], append(program[1:], filepath.Join(dir, name))...)
				var said bytes.Buffer
				cmd.Stderr = &said
				assert.NoError(t, cmd.Run(), name)
				assert.Empty(t, said.String(), name)
			}
		}
	}
	assert.Contains(t, first, "bastel-branch-delete.1")
}
