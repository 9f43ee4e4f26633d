package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/send"
	"bastel/internal/series"
	"bastel/internal/wording"
)

type sendDocument struct {
	Remote   string           `json:"remote"`
	Branch   string           `json:"branch"`
	Old      repo.ID          `json:"old"`
	New      repo.ID          `json:"new"`
	Result   string           `json:"result"` // pushed, up_to_date, refused; with --dry-run: would_push
	Reason   string           `json:"reason"`
	Cause    send.Cause       `json:"cause,omitempty"`
	Replaces []repo.ID        `json:"replaces"`
	Removes  []repo.ID        `json:"removes"`         // of them those of others for which nothing here stands
	Stack    []branchDocument `json:"stack,omitempty"` // what goes along
	Server   string           `json:"server"`          // what it said, word for word
	Links    []string         `json:"links"`           // addresses of pages in that
}

type branchDocument struct {
	Branch   string    `json:"branch"`
	Old      repo.ID   `json:"old"`
	New      repo.ID   `json:"new"`
	Replaces []repo.ID `json:"replaces"`
}

func (c *command) send() *cobra.Command {
	var dryRun, back, stack, bringBack bool
	var remove []string
	var remote string
	var options []string
	cmd := &cobra.Command{
		Use:   "send [--dry-run | --take-back]",
		Short: "Compare the branch with the remote and push it, guarded",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			if back {
				said, warnings, err := publishing.Of(a).TakeBackSent(ctx, remote, c.progress)
				if err != nil {
					return err
				}
				c.warn(warnings...)
				return c.answer(map[string]any{"result": "taken_back"}, func(w io.Writer) { fmt.Fprintln(w, safe.Line(said)) })
			}
			out, err := outgoing(ctx, a, remote, stack)
			out.Options, out.Consent.BringBack = options, bringBack
			if err == nil {
				out.Consent.Remove, err = publishing.Of(a).Removable(ctx, out, remove)
			}
			var said publishing.Sent
			switch {
			case err != nil:
			case dryRun:
				err = out.Verdict()
			default:
				said, err = publishing.Of(a).Send(ctx, out, c.progress)
				c.warn(said.Warnings...)
			}
			return c.sent(out, said.Said, dryRun, err)
		}),
	}
	cmd.Flags().BoolVar(&back, "take-back", false, "put the remote's branch back to where it was before the last push, if nobody built on it")
	cmd.Flags().BoolVar(&dryRun, "dry-run", false, "only say what would happen")
	cmd.Flags().StringVar(&remote, "remote", "", "where to; default: branch.NAME.pushRemote, remote.pushDefault, the upstream's remote, "+
		"origin")
	cmd.Flags().StringArrayVar(&options, "option", nil, "pass an `option` to the server's hooks; may be given several times")
	cmd.Flags().BoolVar(&stack, "stack", false, "send the branches that sit on commits of this one along, all or none")
	cmd.Flags().StringArrayVar(&remove, "remove", nil, "a `commit` of somebody else that goes from the remote's branch; may be given several "+
		"times")
	cmd.Flags().BoolVar(&bringBack, "bring-back", false, "send although the branch was deleted or moved back there since it was last fetched")
	cmd.MarkFlagsMutuallyExclusive("take-back", "stack")
	cmd.MarkFlagsMutuallyExclusive("take-back", "remove")
	cmd.MarkFlagsMutuallyExclusive("take-back", "bring-back")
	cmd.MarkFlagsMutuallyExclusive("take-back", "option")
	return cmd
}

func outgoing(ctx context.Context, a *app.App, remote string, stack bool) (out publishing.Outgoing, err error) {
	if out.Comparison, err = publishing.Of(a).CompareRemote(ctx, remote, true); err == nil && stack {
		out.Stack, err = publishing.Of(a).CompareStack(ctx, out.Remote, true)
	}
	return out, err
}

// progress shows the remote's messages, without those that only count up.
func (c *command) progress(line string) {
	if !repo.IsTick(line) {
		c.heard = append(c.heard, strings.TrimSpace(line))
		fmt.Fprintln(c.stderr, safe.Line(line))
	}
}

func (c *command) sent(out publishing.Outgoing, said string, dryRun bool, err error) error {
	compared := out.Comparison
	document := sendDocument{
		Remote: compared.Remote, Branch: compared.Branch, Old: compared.There, New: compared.Here,
		Result: "pushed", Replaces: append([]repo.ID{}, compared.Replaces...), Removes: []repo.ID{},
		Server: said, Links: append([]string{}, publishing.Links(said)...),
	}
	for _, s := range out.Stack {
		document.Stack = append(document.Stack, branchDocument{s.Branch, s.There, s.Here, append([]repo.ID{}, s.Replaces...)})
	}
	for _, t := range compared.Removes() {
		document.Removes = append(document.Removes, t.ID)
	}
	var refusal *send.Refusal
	switch {
	case errors.As(err, &refusal):
		document.Result, document.Reason, document.Cause = "refused", refusal.Reason, refusal.Cause
	case err != nil:
		return err
	case out.UpToDate():
		document.Result = "up_to_date"
	case dryRun:
		document.Result = "would_push"
	}
	if printErr := c.answer(document, func(w io.Writer) { printSent(w, compared, document) }); printErr != nil {
		return printErr
	}
	if refusal != nil && c.json {
		fmt.Fprintln(c.stderr, "bastel: "+safe.Text(c.explain(err)))
		return errSilent
	}
	return err
}

