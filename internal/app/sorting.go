package app

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// ChangesOf lists loose and staged changes from one look at the repository.
func (a *App) ChangesOf(ctx context.Context, changes []repo.Change) (loose, staged []tray.File, err error) {
	if loose, err = tray.Loose(ctx, a.Repo, changes); err != nil {
		return nil, nil, err
	}
	staged, err = tray.Staged(ctx, a.Repo, changes)
	return loose, staged, err
}

// Stage puts hunks, lines or files into the index, named as tray.Resolve reads
// them. They are looked up in what lies on disk now, so what changed meanwhile is
// refused. It gives the paths that changed. Who knows which paths the words lie in
// says so, and saves looking at all others.
func (a *App) Stage(ctx context.Context, words []string, within ...string) ([]string, error) {
	return a.carry(ctx, tray.LooseSide, words, within)
}

// Unstage takes hunks, lines or files out of the index again, likewise.
func (a *App) Unstage(ctx context.Context, words []string, within ...string) ([]string, error) {
	return a.carry(ctx, tray.StagedSide, words, within)
}

func (a *App) carry(ctx context.Context, side tray.Side, words, within []string) ([]string, error) {
	picks, err := a.picks(ctx, side, words, within)
	if err != nil {
		return nil, err
	}
	return side.Carry(ctx, a.Repo, picks)
}

// picks looks words up in what lies on disk now.
func (a *App) picks(ctx context.Context, side tray.Side, words, within []string) ([]tray.Pick, error) {
	changes, err := a.Repo.Status(ctx, within...)
	if err != nil {
		return nil, err
	}
	picks, err := side.Resolve(ctx, a.Repo, changes, words)
	return picks, pickRefusal(err)
}

func pickRefusal(err error) error {
	for _, cause := range []error{tray.ErrNoSuchHunk, tray.ErrBadPick, tray.ErrBlocked} {
		if errors.Is(err, cause) {
			return &Refusal{Reason: err.Error(), Err: err}
		}
	}
	return err
}

// Commit makes a commit from what is staged, through the repository's hooks. It
// gives the new commit and what a hook that runs afterwards had to complain about.
// Seen are the ids of the staged hunks as the user saw them; if others are staged
// by now, the commit is refused. Nil stands for whatever is staged.
func (a *App) Commit(ctx context.Context, message string, seen []string) (repo.ID, string, error) {
	if err := a.free(); err != nil {
		return repo.ID{}, "", err
	}
	if CleanMessage(message) == "" {
		return repo.ID{}, "", refuse("A commit needs a message. Give it a subject that says what changes.")
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return repo.ID{}, "", err
	}
	if err := a.checkStaged(ctx, seen); err != nil {
		return repo.ID{}, "", err
	}
	if err := a.Repo.RunHook(ctx, "pre-commit"); err != nil {
		return repo.ID{}, "", asRefusal(err)
	}
	tree, err := a.Repo.WriteTree(ctx) // after the hook, which may have staged more
	if err != nil {
		return repo.ID{}, "", err
	}
	if message, err = a.messageHooks(ctx, message); err != nil {
		return repo.ID{}, "", err
	}
	id, err := a.commitTree(ctx, head, tree, message)
	if err != nil {
		return repo.ID{}, "", err
	}
	if err := a.Repo.RunHook(ctx, "post-commit"); err != nil {
		return id, err.Error(), nil
	}
	return id, "", nil
}

func (a *App) checkStaged(ctx context.Context, seen []string) error {
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return err
	}
	staged := false
	for _, c := range changes {
		if c.Conflict {
			return refuse("%q is left unsettled by a merge. Settle it before you commit.", c.Path)
		}
		staged = staged || c.Staged
	}
	if !staged {
		return &Refusal{Reason: "Nothing is staged, so there is nothing to commit. Put some hunks into tray A first.", Err: ErrNothingStaged}
	}
	if seen == nil {
		return nil
	}
	files, err := tray.Staged(ctx, a.Repo, changes)
	if err != nil {
		return err
	}
	if !slices.Equal(seen, tray.IDs(files)) {
		return &Refusal{Reason: "What is staged has changed since you looked, so nothing was committed. Look again, then repeat.", Err: repo.ErrMoved}
	}
	return nil
}

// messageHooks lets the hooks see the message, and change it, in the file that
// they expect it in.
func (a *App) messageHooks(ctx context.Context, message string) (string, error) {
	file := filepath.Join(a.Repo.GitDir(), "COMMIT_EDITMSG")
	if err := os.WriteFile(file, []byte(CleanMessage(message)), 0o666); err != nil {
		return "", fmt.Errorf("write the message for the hooks: %w", err)
	}
	if err := a.Repo.RunHook(ctx, "prepare-commit-msg", file, "message"); err != nil {
		return "", asRefusal(err)
	}
	if err := a.Repo.RunHook(ctx, "commit-msg", file); err != nil {
		return "", asRefusal(err)
	}
	changed, err := os.ReadFile(file)
	if err != nil {
		return "", fmt.Errorf("read the message after the hooks: %w", err)
	}
	if message = CleanMessage(string(changed)); message == "" {
		return "", refuse("A hook left the message empty. Nothing was committed.")
	}
	return message, nil
}

func (a *App) commitTree(ctx context.Context, head repo.Head, tree repo.ID, message string) (repo.ID, error) {
	var parents []repo.ID
	verb := "commit (initial): "
	if !head.Commit.IsZero() {
		parents, verb = []repo.ID{head.Commit}, "commit: "
	}
	id, err := a.Repo.CommitTree(ctx, tree, parents, message)
	if err != nil {
		return repo.ID{}, err
	}
	ref := head.Ref
	if ref == "" {
		ref = "HEAD"
	}
	title := repo.Subject(message)
	entry := journal.Entry{Kind: journal.Commit, Ref: ref, Old: head.Commit, New: id, Title: title}
	_, err = a.record(ctx, entry, verb+title)
	return id, err
}

// record writes a journal entry and moves the entry's ref in one transaction.
func (a *App) record(ctx context.Context, entry journal.Entry, reflog string) (journal.Entry, error) {
	ctx = context.WithoutCancel(ctx)
	entry, first, err := a.Journal.Write(ctx, entry)
	if err != nil {
		return entry, err
	}
	move := repo.RefUpdate{Ref: entry.Ref, New: entry.New, Old: entry.Old}
	if err := a.Repo.UpdateRefs(ctx, reflog, first, move); err != nil {
		if errors.Is(err, repo.ErrMoved) {
			return entry, &Refusal{Reason: "The branch was moved by another program meanwhile. Nothing was changed. Look again, then repeat.", Err: err}
		}
		return entry, err
	}
	return entry, nil
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

// draftFile holds the message of tray A's commit until it is made.
const draftFile = "message-a"

// DraftMessage is the message that was being written for tray A.
func (a *App) DraftMessage() string { return a.readState(draftFile) }

// KeepDraftMessage keeps it for the next time.
func (a *App) KeepDraftMessage(text string) error { return a.writeState(draftFile, text) }
