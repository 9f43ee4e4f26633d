package cli

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
)

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