func printSent(w io.Writer, compared send.Comparison, d sendDocument) {
	switch d.Result {
	case "up_to_date":
		fmt.Fprintf(w, "%s has %s as it is here.\n", d.Remote, d.Branch)
	case "pushed":
		fmt.Fprintf(w, "%s has %s at %s now: %s", d.Remote, d.Branch, d.New.Short(), compared.Sending(" sent"))
	case "would_push":
		fmt.Fprintf(w, "%s would get %s at %s: %s", d.Remote, d.Branch, d.New.Short(), compared.Sending(" to send"))
	}
	if d.Result == "pushed" || d.Result == "would_push" {
		if what := compared.Replacing(); what != "" {
			fmt.Fprintf(w, ", %s", safe.Line(what))
		}
		fmt.Fprintln(w, ".")
	}
	if d.Result == "up_to_date" {
		return
	}
	for _, s := range d.Stack {
		fmt.Fprintf(w, "%s along: %s.\n", s.Branch, s.New.Short())
	}
}

type pairDocument struct {
	Old      repo.ID         `json:"old"`
	New      repo.ID         `json:"new"`
	Relation series.Relation `json:"relation"`
}

func orDash(id repo.ID) string {
	if id.IsZero() {
		return "-"
	}
	return id.Short()
}

type itemDocument struct {
	Name    string     `json:"name"`
	Level   send.Level `json:"level"`
	Message string     `json:"message"`
	Commits []repo.ID  `json:"commits,omitempty"`
	Details []string   `json:"details,omitempty"` // all that was found, one by one
}

func (c *command) preflight() *cobra.Command {
	return &cobra.Command{
		Use:   "preflight",
		Short: "Look at what would be sent, before it is",
		Long: "Look at what would be sent: a straight line, subjects, messages, leftovers, large files, authors, checks, the target. Status " +
			"1 says that something blocks it. What blocks, warns or is off is set in the settings.",
		Args: cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			items, err := publishing.Of(a).Preflight(ctx, "")
			if err != nil {
				return err
			}
			documents := []itemDocument{}
			for _, item := range items {
				documents = append(documents, itemDocument(item))
				if item.Level == send.Block {
					err = errSilent
				}
			}
			return errors.Join(c.answer(map[string]any{"items": documents}, func(w io.Writer) {
				for _, item := range items {
					fmt.Fprintf(w, "%-5s  %-11s  %s\n", item.Level, item.Name, safe.Line(item.Message))
				}
			}), err)
		}),
	}
}

func (c *command) land() *cobra.Command {
	var how publishing.Landing
	cmd := &cobra.Command{
		Use:   "land [BRANCH...] [--delete] [--merge [-m TEXT]]",
		Short: "Move the branch's target forward to the branch, on the remote and here; branches in order",
		Long: `Move the branch's target forward to the branch, on the remote and here. If the
target moved in between, nothing is changed. Undo takes back what happened here; the remote keeps
what it has. Branches that are named land in their order, by one push, all of them or none; each sits on the one before, or with --merge
gets a merge of its own. None need be checked out.`,
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			if !how.Merge && how.Message != "" {
				return fmt.Errorf("%w: -m is for --merge", errUsage)
			}
			if len(args) > 0 {
				return c.landInOrder(ctx, a, args, how)
			}
			landed, err := publishing.Of(a).Land(ctx, how, c.progress)
			if err != nil {
				return err
			}
			c.warn(append(landed.Warnings, landed.Notes...)...)
			return c.answer(map[string]any{"target": landed.Target, "old": landed.Old, "new": landed.New,
				"notes": append([]string{}, landed.Notes...)}, func(w io.Writer) {
				fmt.Fprintf(w, "%s is at %s now\n", landed.Target, landed.New.Short())
			})
		}),
	}
	cmd.Flags().BoolVar(&how.Delete, "delete", false, "delete the branch afterwards, here and there, if all of it is in the target")
	cmd.Flags().BoolVar(&how.Merge, "merge", false, "by a merge commit for each")
	cmd.Flags().StringVarP(&how.Message, "message", "m", "", "its message (default: it names the branch)")
	return cmd
}

// landedDocument is a branch that landed, in JSON.
type landedDocument struct {
	Branch string  `json:"branch"`
	Target string  `json:"target"`
	Old    repo.ID `json:"old"`
	New    repo.ID `json:"new"`
}

