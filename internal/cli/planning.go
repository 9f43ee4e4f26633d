package cli

import (
	"context"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/resolving"
	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/suggest"
	"bastel/internal/wording"
)

func (c *command) plan() *cobra.Command {
	var onto, base, branch, merged string
	var take, revert []string
	cmd := &cobra.Command{
		Use:   "plan [--onto REF] [--base REF] [--branch NAME] [--take COMMIT]... [--merge REF] [--revert COMMIT]...",
		Short: "Write the plan of the current branch, or of another one, as it stands",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			plan, err := planning.Of(a).NewPlanOf(ctx, branch, onto, base)
			if err != nil {
				return err
			}
			ids, err := resolving.Of(a).NamedCommits(ctx, take)
			if err != nil {
				return err
			}
			if plan, err = a.WithTaken(ctx, plan, len(plan.Next), ids); err != nil {
				return err
			}
			for _, name := range revert {
				if plan, err = withRevert(ctx, a, plan, name); err != nil {
					return err
				}
			}
			if merged != "" {
				if plan, err = resolving.Of(a).WithMerge(ctx, plan, merged); err != nil {
					return err
				}
			}
			return c.writePlan(ctx, a, plan)
		}),
	}
	cmd.Flags().StringVar(&onto, "onto", "", "what the series goes onto; default: it stays where it begins")
	cmd.Flags().StringArrayVar(&take, "take", nil, "a `commit` from elsewhere, as a further entry")
	cmd.Flags().StringArrayVar(&revert, "revert", nil, "a `commit` that a further entry reverts")
	cmd.Flags().StringVar(&merged, "merge", "", "a branch to be merged at the end; the linear way is --onto")
	cmd.Flags().StringVar(&branch, "branch", "", "a branch that need not be checked out; default: the current one")
	cmd.Flags().StringVar(&base, "base", "", "the commit before the first one of the plan; default: where the branch left its target")
	return cmd
}

func withRevert(ctx context.Context, a *app.App, plan shape.Plan, name string) (shape.Plan, error) {
	ids, err := resolving.Of(a).NamedCommits(ctx, []string{name})
	if err != nil {
		return plan, err
	}
	message, err := planning.Of(a).RevertMessage(ctx, ids)
	if err != nil {
		return plan, err
	}
	return planning.Of(a).WithRevert(ctx, plan, ids, message)
}

func (c *command) revert() *cobra.Command {
	branch, why := "", ""
	one := false
	cmd := &cobra.Command{
		Use:   "revert COMMIT... [--together] [-m WHY] [--branch NAME]",
		Short: "Take commits back by new ones, one each, or one for all",
		Long: `Take commits back by new ones, the latest first: one each, or with --together one for all. The message names
what is taken back; -m adds why. Where something conflicts nothing is changed: bastel plan --revert COMMIT writes it as a
plan, whose conflicts bastel mend answers.`,
		Args: cobra.MinimumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			ids, err := resolving.Of(a).NamedCommits(ctx, args)
			if err != nil {
				return err
			}
			done, err := planning.Of(a).Reverts(ctx, branch, ids, one, why)
			if err != nil {
				return err
			}
			c.warn(strings.TrimSpace(done.Remarks()))
			return c.answer(map[string]any{"commit": done.New, "old": done.Old, "commits": done.Commits}, func(w io.Writer) {
				fmt.Fprintf(w, "%s taken back: %s\n", wording.Count(len(ids), "commit"), done.New.Short())
			})
		}),
	}
	cmd.Flags().BoolVar(&one, "together", false, "one commit for all")
	cmd.Flags().StringVarP(&why, "message", "m", "", "why, for the message's body")
	cmd.Flags().StringVar(&branch, "branch", "", "a branch that need not be checked out; default: the one at work")
	return cmd
}

type followedDocument struct {
	From string `json:"from"`
	To   string `json:"to"`
}

type stepDocument struct {
	Title  string        `json:"title"`
	From   []repo.ID     `json:"from"`
	Result replay.Result `json:"result"`
	Paths  []string      `json:"paths"`
	Reason string        `json:"reason,omitempty"`
	// Of a conflict: how many regions are open in each path, and the commits of the
	// other side.
	Regions []int     `json:"regions,omitempty"`
	Against []repo.ID `json:"against,omitempty"`
	// Renames that its changes follow: paths before and after.
	Followed []followedDocument `json:"followed,omitempty"`
}

