package repo

import (
	"context"
	"log/slog"
	"net/url"
	"strings"
	"time"
)

// WithLog has what is done written into a log: each process of the repository's with its reason
// and time, each operation. Contents of files are never in it.
func WithLog(log *slog.Logger) Option { return func(r *Repo) { r.log = log } }

// Log is where what is done is written; nowhere, unless one was given.
func (r *Repo) Log() *slog.Logger {
	if r.log == nil {
		return slog.New(slog.DiscardHandler)
	}
	return r.log
}

type reasonKey struct{}

// Because says for the log why the commands of a context are run.
func Because(ctx context.Context, reason string) context.Context {
	return context.WithValue(ctx, reasonKey{}, reason)
}

// logProcess writes how a command went.
func (r *Repo) logProcess(ctx context.Context, args []string, began time.Time, err error) {
	if r.log == nil || !r.log.Enabled(ctx, slog.LevelDebug) {
		return
	}
	reason, _ := ctx.Value(reasonKey{}).(string) // some have none
	said := make([]string, len(args))
	for i, arg := range args {
		if said[i] = arg; strings.Contains(arg, "://") { // it may hold a password
			if address, err := url.Parse(arg); err == nil {
				said[i] = address.Redacted()
			}
		}
	}
	status := 0
	if err != nil {
		status = exitCode(err)
	}
	r.log.Debug("process", "command", strings.Join(said, " "), "why", reason, "took", time.Since(began).Round(time.Microsecond), "status",
		status)
}
