package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/draw"
	"bastel/internal/safe"
)

func (c *command) draw() *cobra.Command {
	var file string
	var dark bool
	var what pictured
	cmd := &cobra.Command{
		Use:   "draw [PLAN] -o FILE.svg|FILE.pdf",
		Short: "Draw the seam of a plan, or of the last rewriting, or other pictures of the branch",
		Long: `Draw the seam of a plan, or of the last rewriting. PLAN is a file, or - for standard
input. With --overlap the picture is of files by commits; with --history of the branch and its
target before and after the last rewriting; with --branches of the branches, with --since as they were and
as they are; with --sent of what the remote has and what is here.`,
		Args: cobra.MaximumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			format, err := draw.FormatOf(file)
			if err != nil {
				return fmt.Errorf("%w: %w", errUsage, err)
			}
			picture, err := c.picture(ctx, a, args, what)
			if err != nil {
				return err
			}
			look := draw.Light
			if dark {
				look = draw.Dark
			}
			var out bytes.Buffer
			missing, err := draw.Write(&out, picture, format, look)
			if err != nil {
				return err
			}
			if said := app.MissingIn(missing); said != "" {
				fmt.Fprintln(c.stderr, "bastel: "+safe.Line(said))
			}
			if err := os.WriteFile(file, out.Bytes(), 0o666); err != nil {
				return fmt.Errorf("write the picture: %w", err)
			}
			return c.answer(map[string]string{"file": file}, func(w io.Writer) { fmt.Fprintln(w, "drawn:", file) })
		}),
	}
	cmd.Flags().StringVarP(&file, "output", "o", "", "the file to write, .svg or .pdf")
	cmd.Flags().BoolVar(&dark, "dark", false, "on a dark ground")
	cmd.Flags().BoolVar(&what.overlap, "overlap", false, "which commits touch the same files and lines")
	cmd.Flags().BoolVar(&what.history, "history", false, "the history before and after the last rewriting")
	cmd.Flags().BoolVar(&what.branches, "branches", false, "the branches, hanging from their target's line")
	cmd.Flags().IntVar(&what.at, "at", 0, "with --branches: as they were just before this entry of the journal")
	cmd.Flags().IntVar(&what.since, "since", 0, "with --branches: as they were before this entry of the journal, and as they are")
	cmd.Flags().IntVar(&what.until, "until", 0, "with --since: as they were after this entry, instead of as they are")
	cmd.Flags().BoolVar(&what.sent, "sent", false, "the remote's branch in place of what was before")
	if err := cmd.MarkFlagRequired("output"); err != nil {
		panic(err) // the flag is defined above
	}
	return cmd
}

// pictured says which picture is meant.
type pictured struct {
	overlap, history, sent, branches bool
	at, since, until                 int // entries of the journal, for the branches; 0: now
}

func (c *command) picture(ctx context.Context, a *app.App, args []string, what pictured) (draw.Picture, error) {
	switch {
	case what.branches && (len(args) > 0 || what.overlap || what.history || what.sent):
		return nil, fmt.Errorf("%w: --branches goes alone", errUsage)
	case what.since == 0 && what.until != 0, what.since != 0 && what.at != 0, (what.since != 0 || what.at != 0) && !what.branches:
		return nil, fmt.Errorf("%w: --until goes with --since; that, or --at, with --branches", errUsage)
	case what.at != 0:
		return charting.Of(a).PictureAt(ctx, charting.Show{}, what.at)
	case what.since != 0:
		return charting.Of(a).PictureSince(ctx, charting.Show{}, what.since, what.until)
	case what.branches:
		return charting.Of(a).Picture(ctx, charting.Show{}, nil)
	case len(args) > 0 && (what.history || what.sent), what.overlap && (what.history || what.sent):
		return nil, fmt.Errorf("%w: --history and --sent go with no plan and no --overlap", errUsage)
	case what.history:
		return publishing.Of(a).HistoryOf(ctx, what.sent)
	case what.sent:
		return publishing.Of(a).SeamOfSent(ctx)
	case len(args) == 0 && !what.overlap:
		return planning.Of(a).LastSeam(ctx)
	}
	plan, err := a.NewPlan(ctx, "", "")
	if len(args) > 0 {
		var data []byte
		if data, err = c.readFile(ctx, args[0]); err == nil {
			plan, err = planning.Of(a).ReadPlan(ctx, data)
		}
	}
	if err != nil {
		return nil, err
	}
	return planning.Of(a).DrawingOf(plan, what.overlap)(ctx)
}
