// Command manual writes the manual pages, and what shells complete by, into a folder: make install and packages put them where
// they belong. It is a program of its own, since what it needs for that would be started with every other command.
//
// Its tests promise: pages and completions are the same twice, pages have no warnings, and shells understand the completions.
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"bastel/internal/cli"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: manual DIR")
		os.Exit(2)
	}
	if err := write(cli.Commands(), os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, "manual:", err)
		os.Exit(1)
	}
}

func write(root *cobra.Command, dir string) error {
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
}
