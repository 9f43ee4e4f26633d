package cli

import (
	"context"
	"fmt"
	"io"
	"strconv"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/safe"
)

func (c *command) journal() *cobra.Command {
	var forget, all bool
	cmd := &cobra.Command{
		Use:   "journal [--forget [ENTRY | --all]]",
		Short: "List what Bastel did here, newest first, or forget it",
		Long: `List what Bastel did here, newest first. With --forget an entry goes for good, or with
--all every one: what only they kept, discarded text among it, cannot be brought back.`,
		Args: cobra.MaximumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			switch {
			case forget:
				return c.forget(ctx, a, args, all)
			case all || len(args) > 0:
				return fmt.Errorf("%w: ENTRY and --all go with --forget", errUsage)
			}
			if _, err := a.ExpireJournal(ctx); err != nil {
				return err
			}
			entries, err := a.Journal.Entries(ctx)
			if err != nil {
				return err
			}
			count, err := a.Journal.Count(ctx)
			if err != nil {
				return err
			}
			return c.entries(entries, count)
		}),
	}
	cmd.Flags().BoolVar(&forget, "forget", false, "forget an entry for good")
	cmd.Flags().BoolVar(&all, "all", false, "all of them")
	return cmd
}

func (c *command) forget(ctx context.Context, a *app.App, args []string, all bool) error {
	number := 0
	if !all {
		if len(args) == 0 {
			return fmt.Errorf("%w: name the entry, or say --all", errUsage)
		}
		var err error
		if number, err = strconv.Atoi(args[0]); err != nil || number < 1 {
			return fmt.Errorf("%w: %q is no entry's number", errUsage, args[0])
		}
	}
	gone, err := a.ForgetEntries(ctx, func(e journal.Entry) bool { return all || e.Number == number })
	if err != nil {
		return err
	}
	if gone == 0 && !all {
		return &app.Refusal{Reason: fmt.Sprintf("The journal has no entry %d. bastel journal lists them.", number)}
	}
	return c.answer(map[string]int{"forgotten": gone}, func(w io.Writer) { fmt.Fprintf(w, "forgot %s\n", app.Count(gone, "entry")) })
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
			return c.entries([]journal.Entry{entry}, 1)
		}),
	}
}

func (c *command) entries(entries []journal.Entry, count int) error {
	if entries == nil {
		entries = []journal.Entry{}
	}
	return c.answer(map[string]any{"entries": entries, "count": count}, func(w io.Writer) {
		for _, e := range entries {
			fmt.Fprintf(w, "%4d  %s  %-7s  %-7s > %-7s  %s\n", e.Number, e.Time.Local().Format("2006-01-02 15:04"),
				e.Kind, e.Old.Short(), e.New.Short(), safe.Line(e.Title))
		}
	})
}