func (c *command) landInOrder(ctx context.Context, a *app.App, names []string, how publishing.Landing) error {
	landed, err := publishing.Of(a).LandInOrder(ctx, names, how, c.progress)
	if err != nil {
		return err
	}
	documents := []landedDocument{}
	for _, l := range landed {
		c.warn(append(l.Warnings, l.Notes...)...)
		documents = append(documents, landedDocument{l.Branch, l.Target, l.Old, l.New})
	}
	return c.answer(map[string]any{"landed": documents}, func(w io.Writer) {
		for _, l := range landed {
			fmt.Fprintf(w, "%s landed: %s is at %s now\n", safe.Line(l.Branch), safe.Line(l.Target), l.New.Short())
		}
	})
}

func (c *command) fetch() *cobra.Command {
	var forward bool
	cmd := &cobra.Command{
		Use:   "fetch [--forward]",
		Short: "Fetch from the remote, and say what came and what it means here",
		Long: "Fetch from the remote, and say what came and what it means here. Your branches and files stay as they are; with --forward the " +
			"current branch moves up to its upstream, with loose changes carried, and the local branch of the target's name, without a switch; " +
			"only where they have no commits of their own.",
		Args: cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			fetched, err := publishing.Of(a).Fetch(ctx, c.progress)
			if err != nil {
				return err
			}
			c.warn(fetched.Warnings...)
			if forward {
				said, err := planning.Of(a).Forward(ctx)
				if err != nil {
					return err
				}
				fmt.Fprintln(c.stderr, "bastel: "+safe.Line(said))
			}
			return c.answer(map[string]any{"branches": append([]publishing.Arrival{}, fetched.Arrivals...), "remotes": fetched.From},
				func(w io.Writer) {
					for _, r := range fetched.Arrivals {
						fmt.Fprintln(w, safe.Line(r.Says()))
					}
				})
		}),
	}
	cmd.Flags().BoolVar(&forward, "forward", false, "move the current branch and the target's local one up to what was fetched")
	return cmd
}

func (c *command) patches() *cobra.Command {
	var file string
	var whole bool
	cmd := &cobra.Command{
		Use:   "patches [--diff] [-o FILE]",
		Short: "Write the branch's commits as a mailbox of patches, or as one difference",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			text, n, err := publishing.Of(a).Patches(ctx, whole)
			if err != nil {
				return err
			}
			if file == "" {
				return c.print(string(text))
			}
			if err := os.WriteFile(file, text, 0o666); err != nil {
				return fmt.Errorf("write the patches: %w", err)
			}
			return c.answer(map[string]any{"file": file, "commits": n}, func(w io.Writer) {
				fmt.Fprintf(w, "%s in %s\n", wording.Count(n, "commit"),
					file)
			})
		}),
	}
	cmd.Flags().BoolVar(&whole, "diff", false, "one unified difference of the whole branch")
	cmd.Flags().StringVarP(&file, "output", "o", "", "the file to write; default: standard output")
	return cmd
}

func (c *command) request() *cobra.Command {
	var file string
	cmd := &cobra.Command{
		Use:   "request [-o FILE]",
		Short: "Write the text of a request for review, as Markdown",
		Args:  cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			text, err := publishing.Of(a).Request(ctx)
			if err != nil {
				return err
			}
			if file != "" {
				if err := os.WriteFile(file, []byte(text), 0o666); err != nil {
					return fmt.Errorf("write the request: %w", err)
				}
			}
			return c.answer(map[string]any{"text": text}, func(w io.Writer) {
				if file == "" {
					io.WriteString(w, text)
				}
			})
		}),
	}
	cmd.Flags().StringVarP(&file, "output", "o", "", "the file to write; default: standard output")
	return cmd
}

func (c *command) target() *cobra.Command {
	var forget bool
	cmd := &cobra.Command{
		Use:   "target [NAME | --forget]",
		Short: "Show or choose where the branch lands",
		Long: `Show or choose where the branch lands. The choice is kept in branch.NAME.bastelTarget, and no push changes it.
Without one it is the default branch of the shared remote, else the local default branch.`,
		Args: cobra.MaximumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			head, err := a.AtWork(ctx)
			if err != nil {
				return err
			}
			var target app.Target
			switch {
			case len(args) == 1 && args[0] == "":
				return fmt.Errorf("%w: the name of the target is empty", errUsage)
			case len(args) == 1:
				target, err = a.SetTarget(ctx, args[0])
			case forget:
				target, err = a.SetTarget(ctx, "")
			default:
				target, err = a.FindTarget(ctx, head.Branch())
			}
			if err != nil {
				return err
			}
			return c.answer(map[string]any{"target": target.Name, "commit": target.ID, "kept": target.Kept}, func(w io.Writer) {
				switch {
				case target.Name == "":
					fmt.Fprintln(w, "There is none.")
				case target.ID.IsZero():
					fmt.Fprintf(w, "%s, which is not there\n", safe.Line(target.Name))
				default:
					fmt.Fprintln(w, safe.Line(target.Name))
				}
			})
		}),
	}
	cmd.Flags().BoolVar(&forget, "forget", false, "forget the choice: what Bastel finds counts again")
	return cmd
}