func (c *command) forecast() *cobra.Command {
	return &cobra.Command{
		Use:   "forecast PLAN",
		Short: "Carry a plan out in memory and say what would come of it",
		Long: "Carry a plan out in memory and say what would come of it. PLAN is a file, or - for standard input. Status 1 says that there " +
			"are conflicts.",
		Args: cobra.ExactArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			f, taken, err := c.forecastOf(ctx, a, args[0])
			if err != nil {
				return err
			}
			steps := []stepDocument{}
			for _, s := range f.Steps {
				d := stepDocument{Title: s.Title, From: s.From, Result: s.Result, Paths: s.Paths(), Reason: s.Reason, Against: s.Against}
				for _, move := range s.Followed {
					d.Followed = append(d.Followed, followedDocument(move))
				}
				for _, conflict := range s.Conflicts {
					d.Regions = append(d.Regions, len(conflict.Regions()))
				}
				steps = append(steps, d)
			}
			document := map[string]any{"steps": steps, "same_content": f.SameContent, "tip": f.Tip, "takes_back": takenBackDocuments(taken)}
			if err := c.answer(document, func(w io.Writer) { printForecast(w, f, taken) }); err != nil {
				return err
			}
			if f.Conflicts() > 0 {
				return errSilent
			}
			return nil
		}),
	}
}

func (c *command) forecastOf(ctx context.Context, a *app.App, name string) (*replay.Forecast, []journal.LostWork, error) {
	data, err := c.readFile(ctx, name)
	if err != nil {
		return nil, nil, err
	}
	plan, err := planning.Of(a).ReadPlan(ctx, data)
	if err != nil {
		return nil, nil, err
	}
	f, err := planning.Of(a).Forecast(ctx, plan, nil)
	if err != nil {
		return nil, nil, err
	}
	taken, err := planning.Of(a).TakesBack(ctx, plan, f)
	return f, taken, err
}

type takenBackDocument struct {
	Commit  repo.ID `json:"commit"`
	Author  string  `json:"author"`
	Subject string  `json:"subject"`
	Path    string  `json:"path"`
	Lines   int     `json:"lines"`
}

func takenBackDocuments(list []journal.LostWork) []takenBackDocument {
	documents := []takenBackDocument{}
	for _, t := range list {
		documents = append(documents, takenBackDocument{t.Commit, t.Author, t.Subject, string(t.Path), t.Lines})
	}
	return documents
}

func printForecast(w io.Writer, f *replay.Forecast, taken []journal.LostWork) {
	for i, s := range f.Steps {
		fmt.Fprintf(w, "%3d  %-8s  %s\n", i+1, s.Result, safe.Line(s.Title))
		if s.Reason != "" {
			fmt.Fprintf(w, "               %s\n", safe.Line(s.Reason))
		}
		for _, move := range s.Followed {
			fmt.Fprintf(w, "               follows the rename of %s to %s\n", safe.Line(move.From), safe.Line(move.To))
		}
	}
	if len(taken) > 0 {
		fmt.Fprintf(w, "It takes back: %s.\n", safe.Line(planning.TakenBackSays(taken)))
	}
	switch {
	case f.Conflicts() > 0:
		fmt.Fprintf(w, "%s: the plan cannot be applied as it is.\n", wording.Count(f.Conflicts(), "conflict"))
	case f.SameContent:
		fmt.Fprintln(w, "The content at the end stays the same, byte for byte.")
	default:
		fmt.Fprintln(w, "The content at the end changes.")
	}
	if f.Signatures > 0 {
		fmt.Fprintf(w, "%s of rewritten commits will be lost.\n", wording.Count(f.Signatures, "signature"))
	}
}

func (c *command) apply() *cobra.Command {
	var published, content, leave, others bool
	var unlock string
	cmd := &cobra.Command{
		Use:   "apply PLAN",
		Short: "Rewrite the branch as a plan says, or refuse and change nothing",
		Long:  "Rewrite the branch as a plan says, in one step, or refuse and change nothing. PLAN is a file, or - for standard input.",
		Args:  cobra.ExactArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			data, err := c.readFile(ctx, args[0])
			if err != nil {
				return err
			}
			plan, err := planning.Of(a).ReadPlan(ctx, data)
			if err != nil {
				return err
			}
			consent := app.OwnOnly
			for bit, given := range map[app.Consent]bool{app.Others: others, app.LeaveStack: leave, app.NewContent: content} {
				if given {
					consent |= bit
				}
			}
			switch {
			case unlock != "" && unlock != plan.Branch:
				return fmt.Errorf("%w: --unlock names %s, and the plan is for %s", errUsage, unlock, plan.Branch)
			case unlock != "":
				consent |= app.Unlocked
			case published:
				consent |= app.Published
			}
			result, err := planning.Of(a).Apply(ctx, plan, consent, nil)
			if err != nil {
				return err
			}
			c.warn(strings.TrimSpace(result.Remarks()))
			became := []map[string]any{}
			for _, fate := range result.Became {
				became = append(became, map[string]any{"old": fate.Source, "new": append([]repo.ID{}, fate.New...), "relation": fate.Relation})
			}
			document := map[string]any{"old": result.Old, "new": result.New, "commits": result.Commits, "same_content": result.SameContent,
				"became": became}
			return c.answer(document, func(w io.Writer) {
				io.WriteString(w, appliedSentence(plan.Branch, result))
				for _, fate := range result.Became {
					fmt.Fprintf(w, "%s  %s", fate.Source.Short(), fate.Relation)
					for _, id := range fate.New {
						fmt.Fprintf(w, "  %s", id.Short())
					}
					fmt.Fprintln(w)
				}
			})
		}),
	}
	cmd.Flags().StringVar(&unlock, "unlock", "", "the shared branch that is rewritten all the same, by its name: whoever builds on it "+
		"would get its commits twice")
	cmd.Flags().BoolVar(&others, "others", false, "go on although commits or lines of others go, which the refusal names")
	cmd.Flags().BoolVar(&leave, "leave-stack", false, "branches that sit on the commits and conflict with what comes out stay on the old ones")
	cmd.Flags().BoolVar(&content, "new-content", false, "go on although the plan leaves nothing out and the content at the end is another")
	cmd.Flags().BoolVar(&published, "though-published", false, "go on although another branch of a remote has a commit that is rewritten")
	return cmd
}

