package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/charmbracelet/x/term"
	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
)

// checkDocument is what was found of one thing, in JSON.
type checkDocument struct {
	Name   string `json:"name"`
	Says   string `json:"says"`
	Advice string `json:"advice,omitempty"`
}

func (c *command) doctor() *cobra.Command {
	var finish, takeBack bool
	cmd := &cobra.Command{
		Use:   "doctor",
		Short: "Look at all that Bastel works with, and say what is not in order and what to do",
		Long: `Look at all that Bastel works with: its version, the terminal, git, the configuration that matters, the state that it
keeps in the repository, locks and temporary folders that were left behind. What is not in order comes with what to do. It
answers without a repository too, and is what to send along with a report: no content of files is in it.

A step that a crash cut off is finished by the next start, and one that failed is taken back at once. Where neither can be done, as
long as a disk is full or a filter fails, it is left, named here, and ended by --finish or --take-back.`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c.began = true
			if finish || takeBack {
				return c.endStep(cmd.Context(), takeBack)
			}
			list := c.around()
			found, err := c.inRepository(cmd.Context())
			if err != nil {
				return err
			}
			documents, wrong := []checkDocument{}, 0
			for _, f := range append(list, found...) {
				documents = append(documents, checkDocument(f))
				if f.Advice != "" {
					wrong++
				}
			}
			return c.answer(map[string]any{"findings": documents, "wrong": wrong}, func(w io.Writer) {
				for _, d := range documents {
					fmt.Fprintf(w, "%-18s %s\n", d.Name, safe.Line(d.Says))
					if d.Advice != "" {
						fmt.Fprintf(w, "%-18s > %s\n", "", safe.Line(d.Advice))
					}
				}
			})
		},
	}
	cmd.Flags().BoolVar(&finish, "finish", false, "do what is left of a step that was left half done")
	cmd.Flags().BoolVar(&takeBack, "take-back", false, "take back a step that was left half done")
	cmd.MarkFlagsMutuallyExclusive("finish", "take-back")
	return cmd
}

// endStep ends a step that was left half done. What the start itself could do is said, and enough.
func (c *command) endStep(ctx context.Context, takeBack bool) error {
	a, note, err := app.Open(repo.Because(ctx, "doctor"), c.dir, repo.WithTerminal())
	if err != nil {
		return err
	}
	defer a.Close()
	left, err := a.LeftStep(ctx)
	if err != nil {
		return err
	}
	if left != "" || note == "" {
		do := a.Finish
		if takeBack {
			do = a.TakeBack
		}
		if note, err = do(ctx); err != nil {
			return err
		}
	}
	return c.answer(map[string]any{"step": note}, func(w io.Writer) { fmt.Fprintln(w, safe.Line(note)) })
}

// around is what there is to say without a repository.
func (c *command) around() []app.HealthCheck {
	list := []app.HealthCheck{{Name: "bastel", Says: app.Version()}}
	says, advice := "no terminal", ""
	if out, ok := c.stdout.(*os.File); ok && term.IsTerminal(out.Fd()) {
		width, height, err := term.GetSize(out.Fd())
		says = fmt.Sprintf("%s, %d x %d", cmp.Or(os.Getenv("TERM"), "TERM is not set"), width, height)
		if err == nil && (width < 60 || height < 20) {
			advice = "Make it larger: 80 x 24 is usable, 142 x 42 comfortable."
		}
	}
	list = append(list, app.HealthCheck{Name: "terminal", Says: says, Advice: advice})
	var set []string
	for _, name := range []string{"COLORTERM", "COLORFGBG", "NO_COLOR", "LC_ALL", "LC_CTYPE", "LANG", "TMUX", "EDITOR", "VISUAL", "GIT_DIR"} {
		if value, ok := os.LookupEnv(name); ok {
			set = append(set, name+"="+value)
		}
	}
	return append(list, app.HealthCheck{Name: "environment", Says: strings.Join(set, " ")})
}

// inRepository is what there is to say of the repository, if there is one.
func (c *command) inRepository(ctx context.Context) ([]app.HealthCheck, error) {
	a, note, err := app.Open(repo.Because(ctx, "doctor"), c.dir, repo.WithTerminal())
	if errors.Is(err, repo.ErrNoRepository) {
		return []app.HealthCheck{{Name: "repository", Says: "none here"}}, nil
	}
	if err != nil {
		return []app.HealthCheck{{Name: "repository", Says: app.FirstLine(err.Error()), Advice: cmp.Or(app.Advice(err), "See above.")}}, nil
	}
	defer a.Close()
	list, err := a.Health(ctx)
	if note != "" {
		list = append(list, app.HealthCheck{Name: "at the start", Says: note})
	}
	return list, err
}
