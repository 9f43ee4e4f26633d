package repo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// Remotes lists the names of the configured remotes, by the alphabet.
func (r *Repo) Remotes(ctx context.Context) ([]string, error) {
	config, err := r.configuration(ctx)
	if err != nil {
		return nil, fmt.Errorf("list remotes: %w", err)
	}
	var names []string
	for key := range config {
		name, isURL := strings.CutSuffix(strings.TrimPrefix(key, "remote."), ".url")
		if isURL && strings.HasPrefix(key, "remote.") {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names, nil
}

// RemoteError is a remote that could not be reached, or would not talk to us.
type RemoteError struct {
	Remote string
	Output string // all that was said, word for word
	Err    error
}

func (e *RemoteError) Error() string { return fmt.Sprintf("remote %s: %v", e.Remote, e.Err) }
func (e *RemoteError) Unwrap() error { return e.Err }

// Why a remote could not be used.
var (
	ErrNoSuchRemote = errors.New("there is no repository at its address")
	ErrUnreachable  = errors.New("it cannot be reached")
	ErrCutOff       = errors.New("the connection to it broke")
	ErrNoPermission = errors.New("it does not let you in")
	ErrForbidden    = errors.New("you may not do that there")
	ErrNeedsAnswer  = errors.New("it asked for a password or passphrase, and got no answer")
	ErrCertificate  = errors.New("its certificate is not trusted")
	ErrHostKey      = errors.New("its host key is not the known one, or not known")
	ErrNoRoom       = errors.New("it has no room for what was sent, or takes no more")
	ErrCannot       = errors.New("it cannot do what was asked")
	ErrRemoteFailed = errors.New("it failed")
)

// remoteCauses maps what transports say, in lower case, to causes. The order
// matters: the most telling words come first.
var remoteCauses = []struct {
	words string
	err   error
}{
	{"terminal prompts disabled", ErrNeedsAnswer},
	{"could not read username", ErrNeedsAnswer},
	{"could not read password", ErrNeedsAnswer},
	{"host key verification failed", ErrHostKey},
	{"remote host identification has changed", ErrHostKey},
	{"no matching host key", ErrHostKey},
	{"certificate", ErrCertificate},
	{"could not resolve host", ErrUnreachable},
	{"connection refused", ErrUnreachable},
	{"connection timed out", ErrUnreachable},
	{"network is unreachable", ErrUnreachable},
	{"no route to host", ErrUnreachable},
	{"failed to connect", ErrUnreachable},
	{"couldn't connect", ErrUnreachable},
	{"no space left", ErrNoRoom},
	{"quota", ErrNoRoom},
	{"exceeds maximum allowed size", ErrNoRoom},
	{"error: 413", ErrNoRoom},
	{"error: 507", ErrNoRoom},
	{"does not support", ErrCannot},
	{"permission denied", ErrNoPermission},
	{"authentication failed", ErrNoPermission},
	{"insufficient permission", ErrNoPermission},
	{"unable to create temporary object directory", ErrNoPermission},
	{"error: 403", ErrForbidden},
	{"error: 401", ErrNoPermission},
	{"hung up unexpectedly", ErrCutOff},
	{"early eof", ErrCutOff},
	{"connection reset", ErrCutOff},
	{"broken pipe", ErrCutOff},
	{"unexpected disconnect", ErrCutOff},
	{"empty reply", ErrCutOff},
	{"timed out", ErrCutOff},
	{"does not appear to be a git repository", ErrNoSuchRemote},
	{"repository not found", ErrNoSuchRemote},
	{"no such file or directory", ErrNoSuchRemote},
	{"does not exist", ErrNoSuchRemote},
	{"not found", ErrNoSuchRemote},
}

func remoteFailure(remote string, err error) error {
	var failed *CommandError
	if !errors.As(err, &failed) {
		return err
	}
	said := strings.ToLower(failed.Stderr)
	cause := ErrRemoteFailed
	for _, c := range remoteCauses {
		if strings.Contains(said, c.words) {
			cause = c.err
			break
		}
	}
	return &RemoteError{Remote: remote, Output: failed.Stderr, Err: cause}
}

// LsRemote asks a remote what one of its refs points at now; the zero id where
// it has no such ref. Errors: *RemoteError.
func (r *Repo) LsRemote(ctx context.Context, remote, ref string) (ID, error) {
	out, err := r.talk(ctx, nil, "ls-remote", "--", remote, ref)
	if err != nil {
		return ID{}, remoteFailure(remote, err)
	}
	for line := range strings.Lines(out) {
		id, name, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "\t")
		if name == ref {
			return ParseID(id)
		}
	}
	return ID{}, nil
}

// Heads asks a remote for all its branches, by their full names. Errors: *RemoteError.
func (r *Repo) Heads(ctx context.Context, remote string) (map[string]ID, error) {
	out, err := r.talk(ctx, nil, "ls-remote", "--heads", "--", remote)
	if err != nil {
		return nil, remoteFailure(remote, err)
	}
	heads := map[string]ID{}
	for line := range strings.Lines(out) {
		text, name, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "\t")
		if heads[name], err = ParseID(text); err != nil {
			return nil, fmt.Errorf("branches of %s: %w", remote, err)
		}
	}
	return heads, nil
}

