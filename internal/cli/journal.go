package cli

import (
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/wording"
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
	return c.answer(map[string]int{"forgotten": gone}, func(w io.Writer) { fmt.Fprintf(w, "forgot %s\n", wording.Count(gone, "entry")) })
}

func (c *command) undo() *cobra.Command {
	cmd := c.stepper("undo", "Undo the last commit, rewriting or other step", (*planning.App).Undo)
	pass, carry := false, false
	undo := cmd.RunE
	passOver, carrying := c.stepper("", "", (*planning.App).PassOver).RunE, c.stepper("", "", (*planning.App).UndoCarrying).RunE
	cmd.Use = "undo [--pass-over | --carry]"
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		switch {
		case pass:
			return passOver(cmd, args)
		case carry:
			return carrying(cmd, args)
		}
		return undo(cmd, args)
	}
	cmd.Flags().BoolVar(&pass, "pass-over", false, "leave the last step as it is, where it cannot be undone, so that undo reaches the one "+
		"before it")
	cmd.Flags().BoolVar(&carry, "carry", false, "put commits that came on top of the last rewriting onto what was before it")
	return cmd
}

// rescuedDocument is a version of a file in JSON.
type rescuedDocument struct {
	Entry   int     `json:"entry"`
	Title   string  `json:"title"`
	Path    string  `json:"path"`
	ID      repo.ID `json:"id"`
	Written string  `json:"written,omitempty"`
}

func (c *command) rescue() *cobra.Command {
	dir := ""
	cmd := &cobra.Command{
		Use:   "rescue [ENTRY] [-o DIR]",
		Short: "List the versions of files that the journal keeps, or write them out",
		Long: `List the versions of files that the journal keeps: as they were before a step, discarded
text among them. With ENTRY those of one entry; with -o they are written below a folder.`,
		Args: cobra.MaximumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			number := 0
			if len(args) == 1 {
				var err error
				if number, err = strconv.Atoi(args[0]); err != nil || number < 1 {
					return fmt.Errorf("%w: %q is no entry's number", errUsage, args[0])
				}
			}
			if dir != "" && number == 0 {
				return fmt.Errorf("%w: -o needs the entry whose files are meant", errUsage)
			}
			list, err := planning.Of(a).Rescuable(ctx, number)
			if err != nil {
				return err
			}
			documents := make([]rescuedDocument, len(list))
			for i, r := range list {
				documents[i] = rescuedDocument{Entry: r.Entry.Number, Title: r.Entry.Title, Path: r.Path, ID: r.ID}
			}
			if dir != "" {
				names, err := planning.Of(a).Rescue(ctx, list, dir)
				if err != nil {
					return err
				}
				for i, name := range names {
					documents[i].Written = name
				}
			}
			return c.answer(map[string]any{"files": documents}, func(w io.Writer) {
				for i, d := range documents {
					fmt.Fprintf(w, "%4d  %s  %s  %s\n", d.Entry, list[i].Entry.Kind, safe.Line(d.Path), safe.Line(d.Title))
				}
			})
		}),
	}
	cmd.Flags().StringVarP(&dir, "output", "o", "", "the folder to write to; what is there already stays")
	return cmd
}

func (c *command) redo() *cobra.Command {
	return c.stepper("redo", "Redo what was undone last", (*planning.App).Redo)
}

func (c *command) stepper(use, short string, step func(*planning.App, context.Context) (app.Stepped, error)) *cobra.Command {
	return &cobra.Command{
		Use:   use,
		Short: short,
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			stepped, err := step(planning.Of(a), ctx)
			if err != nil {
				return err
			}
			if said := strings.TrimSpace(stepped.Remarks()); said != "" {
				fmt.Fprintln(c.stderr, "bastel: "+safe.Text(said))
			}
			return c.entries([]journal.Entry{stepped.Entry}, 1)
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
