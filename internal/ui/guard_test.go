package ui

import (
	"os"
	"regexp"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAFaultEndsInGoodOrder: in an answer, or in a command of a command, it ends the application, and a file says where it was,
// without what may be content.
func TestAFaultEndsInGoodOrder(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	inCommand := guard(func() tea.Msg { return tea.BatchMsg{func() tea.Msg { panic("secret content") }} })
	nested := inCommand().(tea.BatchMsg)[0]()
	for name, msg := range map[string]tea.Msg{"in an answer": nil, "in a command": nested} {
		g := &guarded{}
		if name == "in a command" {
			g.Model = &Model{}
		}
		_, cmd := g.Update(msg)
		require.NotNil(t, cmd, name)
		assert.IsType(t, tea.QuitMsg{}, cmd(), name)
		require.NotNil(t, g.crash, name)
		g.Model = &Model{}
		said := g.report()
		require.ErrorIs(t, said, ErrCrashed)
		file := regexp.MustCompile(`is in (\S+):`).FindStringSubmatch(said.Error())
		require.NotNil(t, file, said.Error())
		text, err := os.ReadFile(file[1])
		require.NoError(t, err)
		assert.Contains(t, string(text), "guard", "where it was")
		assert.NotContains(t, string(text), "secret content")
	}
}
