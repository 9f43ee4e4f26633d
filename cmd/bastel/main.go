// Command bastel turns a messy working tree and a messy branch into a clean series
// of commits, and sends it to the shared remote.
package main

import (
	"os"

	"bastel/internal/ask"
	"bastel/internal/cli"
	"bastel/internal/lifeline"
)

func main() {
	ask.Main()
	lifeline.Main()
	os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr))
}
