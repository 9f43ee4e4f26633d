package kit

import (
	"context"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// Searches are those that keys began and of which nothing has come yet. They belong to the frame, which has Find note them by the
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
	any := len(s.open) > 0
	s.open = nil
	return any
}

// Come gives what came of a search: nil, if it was stopped.
func (s *Searches) Come(of Sought) tea.Msg {
	of.search.cancel()
	if of.search.stopped {
		return nil
	}
	for i, one := range s.open {
		if one == of.search {
			s.open = append(s.open[:i:i], s.open[i+1:]...)
			break
		}
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
	ctx, cancel := context.WithCancel(ctx)
	one := &search{cancel: cancel}
	if all, ok := ctx.Value(searchesKey{}).(*Searches); ok {
		all.open = append(all.open, one)
	}
	return func() tea.Msg {
		value, err := find(repo.Because(ctx, "looking for "+screen))
		if err != nil {
			return Sought{one, Notice{Text: app.Explain(err), Trouble: true}}
		}
		return Sought{one, Found[T]{screen, value}}
	}
}
