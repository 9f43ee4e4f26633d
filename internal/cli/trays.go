package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
	"bastel/internal/wording"
)

// trayDocument is a tray in JSON.
type trayDocument struct {
	Tray    string         `json:"tray"`
	Message string         `json:"message"`
	Author  string         `json:"author,omitempty"`
	Files   []string       `json:"files"`
	Hunks   []hunkDocument `json:"hunks"`
}

func (c *command) trays() *cobra.Command {
	return &cobra.Command{
		Use:   "trays",
		Short: "List the trays: the commits being drafted, with their messages and hunks",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			board, err := sorting.Of(a).Look(ctx)
			if err != nil {
				return err
			}
			trays := []trayDocument{}
			for _, t := range board.Trays {
				d := trayDocument{Tray: t.Layer.String(), Message: t.Message, Author: t.Author, Files: []string{}, Hunks: documentsOf(t.Files)}
				for _, f := range t.Files {
					d.Files = append(d.Files, f.Path)
				}
				trays = append(trays, d)
			}
			for _, path := range board.Lost {
				fmt.Fprintf(c.stderr, "bastel: part of what a tray held of %s is gone; what is left of it is loose\n", safe.Line(path))
			}
			return c.answer(map[string]any{"trays": trays, "lost": append([]string{}, board.Lost...)}, func(w io.Writer) {
				for _, t := range trays {
					fmt.Fprintf(w, "%s  %s in %s  %s\n", t.Tray, wording.Count(len(t.Hunks), "hunk"), wording.Count(len(t.Files), "file"),
						safe.Line(repo.Subject(t.Message)))
				}
			})
		}),
	}
}

func (c *command) message() *cobra.Command {
	var messages []string
	var letter string
	cmd := &cobra.Command{
		Use:   "message [--tray LETTER] [-m TEXT]",
		Short: "Write the message of a tray, or show it",
		Args:  cobra.NoArgs,
	}
	cmd.RunE = c.run(func(ctx context.Context, a *app.App, _ []string) error {
		at, err := layerOf(letter, tray.A)
		if err != nil {
			return err
		}
		text := strings.Join(messages, "\n\n")
		if cmd.Flags().Changed("message") {
			if text, err = prepared(ctx, a, text, "message"); err == nil {
				err = sorting.Of(a).KeepMessage(ctx, at, text)
			}
		} else {
			text, err = sorting.Of(a).Message(ctx, at)
		}
		if err != nil {
			return err
		}
		return c.answer(map[string]string{"tray": at.String(), "message": text},
			func(w io.Writer) { fmt.Fprint(w, app.CleanMessage(safe.Text(text))) })
	})
	cmd.Flags().StringArrayVarP(&messages, "message", "m", nil,
		"the `text` of the message; again for a further paragraph; empty takes it away")
	cmd.Flags().StringVar(&letter, "tray", "", "the tray, A to Z (default A, the index)")
	return cmd
}

func (c *command) amend() *cobra.Command {
	var messages []string
	var am sorting.Amendment
	var without bool
	cmd := &cobra.Command{
		Use:   "amend [-m TEXT] [--author \"NAME <ADDRESS>\"]",
		Short: "Change the last commit: add what is staged, or change its message or author",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			var err error
			am.Content = !without
			if am.Message, err = prepared(ctx, a, strings.Join(messages, "\n\n"), "message"); err != nil {
				return err
			}
			made, err := sorting.Of(a).Amend(ctx, am)
			if err != nil {
				return err
			}
			c.warn(made.Warning)
			return c.answer(map[string]repo.ID{"commit": made.Commits[0]}, func(w io.Writer) { fmt.Fprintln(w, "commit", made.Commits[0]) })
		}),
	}
	cmd.Flags().StringArrayVarP(&messages, "message", "m", nil,
		"the `text` of the new message; again for a further paragraph (default: it stays)")
	cmd.Flags().StringVar(&am.Author, "author", "", "the new author (default: it stays)")
	cmd.Flags().BoolVar(&without, "without-staged", false, "leave what is staged where it is")
	cmd.Flags().BoolVar(&am.Meant, "allow-markers", false, meantUsage)
	cmd.Flags().BoolVar(&am.Published, "though-published", false, "go on although a remote has the commit already")
	return cmd
}

