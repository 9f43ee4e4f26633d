package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/safe"
)

func (c *command) allow() *cobra.Command {
	var revoke bool
	cmd := &cobra.Command{
		Use:   "allow [--revoke]",
		Short: "Let the repository's own configuration start its check command, fetch by itself, and name a review service",
		Long: `Let what the repository's own configuration says count here: bastel.check, bastel.fetchEvery, bastel.review. Such a
configuration may have come from elsewhere, so that it starts nothing until you allow it, for this place and as it is now. The
same settings in your own configuration count as they are.`,
		Args: cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			commands, err := a.Allow(ctx, !revoke)
			if err != nil {
				return err
			}
			return c.answer(map[string]any{"allowed": !revoke, "settings": append([]string{}, commands...)}, func(w io.Writer) {
				word := "allowed here:"
				if revoke {
					word = "not allowed here any more:"
				}
				fmt.Fprintln(w, word)
				for _, command := range commands {
					fmt.Fprintln(w, "  "+safe.Line(command))
				}
			})
		}),
	}
	cmd.Flags().BoolVar(&revoke, "revoke", false, "no more")
	return cmd
}
