package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/wording"
)

// chartedDocument is a branch of the chart in JSON.
type chartedDocument struct {
	Name     string    `json:"name"`
	Tip      repo.ID   `json:"tip"`
	Target   string    `json:"target"`
	On       string    `json:"on,omitempty"` // the branch that it sits on
	Upstream string    `json:"upstream"`
	Ahead    int       `json:"ahead"`
	Behind   int       `json:"behind"`
	Unsent   int       `json:"unsent"`
	Current  bool      `json:"current"`
	Worktree string    `json:"worktree"`
	Author   string    `json:"author"`
	Date     time.Time `json:"date"`
	Subject  string    `json:"subject"`
}

func (c *command) branches() *cobra.Command {
	all := false
	line := ""
	cmd := &cobra.Command{
		Use:   "branches [--all] [--line BRANCH]",
		Short: "List the branches: what they sit on, how far they are ahead and behind, what is not sent",
		Long: `List the branches: what they sit on, how far they are ahead of the target of the branch at work and behind
it, what is not sent. Without --all the ones at work, yours and the latest of others.`,
		Args: cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			chart, err := charting.Of(a).Chart(ctx, charting.Show{All: all, Line: line})
			if err != nil {
				return err
			}
			branches := documents(chart)
			return c.answer(map[string]any{"branches": branches, "others": chart.Others}, func(w io.Writer) {
				for _, b := range branches {
					mark := "  "
					if b.Current {
						mark = "> "
					}
					fmt.Fprintf(w, "%s%s  %d ahead, %d behind", mark, safe.Line(b.Name), b.Ahead, b.Behind)
					if b.Unsent > 0 {
						fmt.Fprintf(w, ", %d not sent", b.Unsent)
					}
					if b.On != "" {
						fmt.Fprintf(w, ", on %s", safe.Line(b.On))
					}
					fmt.Fprintf(w, "  %s  %s\n", safe.Line(b.Author), safe.Line(b.Subject))
				}
				if chart.Others > 0 {
					fmt.Fprintf(w, "  and %s: --all lists them\n", wording.Count(chart.Others, "other branch"))
				}
			})
		}),
	}
	cmd.Flags().BoolVar(&all, "all", false, "all branches, those of remotes too")
	cmd.Flags().StringVar(&line, "line", "", "the branch whose line they hang from, instead of the target")
	return cmd
}

func documents(chart charting.Chart) []chartedDocument {
	list := []chartedDocument{}
	add := func(b charting.Branch, on string) {
		list = append(list, chartedDocument{b.Name, b.Tip, chart.Target.Name, on, repo.Ref{Name: b.Upstream}.Short(), b.Ahead, b.Behind, b.Unsent,
			b.Here, b.Worktree, b.Author, b.When, b.Subject})
	}
	for _, s := range chart.Stacks {
		on := s.On
		for _, segment := range s.Segments {
			for _, b := range segment.Named() {
				add(b, on)
			}
			on = segment.Name
		}
	}
	for _, m := range chart.Line {
		for _, b := range m.Branches {
			add(b, "")
		}
	}
	return list
}

func (c *command) switchTo() *cobra.Command {
	made, aside, from := false, false, ""
	cmd := &cobra.Command{
		Use:   "switch NAME [--new] [--from POINT] [--aside]",
		Short: "Go to another branch; loose changes are carried, or the files in the way named",
		Args:  cobra.ExactArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			if from != "" && !made {
				return fmt.Errorf("%w: --from goes with --new", errUsage)
			}
			steps := []charting.Step{{Kind: charting.Gone, Branch: args[0]}}
			if made {
				steps = append([]charting.Step{{Kind: charting.Made, Branch: args[0], Point: from}}, steps...)
			}
			head, err := a.Repo.Head(ctx)
			if err != nil {
				return err
			}
			done, err := charting.Of(a).Do(ctx, steps, charting.Consent{Aside: aside})
			if errors.Is(err, repo.ErrInTheWay) {
				return fmt.Errorf("%w\nTo put them aside with the branch, and find them there again: bastel switch --aside", err)
			}
			if err != nil {
				return err
			}
			return c.moved(args[0], head.Commit, done.Head.Commit, done.Warning, "on "+safe.Line(args[0])+" now")
		}),
	}
	cmd.Flags().BoolVar(&made, "new", false, "make the branch first")
	cmd.Flags().BoolVar(&aside, "aside", false, "put all loose changes aside with the branch; going there again brings them back")
	cmd.Flags().StringVar(&from, "from", "", "where the new branch begins (default: where you are)")
	return cmd
}

