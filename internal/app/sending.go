package app

import (
	"context"
	"errors"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/send"
)

// CompareRemote looks at the current branch and what its remote has. With ask the
// remote is asked, else what was last fetched counts.
func (a *App) CompareRemote(ctx context.Context, ask bool) (send.Comparison, error) {
	head, err := a.branchHead(ctx)
	if err != nil {
		return send.Comparison{}, err
	}
	return send.Compare(ctx, a.Repo, head.Branch(), ask)
}

// Send pushes what the comparison shows. The journal has it before and after.
func (a *App) Send(ctx context.Context, c send.Comparison, progress func(line string)) error {
	if err := a.free(); err != nil {
		return err
	}
	if err := c.Verdict(); err != nil || c.UpToDate() {
		return err
	}
	now, err := a.Repo.RefValue(ctx, "refs/heads/"+c.Branch)
	if err != nil {
		return err
	}
	if now != c.Here {
		return refuse("%s has moved since it was compared with the remote. Nothing was sent. Look again, then repeat.", c.Branch)
	}
	entry := journal.Entry{Kind: journal.Push, Ref: c.Ref, New: c.Here, Title: c.Branch + " to " + c.Remote}
	if known, err := a.Repo.Has(ctx, c.There); err == nil && known {
		entry.Old = c.There
	}
	entry, err = a.Journal.Append(ctx, entry)
	if err != nil {
		return err
	}
	err = send.Push(ctx, a.Repo, c, progress)
	outcome := journal.Entry{Kind: journal.Pushed, Ref: entry.Ref, Of: entry.Number, Title: "sent"}
	if err != nil {
		outcome.Title = "not sent: " + firstLine(err.Error())
	}
	_, noteErr := a.Journal.Append(context.WithoutCancel(ctx), outcome)
	return errors.Join(err, noteErr)
}

func firstLine(text string) string {
	line, _, _ := strings.Cut(text, "\n")
	return line
}

// Fetch brings the remote's branches up to date, and nothing else.
func (a *App) Fetch(ctx context.Context, progress func(line string)) error {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	target, err := send.FindTarget(ctx, a.Repo, head.Branch())
	if err != nil {
		return err
	}
	return a.Repo.Fetch(ctx, target.Remote, progress)
}
