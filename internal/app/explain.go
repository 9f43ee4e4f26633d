package app

import (
	"errors"
	"fmt"
	"strings"

	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/internal/tray"
)

// Explain says an error for people: what happened, what a remote said to it word
// for word, and what to do about it.
func Explain(err error) string {
	text := err.Error()
	var remote *repo.RemoteError
	var refusal *send.Refusal
	switch {
	case errors.As(err, &remote):
		text += "\n" + strings.TrimSpace(remote.Output)
	case errors.As(err, &refusal) && refusal.Output != "":
		text += "\n" + strings.TrimSpace(refusal.Output)
	}
	if advice := Advice(err); advice != "" {
		text += "\n" + advice
	}
	return text
}

// Advice is what to do about the errors that users meet; empty for others.
func Advice(err error) string {
	for _, known := range []struct {
		err    error
		advice string
	}{
		{repo.ErrNoRepository, "Go into a repository, name one with -C DIR, or try: bastel demo."},
		{repo.ErrBare, "Bastel works where files are checked out: open a clone or a linked working tree of it."},
		{repo.ErrForeignOwner, "If you trust it, tell git so: git config --global --add safe.directory FOLDER."},
		{repo.ErrNoGit, "Install git 2.36 or newer."},
		{repo.ErrGitTooOld, "Install git 2.36 or newer."},
		{repo.ErrLocked, "Wait until the other program is done. If none is running, remove the lock file that is named above."},
		{repo.ErrMissingObject, "The clone is shallow, partial or damaged. Fetch what is missing: git fetch --unshallow, or git fsck says " +
			"what is wrong."},
		{repo.ErrNeedsAnswer, "Set up a key agent or a credential helper, or run bastel send in a terminal, where it can ask."},
		{repo.ErrHostKey, "If you know why it changed, or that this is the right host, connect once with ssh and check its fingerprint with " +
			"who runs it."},
		{repo.ErrCertificate, "The server may not be who it says, or its certificate has run out. Ask who runs it; a certificate of your own " +
			"is set with http.sslCAInfo."},
		{repo.ErrCutOff, "Nothing is lost here. Try again."},
		{repo.ErrCannot, "Leave out what it cannot do, such as options or several branches at once, then try again."},
		{repo.ErrNoRoom, "Send less, or ask who runs the remote."},
		{repo.ErrUnreachable, "Check the network and the address, then try again: nothing is lost."},
		{ErrNoService, "Check that it runs, and its address: git config bastel.review. The notes are as they were."},
		{repo.ErrNoSuchRemote, "Check the remote's address: git remote get-url NAME."},
	} {
		if errors.Is(err, known.err) {
			return known.advice
		}
	}
	return ""
}

// FirstLine is a text up to its first line break.
func FirstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return line
}

// ErrNoService is a review service that does not answer, or not as one.
var ErrNoService = errors.New("the review service does not answer")

// SelectionRefusal makes what is wrong with a selection of hunks and lines a refusal; other errors stay what they are.
func SelectionRefusal(err error) error {
	for _, cause := range []error{tray.ErrNoSuchHunk, tray.ErrBadPick, tray.ErrBlocked, tray.ErrBuildsOn, tray.ErrChangedSince,
		tray.ErrForgets} {
		if errors.Is(err, cause) {
			return &Refusal{Reason: err.Error(), Err: err}
		}
	}
	return err
}

// RefusalFor makes a hook's "no" a refusal; other errors stay what they are.
func RefusalFor(err error) error {
	var hook *repo.HookError
	if errors.As(err, &hook) {
		return &Refusal{Reason: fmt.Sprintf("The %s hook refused, and nothing was changed. It said:\n%s", hook.Hook,
			strings.TrimSpace(hook.Output)), Err: err}
	}
	return err
}
