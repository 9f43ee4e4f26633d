package cli

import (
	"fmt"
	"os"
	"runtime"
	"runtime/debug"
	"strings"

	"github.com/spf13/cobra"
)

// version says what this program was built from: its version, the commit if the build knew it, and the Go release.
func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return runtime.Version()
	}
	settings := map[string]string{}
	for _, s := range info.Settings {
		settings[s.Key] = s.Value
	}
	text := info.Main.Version
	if commit := settings["vcs.revision"]; commit != "" {
		text += ", commit " + commit[:min(len(commit), 12)]
		if settings["vcs.modified"] == "true" {
			text += " with changes"
		}
	}
	return strings.TrimPrefix(text+", ", ", ") + runtime.Version() + " " + runtime.GOOS + "/" + runtime.GOARCH
}

// folder refuses a word that is neither a command nor a folder, and says which command may be meant. Nothing is made of it.
func folder(root *cobra.Command, word string) error {
	info, err := os.Stat(word)
	if err == nil && info.IsDir() {
		return nil
	}
	if err == nil {
		return fmt.Errorf("%w: %q is a file; bastel opens the repository of a folder", errUsage, word)
	}
	text := fmt.Sprintf("there is no command and no folder %q", word)
	if meant := root.SuggestionsFor(word); len(meant) > 0 {
		text += "; perhaps bastel " + strings.Join(meant, " or bastel ") + " is meant"
	}
	return fmt.Errorf("%w: %s. bastel --help lists the commands", errUsage, text)
}
