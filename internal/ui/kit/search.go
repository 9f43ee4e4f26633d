package kit

import (
	"context"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// Searches are those that keys began and of which nothing has come yet. They belong to the frame, which has Seek note them by the
// context of its screens: so a key that stops them finds each from the moment on in which it was begun.
type Searches struct{ open []*search }

type search struct {
	cancel  context.CancelFunc
	stopped bool
}

type searchesKey struct{}

// WithSearches has what is looked for by a context be noted.
func WithSearches(ctx context.Context, all *Searches) context.Context {
	return context.WithValue(ctx, searchesKey{}, all)
}

// Stop ends all that is being looked for: nothing comes of it any more. It says whether there was anything.
func (s *Searches) Stop() bool {
	for _, one := range s.open {
		one.stopped = true
		one.cancel()
	}
	found := len(s.open) > 0
	s.open = nil
	return found
}

// Come gives what came of a search: nil, if it was stopped.
func (s *Searches) Come(of Sought) tea.Msg {
	of.search.cancel()
	s.open = slices.DeleteFunc(s.open, func(one *search) bool { return one == of.search })
	if of.search.stopped {
		return nil
	}
	return of.msg
}

// Sought is what came of a search, unless it was stopped meanwhile.
type Sought struct {
	search *search
	msg    tea.Msg
}

// Found is what was looked for because of a key.
type Found[T any] struct {
	Screen string
	Value  T
}

// For is the screen that asked.
func (f Found[T]) For() string { return f.Screen }

// Find looks for something in the background, once. Where that fails, that is what is said.
func Find[T any](ctx context.Context, screen string, find func(ctx context.Context) (T, error)) tea.Cmd {
	return Seek(ctx, "looking for "+screen, func(ctx context.Context) tea.Msg {
		value, err := find(ctx)
		if err != nil {
			return Notice{Text: app.Explain(err), Trouble: true}
		}
		return Found[T]{screen, value}
	})
}

// Seek looks in the background for what to show or to ask.
func Seek(ctx context.Context, reason string, look func(ctx context.Context) tea.Msg) tea.Cmd {
	ctx, cancel := context.WithCancel(ctx)
	one := &search{cancel: cancel}
	if all, ok := ctx.Value(searchesKey{}).(*Searches); ok {
		all.open = append(all.open, one)
	}
	return func() tea.Msg { return Sought{one, look(repo.Because(ctx, reason))} }
}