// moved answers with what became of a branch.
func (c *command) moved(branch string, old, new repo.ID, warning, says string) error {
	if warning != "" {
		fmt.Fprintln(c.stderr, "bastel: "+safe.Text(warning))
	}
	return c.answer(map[string]any{"branch": branch, "old": old, "new": new}, func(w io.Writer) { fmt.Fprintln(w, says) })
}

// one does one thing with a branch, and answers with what became of it; says is told where it is then.
func (c *command) one(ctx context.Context, a *app.App, step charting.Step, yes bool, says string) error {
	done, err := charting.Of(a).Do(ctx, []charting.Step{step}, charting.Consent{Losing: yes})
	if err != nil {
		return err
	}
	branch := step.Branch
	if step.Name != "" {
		branch = step.Name
	}
	old, new := done.Of(branch)
	if old.IsZero() && step.Name != "" {
		old = new
	}
	return c.moved(branch, old, new, done.Warning, safe.Line(step.Branch)+fmt.Sprintf(says, new.Short()))
}

func (c *command) branch() *cobra.Command {
	cmd := &cobra.Command{Use: "branch", Short: "Make, rename or delete branches"}
	cmd.AddCommand(
		&cobra.Command{
			Use:   "new NAME [POINT]",
			Short: "Make a branch, without going there; of a remote's branch it gets that one as its upstream",
			Args:  cobra.RangeArgs(1, 2),
			RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
				point := ""
				if len(args) == 2 {
					point = args[1]
				}
				return c.one(ctx, a, charting.Step{Kind: charting.Made, Branch: args[0], Point: point}, false, " made at %s")
			}),
		},
		c.renameBranch(),
		c.deleteBranches())
	return cmd
}

func (c *command) renameBranch() *cobra.Command {
	there := false
	cmd := &cobra.Command{
		Use:   "rename OLD NEW [--remote]",
		Short: "Give a branch another name, on its remote too if you say so; its settings follow",
		Args:  cobra.ExactArgs(2),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			step := charting.Step{Kind: charting.Renamed, Branch: args[0], Name: args[1]}
			return c.andThere(ctx, a, there, args[:1], map[string]string{args[0]: args[1]}, false, func() error {
				return c.one(ctx, a, step, false, " is called "+strings.ReplaceAll(safe.Line(args[1]), "%", "%%")+" now%.0s")
			})
		}),
	}
	cmd.Flags().BoolVar(&there, "remote", false, "on its remote too, with a lease on what was last fetched")
	return cmd
}

// andThere does something with branches here, and then on their remotes, if that is wanted. What only a remote has is named
// before anything is done, and needs consent.
func (c *command) andThere(ctx context.Context, a *app.App, wanted bool, branches []string, names map[string]string, yes bool,
	here func() error) error {
	if !wanted {
		return here()
	}
	list, err := publishing.Of(a).Elsewhere(ctx, branches, names)
	if err != nil {
		return err
	}
	for _, e := range list {
		if len(e.Loses) > 0 && !yes {
			return app.Refuse("%s. Nothing was changed. To delete it there all the same: --yes.", e.Says())
		}
	}
	if err := here(); err != nil {
		return err
	}
	sent, err := publishing.Of(a).FollowThere(ctx, list, c.progress)
	c.warn(sent.Warnings...)
	if err != nil {
		return fmt.Errorf("it is done here, and not on the remote: %w", err)
	}
	return nil
}

func (c *command) tag() *cobra.Command {
	return &cobra.Command{
		Use:   "tag NAME [POINT]",
		Short: "Give a point a name that stays there; a tag that is there already is never moved",
		Args:  cobra.RangeArgs(1, 2),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			step := charting.Step{Kind: charting.Tagged, Branch: args[0], Point: "HEAD"}
			if len(args) == 2 {
				step.Point = args[1]
			}
			done, err := charting.Of(a).Do(ctx, []charting.Step{step}, charting.Consent{})
			if err != nil {
				return err
			}
			at := done.Moves[0].New
			return c.answer(map[string]any{"tag": args[0], "commit": at}, func(w io.Writer) {
				fmt.Fprintf(w, "%s is a tag at %s\n", safe.Line(args[0]), at.Short())
			})
		}),
	}
}

