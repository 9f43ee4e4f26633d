package kit_test

import (
	"context"
	"errors"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"

	"bastel/internal/ui/kit"
)

// TestPartsComeBeforeTheWhole, none of them after it, and none after a newer reading.
func TestPartsComeBeforeTheWhole(t *testing.T) {
	var r kit.Reading[int]
	step := make(chan bool)
	begin := func(fails error) tea.BatchMsg {
		return r.BeginParts(context.Background(), "Map", func(_ context.Context, part func(int)) (int, error) {
			<-step
			part(1)
			<-step
			part(2)
			part(3)
			<-step
			return 4, fails
		})().(tea.BatchMsg)
	}
	run := func(both tea.BatchMsg) (next tea.Cmd, whole chan tea.Msg) {
		whole = make(chan tea.Msg, 1)
		go func() { whole <- both[1]() }()
		return both[0], whole
	}
	read := func(msg tea.Msg) kit.Read[int] { return msg.(kit.Read[int]) }

	next, whole := run(begin(nil))
	step <- true
	first := read(next())
	assert.True(t, r.Take(first))
	assert.Equal(t, 1, r.Value)
	assert.True(t, r.Pending(), "it goes on")
	step <- true
	step <- true // both parts have been put by then
	assert.True(t, r.Take(read(<-whole)))
	assert.Equal(t, 4, r.Value)
	late := read(first.More()())
	assert.False(t, r.Take(late), "a part that comes after the whole is passed over")
	assert.Equal(t, 3, late.Value, "the part that nobody took gave way to the next")
	assert.Nil(t, late.More()(), "and nothing comes after it")

	next, whole = run(begin(errors.New("no")))
	step <- true
	assert.True(t, r.Take(read(next())))
	step <- true
	step <- true
	assert.False(t, r.Take(read(<-whole)))
	assert.Equal(t, 1, r.Value, "what is known stays")
	assert.Error(t, r.Err)

	next, whole = run(begin(nil))
	r.Begin(context.Background(), "Map", nil)
	r.Supersede()
	step <- true
	assert.False(t, r.Take(read(next())), "a newer reading was taken")
	step <- true
	step <- true
	assert.False(t, r.Take(read(<-whole)))
}
