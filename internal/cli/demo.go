package cli

import (
	"context"
	"fmt"
	"io"
	"os"

	"github.com/charmbracelet/x/term"
	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/demo"
	"bastel/internal/ui"
)

func (c *command) demo() *cobra.Command {
	var dir string
	var noOpen, desk bool
	var address string
	cmd := &cobra.Command{
		Use:   "demo [--dir D] [--no-open | --desk]",
		Short: "Make demo data to try everything on, and open it",
		Long: `Make demo data to try everything on, and open it. A small stand-in of a review service
belongs to it, on this machine only: what is said there comes into the read-through as notes.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c.began = true
			if desk {
				return c.desk(cmd.Context(), dir, address)
			}
			if dir == "" {
				temporary, err := os.MkdirTemp("", "lantern-quay-")
				if err != nil {
					return fmt.Errorf("make the demo: %w", err)
				}
				dir = temporary
			}
			place, err := demo.Make(cmd.Context(), dir)
			if err != nil {
				return err
			}
			if err := c.answer(place, func(w io.Writer) { fmt.Fprintln(w, "The demo is in", place.Dir) }); err != nil {
				return err
			}
			if noOpen || !c.hasTerminal() { // where it is has been said
				return nil
			}
			if _, err := app.OpenDesk(cmd.Context(), place, app.AnyPort); err != nil {
				return err
			}
			return c.open(cmd.Context(), place.Work)
		},
	}
	cmd.Flags().StringVar(&dir, "dir", "", "an empty folder for it; default: a new temporary one")
	cmd.Flags().BoolVar(&noOpen, "no-open", false, "only make it")
	cmd.Flags().BoolVar(&desk, "desk", false, "open only the review desk of the demo in --dir, and wait")
	cmd.Flags().StringVar(&address, "address", app.AnyPort, "where the desk listens")
	return cmd
}

// desk keeps the review desk of a demo open until it is stopped.
func (c *command) desk(ctx context.Context, dir, address string) error {
	if dir == "" {
		return fmt.Errorf("%w: --desk needs --dir with a demo", errUsage)
	}
	place, err := demo.At(dir)
	if err != nil {
		return err
	}
	d, err := app.OpenDesk(ctx, place, address)
	if err != nil {
		return err
	}
	if err := c.answer(map[string]string{"address": d.Address}, func(w io.Writer) {
		fmt.Fprintln(w, "The review desk is open at",
			d.Address)
	}); err != nil {
		return err
	}
	<-ctx.Done()
	return d.Close()
}

// hasTerminal says whether what is answered goes to a terminal.
func (c *command) hasTerminal() bool {
	out, ok := c.stdout.(*os.File)
	return ok && term.IsTerminal(out.Fd())
}

// open starts the application.
func (c *command) open(ctx context.Context, dir string) error {
	if !c.hasTerminal() {
		return fmt.Errorf("%w: the application needs a terminal; scripts use the commands, see bastel --help", errUsage)
	}
	if os.Getenv("TERM") == "dumb" {
		return fmt.Errorf("%w: this terminal (TERM=dumb) cannot place text, which the application needs; the commands work here, see bastel "+
			"--help", errUsage)
	}
	return ui.Run(ctx, dir, c.log)
}