func (c *command) loosen() *cobra.Command {
	var intoTrays bool
	cmd := &cobra.Command{
		Use:   "loosen COMMIT [--trays]",
		Short: "Make the commits from COMMIT on loose changes again, or trays",
		Long: `Make the commits from COMMIT to the last one loose again: what they changed becomes loose
changes, or with --trays one tray for each, with its message. The working tree stays as it is.`,
		Args: cobra.ExactArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			id, err := a.CommitNamed(ctx, args[0])
			if err != nil {
				return err
			}
			loosened, err := sorting.Of(a).Loosen(ctx, id, intoTrays)
			if err != nil {
				return err
			}
			return c.answer(map[string]any{"commits": loosened.Commits, "changed": append([]string{}, loosened.Paths...),
				"staged": append([]string{}, loosened.Staged...)}, func(w io.Writer) {
				fmt.Fprintln(w, wording.Count(loosened.Commits, "commit"), "loosened")
				if said := loosened.StaysStaged(); said != "" {
					fmt.Fprintln(w, said)
				}
			})
		}),
	}
	cmd.Flags().BoolVar(&intoTrays, "trays", false, "into trays, one for each commit")
	return cmd
}

// moveDocument is a hunk's way home in JSON.
type moveDocument struct {
	Hunk   string  `json:"hunk"`
	Path   string  `json:"path"`
	Commit repo.ID `json:"commit"` // empty: it has no home
	Reason string  `json:"reason"`
}

func (c *command) home() *cobra.Command {
	var letter, into, lines string
	var dry bool
	cmd := &cobra.Command{
		Use:   "home [ID...] [--tray LETTER] [--into COMMIT] [--dry-run]",
		Short: "Join hunks to the commits of the branch that they belong to",
		Long: `Join hunks to the commits of the branch that they belong to: for each the last
commit whose lines it touches. Later commits are replayed, in one step. Without
an ID all loose hunks are meant, or those of a tray; hunks without a home stay.`,
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			from, err := layerOf(letter, tray.Loose)
			if err != nil {
				return err
			}
			words, err := c.paths(ctx, a, args)
			if err != nil {
				return err
			}
			selected, err := tray.ParseSelections(words, lines)
			if err != nil {
				return app.SelectionRefusal(err)
			}
			homes, err := sorting.Of(a).FindHomes(ctx, from, selected, tray.Plain)
			if err != nil {
				return err
			}
			if into != "" {
				id, err := a.CommitNamed(ctx, into)
				if err != nil {
					return err
				}
				for i := range homes.Homes {
					homes.Homes[i].Commit, homes.Homes[i].Reason = id, "You chose it."
				}
			}
			return c.sendHome(ctx, a, homes, len(args) > 0, dry)
		}),
	}
	cmd.Flags().StringVar(&letter, "tray", "", "the hunks of a tray, A to Z, instead of the loose ones")
	cmd.Flags().StringVar(&lines, "lines", "", linesUsage)
	cmd.Flags().StringVar(&into, "into", "", "the commit that all of them join, instead of their own homes")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "only say what would be done")
	return cmd
}

// sendHome joins hunks to their homes; leftovers only if hunks were named.
func (c *command) sendHome(ctx context.Context, a *app.App, homes sorting.Homes, named, dry bool) error {
	documents := []moveDocument{}
	var moves []sorting.HomeMove
	for _, h := range homes.Homes {
		documents = append(documents, moveDocument{h.Fixup.Selection().String(), h.Fixup.Path, h.Commit, h.Reason})
		if !h.Commit.IsZero() && (named || !h.Leftover) {
			moves = append(moves, sorting.HomeMove{Fixup: h.Fixup.Selection(), Home: h.Commit})
		}
	}
	document := map[string]any{"moves": documents}
	var err error
	switch {
	case len(moves) == 0:
		err = errSilent
	case dry:
		_, err = sorting.Of(a).ForecastHome(ctx, homes.From, tray.Plain, moves)
	default:
		var applied app.Applied
		if applied, err = sorting.Of(a).SendHome(ctx, homes.From, tray.Plain, moves); err == nil {
			document["old"], document["new"] = applied.Old, applied.New
			c.warn(strings.TrimSpace(applied.Remarks()))
		}
	}
	if err != nil && !errors.Is(err, errSilent) {
		return err
	}
	return errors.Join(c.answer(document, func(w io.Writer) {
		for _, d := range documents {
			home := "no home"
			if !d.Commit.IsZero() {
				home = "into " + d.Commit.Short()
			}
			fmt.Fprintf(w, "%s  %s  %s  %s\n", d.Hunk, safe.Line(d.Path), home, d.Reason)
		}
	}), err)
}

