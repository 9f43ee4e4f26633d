package shape

import (
	"testing"
	"time"

	tea "charm.land/bubbletea/v2"
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
	run(m.take(read()))
	require.Len(t, m.plan.Next, 2)
	late := read()
	keep := m.set(m.plan.Join(0, 1))
	m.take(late)
	assert.Len(t, m.plan.Next, 1, "the edit stays")
	assert.Len(t, m.before, 1, "and can be undone")

	// One that begins before the edit is kept waits for that, and has it.
	later := make(chan kit.Read[planned], 1)
	reading := m.read(app.Target{})
	go func() { later <- reading().(kit.Read[planned]) }()
	select {
	case <-later:
		require.Fail(t, "it read a draft that is not there yet")
	case <-time.After(50 * time.Millisecond):
	}
	keep()
	run(m.take(<-later))
	assert.Len(t, m.plan.Next, 1, "the edit stays")
	assert.Len(t, m.before, 1, "and can be undone still")

	// Where the branch itself moved it is read again, and the draft is carried over.
	require.NoError(t, planning.Of(a).KeepPlan(t.Context(), m.plan))
	f.Commit("three", "c", "3\n")
	late = read()
	m.set(m.plan.Reword(0, "joined"))()
	cmd := m.take(late)
	require.NotNil(t, cmd)
	run(m.take(cmd().(kit.Read[planned])))
	assert.Len(t, m.plan.Next, 2)
	assert.Equal(t, "joined", m.plan.Next[0].Message)
}

// run does what a command says, and those that it gives; what they find stays out.
func run(cmd tea.Cmd) {
	if cmd == nil {
		return
	}
	if batch, ok := cmd().(tea.BatchMsg); ok {
		for _, each := range batch {
			run(each)
		}
	}
}

func TestSubjectsOfAFamily(t *testing.T) {
	for subject, want := range map[string]string{"util 1": "util", "util  12": "util", "web: board": "web", "Change ten": "Change", "7": "7",
		"": ""} {
		assert.Equal(t, want, familyOf(subject))
	}
}
