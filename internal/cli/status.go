package cli

import (
	"context"
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/safe"
)

// statusDocument is where the user stands, in JSON.
type statusDocument struct {
	Repository string `json:"repository"`
	Sentence   string `json:"sentence"`
	CheckedOut string `json:"checked_out"` // the branch; empty: none
	Branch     string `json:"branch"`      // at work
	Target     string `json:"target"`
	SitsOn     string `json:"sits_on,omitempty"`
	Ahead      int    `json:"ahead"`
	Behind     int    `json:"behind"`
	Upstream   string `json:"upstream"`
	Unsent     int    `json:"unsent"`
	Unseen     int    `json:"unseen"`
	Loose      int    `json:"loose"`
	Staged     int    `json:"staged"`
	Unfinished string `json:"unfinished,omitempty"` // what another tool left
	Taking     bool   `json:"taking,omitempty"`
}

func (c *command) statusNow() *cobra.Command {
	return &cobra.Command{
		Use:   "status",
		Short: "Say where you are and what stands out, in the sentence at the top of the screens",
		Long: `Say where you are and what stands out: the repository, the branch at work and its target, what is not sent yet, what
the remote has more, what is loose and staged. It is the sentence at the top of the screens.`,
		Args: cobra.NoArgs,
		RunE: c.run(func(ctx context.Context, a *app.App, _ []string) error {
			s, err := a.BranchStatus(ctx)
			if err != nil {
				return err
			}
			d := statusDocument{s.Repository, s.Sentence(), s.Head.Branch(), s.Work.Branch(), s.Target.Name, s.SitsOn, s.Own, s.Missing,
				s.Upstream, s.Unsent, s.Unseen, s.Loose(), s.Staged(), s.Operation, s.Taking}
			return c.answer(d, func(w io.Writer) { fmt.Fprintln(w, safe.Line(d.Sentence)) })
		}),
	}
}
