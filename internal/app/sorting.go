package app

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Carry says what goes from one layer to another: hunks, lines or files, named as
// Stage reads them.
type Carry struct {
	From, To tray.Layer
	Words    []string
	Within   []string // paths that the words lie in, if known: saves looking at all others
	View     tray.View
}

// Sorted is a step of sorting that was carried out.
type Sorted struct {
	Paths     []string
	Step      tray.Step // for SortBack
	Journaled bool      // it forgot text that only a tray had: undo takes it back
}

// Board lists all changes, sorted into trays.
func (a *App) Board(ctx context.Context, changes []repo.Change, view tray.View) (tray.Board, error) {
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return tray.Board{}, err
	}
	return tray.Read(ctx, a.Repo, changes, kept, view)
}

// keptTrays reads how the changes are sorted.
func (a *App) keptTrays(ctx context.Context) (*tray.Kept, error) {
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return nil, err
	}
	kept.Remember(a.sorted.Load())
	return kept, nil
}

// Look reads what changed, and lists it so.
func (a *App) Look(ctx context.Context) (tray.Board, error) {
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return tray.Board{}, err
	}
	return a.Board(ctx, changes, tray.Plain)
}

// Stage puts loose hunks, lines or files into the index. A path stands for a file,
// an id for a hunk, and ID:3,5-7 for lines of one, counted from 1. They are looked up
// in what lies on disk now, so what changed meanwhile is refused. It gives the paths
// that changed.
func (a *App) Stage(ctx context.Context, words []string) ([]string, error) {
	sorted, err := a.Move(ctx, Carry{From: tray.Loose, To: tray.A, Words: words, View: tray.Plain})
	return sorted.Paths, err
}

// Unstage takes hunks, lines or files out of the index again, likewise.
func (a *App) Unstage(ctx context.Context, words []string) ([]string, error) {
	sorted, err := a.Move(ctx, Carry{From: tray.A, To: tray.Loose, Words: words, View: tray.Plain})
	return sorted.Paths, err
}

// Move takes changes from one layer to another.
func (a *App) Move(ctx context.Context, c Carry) (Sorted, error) {
	return a.sort(ctx, c.To, c.Within, func(changes []repo.Change, kept *tray.Kept) (tray.Outcome, error) {
		return tray.Move(ctx, a.Repo, changes, kept, c.View, c.From, c.To, c.Words)
	})
}

// MoveEach makes one move after the other, all with one view, and gives those that were made: all,
// or those before the first one that could not be made, with the reason.
func (a *App) MoveEach(ctx context.Context, carries []Carry) ([]Sorted, error) {
	var within []string
	moves := make([]tray.Movement, len(carries))
	for i, c := range carries {
		moves[i] = tray.Movement{From: c.From, To: c.To, Words: c.Words}
		within = append(within, c.Within...)
	}
	if slices.ContainsFunc(carries, func(c Carry) bool { return len(c.Within) == 0 }) {
		within = nil
	}
	var steps []tray.Step
	var why error
	last := carries[len(carries)-1]
	_, err := a.sort(ctx, last.To, within, func(changes []repo.Change, kept *tray.Kept) (out tray.Outcome, err error) {
		out, steps, why = tray.MoveEach(ctx, a.Repo, changes, kept, last.View, moves)
		if out.Kept == nil {
			return out, why
		}
		return out, nil
	})
	if err != nil {
		return nil, err
	}
	sorted := make([]Sorted, len(steps))
	for i, step := range steps {
		sorted[i] = Sorted{Paths: step.Paths(), Step: step}
	}
	return sorted, pickRefusal(why)
}

// Rewrite moves one hunk with other text in place of its new side. The working file
// stays as it is.
func (a *App) Rewrite(ctx context.Context, c Carry, text []byte) (Sorted, error) {
	return a.sort(ctx, c.To, c.Within, func(changes []repo.Change, kept *tray.Kept) (tray.Outcome, error) {
		return tray.Rewrite(ctx, a.Repo, changes, kept, c.View, c.From, c.To, c.Words[0], text)
	})
}

// SortBack sorts what a step was about as it was before. Where it changed since, the answer is no.
// What it gives does the step again.
func (a *App) SortBack(ctx context.Context, step tray.Step) (Sorted, error) {
	return a.sort(ctx, tray.A, step.Paths(), func(changes []repo.Change, kept *tray.Kept) (tray.Outcome, error) {
		return tray.Back(ctx, a.Repo, changes, kept, step)
	})
}

