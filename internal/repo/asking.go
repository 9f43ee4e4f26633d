package repo

import (
	"context"
	"errors"
	"sync"

	"bastel/internal/ask"
)

// WithAsker has the commands that talk to a remote ask the user by a function, where key
// agents and credential helpers do not know the answer.
func WithAsker(asker ask.Asker) Option { return func(r *Repo) { r.asked.asker = asker } }

// asked are the questions that remotes put. What was answered, and was right, is not asked
// again as long as the repository is open; it stays in memory.
type asked struct {
	asker ask.Asker // nil: nobody can be asked
	mu    sync.Mutex
	known map[string]string
}

// asking are the questions of one command.
type asking struct {
	*asked
	given map[string]string
}

// answer gives a known answer once; the second time it was wrong. A yes or no, or what
// wants no answer, is for the one time.
func (a *asking) answer(ctx context.Context, q ask.Question) (string, error) {
	if q.Confirm || q.Notice {
		return a.asker(ctx, q)
	}
	a.mu.Lock()
	known, ok := a.known[q.Text]
	_, again := a.given[q.Text]
	if ok && !again {
		a.given[q.Text] = known
		a.mu.Unlock()
		return known, nil
	}
	a.mu.Unlock()
	text, err := a.asker(ctx, q)
	if err == nil {
		a.mu.Lock()
		a.given[q.Text] = text
		a.mu.Unlock()
	}
	return text, err
}

// done keeps the answers of a command, unless they were not the right ones.
func (a *asking) done(right bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for question, text := range a.given {
		if right {
			a.known[question] = text
		} else {
			delete(a.known, question)
		}
	}
}

type unattended struct{}

// Unattended marks work that nobody asked for just now: its commands put no questions.
func Unattended(ctx context.Context) context.Context {
	return context.WithValue(ctx, unattended{}, true)
}

// IsUnattended says whether nobody asked for the work just now.
func IsUnattended(ctx context.Context) bool { return ctx.Value(unattended{}) != nil }

// withQuestions runs a command that may ask the user.
func (r *Repo) withQuestions(ctx context.Context, in invocation) ([]byte, error) {
	if r.asked.asker == nil || IsUnattended(ctx) {
		return r.invoke(ctx, in)
	}
	a := &asking{&r.asked, map[string]string{}}
	server, err := ask.Listen(ctx, a.answer)
	if err != nil {
		return nil, err
	}
	defer server.Close()
	in.env = append(in.env, server.Env()...)
	out, err := r.invoke(ctx, in)
	cause := remoteFailure("", err)
	a.done(!errors.Is(cause, ErrNoPermission) && !errors.Is(cause, ErrNeedsAnswer))
	return out, err
}
