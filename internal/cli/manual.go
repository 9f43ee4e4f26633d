package cli

import (
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// manual writes the manual pages and what shells complete by into a folder: make install and packages put them where they belong.
func (c *command) manual(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use:    "manual DIR",
		Short:  "Write manual pages, and completions for shells, into a folder",
		Args:   cobra.ExactArgs(1),
		Hidden: true,
		RunE: func(_ *cobra.Command, args []string) error {
			c.began = true
			dir := args[0]
			if err := os.MkdirAll(dir, 0o777); err != nil {
				return fmt.Errorf("write the manual: %w", err)
			}
			root.DisableAutoGenTag = true // the same pages twice
			if err := doc.GenManTree(root, &doc.GenManHeader{Title: "BASTEL", Section: "1", Manual: "Bastel", Source: "Bastel"}, dir); err != nil {
				return fmt.Errorf("write the manual: %w", err)
			}
			for name, write := range map[string]func(file string) error{
				"bastel.bash": func(file string) error { return root.GenBashCompletionFileV2(file, true) },
				"_bastel":     root.GenZshCompletionFile,
				"bastel.fish": func(file string) error { return root.GenFishCompletionFile(file, true) },
			} {
				if err := write(filepath.Join(dir, name)); err != nil {
					return fmt.Errorf("write the completions: %w", err)
				}
			}
			return nil
		},
	}
}