// findingDocument is a leftover in JSON.
type findingDocument struct {
	Path   string  `json:"path"`
	Line   int     `json:"line"`
	Text   string  `json:"text"`
	Commit repo.ID `json:"commit"` // empty: it is loose
}

func (c *command) sweep() *cobra.Command {
	var branch, dry bool
	cmd := &cobra.Command{
		Use:   "sweep [--branch] [--dry-run]",
		Short: "Remove leftovers, such as debug prints, from the loose changes or the branch's commits",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			var findings []app.Finding
			document := map[string]any{}
			var err error
			if branch {
				var swept sorting.Swept
				if swept, err = sorting.Of(a).SweepBranch(ctx, dry); err != nil {
					return err
				}
				findings = swept.Findings
				document["emptied"] = append([]string{}, swept.Emptied...)
				for _, title := range swept.Emptied {
					fmt.Fprintf(c.stderr, "bastel: nothing remains of the commit %s\n", safe.Line(title))
				}
				c.warn(strings.TrimSpace(swept.Applied.Remarks()))
			} else if findings, err = sorting.Of(a).Sweep(ctx, dry); err != nil {
				return err
			}
			documents := []findingDocument{}
			for _, f := range findings {
				documents = append(documents, findingDocument(f))
			}
			document["findings"] = documents
			if dry && len(findings) > 0 {
				err = errSilent
			}
			return errors.Join(c.answer(document, func(w io.Writer) { printFindings(w, documents) }), err)
		}),
	}
	cmd.Flags().BoolVar(&branch, "branch", false, "in every commit of the branch, instead of the loose changes")
	cmd.Flags().BoolVar(&dry, "dry-run", false, "only list them; the status is 1 if there are any")
	return cmd
}

func printFindings(w io.Writer, findings []findingDocument) {
	for _, f := range findings {
		where := "loose  "
		if !f.Commit.IsZero() {
			where = f.Commit.Short()
		}
		fmt.Fprintf(w, "%s  %s:%d  %s\n", where, safe.Line(f.Path), f.Line, safe.Line(f.Text))
	}
}

func (c *command) check() *cobra.Command {
	var letter string
	cmd := &cobra.Command{
		Use:   "check [PLAN | --tray LETTER]",
		Short: "Run your check command on the exact content that a tray would commit, or of each commit of a plan",
		Args:  cobra.MaximumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			if len(args) == 1 {
				return c.checkPlan(ctx, a, args[0])
			}
			at, err := layerOf(letter, tray.A)
			if err != nil {
				return err
			}
			if err := sorting.Of(a).CheckTray(ctx, at, func(p []byte) { c.stderr.Write(p) }); err != nil {
				return err
			}
			return c.answer(map[string]bool{"passed": true}, func(w io.Writer) { fmt.Fprintln(w, "the check passed") })
		}),
	}
	cmd.Flags().StringVar(&letter, "tray", "", "the tray, A to Z (default A, the index)")
	return cmd
}

func (c *command) checkPlan(ctx context.Context, a *app.App, name string) error {
	f, _, err := c.forecastOf(ctx, a, name)
	if err != nil {
		return err
	}
	if f.Conflicts() > 0 {
		return &app.Refusal{Reason: "The plan has conflicts, so nothing can be checked yet.", Err: app.ErrConflict}
	}
	outcomes := make([]app.Checked, len(f.Steps))
	var mu sync.Mutex
	if err := planning.Of(a).CheckSteps(ctx, f, func(step int, o app.Checked) {
		mu.Lock()
		defer mu.Unlock()
		outcomes[step] = o
	}); err != nil {
		return err
	}
	steps := []map[string]any{}
	passed := true
	for i, s := range f.Steps {
		if !s.Commit.IsZero() {
			passed = passed && outcomes[i].Passed
			steps = append(steps, map[string]any{"title": s.Title, "passed": outcomes[i].Passed, "output": outcomes[i].Output})
		}
	}
	if !passed {
		err = errSilent
	}
	return errors.Join(c.answer(map[string]any{"passed": passed, "steps": steps}, func(w io.Writer) {
		for _, s := range steps {
			word := "passed"
			if s["passed"] == false {
				word = "FAILED"
			}
			fmt.Fprintf(w, "%s  %s\n", word, safe.Line(s["title"].(string)))
		}
	}), err)
}