func appliedSentence(branch string, r app.Applied) string {
	var b strings.Builder
	if r.Old == r.New {
		fmt.Fprintf(&b, "%s is as the plan says already.\n", branch)
		return b.String()
	}
	fmt.Fprintf(&b, "%s is at %s now, with %s.", branch, r.New.Short(), wording.Count(r.Commits, "commit"))
	if r.SameContent {
		b.WriteString(" Its content is the same, byte for byte.")
	}
	b.WriteByte('\n')
	return b.String()
}

func (c *command) overlap() *cobra.Command {
	return &cobra.Command{
		Use:   "overlap",
		Short: "List which commits of the branch touch the same files and lines",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			plan, err := a.NewPlan(ctx, "", "")
			if err != nil {
				return err
			}
			m, err := planning.Of(a).Survey(ctx, plan)
			if err != nil {
				return err
			}
			return c.answer(overlapDocument(m), func(w io.Writer) { printMatrix(w, m) })
		}),
	}
}

func overlapDocument(m suggest.Matrix) map[string]any {
	commits, files, overlaps := []map[string]any{}, []map[string]any{}, []map[string]any{}
	for _, c := range m.Commits {
		commits = append(commits, map[string]any{"commit": c.ID, "subject": repo.Subject(c.Message)})
	}
	for _, row := range m.Rows {
		cells := []map[string]any{}
		for _, cell := range row.Cells {
			cells = append(cells, map[string]any{"commit": m.Commits[cell.Commit].ID, "added": cell.Added, "removed": cell.Removed})
		}
		regions := []map[string]any{}
		for _, region := range row.Regions {
			ids := make([]repo.ID, len(region.Commits))
			for i, n := range region.Commits {
				ids[i] = m.Commits[n].ID
			}
			regions = append(regions, map[string]any{"start": region.Start + 1, "lines": region.End - region.Start, "commits": ids})
		}
		files = append(files, map[string]any{"path": row.Path, "commits": cells, "regions": regions})
	}
	for _, o := range m.Overlaps {
		overlaps = append(overlaps, map[string]any{"older": m.Commits[o.Older].ID, "newer": m.Commits[o.Newer].ID, "path": o.Path})
	}
	return map[string]any{"commits": commits, "files": files, "overlaps": overlaps}
}

func printMatrix(w io.Writer, m suggest.Matrix) {
	for i, c := range m.Commits {
		fmt.Fprintf(w, "%3d  %s  %s\n", i+1, c.ID.Short(), safe.Line(repo.Subject(c.Message)))
	}
	for _, row := range m.Rows {
		fmt.Fprintf(w, "%s:", safe.Line(row.Path))
		for _, cell := range row.Cells {
			fmt.Fprintf(w, " %d", cell.Commit+1)
		}
		fmt.Fprintln(w)
	}
	for _, o := range m.Overlaps {
		fmt.Fprintf(w, "%d changes lines of %d, or next to them, in %s\n", o.Newer+1, o.Older+1, safe.Line(o.Path))
	}
}

func (c *command) suggest() *cobra.Command {
	var onto string
	cmd := &cobra.Command{
		Use:   "suggest [--onto REF]",
		Short: "Suggest what of the branch could be joined or left out",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			plan, err := a.NewPlan(ctx, onto, "")
			if err != nil {
				return err
			}
			forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
			if err != nil {
				return err
			}
			found, err := planning.Of(a).Suggest(ctx, plan, forecast)
			if err != nil {
				return err
			}
			messageOf, err := planning.Of(a).Messages(ctx, plan.Sources)
			if err != nil {
				return err
			}
			documents := []map[string]any{}
			for _, s := range found {
				documents = append(documents, map[string]any{"kind": s.Kind, "title": s.Title, "commits": s.Commits, "plan": s.Plan.File(messageOf)})
			}
			return c.answer(map[string]any{"suggestions": documents}, func(w io.Writer) {
				for _, s := range found {
					fmt.Fprintln(w, safe.Line(s.Title))
				}
			})
		}),
	}
	cmd.Flags().StringVar(&onto, "onto", "", "what the series goes onto: conflicts there count too")
	return cmd
}
