package kit

import (
	"context"
	"fmt"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/ui/action"
	"bastel/internal/wording"
)

// LookAt reads a commit out while the cursor is on its choice.
func LookAt(a *app.App, id repo.ID) func(ctx context.Context) (string, error) {
	return func(ctx context.Context) (string, error) {
		out, err := a.ReadOut(ctx, id)
		return out.Text(), err
	}
}

// Looked is a commit with what it changes, to be looked at.
type Looked struct {
	Out   app.ReadOut
	Files []tray.File
}

// ReadLook reads a commit with all that is said of it.
func ReadLook(ctx context.Context, a *app.App, id repo.ID) (Looked, error) {
	out, err := a.ReadOut(ctx, id)
	if err != nil {
		return Looked{}, err
	}
	if err := a.CheckSignature(ctx, &out); err != nil {
		return Looked{}, err
	}
	files, err := a.CommitChanges(ctx, id)
	return Looked{out, files}, err
}

// Title names the commit.
func (l Looked) Title() string { return l.Out.ID.Short() + "  " + safe.Line(l.Out.Subject) }

// LookHeader tells of a commit above what it changes, in a third of the room at most: the rest is copied by key.
func LookHeader(lines []string, size Size, theme Theme) (rows []string) {
	var parts []string
	for _, line := range lines {
		parts = append(parts, Wrap(Expand(line), max(10, size.Width-4))...)
	}
	most := max(2, size.Height/3)
	if more := len(parts) - most; more > 0 {
		parts = append(parts[:most-1], fmt.Sprintf("%s more: C copies all of it", wording.Count(more+1, "line")))
	}
	for _, part := range parts {
		rows = append(rows, Row(size.Width, nil, Seg{Text: safe.Show("  " + part), Style: theme.Dim}))
	}
	return rows
}

// Copies puts all that there is to say of a commit on the clipboard; with nothing looked at it cannot be done.
func Copies(out *app.ReadOut) Action {
	return Act(action.CopyCommit, out != nil, func() tea.Cmd {
		said := Say("The commit is on the clipboard as text, if the terminal lets programs reach it.")
		return tea.Batch(tea.SetClipboard(out.Whole()), said)
	})
}
