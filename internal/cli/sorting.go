package cli

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/sorting"
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
	Unended  []int    `json:"no_newline,omitempty"` // which of the lines, counted from 1, have no newline at their end
	Note     string   `json:"note,omitempty"`
}

func documentOf(path string, h tray.Hunk) hunkDocument {
	d := hunkDocument{
		ID: h.ID, Path: path, Kind: string(h.Kind), Note: h.Note, Lines: []string{},
		OldStart: start(h.OldStart, h.OldLines), OldLines: h.OldLines,
		NewStart: start(h.NewStart, h.NewLines), NewLines: h.NewLines,
	}
	for i, line := range h.Lines {
		if !bytes.HasSuffix(line.Text, []byte("\n")) {
			d.Unended = append(d.Unended, i+1)
		}
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
	var letter, of string
	cmd := &cobra.Command{
		Use:   "hunks [--staged | --tray LETTER | --of COMMIT]",
		Short: "List hunks, loose, staged, in a tray or of a commit, with the ids that the other commands take",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			layer, err := layerOf(letter, tray.Loose)
			if err != nil {
				return err
			}
			if staged {
				layer = tray.A
			}
			if of != "" {
				return c.hunksOf(ctx, a, of)
			}
			board, err := sorting.Of(a).Look(ctx)
			if err != nil {
				return err
			}
			hunks := documentsOf(board.Files(layer))
			return c.answer(map[string]any{"hunks": hunks}, func(w io.Writer) { printHunks(w, hunks) })
		}),
	}
	cmd.Flags().BoolVar(&staged, "staged", false, "the hunks that are staged, in tray A, instead of the loose ones")
	cmd.Flags().StringVar(&letter, "tray", "", "the hunks of a tray, A to Z, instead of the loose ones")
	cmd.Flags().StringVar(&of, "of", "", "the hunks of what a commit changes, for take")
	return cmd
}

func (c *command) hunksOf(ctx context.Context, a *app.App, name string) error {
	id, err := a.CommitNamed(ctx, name)
	if err != nil {
		return err
	}
	changes, err := a.CommitChanges(ctx, id)
	if err != nil {
		return err
	}
	hunks := documentsOf(changes)
	return c.answer(map[string]any{"hunks": hunks}, func(w io.Writer) { printHunks(w, hunks) })
}

func documentsOf(files []tray.File) []hunkDocument {
	hunks := []hunkDocument{}
	for _, f := range files {
		for _, h := range f.Hunks {
			hunks = append(hunks, documentOf(f.Path, h))
		}
	}
	return hunks
}

// layerOf reads a tray's letter; without one it is the given layer.
func layerOf(letter string, otherwise tray.Layer) (tray.Layer, error) {
	if letter == "" {
		return otherwise, nil
	}
	l, ok := tray.ParseLayer(letter)
	if !ok {
		return l, fmt.Errorf("%w: %q is no tray; they are A to Z", errUsage, letter)
	}
	return l, nil
}

// linesOf says where a hunk's lines are: before, and after where that differs.
func linesOf(h hunkDocument) string {
	before, after := span(h.OldStart, h.OldLines), span(h.NewStart, h.NewLines)
	if before == after {
		return before
	}
	return before + ", then " + after
}

func span(start, lines int) string {
	switch lines {
	case 0:
		return fmt.Sprintf("none after line %d", start)
	case 1:
		return fmt.Sprintf("line %d", start)
	}
	return fmt.Sprintf("lines %d to %d", start, start+lines-1)
}

func printHunks(w io.Writer, hunks []hunkDocument) {
	for _, h := range hunks {
		fmt.Fprintf(w, "%s  %s  %s", h.ID, safe.Line(h.Path), h.Kind)
		if h.Note != "" {
			fmt.Fprintf(w, ": %s", safe.Line(h.Note))
		} else {
			fmt.Fprintf(w, ", %s", linesOf(h))
		}
		fmt.Fprintln(w)
		for i, line := range h.Lines {
			fmt.Fprintf(w, "%5d %s\n", i+1, strings.TrimRight(safe.Text(line), "\n"))
			if slices.Contains(h.Unended, i+1) {
				fmt.Fprintln(w, "       (no newline at its end)")
			}
		}
	}
}

func (c *command) stage() *cobra.Command {
	var letter, from, text string
	cmd := c.mover("stage [--tray LETTER] ID...", "Stage hunks, lines of them, or whole files", "staged",
		func(a *app.App, ctx context.Context, selected []tray.Selection) ([]string, error) {
			carry := sorting.TrayMove{Selected: selected, View: tray.Plain}
			var err error
			if carry.To, err = layerOf(letter, tray.A); err != nil {
				return nil, err
			}
			if carry.From, err = layerOf(from, tray.Loose); err != nil {
				return nil, err
			}
			if carry.From == carry.To && text == "" {
				return nil, fmt.Errorf("%w: they are in tray %s already", errUsage, carry.To)
			}
			if text == "" {
				sorted, err := sorting.Of(a).Move(ctx, carry)
				return sorted.Paths, err
			}
			if len(selected) != 1 {
				return nil, fmt.Errorf("%w: --text goes with one hunk", errUsage)
			}
			data, err := c.readFile(ctx, text)
			if err != nil {
				return nil, err
			}
			sorted, err := sorting.Of(a).Rewrite(ctx, carry, data)
			return sorted.Paths, err
		})
	cmd.Flags().StringVar(&letter, "tray", "", "the tray that they go into, A to Z (default A, the index)")
	cmd.Flags().StringVar(&from, "from", "", "the tray that they come from (default: the loose changes)")
	cmd.Flags().StringVar(&text, "text", "", "a file, or - for standard input, with the lines that one hunk shall have in its place")
	return cmd
}

