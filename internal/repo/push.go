package repo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
)

// PushedRef is one branch of a remote in a push: it moves to ID, or with the zero id goes,
// provided that it still is at Expect (the zero id: does not exist yet).
type PushedRef struct {
	Ref        string
	ID, Expect ID
}

// PushAnswer is what became of one ref at one address.
type PushAnswer struct {
	Ref     string
	Flag    byte   // '*' new, ' ' fast-forward, '+' replaced, '-' deleted, '=' up to date, '!' refused
	Summary string // the answer's own words, such as "[rejected] (stale info)"
}

// PushResult is what a remote answered.
type PushResult struct {
	Answers []PushAnswer
	Output  string // everything that was said on the way, word for word
}

// Refused gives the first answer that is a no.
func (p PushResult) Refused() (PushAnswer, bool) {
	at := slices.IndexFunc(p.Answers, func(a PushAnswer) bool { return a.Flag == '!' })
	if at < 0 {
		return PushAnswer{}, false
	}
	return p.Answers[at], true
}

// serverSays is what the repository's commands put before the server's own messages.
const serverSays = "remote: "

// Said gives what the server itself said, word for word.
func (p PushResult) Said() string {
	var lines []string
	for line := range strings.Lines(p.Output) {
		if said, ok := strings.CutPrefix(line, serverSays); ok {
			lines = append(lines, strings.TrimRight(said, " \n"))
		} else if strings.TrimSpace(line) == strings.TrimSpace(serverSays) {
			lines = append(lines, "")
		}
	}
	return strings.Trim(strings.Join(lines, "\n"), "\n")
}

// Push moves branches of a remote, several of them all or none. Options are handed to the
// server's hooks. The answer is read from the documented machine-readable output. Errors:
// *RemoteError; *HookError where the user's own pre-push hook refused.
func (r *Repo) Push(ctx context.Context, remote string, refs []PushedRef, options []string, progress func(line string)) (PushResult,
	error) {
	var said strings.Builder
	keep := func(line string) {
		if !IsTick(line) {
			fmt.Fprintln(&said, line)
		}
		if progress != nil {
			progress(line)
		}
	}
	args := []string{"push", "--porcelain", "--progress"}
	if len(refs) > 1 {
		args = append(args, "--atomic")
	}
	for _, option := range options {
		args = append(args, "--push-option="+option)
	}
	for _, ref := range refs {
		args = append(args, "--force-with-lease="+ref.Ref+":"+ref.Expect.String())
	}
	args = append(args, "--", remote)
	for _, ref := range refs {
		args = append(args, ref.ID.String()+":"+ref.Ref)
	}
	refused, env, done, err := r.watchPrePush(ctx)
	if err != nil {
		return PushResult{}, err
	}
	defer done()
	out, err := r.talkIn(ctx, env, keep, args...)
	result := PushResult{parsePush(out), said.String()}
	if len(result.Answers) > 0 {
		return result, nil
	}
	if err == nil {
		err = &CommandError{Args: []string{"push"}, Stderr: "no answer in " + out}
	}
	if refused() {
		return result, &HookError{Hook: prePush, Output: result.Output}
	}
	return result, remoteFailure(remote, err)
}

const prePush = "pre-push"

// watchPrePush lets a push write down which programs it starts and how they end, where there is a hook that can refuse it: what it
// prints tells the hook's own words from a remote's in no way.
//
// The format is that of the repository's api-trace2 document, one event a line.
func (r *Repo) watchPrePush(ctx context.Context) (refused func() bool, env []string, done func(), err error) {
	if !r.HasHook(ctx, prePush) {
		return func() bool { return false }, nil, func() {}, nil
	}
	file, err := os.CreateTemp("", "bastel-push-*")
	if err != nil {
		return nil, nil, nil, fmt.Errorf("watch the %s hook: %w", prePush, err)
	}
	refused = func() bool {
		data, err := io.ReadAll(file)
		return err == nil && hookFailed(data, prePush)
	}
	return refused, []string{"GIT_TRACE2_EVENT=" + file.Name()}, func() { file.Close(); os.Remove(file.Name()) }, nil
}

// hookFailed reads such events.
func hookFailed(events []byte, hook string) bool {
	type process struct {
		Session string `json:"sid"`
		Child   int    `json:"child_id"`
	}
	started := map[process]bool{}
	for line := range bytes.Lines(events) {
		var event struct {
			process
			Event string `json:"event"`
			Hook  string `json:"hook_name"`
			Code  int    `json:"code"`
		}
		if json.Unmarshal(line, &event) != nil {
			continue
		}
		switch {
		case event.Event == "child_start" && event.Hook == hook:
			started[event.process] = true
		case event.Event == "child_exit" && started[event.process] && event.Code != 0:
			return true
		}
	}
	return false
}

// parsePush reads lines such as "!\tID:refs/heads/b\t[rejected] (stale info)".
func parsePush(out string) (answers []PushAnswer) {
	for line := range strings.Lines(out) {
		fields := strings.SplitN(strings.TrimSuffix(line, "\n"), "\t", 3)
		if len(fields) != 3 || len(fields[0]) != 1 {
			continue
		}
		ref := fields[1][strings.LastIndexByte(fields[1], ':')+1:]
		answers = append(answers, PushAnswer{ref, fields[0][0], fields[2]})
	}
	return answers
}

// PushAddresses gives where a push to a remote goes: its own addresses for that, as
// configured, or else the remote by name, as for fetching.
func (r *Repo) PushAddresses(ctx context.Context, remote string) ([]string, error) {
	own, err := r.ConfigAll(ctx, "remote."+remote+".pushurl")
	if err != nil || len(own) > 0 {
		return own, err
	}
	urls, err := r.ConfigAll(ctx, "remote."+remote+".url")
	if err != nil {
		return nil, err
	}
	rewritten, err := r.rewriteForPush(ctx, urls)
	if err != nil || len(rewritten) > 0 {
		return rewritten, err
	}
	return []string{remote}, nil
}

// rewriteForPush applies url.<base>.pushInsteadOf, the longest beginning that fits; empty
// where none does.
func (r *Repo) rewriteForPush(ctx context.Context, urls []string) ([]string, error) {
	config, err := r.configuration(ctx)
	if err != nil {
		return nil, err
	}
	var rewritten []string
	for _, url := range urls {
		best, into := "", ""
		for key, values := range config {
			base, ok := strings.CutSuffix(key, ".pushinsteadof")
			if !ok || !strings.HasPrefix(base, "url.") {
				continue
			}
			for _, value := range values {
				beginning := value.Value
				if strings.HasPrefix(url, beginning) && len(beginning) > len(best) {
					best, into = beginning, strings.TrimPrefix(base, "url.")
				}
			}
		}
		if best != "" {
			rewritten = append(rewritten, into+strings.TrimPrefix(url, best))
		}
	}
	return rewritten, nil
}
