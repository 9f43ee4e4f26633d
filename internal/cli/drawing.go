package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/draw"
)

func (c *command) draw() *cobra.Command {
	var file string
	var dark, overlap bool
	cmd := &cobra.Command{
		Use:   "draw [PLAN] -o FILE.svg|FILE.pdf",
		Short: "Draw the seam of a plan, or of the last rewriting, or what overlaps",
		Long:  "Draw the seam of a plan, or of the last rewriting. PLAN is a file, or - for standard input. With --overlap the picture is of files by commits.",
		Args:  cobra.MaximumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			format, err := draw.FormatOf(file)
			if err != nil {
				return fmt.Errorf("%w: %w", errUsage, err)
			}
			picture, err := c.picture(ctx, a, args, overlap)
			if err != nil {
				return err
			}
			look := draw.Light
			if dark {
				look = draw.Dark
			}
			var out bytes.Buffer
			if err := draw.Write(&out, picture, format, look); err != nil {
				return err
			}
			if err := os.WriteFile(file, out.Bytes(), 0o666); err != nil {
				return fmt.Errorf("write the picture: %w", err)
			}
			return c.answer(map[string]string{"file": file}, func(w io.Writer) { fmt.Fprintln(w, "drawn:", file) })
		}),
	}
	cmd.Flags().StringVarP(&file, "output", "o", "", "the file to write, .svg or .pdf")
	cmd.Flags().BoolVar(&dark, "dark", false, "on a dark ground")
	cmd.Flags().BoolVar(&overlap, "overlap", false, "which commits touch the same files and lines")
	if err := cmd.MarkFlagRequired("output"); err != nil {
		panic(err) // the flag is defined above
	}
	return cmd
}

func (c *command) picture(ctx context.Context, a *app.App, args []string, overlap bool) (draw.Picture, error) {
	if len(args) == 0 && !overlap {
		return a.LastSeam(ctx)
	}
	plan, err := a.NewPlan(ctx, "", "")
	if len(args) > 0 {
		var data []byte
		if data, err = c.readPlan(args[0]); err == nil {
			plan, err = a.ReadPlan(ctx, data)
		}
	}
	if err != nil {
		return nil, err
	}
	if overlap {
		return a.GridOf(ctx, plan)
	}
	return a.SeamOf(ctx, plan)
}