func (c *command) unstage() *cobra.Command {
	var letter string
	cmd := c.mover("unstage [--tray LETTER] ID...", "Take hunks, lines of them, or whole files out of a tray", "unstaged",
		func(a *app.App, ctx context.Context, selected []tray.Selection) ([]string, error) {
			from, err := layerOf(letter, tray.A)
			if err != nil {
				return nil, err
			}
			sorted, err := sorting.Of(a).Move(ctx, sorting.TrayMove{From: from, To: tray.Loose, Selected: selected, View: tray.Plain})
			return sorted.Paths, err
		})
	cmd.Flags().StringVar(&letter, "tray", "", "the tray that they are in, A to Z (default A, the index)")
	return cmd
}

func (c *command) discard() *cobra.Command {
	return c.mover("discard ID...", "Throw loose hunks, lines of them, or whole files away; undo brings them back", "discarded",
		func(a *app.App, ctx context.Context, selected []tray.Selection) ([]string, error) {
			return sorting.Of(a).Discard(ctx, sorting.TrayMove{Selected: selected, View: tray.Plain})
		})
}

func (c *command) mover(use, short, past string, move func(*app.App, context.Context, []tray.Selection) ([]string,
	error)) *cobra.Command {
	var lines string
	cmd := &cobra.Command{
		Use:   use,
		Short: short,
		Long: short + `.

An ID is a hunk's as "hunks" lists it, or a path from the top of the working tree
for a whole file. With --lines 3,5-7 those lines of one hunk are meant, counted
from 1 over all the lines shown of it.`,
		Args: cobra.MinimumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			words, err := c.paths(ctx, a, args)
			if err != nil {
				return err
			}
			selected, err := tray.ParseSelections(words, lines)
			if err != nil {
				return app.SelectionRefusal(err)
			}
			changed, err := move(a, ctx, selected)
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
	cmd.Flags().StringVar(&lines, "lines", "", linesUsage)
	return cmd
}

// linesUsage is what the flag --lines does, wherever it is.
const linesUsage = "only these lines of the one hunk, such as 3,5-7"

func (c *command) commit() *cobra.Command {
	var messages []string
	var letter string
	var all, meant bool
	cmd := &cobra.Command{
		Use:   "commit [-m TEXT] [--tray LETTER | --all]",
		Short: "Make a commit from what is staged, from a tray, or from all trays in order",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			at, err := layerOf(letter, tray.A)
			if err != nil {
				return err
			}
			drafts, err := c.drafts(ctx, a, at, all, strings.Join(messages, "\n\n"))
			if err != nil {
				return err
			}
			for i := range drafts {
				drafts[i].Meant = meant
			}
			made, err := sorting.Of(a).CommitTrays(ctx, drafts)
			if err != nil {
				return err
			}
			c.warn(made.Warning)
			last := made.Commits[len(made.Commits)-1]
			return c.answer(map[string]any{"commit": last, "commits": made.Commits}, func(w io.Writer) {
				for _, id := range made.Commits {
					fmt.Fprintln(w, "commit", id)
				}
			})
		}),
	}
	cmd.Flags().StringArrayVarP(&messages, "message", "m", nil,
		"the `text` of the message; again for a further paragraph (default: the tray's own)")
	cmd.Flags().StringVar(&letter, "tray", "", "the tray, A to Z (default A, the index)")
	cmd.Flags().BoolVar(&all, "all", false, "all trays, in the order of their letters, each with its own message")
	cmd.Flags().BoolVar(&meant, "allow-markers", false, meantUsage)
	return cmd
}

// drafts are the trays to be committed, with the message given or else their own.
func (c *command) drafts(ctx context.Context, a *app.App, at tray.Layer, all bool, message string) ([]sorting.Draft, error) {
	if all && message != "" {
		return nil, fmt.Errorf("%w: with --all each tray has its own message; see: bastel message", errUsage)
	}
	if !all && message != "" {
		message, err := prepared(ctx, a, message, "message")
		return []sorting.Draft{{Tray: at, Message: message}}, err
	}
	board, err := sorting.Of(a).Look(ctx)
	if err != nil {
		return nil, err
	}
	var drafts []sorting.Draft
	for _, t := range board.Trays {
		if all && len(t.Files) > 0 || !all && t.Layer == at {
			drafts = append(drafts, sorting.Draft{Tray: t.Layer, Message: t.Message})
		}
	}
	if len(drafts) == 0 {
		drafts = []sorting.Draft{{Tray: at, Message: message}}
	}
	if !all && drafts[0].Message == "" {
		return nil, fmt.Errorf("%w: tray %s has no message yet; give one with -m TEXT", errUsage, at)
	}
	return drafts, nil
}

// prepared is a message that a command was given, as the hook that prepares messages makes it; none stays none.
func prepared(ctx context.Context, a *app.App, message, from string) (string, error) {
	if message == "" {
		return "", nil
	}
	return a.PrepareMessage(ctx, message, from)
}

// warn tells what went wrong besides, after what was asked for was done; in JSON it comes
// as "warnings".
func (c *command) warn(warnings ...string) {
	for _, warning := range warnings {
		if warning != "" {
			fmt.Fprintln(c.stderr, "bastel: done, but "+safe.Text(warning))
			c.warnings = append(c.warnings, warning)
		}
	}
}
