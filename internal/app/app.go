// Package app holds what all use cases share: the open repository, the branch at work, what was read of
// it, and operations, the one way to change anything. The use cases themselves are in the packages below it,
// by subject; each is a method that takes a context, and leaves the repository either as it was or as asked for.
//
// Its tests promise: state of any kind in its folder keeps nothing from opening, and other programs' work
// is noticed.
package app

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"sync/atomic"

	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// App is an open repository with what the use cases need. Safe for concurrent use.
type App struct {
	Repo       *repo.Repo
	Journal    *journal.Log
	Engine     *replay.Engine
	TraysLock  sync.Mutex             // held while the trays change
	ReviewLock sync.Mutex             // held while what was read, and the notes, change
	atWork     atomic.Pointer[string] // the name of the branch at work; nil or empty: it follows HEAD
	losses     lossCache
	KeptTrays  atomic.Pointer[tray.State] // how paths were sorted last; nil: nothing was sorted yet
}

// Refusal is a "no": what was asked cannot be done as things are, and nothing was
// changed. It says what to do.
type Refusal struct {
	Reason   string
	Question string // what is asked, where the user may go on all the same or another way
	Err      error  // what lies behind, for errors.Is; may be nil
}

func (r *Refusal) Error() string { return r.Reason }
func (r *Refusal) Unwrap() error { return r.Err }

// QuestionOf is what an error that is a refusal asks; else the error's first line.
func QuestionOf(err error) string {
	var refusal *Refusal
	if errors.As(err, &refusal) && refusal.Question != "" {
		return refusal.Question
	}
	return FirstLine(err.Error())
}

// WithWarnings says what was done, and what went wrong besides.
func WithWarnings(text string, warnings []string) string {
	for _, warning := range warnings {
		text += " But " + warning
	}
	return text
}

// Refuse makes a refusal without a cause of its own.
func Refuse(format string, args ...any) error {
	return &Refusal{Reason: fmt.Sprintf(format, args...)}
}

// Reasons that callers tell apart.
var (
	ErrNothingStaged = errors.New("nothing is staged")
	ErrLaterWork     = errors.New("later commits are on top of the last step")
	ErrNotAnswered   = errors.New("no file is fully answered")
	ErrMarkers       = errors.New("there are conflict markers in the text")
	ErrConflict      = errors.New("the plan has conflicts")
	ErrDetached      = errors.New("HEAD is not on a branch")
	ErrNewContent    = errors.New("the plan leaves nothing out and changes the content at the end")
)

// Open opens the repository around dir. A step that a crash left half done is
// finished or undone first; what was done about it can be shown to the user.
func Open(ctx context.Context, dir string, options ...repo.Option) (*App, string, error) {
	r, err := repo.Open(ctx, dir, options...)
	if err != nil {
		return nil, "", err
	}
	a := &App{Repo: r, Journal: journal.New(r), Engine: replay.New(r)}
	var meanwhile sync.WaitGroup
	meanwhile.Go(func() { _, _ = r.Config(ctx, "user.name") }) // nearly all needs the configuration; who does is told of an error
	defer meanwhile.Wait()
	err = errors.Join(a.Journal.Open(ctx), r.DropDangling(ctx, tray.Ref(r)))
	note := ""
	if err == nil {
		note, err = a.recover(ctx)
	}
	if err != nil {
		a.Close()
		return nil, "", err
	}
	return a, strings.TrimSpace(note + " " + a.unreadableState(ctx)), nil
}

// Close ends what belongs to the repository.
func (a *App) Close() error { return a.Repo.Close() }

// RefuseUnfinished refuses while another tool's operation is unfinished: it owns HEAD, the
// index and the working tree until it ends.
func (a *App) RefuseUnfinished() error {
	if op, busy := a.Repo.Unfinished(); busy {
		if FinishesHere(op.Name) {
			return Refuse("A %s that another tool began waits. Mend finishes it, or gives it up (bastel mend); so does %s.", op.Name, op.Finish)
		}
		return Refuse("A %s that another tool began waits. Finish or stop it first: %s.", op.Name, op.Finish)
	}
	return nil
}
