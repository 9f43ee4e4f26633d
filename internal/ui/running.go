package ui

import (
	"context"
	"errors"
	"strings"
	"sync/atomic"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// running is the work under way.
type running struct {
	kit.Job
	cancel   context.CancelFunc
	progress atomic.Pointer[string]
	since    time.Time
	stopping bool
	reported chan string // of work beside: what is not in the output yet
	output   strings.Builder
}

// mostReported is how many reports wait for being shown. Work that reports more waits for the
// screen, which takes them at each tick.
const mostReported = 1000

func (r *running) stop() {
	r.stopping = true
	r.cancel()
}

func (r *running) report(text string) {
	r.progress.Store(&text)
	if r.Background {
		r.reported <- text
	}
}

// takeReports takes what was reported since into the output.
func (r *running) takeReports() {
	for {
		select {
		case text := <-r.reported:
			r.output.WriteString(text)
		default:
			return
		}
	}
}

// lines are those of the output so far.
func (r *running) lines() []string { return strings.Split(safe.Text(r.output.String()), "\n") }

type worked struct {
	work *running
	done func() kit.Got // what came of it
	err  error
}

// start carries work out in the background, one at a time, and one beside.
func (m *Model) start(work kit.Job) tea.Cmd {
	place := &m.work
	if work.Background {
		place = &m.beside
	}
	if *place != nil {
		m.say(kit.Notice{Text: (*place).Title + " is still under way. esc stops it.", Trouble: true})
		return nil
	}
	ctx, cancel := context.WithCancel(repo.Because(m.ctx, work.Title))
	r := &running{Job: work, cancel: cancel, since: time.Now(), reported: make(chan string, mostReported)}
	*place = r
	m.hush()
	if work.Background && !work.Quiet {
		m.page = &text{heading: work.Title, job: r}
	}
	do := func() tea.Msg {
		defer cancel()
		done, err := work.Do(ctx, r.report)
		return worked{r, done, err}
	}
	cmds := []tea.Cmd{inBackground(nextTick()), inBackground(awaitTold(work.Tells))}
	if work.Background {
		return tea.Batch(append(cmds, inBackground(do))...)
	}
	return tea.Batch(append(cmds, do)...)
}

// tickTime is how often the progress of work is drawn anew.
const tickTime = 100 * time.Millisecond

type tick struct{}

func nextTick() tea.Cmd { return tea.Tick(tickTime, func(time.Time) tea.Msg { return tick{} }) }

func (m *Model) workDone(msg worked) tea.Cmd {
	got := msg.done()
	switch {
	case msg.work.Background && !msg.work.Quiet:
		return m.workBesideDone(msg, got)
	case msg.work.Background:
		m.beside = nil
	default:
		m.work = nil
	}
	switch {
	case msg.work.stopping && errors.Is(msg.err, context.Canceled) && !errors.As(msg.err, new(*app.Refusal)):
		m.say(kit.Notice{Text: msg.work.Title + " was stopped."})
	case msg.err != nil:
		m.say(kit.Notice{Text: app.Explain(msg.err), Trouble: true})
	default:
		if got.Note != "" {
			m.say(kit.Notice{Text: got.Note})
		}
		return kit.InSequence(kit.Show(got.Msg), msg.work.Then, m.refresh())
	}
	return m.refresh()
}

// told is what work tells while it runs.
type told struct {
	msg  tea.Msg
	more <-chan tea.Msg
}

// awaitTold waits for what work tells next.
func awaitTold(tells <-chan tea.Msg) tea.Cmd {
	if tells == nil {
		return nil
	}
	return func() tea.Msg {
		msg, ok := <-tells
		if !ok {
			return nil
		}
		return told{msg, tells}
	}
}

// haveTicked shows how far work is, as long as there is any.
func (m *Model) haveTicked() tea.Cmd {
	if m.beside != nil {
		m.beside.takeReports()
	}
	if m.work == nil && m.beside == nil {
		return nil
	}
	return nextTick()
}

// workBesideDone keeps the output on the screen where the user looks at it, and
// shows it where the answer is no.
func (m *Model) workBesideDone(msg worked, got kit.Got) tea.Cmd {
	m.beside = nil
	msg.work.takeReports()
	shown, isText := m.page.(*text)
	looking := isText && shown.job == msg.work
	if looking {
		shown.lines, shown.job = msg.work.lines(), nil
	}
	if got.Msg != nil { // a question in its place
		if looking {
			m.page = nil
		}
		return kit.Show(got.Msg)
	}
	switch {
	case msg.work.stopping && errors.Is(msg.err, context.Canceled):
		m.say(kit.Notice{Text: msg.work.Title + " was stopped."})
	case msg.err != nil && looking:
		shown.heading = safe.Line(msg.err.Error())
	case msg.err != nil:
		m.say(kit.Notice{Text: strings.Join(append([]string{safe.Line(msg.err.Error())}, msg.work.lines()...), "\n"), Trouble: true})
	default:
		m.say(kit.Notice{Text: got.Note})
	}
	return nil
}

func (m *Model) stop() tea.Cmd {
	if m.work == nil {
		m.beside.stop()
		return nil
	}
	m.work.stop()
	return nil
}
