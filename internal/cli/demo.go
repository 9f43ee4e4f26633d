package cli

import (
	"context"
	"fmt"
	"io"
	"os"

	"github.com/charmbracelet/x/term"
	"github.com/spf13/cobra"

	"bastel/internal/demo"
	"bastel/internal/ui"
)

func (c *command) demo() *cobra.Command {
	var dir string
	var noOpen bool
	cmd := &cobra.Command{
		Use:   "demo [--dir D] [--no-open]",
		Short: "Make demo data to try everything on, and open it",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c.began = true
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
			if noOpen {
				return nil
			}
			return c.open(cmd.Context(), place.Work)
		},
	}
	cmd.Flags().StringVar(&dir, "dir", "", "an empty folder for it; default: a new temporary one")
	cmd.Flags().BoolVar(&noOpen, "no-open", false, "only make it")
	return cmd
}

// open starts the application.
func (c *command) open(ctx context.Context, dir string) error {
	out, ok := c.stdout.(*os.File)
	if !ok || !term.IsTerminal(out.Fd()) {
		return fmt.Errorf("%w: the application needs a terminal; scripts use the commands, see bastel --help", errUsage)
	}
	return ui.Run(ctx, dir)
}
