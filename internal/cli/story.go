package cli

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/safe"
)

// versionDocument is a version of a file in JSON.
type versionDocument struct {
	Commit  repo.ID   `json:"commit"`
	Path    string    `json:"path"`
	OldPath string    `json:"old_path,omitempty"` // of a renaming
	Subject string    `json:"subject"`
	Author  string    `json:"author"`
	Date    time.Time `json:"date"`
}

func (c *command) story() *cobra.Command {
	point, line := "", 0
	cmd := &cobra.Command{
		Use:   "story PATH [--at POINT] [--line N]",
		Short: "List the commits that changed a file, followed through renames; or the one that wrote a line",
		Long: `List the commits that changed a file up to a point, newest first, followed through renames. With --line the one
that wrote that line of it as it is there.`,
		Example: "  bastel story berth/plan.go\n  bastel story berth/plan.go --line 12\n  bastel story berth/plan.go --at origin/main",
		Args:    cobra.ExactArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			words, err := c.paths(ctx, a, args[:1])
			if err != nil {
				return err
			}
			story, err := charting.Of(a).Story(ctx, point, words[0])
			if err != nil {
				return err
			}
			shown := make([]int, len(story.Versions))
			for i := range shown {
				shown[i] = i
			}
			if line != 0 {
				at, err := story.Wrote(ctx, line)
				if err != nil {
					return err
				}
				shown = []int{at}
			}
			documents := []versionDocument{}
			for _, i := range shown {
				v, writer := story.Versions[i], story.Sources[i].Commit.Writer()
				documents = append(documents, versionDocument{v.Commit, v.Path, v.From, story.Sources[i].Commit.Subject(), writer.Name, writer.When})
			}
			return c.answer(map[string]any{"commits": documents}, func(w io.Writer) {
				for _, d := range documents {
					was := ""
					if d.OldPath != "" {
						was = "  was " + safe.Line(d.OldPath)
					}
					fmt.Fprintf(w, "%s  %s  %s  %s%s\n", d.Commit.Short(), d.Date.Format("2006-01-02"), safe.Line(d.Author), safe.Line(d.Subject), was)
				}
			})
		}),
	}
	cmd.Flags().StringVar(&point, "at", "HEAD", "the point up to which its story goes")
	cmd.Flags().IntVar(&line, "line", 0, "a line, counted from 1: the commit that wrote it")
	return cmd
}
