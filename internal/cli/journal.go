package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/safe"
)

func (c *command) journal() *cobra.Command {
	return &cobra.Command{
		Use:   "journal",
		Short: "List what Bastel did here, newest first",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			entries, err := a.Journal.Entries(ctx)
			if err != nil {
				return err
			}
			return c.entries(entries)
		}),
	}
}

func (c *command) undo() *cobra.Command {
	return c.stepper("undo", "Undo the last commit, rewriting or other step", (*app.App).Undo)
}

func (c *command) redo() *cobra.Command {
	return c.stepper("redo", "Redo what was undone last", (*app.App).Redo)
}

func (c *command) stepper(use, short string, step func(*app.App, context.Context) (journal.Entry, error)) *cobra.Command {
	return &cobra.Command{
		Use:   use,
		Short: short,
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			entry, err := step(a, ctx)
			if err != nil {
				return err
			}
			return c.entries([]journal.Entry{entry})
		}),
	}
}

func (c *command) entries(entries []journal.Entry) error {
	if entries == nil {
		entries = []journal.Entry{}
	}
	return c.answer(map[string]any{"entries": entries}, func(w io.Writer) {
		for _, e := range entries {
			fmt.Fprintf(w, "%4d  %s  %-7s  %-7s > %-7s  %s\n", e.Number, e.Time.Local().Format("2006-01-02 15:04"),
				e.Kind, e.Old.Short(), e.New.Short(), safe.Line(e.Title))
		}
	})
}
