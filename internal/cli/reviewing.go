package cli

import (
	"context"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/review"
	"bastel/internal/safe"
	"bastel/internal/wording"
)

type readDocument struct {
	ID      repo.ID `json:"id"`
	Subject string  `json:"subject"`
	Hunks   int     `json:"hunks"`
	Read    int     `json:"read"`
}

func (c *command) read() *cobra.Command {
	var not bool
	cmd := &cobra.Command{
		Use:   "read [COMMIT...]",
		Short: "Say what was read of the branch, or that commits were read",
		Long: `Say of each commit of the branch how many of its hunks were read. With COMMITs note that
they were read. What was read stays read through a rewriting, as long as it is the same.`,
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			if len(args) == 0 && not {
				return fmt.Errorf("%w: --unread needs the commits that are meant", errUsage)
			}
			if len(args) > 0 {
				hunks, err := publishing.Of(a).TickCommits(ctx, args, !not)
				if err != nil {
					return err
				}
				return c.answer(map[string]int{"hunks": hunks}, func(w io.Writer) {
					word := "read"
					if not {
						word = "not read"
					}
					fmt.Fprintf(w, "%s: %s\n", word, wording.Count(hunks, "hunk"))
				})
			}
			r, err := publishing.Of(a).ReadThrough(ctx)
			if err != nil {
				return err
			}
			commits := []readDocument{}
			for i, s := range r.Sources {
				read, all := r.Tally(i)
				commits = append(commits, readDocument{s.ID, s.Commit.Subject(), all, read})
			}
			return c.answer(map[string]any{"commits": commits, "remarks": append([]review.Placed{}, r.Remarks...),
				"verdicts": append([]review.Verdict{}, r.Verdicts...)}, func(w io.Writer) {
				for _, d := range commits {
					fmt.Fprintf(w, "%s  %2d of %2d  %s\n", d.ID.Short(), d.Read, d.Hunks, safe.Line(d.Subject))
				}
			})
		}),
	}
	cmd.Flags().BoolVar(&not, "unread", false, "they were not read after all")
	return cmd
}

func (c *command) remark() *cobra.Command {
	var text string
	cmd := &cobra.Command{
		Use:   "remark COMMIT [PATH:LINE] -m TEXT",
		Short: "Keep a remark on a line of a commit, or on all of it",
		Args:  cobra.RangeArgs(1, 2),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			path, line := "", 0
			if len(args) == 2 {
				at := strings.LastIndexByte(args[1], ':')
				number, err := strconv.Atoi(args[1][at+1:])
				if at < 1 || err != nil {
					return fmt.Errorf("%w: %q is not PATH:LINE", errUsage, args[1])
				}
				path, line = args[1][:at], number
			}
			number, err := publishing.Of(a).RemarkOn(ctx, args[0], path, line, text)
			if err != nil {
				return err
			}
			return c.answer(map[string]int{"number": number}, func(w io.Writer) { fmt.Fprintln(w, "remark", number) })
		}),
	}
	cmd.Flags().StringVarP(&text, "message", "m", "", "what the remark says")
	return cmd
}

func (c *command) remarks() *cobra.Command {
	var file string
	var finish, reopen, drop int
	cmd := &cobra.Command{
		Use:   "remarks [-o FILE | --done N | --reopen N | --drop N]",
		Short: "List the remarks on the branch as Markdown, or mark one as done",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			done := func(number int, word string, err error) error {
				if err != nil {
					return err
				}
				return c.answer(map[string]any{"number": number, "result": word}, func(w io.Writer) { fmt.Fprintf(w, "remark %d: %s\n", number, word) })
			}
			switch {
			case finish != 0:
				return done(finish, "done", publishing.Of(a).CloseRemark(finish, true))
			case reopen != 0:
				return done(reopen, "open", publishing.Of(a).CloseRemark(reopen, false))
			case drop != 0:
				return done(drop, "dropped", publishing.Of(a).DropRemark(drop))
			}
			r, err := publishing.Of(a).ReadThrough(ctx)
			if err != nil {
				return err
			}
			text := review.Export(r.Branch, r.Remarks)
			if file != "" {
				if err := os.WriteFile(file, []byte(text), 0o666); err != nil {
					return fmt.Errorf("write the remarks: %w", err)
				}
			}
			return c.answer(map[string]any{"remarks": append([]review.Placed{}, r.Remarks...)}, func(w io.Writer) {
				if file == "" {
					io.WriteString(w, safe.Text(text))
				}
			})
		}),
	}
	cmd.Flags().StringVarP(&file, "output", "o", "", "the file to write; default: standard output")
	cmd.Flags().IntVar(&finish, "done", 0, "the remark of this number is done")
	cmd.Flags().IntVar(&reopen, "reopen", 0, "it is open again")
	cmd.Flags().IntVar(&drop, "drop", 0, "delete it")
	return cmd
}

func (c *command) receive() *cobra.Command {
	return &cobra.Command{
		Use:   "comments",
		Short: "Ask the review service for comments and verdicts, which come as remarks",
		Long:  "Ask the review service that bastel.review names for what reviewers said of the branch. Comments come as remarks.",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			got, err := publishing.Of(a).ReceiveReview(ctx)
			if err != nil {
				return err
			}
			return c.answer(got, func(w io.Writer) { fmt.Fprintln(w, got.Says()) })
		}),
	}
}
