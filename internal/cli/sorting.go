package cli

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
)

// hunkDocument is a hunk in JSON. Starts count from 1, as in unified diffs; of an
// empty side the start is the line before it.
type hunkDocument struct {
	ID       string   `json:"id"`
	Path     string   `json:"path"`
	Kind     string   `json:"kind"`
	OldStart int      `json:"old_start"`
	OldLines int      `json:"old_lines"`
	NewStart int      `json:"new_start"`
	NewLines int      `json:"new_lines"`
	Lines    []string `json:"lines"`
	Note     string   `json:"note,omitempty"`
}

func documentOf(path string, h tray.Hunk) hunkDocument {
	d := hunkDocument{
		ID: h.ID, Path: path, Kind: string(h.Kind), Note: h.Note, Lines: []string{},
		OldStart: start(h.OldStart, h.OldLines), OldLines: h.OldLines,
		NewStart: start(h.NewStart, h.NewLines), NewLines: h.NewLines,
	}
	for _, line := range h.Lines {
		d.Lines = append(d.Lines, string(line.Op)+strings.TrimSuffix(string(line.Text), "\n"))
	}
	return d
}

func start(at, lines int) int {
	if lines == 0 {
		return at
	}
	return at + 1
}

func (c *command) hunks() *cobra.Command {
	var staged bool
	cmd := &cobra.Command{
		Use:   "hunks [--staged]",
		Short: "List hunks, loose or staged, with the ids that stage and unstage take",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			list := tray.Loose
			if staged {
				list = tray.Staged
			}
			changes, err := a.Repo.Status(ctx)
			if err != nil {
				return err
			}
			files, err := list(ctx, a.Repo, changes)
			if err != nil {
				return err
			}
			hunks := []hunkDocument{}
			for _, f := range files {
				for _, h := range f.Hunks {
					hunks = append(hunks, documentOf(f.Path, h))
				}
			}
			return c.answer(map[string]any{"hunks": hunks}, func(w io.Writer) { printHunks(w, hunks) })
		}),
	}
	cmd.Flags().BoolVar(&staged, "staged", false, "the hunks that are staged, instead of the loose ones")
	return cmd
}

func printHunks(w io.Writer, hunks []hunkDocument) {
	for _, h := range hunks {
		fmt.Fprintf(w, "%s  %s  %s", h.ID, safe.Line(h.Path), h.Kind)
		if h.Note != "" {
			fmt.Fprintf(w, ": %s", safe.Line(h.Note))
		} else {
			fmt.Fprintf(w, ", lines %d+%d become %d+%d", h.OldStart, h.OldLines, h.NewStart, h.NewLines)
		}
		fmt.Fprintln(w)
		for i, line := range h.Lines {
			fmt.Fprintf(w, "%5d %s\n", i+1, strings.TrimRight(safe.Text(line), "\n"))
		}
	}
}

func (c *command) stage() *cobra.Command {
	return c.mover("stage ID...", "Stage hunks, lines of them, or whole files", "staged",
		func(a *app.App, ctx context.Context, ids []string) ([]string, error) { return a.Stage(ctx, ids) })
}

func (c *command) unstage() *cobra.Command {
	return c.mover("unstage ID...", "Take hunks, lines of them, or whole files out of what is staged", "unstaged",
		func(a *app.App, ctx context.Context, ids []string) ([]string, error) { return a.Unstage(ctx, ids) })
}

func (c *command) discard() *cobra.Command {
	return c.mover("discard ID...", "Throw loose hunks, lines of them, or whole files away; undo brings them back", "discarded",
		func(a *app.App, ctx context.Context, ids []string) ([]string, error) { return a.Discard(ctx, ids) })
}

func (c *command) mover(use, short, past string, move func(*app.App, context.Context, []string) ([]string, error)) *cobra.Command {
	return &cobra.Command{
		Use:   use,
		Short: short,
		Long: short + `.

An ID is a hunk's as "hunks" lists it, or ID:3,5-7 for those of its lines, counted
from 1 over all the lines shown of it, or a path from the top of the working tree
for a whole file.`,
		Args: cobra.MinimumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			changed, err := move(a, ctx, args)
			if err != nil {
				return err
			}
			return c.answer(map[string]any{"changed": changed}, func(w io.Writer) {
				for _, path := range changed {
					fmt.Fprintf(w, "%s %s\n", past, safe.Line(path))
				}
			})
		}),
	}
}

func (c *command) commit() *cobra.Command {
	var messages []string
	cmd := &cobra.Command{
		Use:   "commit -m TEXT",
		Short: "Make a commit from what is staged",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			id, warning, err := a.Commit(ctx, strings.Join(messages, "\n\n"), nil)
			if err != nil {
				return err
			}
			c.warn(warning)
			return c.answer(map[string]repo.ID{"commit": id}, func(w io.Writer) { fmt.Fprintln(w, "commit", id) })
		}),
	}
	cmd.Flags().StringArrayVarP(&messages, "message", "m", nil, "the message; again for a further paragraph")
	if err := cmd.MarkFlagRequired("message"); err != nil {
		panic(err) // the flag is defined one line above
	}
	return cmd
}

func (c *command) warn(warning string) {
	if warning != "" {
		fmt.Fprintln(c.stderr, "bastel: done, but "+safe.Text(warning))
	}
}
