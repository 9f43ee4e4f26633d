package shape

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/ui/kit"
	"bastel/test/fixture"
)

// TestAReadingUnderWayNeverReplacesANewerEdit: what was read before an edit comes after it.
func TestAReadingUnderWayNeverReplacesANewerEdit(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("one", "a", "2\n")
	f.Commit("two", "b", "2\n")
	a, _, err := app.Open(t.Context(), f.Dir)
	require.NoError(t, err)
	defer a.Close()
	m := New(t.Context(), a)
	read := func() kit.Read[planned] { return m.read(app.Target{})().(kit.Read[planned]) }
	m.take(read())
	require.Len(t, m.plan.Next, 2)
	late := read()
	m.set(m.plan.Join(0, 1))
	m.take(late)
	assert.Len(t, m.plan.Next, 1, "the edit stays")
	assert.Len(t, m.before, 1, "and can be undone")

	// Where the branch itself moved it is read again, and the draft is carried over.
	require.NoError(t, planning.Of(a).KeepPlan(t.Context(), m.plan))
	f.Commit("three", "c", "3\n")
	late = read()
	m.set(m.plan.Reword(0, "joined"))
	require.NoError(t, planning.Of(a).KeepPlan(t.Context(), m.plan))
	cmd := m.take(late)
	require.NotNil(t, cmd)
	m.take(cmd().(kit.Read[planned]))
	assert.Len(t, m.plan.Next, 2)
	assert.Equal(t, "joined", m.plan.Next[0].Message)
}
