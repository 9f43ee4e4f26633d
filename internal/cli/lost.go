package cli

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/wording"
)

// lostDocument is something that can be found again, in JSON.
type lostDocument struct {
	Kind    charting.LostKind `json:"kind"`
	Date    time.Time         `json:"date"`
	Title   string            `json:"title"`
	Commit  *repo.ID          `json:"commit,omitempty"`
	Commits int               `json:"commits,omitempty"`
	Branch  string            `json:"branch,omitempty"`
	Entry   int               `json:"entry,omitempty"`
	Files   []string          `json:"files,omitempty"`
	Back    string            `json:"back"` // the command that brings it back
}

func (c *command) lost() *cobra.Command {
	back := 0
	cmd := &cobra.Command{
		Use:   "lost [--restore ENTRY]",
		Short: "List what can be found again: commits that only reflogs hold, deleted branches, what was put aside or thrown away",
		Long: `List what can be found again, the latest first, each with the command that brings it back: commits that only
reflogs hold, branches that were deleted here, changes that were put aside with a branch, and texts that were thrown away.
With --restore the texts of such an entry come into the working tree again, unless their files were changed since.`,
		Args: cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			if back != 0 {
				files, err := charting.Of(a).TextsBack(ctx, back)
				if err != nil {
					return err
				}
				return c.answer(map[string]any{"files": files}, func(w io.Writer) {
					fmt.Fprintf(w, "%s as before it was thrown away\n", wording.Count(files, "file"))
				})
			}
			found, err := charting.Of(a).Lost(ctx)
			if err != nil {
				return err
			}
			documents := []lostDocument{}
			for _, l := range found {
				documents = append(documents, lostDocumentOf(l))
			}
			return c.answer(map[string]any{"lost": documents}, func(w io.Writer) {
				for _, d := range documents {
					fmt.Fprintf(w, "%s  %s\n            %s\n", d.Date.Format("2006-01-02"), safe.Line(d.Title), safe.Line(d.Back))
				}
			})
		}),
	}
	cmd.Flags().IntVar(&back, "restore", 0, "bring the texts of this entry of the journal back")
	return cmd
}

func lostDocumentOf(l charting.Lost) lostDocument {
	d := lostDocument{Kind: l.Kind, Date: l.When, Title: l.Title, Commits: l.Commits, Branch: l.Branch, Entry: l.Entry, Files: l.Files}
	switch l.Kind {
	case charting.LostChanges:
		d.Back = "bastel switch " + l.Branch
	case charting.LostTexts:
		d.Back = fmt.Sprintf("bastel lost --restore %d", l.Entry)
	default:
		d.Commit = &l.Commit
		name := "NAME"
		if l.Branch != "" {
			name = l.Branch
		}
		d.Back = "bastel branch new " + name + " " + l.Commit.Short()
	}
	return d
}
