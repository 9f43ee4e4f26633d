package ui

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// following are the steps that screens show as done, in the order in which the repository
// follows: the first one is under way.
type following struct{ steps []*followed }

// followed is a step with the key that led to it.
type followed struct {
	kit.Follow
	key   string
	begun atomic.Bool // by whoever carries it out
	ended chan error  // how it came out, once
}

// haveFollowed says how many steps were done, and why the one after them was not.
type haveFollowed struct {
	done int
	err  error
}

// follow takes a step into the row.
func (m *Model) follow(step kit.Follow) tea.Cmd {
	m.following.steps = append(m.following.steps, &followed{Follow: step, key: m.queue.key, ended: make(chan error, 1)})
	if len(m.following.steps) > 1 {
		return nil
	}
	return m.followNext()
}

// followNext carries the next step out, or all those that go at once. No key waits for that but those that
// need the repository as it is shown.
func (m *Model) followNext() tea.Cmd {
	first := m.following.steps[0]
	row := []*followed{first}
	for _, step := range m.following.steps[1:] {
		if first.Part == nil || step.Part == nil {
			break
		}
		row = append(row, step)
	}
	m.queue.progress = time.Now()
	return inBackground(func() tea.Msg { return carryOut(repo.Because(m.ctx, first.Title), row) })
}

// carryOut carries steps out, unless that is done already.
func carryOut(ctx context.Context, row []*followed) tea.Msg {
	var parts []any
	for _, step := range row {
		if !step.begun.CompareAndSwap(false, true) {
			return nil
		}
		parts = append(parts, step.Part)
	}
	var msg haveFollowed
	if row[0].Part != nil {
		msg.done, msg.err = row[0].Each(ctx, parts)
	} else if msg.err = row[0].Do(ctx); msg.err == nil {
		msg.done = 1
	}
	for i, step := range row {
		switch {
		case i < msg.done:
			step.ended <- nil
		default:
			step.ended <- cmp.Or(msg.err, context.Canceled)
		}
	}
	return msg
}

// atMostAfter is how long the repository may take to follow once the screen is gone.
const atMostAfter = 10 * time.Second

// catchUp has the repository follow to the end when the screen is gone already: what was shown as
// done is done.
func (m *Model) catchUp() error {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(m.ctx), atMostAfter)
	defer cancel()
	for _, step := range m.following.steps {
		err := context.Canceled
		if !step.begun.CompareAndSwap(false, true) {
			err = <-step.ended
		}
		if errors.Is(err, context.Canceled) { // it was not begun, or ended with the screen
			again := &followed{Follow: step.Follow, ended: make(chan error, 1)}
			carryOut(repo.Because(ctx, step.Title), []*followed{again})
			err = <-again.ended
		}
		if err != nil {
			return fmt.Errorf("%s: %w", step.Title, err)
		}
	}
	return nil
}

// behind says whether the repository is behind what is shown.
func (m *Model) behind() bool { return len(m.following.steps) > 0 }

// haveFollowed goes on with the next step. Where one was refused all that came after it is
// dropped, and named: it was meant for what was shown, which is not so.
func (m *Model) haveFollowed(msg haveFollowed) tea.Cmd {
	m.queue.progress = time.Now()
	screen := m.screenNamed(m.following.steps[0].Screen)
	var cmds []tea.Cmd
	for range msg.done {
		cmds = append(cmds, screen.Update(kit.Followed{}))
	}
	m.following.steps = m.following.steps[msg.done:]
	switch {
	case msg.err == nil && m.behind():
		return tea.Batch(append(cmds, m.followNext())...)
	case msg.err == nil:
		return tea.Batch(append(cmds, m.refreshOwn())...)
	}
	done := m.following.steps[0]
	m.following.steps = m.following.steps[1:]
	said := fmt.Sprintf("%s: %s", done.key, app.Explain(msg.err))
	if dropped := m.dropAfter(); len(dropped) > 0 {
		said += " Dropped with it: " + strings.Join(dropped, " ")
	}
	refused := screen.Update(kit.Refused{})
	m.say(kit.Notice{Text: said, Trouble: true})
	return tea.Batch(append(cmds, refused, m.refresh())...)
}

// dropAfter drops the steps that have not begun and the keys that wait, and gives their names.
func (m *Model) dropAfter() []string {
	var keys []string
	for _, step := range m.following.steps {
		keys = append(keys, step.key)
	}
	for _, key := range m.queue.typed {
		keys = append(keys, action.KeyName(key.String()))
	}
	m.following.steps, m.queue.typed = nil, nil
	return keys
}
