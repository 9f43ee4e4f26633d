package cli

import (
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
)

var update = flag.Bool("update", false, "write the pages that are made from the program anew")

const commandsIntroduction = `# Commands

Made from the program. Everything works without the screen. [Scripting](scripting.md) says what scripts can rely on, and
[the plan file](plan-file.md) what a plan looks like.
`

func commandPages(b *strings.Builder, cmd *cobra.Command) {
	if cmd.Hidden || cmd.Name() == "help" || cmd.Name() == "completion" {
		return
	}
	if cmd.Runnable() && cmd.HasParent() {
		fmt.Fprintf(b, "\n## %s\n\n", strings.TrimPrefix(cmd.CommandPath(), "bastel "))
		text := cmd.Long
		if text == "" {
			text = cmd.Short + "."
		}
		fmt.Fprintf(b, "`%s`\n\n%s\n", strings.TrimSuffix(cmd.UseLine(), " [flags]"), text)
		var flags strings.Builder
		cmd.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
			if f.Hidden || f.Name == "help" {
				return
			}
			name := "--" + f.Name
			if f.Shorthand != "" {
				name = "-" + f.Shorthand + ", " + name
			}
			kind, usage := pflag.UnquoteUsage(f)
			fmt.Fprintf(&flags, "| `%s` | %s |\n", strings.TrimSpace(name+" "+kind), strings.ReplaceAll(usage, "|", "\\|"))
		})
		if flags.Len() > 0 {
			b.WriteString("\n| flag | |\n| --- | --- |\n" + flags.String())
		}
		if cmd.Example != "" {
			fmt.Fprintf(b, "\n```\n%s\n```\n", strings.ReplaceAll(strings.TrimPrefix(cmd.Example, "  "), "\n  ", "\n"))
		}
	}
	for _, below := range cmd.Commands() {
		commandPages(b, below)
	}
}

// page holds a page of the documentation equal to what the program says, or writes it anew.
func page(t *testing.T, name, want string) {
	file := filepath.Join("..", "..", "docs", name)
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(want), 0o666))
	}
	have, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, want == string(have), "docs/%s is not what the program says: go test ./internal/cli -update writes it anew", name)
}

func TestThePageOfCommands(t *testing.T) {
	var b strings.Builder
	b.WriteString(commandsIntroduction)
	commandPages(&b, (&command{}).root())
	page(t, "commands.md", b.String())
}

func TestThePageOfConfiguration(t *testing.T) {
	var b strings.Builder
	b.WriteString("# Git's configuration\n\nMade from the program. What people have set, and what becomes of it here. `bastel doctor` lists " +
		"what of it is set in a repository.\nBastel's own settings: [settings](settings.md).\n\n| setting | heard | |\n| --- | --- | --- |\n")
	for _, c := range app.Configuration() {
		fmt.Fprintf(&b, "| `%s` | %s | %s |\n", strings.ReplaceAll(c.Key, ", ", "`, `"), c.Heard, c.Why)
	}
	page(t, "configuration.md", b.String())
}

// TestEachCommandShowsHowItIsUsed: help without an example, or an example that no command understands, helps nobody.
func TestEachCommandShowsHowItIsUsed(t *testing.T) {
	var each func(cmd *cobra.Command)
	each = func(cmd *cobra.Command) {
		if cmd.Runnable() && cmd.HasParent() && !cmd.Hidden && cmd.Name() != "help" && cmd.Parent().Name() != "completion" {
			assert.NotEmpty(t, cmd.Example, cmd.CommandPath())
			for line := range strings.Lines(cmd.Example) {
				for piece := range strings.SplitSeq(strings.TrimSpace(line), " | ") {
					understood(t, piece)
				}
			}
		}
		for _, below := range cmd.Commands() {
			each(below)
		}
	}
	each((&command{}).root())
}

// TestThePagesNameCommandsThatThereAre: what stands in blocks of the pages is understood.
func TestThePagesNameCommandsThatThereAre(t *testing.T) {
	pages, err := filepath.Glob("../../docs/*.md")
	require.NoError(t, err)
	checked := 0
	for _, name := range append(pages, "../../README.md") {
		page, err := os.ReadFile(name)
		require.NoError(t, err)
		block := false
		for line := range strings.Lines(string(page)) {
			block = block != strings.HasPrefix(line, "```")
			if block && strings.HasPrefix(line, "bastel ") {
				line, _, _ = strings.Cut(strings.TrimSpace(line), " | ")
				line, _, _ = strings.Cut(line, " && ")
				understood(t, line)
				checked++
			}
		}
	}
	assert.Greater(t, checked, 80)
}

// understood parses an example as the command would: its flags, and how many arguments there are.
func understood(t *testing.T, line string) {
	words, err := exec.Command("sh", "-c", "for word in "+strings.SplitN(strings.TrimPrefix(line, "bastel "), " > ", 2)[0]+
		`; do printf '%s\0' "$word"; done`).Output()
	require.NoError(t, err, line)
	args := strings.Split(strings.TrimSuffix(string(words), "\x00"), "\x00")
	cmd, rest, err := (&command{}).root().Find(args)
	require.NoError(t, err, line)
	require.NoError(t, cmd.ParseFlags(rest), line)
	if cmd.Args != nil {
		assert.NoError(t, cmd.Args(cmd, cmd.Flags().Args()), line)
	}
}
