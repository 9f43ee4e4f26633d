package tmux

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestCompletionInShells: in zsh and fish, with what make install puts there, a tab completes branches, commands and paths. A shell
// that is not there is passed over; bash is in the scripts.
func TestCompletionInShells(t *testing.T) {
	for shell, begin := range map[string]func(manual string) (command string, first []string){
		"zsh": func(manual string) (string, []string) {
			return "zsh -f", []string{"text:PS1='%% '; fpath=(" + manual + " $fpath); autoload -Uz compinit; compinit -u -D; echo rea''dy",
				"Enter"}
		},
		"fish": func(manual string) (string, []string) {
			return "fish --no-config", []string{"text:function fish_prompt; echo '% '; end; source " + manual +
				"/bastel.fish; echo rea''dy", "Enter"}
		},
	} {
		t.Run(shell, func(t *testing.T) {
			if _, err := exec.LookPath(shell); err != nil {
				t.Skip(shell + " is not installed")
			}
			work, _ := makeDemo(t)
			bin, manual := t.TempDir(), t.TempDir()
			program := fmt.Sprintf("#!/bin/sh\n%s=1 exec %s \"$@\"\n", asMain, self(t))
			require.NoError(t, os.WriteFile(filepath.Join(bin, "bastel"), []byte(program), 0o777))
			out, err := exec.Command("go", "run", "bastel/cmd/manual", manual).CombinedOutput()
			require.NoError(t, err, "%s", out)
			t.Setenv("PATH", bin+":"+os.Getenv("PATH"))
			t.Setenv("HOME", t.TempDir())
			command, first := begin(manual)
			term := &terminal{t, fmt.Sprintf("bastel-%d-%d-%s", os.Getpid(), opened.Add(1), shell)}
			term.tmux("-f", os.DevNull, "new-session", "-d", "-s", "s", "-x", "142", "-y", "42", "-c", work.Dir, command)
			process := strings.TrimSpace(term.tmux("display-message", "-p", "-t", "s", "#{pane_pid}"))
			t.Cleanup(func() {
				exec.Command("tmux", "-L", term.name, "kill-server").Run()
				term.waitForTheEnd(process, work.Dir)
			})
			term.play(first...)
			term.play("+ready", "text:bastel switch feature/ber", "Tab", "+bastel switch feature/berth-board", "C-u",
				"text:bastel jour", "Tab", "+bastel journal", "C-u", "text:bastel story docs/gu", "Tab", "+bastel story docs/guide.md", "C-u")
		})
	}
}