// sort carries out one step of sorting, one at a time. What receives is written
// first, so that a crash in between leaves everything in one place at least.
func (a *App) sort(ctx context.Context, to tray.Layer, within []string, step func([]repo.Change, *tray.Kept) (tray.Outcome, error)) (Sorted, error) {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	ctx, unlock, err := a.hold(ctx)
	if err != nil {
		return Sorted{}, err
	}
	defer unlock()
	changes, err := a.Repo.Status(ctx, within...)
	if err != nil {
		return Sorted{}, err
	}
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return Sorted{}, err
	}
	out, err := step(changes, kept)
	if err != nil {
		return Sorted{}, pickRefusal(err)
	}
	if out.Gone > 0 {
		return Sorted{Paths: out.Paths, Journaled: true}, a.sortForGood(ctx, out)
	}
	writes := []func() error{
		func() error { return a.writeIndex(ctx, out.Index) },
		func() error { return a.writeKept(ctx, out.Kept) },
	}
	if to != tray.A {
		slices.Reverse(writes)
	}
	for _, write := range writes {
		if err := write(); err != nil {
			return Sorted{}, err
		}
	}
	a.sorted.Store(out.Kept)
	return Sorted{Paths: out.Paths, Step: out.Step}, nil
}

// sortForGood carries out a step that forgets text which only a tray had: the journal
// keeps it, so that it can be taken back.
func (a *App) sortForGood(ctx context.Context, out tray.Outcome) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	title := Count(out.Gone, "line") + " that only a tray had, of " + strings.Join(out.Paths, ", ")
	_, err = a.settle(ctx, journal.Entry{Kind: journal.Sort, Ref: refOf(head), Old: head.Commit, New: head.Commit, Title: title}, "trays", out, nil)
	return err
}

func (a *App) writeIndex(ctx context.Context, entries []repo.IndexEntry) error {
	if len(entries) == 0 {
		return nil
	}
	return a.Repo.UpdateIndex(ctx, entries)
}

func (a *App) writeKept(ctx context.Context, kept *tray.Kept) error {
	id, err := kept.Store(ctx, a.Repo)
	if err != nil {
		return err
	}
	if update, moved := kept.Update(a.Repo, id); moved {
		return a.Repo.UpdateRefs(ctx, "trays", update)
	}
	return nil
}

func pickRefusal(err error) error {
	for _, cause := range []error{tray.ErrNoSuchHunk, tray.ErrBadPick, tray.ErrBlocked, tray.ErrBuildsOn, tray.ErrChangedSince, tray.ErrForgets} {
		if errors.Is(err, cause) {
			return &Refusal{Reason: err.Error(), Err: err}
		}
	}
	return err
}

// CleanMessage takes trailing white space and superfluous blank lines away and
// ends the message with one line end. A message without text gives nothing.
func CleanMessage(message string) string {
	var lines []string
	for line := range strings.Lines(message) {
		line = strings.TrimRight(line, " \t\r\n")
		if line == "" && (len(lines) == 0 || lines[len(lines)-1] == "") {
			continue
		}
		lines = append(lines, line)
	}
	text := strings.TrimRight(strings.Join(lines, "\n"), "\n")
	if text == "" {
		return ""
	}
	return text + "\n"
}

// asRefusal makes a hook's "no" a refusal; other errors stay what they are.
func asRefusal(err error) error {
	var hook *repo.HookError
	if errors.As(err, &hook) {
		return &Refusal{Reason: fmt.Sprintf("The %s hook refused, and nothing was changed. It said:\n%s", hook.Hook, strings.TrimSpace(hook.Output)), Err: err}
	}
	return err
}

// Message is the message that was being written for a tray.
func (a *App) Message(ctx context.Context, at tray.Layer) (string, error) {
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return "", err
	}
	return kept.Messages[at], nil
}

// KeepMessage keeps a tray's message until its commit is made.
func (a *App) KeepMessage(ctx context.Context, at tray.Layer, text string) error {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return err
	}
	if kept.Messages[at] = text; text == "" {
		kept.Forget(at)
	}
	return a.writeKept(ctx, kept)
}