func (c *command) deleteBranches() *cobra.Command {
	yes, merged, there := false, false, false
	cmd := &cobra.Command{
		Use:   "delete NAME... | --merged [--remote] [--yes]",
		Short: "Delete branches, all of them or none; what nothing else holds is named, and needs --yes",
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) (err error) {
			if merged == (len(args) > 0) {
				return fmt.Errorf("%w: name the branches, or give --merged", errUsage)
			}
			if merged {
				if args, err = charting.Of(a).Merged(ctx, ""); err != nil {
					return err
				}
				if len(args) == 0 {
					return app.Refuse("No branch is all in the target, other than what is at work or checked out.")
				}
			}
			var steps []charting.Step
			for _, name := range args {
				steps = append(steps, charting.Step{Kind: charting.Deleted, Branch: name})
			}
			return c.andThere(ctx, a, there, args, nil, yes, func() error {
				gone, err := charting.Of(a).Do(ctx, steps, charting.Consent{Losing: yes})
				if err != nil {
					return err
				}
				ids := []repo.ID{}
				for _, commit := range gone.Commits {
					ids = append(ids, commit.ID)
				}
				return c.answer(map[string]any{"deleted": args, "commits": ids}, func(w io.Writer) {
					for _, name := range args {
						fmt.Fprintf(w, "deleted %s\n", safe.Line(name))
					}
				})
			})
		}),
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "also where only the journal holds their commits then")
	cmd.Flags().BoolVar(&there, "remote", false, "on their remotes too, with a lease on what was last fetched")
	cmd.Flags().BoolVar(&merged, "merged", false, "those that the target of the branch at work has all of")
	return cmd
}

func (c *command) move() *cobra.Command {
	yes := false
	cmd := &cobra.Command{
		Use:   "move BRANCH POINT [--yes]",
		Short: "Put a branch at any point; @upstream is exactly as its remote has it",
		Long: `Put a branch at any point; @upstream is exactly as its remote has it. Where it is checked out, files follow and
loose changes are carried. Commits that nothing holds then are named, and need --yes.`,
		Args: cobra.ExactArgs(2),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			return c.one(ctx, a, charting.Step{Kind: charting.Put, Branch: args[0], Point: args[1]}, yes, " is at %s now")
		}),
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "also where only the journal holds its commits then")
	return cmd
}

func (c *command) compare() *cobra.Command {
	files := false
	cmd := &cobra.Command{
		Use:   "compare OLD NEW [--files]",
		Short: "Say what each commit of one line became in another one, or which files differ",
		Long: "Say what each commit of one line became in another one: the same, moved, reworded, changed, joined, split, gone or new. What " +
			"the current branch's target has is left out. With --files @loose is what lies in the working tree, and @A to @Z what a " +
			"commit of that tray would hold.",
		Args: cobra.ExactArgs(2),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			if files {
				return c.compareFiles(ctx, a, args[0], args[1])
			}
			old, new, pairs, err := publishing.Of(a).CompareSeries(ctx, args[0], args[1])
			if err != nil {
				return err
			}
			subjects := map[repo.ID]string{}
			for _, s := range append(old, new...) {
				subjects[s.ID] = s.Commit.Subject()
			}
			documents := []pairDocument{}
			for _, p := range pairs {
				documents = append(documents, pairDocument(p))
			}
			return c.answer(map[string]any{"pairs": documents}, func(w io.Writer) {
				for _, p := range pairs {
					id := p.New
					if id.IsZero() {
						id = p.Old
					}
					fmt.Fprintf(w, "%-9s  %-9s  %-8s  %s\n", orDash(p.Old), orDash(p.New), p.Relation, safe.Line(subjects[id]))
				}
			})
		}),
	}
	cmd.Flags().BoolVar(&files, "files", false, "the files that differ between the two, with sizes and renames")
	return cmd
}

// fileDocument is a file that differs, in JSON.
type fileDocument struct {
	Path    string `json:"path"`
	OldPath string `json:"old_path,omitempty"`
	Kind    string `json:"kind"`
	Added   int    `json:"added"`
	Removed int    `json:"removed"`
}

func (c *command) compareFiles(ctx context.Context, a *app.App, from, to string) error {
	files, err := charting.Of(a).FilesBetween(ctx, from, to)
	if err != nil {
		return err
	}
	documents := []fileDocument{}
	for _, f := range files {
		changed := app.FileChanged(f)
		documents = append(documents, fileDocument{f.Path, f.From, changed.Kind, changed.Added, changed.Removed})
	}
	return c.answer(map[string]any{"files": documents}, func(w io.Writer) {
		for _, f := range files {
			fmt.Fprintln(w, app.FileChanged(f))
		}
	})
}
