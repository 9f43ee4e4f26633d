package cli

import (
	"context"
	"fmt"
	"io"
	"slices"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/wording"
)

// stackDocument is a branch that sits on the series, in JSON.
type stackDocument struct {
	Branch string  `json:"branch"`
	On     repo.ID `json:"on"`
	Above  int     `json:"above"`
	Stays  string  `json:"stays,omitempty"`
}

func (c *command) stack() *cobra.Command {
	var keep, carry []string
	cmd := &cobra.Command{
		Use:   "stack [--keep BRANCH]... [--carry BRANCH]...",
		Short: "List the branches that sit on the current one's commits, and choose which come along",
		Long: `List the branches that sit on the current one's commits. Where those are rewritten the others come along,
with their own commits put onto what comes out, unless they are checked out elsewhere, shared, or chosen to stay.
One at the very tip stays where it is, unless rebase.updateRefs is set.`,
		Args: cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			plan, err := a.NewPlan(ctx, "", "")
			if err != nil {
				return err
			}
			stack, err := a.Stack(ctx, plan)
			if err != nil {
				return err
			}
			for carried, names := range map[bool][]string{true: carry, false: keep} {
				for _, name := range names {
					if !slices.ContainsFunc(stack, func(s app.Stacked) bool { return s.Name == name }) {
						return &app.Refusal{Reason: fmt.Sprintf("%s does not sit on %s.", name, plan.Branch)}
					}
					if err := a.ChooseStack(ctx, name, carried); err != nil {
						return err
					}
				}
			}
			if len(carry)+len(keep) > 0 {
				if stack, err = a.Stack(ctx, plan); err != nil {
					return err
				}
			}
			documents := []stackDocument{}
			for _, s := range stack {
				documents = append(documents, stackDocument{s.Name, s.At, s.Above, s.Stays})
			}
			return c.answer(map[string]any{"stack": documents}, func(w io.Writer) {
				for _, s := range stack {
					what := "comes along"
					if s.Stays != "" {
						what = "stays: " + safe.Line(s.Stays)
					}
					fmt.Fprintf(w, "%s  on %s, %s of its own  %s\n", safe.Line(s.Name), s.At.Short(), wording.Count(s.Above, "commit"), what)
				}
			})
		}),
	}
	cmd.Flags().StringArrayVar(&keep, "keep", nil, "a `branch` that stays where it is")
	cmd.Flags().StringArrayVar(&carry, "carry", nil, "a `branch` that comes along")
	return cmd
}