// Fetch brings a remote's branches into its tracking refs: those that its settings name, and
// one by a refspec besides. Errors: *RemoteError.
func (r *Repo) Fetch(ctx context.Context, remote, besides string, progress func(line string)) error {
	args := []string{"fetch", "--progress", "--no-write-fetch-head", "--", remote}
	if besides != "" {
		configured, err := r.ConfigAll(ctx, "remote."+remote+".fetch")
		if err != nil {
			return err
		}
		args = append(append(args, configured...), besides)
	}
	_, err := r.talk(ctx, progress, args...)
	if err != nil {
		return remoteFailure(remote, err)
	}
	return nil
}

// LastFetch is when another tool last fetched from a remote, as far as its note of that
// tells; the zero time where it does not.
func (r *Repo) LastFetch(ctx context.Context, remote string) (time.Time, error) {
	name := filepath.Join(r.gitDir, "FETCH_HEAD")
	text, err := os.ReadFile(name)
	if errors.Is(err, fs.ErrNotExist) {
		return time.Time{}, nil
	}
	if err != nil {
		return time.Time{}, fmt.Errorf("read when was fetched: %w", err)
	}
	urls, err := r.ConfigAll(ctx, "remote."+remote+".url")
	if err != nil {
		return time.Time{}, err
	}
	// It names addresses without a slash or .git at their end.
	from := func(url string) bool {
		return strings.Contains(string(text), strings.TrimSuffix(strings.TrimSuffix(url, "/"), ".git"))
	}
	if !slices.ContainsFunc(urls, from) {
		return time.Time{}, nil
	}
	info, err := os.Stat(name)
	if err != nil {
		return time.Time{}, fmt.Errorf("read when was fetched: %w", err)
	}
	return info.ModTime(), nil
}

// talk runs a command that speaks to a remote, passing its messages on line by line.
func (r *Repo) talk(ctx context.Context, progress func(line string), args ...string) (string, error) {
	return r.talkIn(ctx, nil, progress, args...)
}

func (r *Repo) talkIn(ctx context.Context, env []string, progress func(line string), args ...string) (string, error) {
	lines := lineSplitter{tell: progress}
	in := invocation{args: args, env: append(env, "GIT_OPTIONAL_LOCKS=1"), stderr: lines.write}
	out, err := r.withQuestions(ctx, in)
	return string(out), err
}

// IsTick says whether a message is one of many that only count up: "12% (3/25)".
func IsTick(line string) bool {
	return strings.Contains(line, "% (") && !strings.Contains(line, "done")
}

// lineSplitter cuts progress output at line ends and carriage returns.
type lineSplitter struct {
	rest string
	tell func(line string)
}

func (l *lineSplitter) write(p []byte) {
	if l.tell == nil {
		return
	}
	text := l.rest + string(p)
	for {
		end := strings.IndexAny(text, "\r\n")
		if end < 0 {
			break
		}
		if line := strings.TrimSpace(text[:end]); line != "" {
			l.tell(line)
		}
		text = text[end+1:]
	}
	l.rest = text
}

// SetUpstream makes a remote's branch the upstream of a local one.
func (r *Repo) SetUpstream(ctx context.Context, branch, remote, ref string) error {
	if err := r.SetConfig(ctx, "branch."+branch+".remote", remote); err != nil {
		return err
	}
	return r.SetConfig(ctx, "branch."+branch+".merge", ref)
}
