package ui

import (
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
type following struct {
	steps []*followed
	since time.Time // when the first of those without a pause between them began
}

// followed is a step with the key that led to it.
type followed struct {
	kit.Follow
	key   string
	begun atomic.Bool // by whoever carries it out
	ended chan error  // how it came out, once
}

// haveFollowed says how the first step came out.
type haveFollowed struct{ err error }

// follow takes a step into the row.
func (m *Model) follow(step kit.Follow) tea.Cmd {
	m.following.steps = append(m.following.steps, &followed{Follow: step, key: m.queue.key, ended: make(chan error, 1)})
	if len(m.following.steps) > 1 {
		return nil
	}
	m.following.since = time.Now()
	return m.followNext()
}

// followNext carries the first step out. No key waits for that but those that need the
// repository as it is shown.
func (m *Model) followNext() tea.Cmd {
	step := m.following.steps[0]
	return inBackground(func() tea.Msg {
		if !step.begun.CompareAndSwap(false, true) {
			return nil
		}
		err := step.Do(repo.Because(m.ctx, step.Title))
		step.ended <- err
		return haveFollowed{err}
	})
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
			err = step.Do(ctx)
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
	done := m.following.steps[0]
	m.following.steps = m.following.steps[1:]
	if msg.err == nil {
		told := m.screenNamed(done.Screen).Update(kit.Followed{})
		if m.behind() {
			return tea.Batch(told, m.followNext())
		}
		return tea.Batch(told, m.lookAgain())
	}
	said := fmt.Sprintf("%s: %s", done.key, app.Explain(msg.err))
	if dropped := m.dropAfter(); len(dropped) > 0 {
		said += " Dropped with it: " + strings.Join(dropped, " ")
	}
	refused := m.screenNamed(done.Screen).Update(kit.Refused{})
	m.say(kit.Notice{Text: said, Trouble: true})
	return tea.Batch(refused, m.lookAgain())
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
