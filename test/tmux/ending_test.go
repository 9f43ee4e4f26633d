package tmux

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// TestWhateverEndsItTheTerminalIsAsBefore: line mode, echo, screen, cursor, mouse and keys are as they were, after every signal, those
// that nobody can catch too, and after a fault of the language's own system; what is known of a fault lies in a file that holds no
// content of files, and the next start names it once.
func TestWhateverEndsItTheTerminalIsAsBefore(t *testing.T) {
	for signal, fault := range map[syscall.Signal]bool{syscall.SIGHUP: false, syscall.SIGTERM: false, syscall.SIGKILL: false,
		syscall.SIGQUIT: true, syscall.SIGABRT: true, syscall.SIGSEGV: true} {
		t.Run(fmt.Sprint(signal), func(t *testing.T) {
			t.Parallel()
			f := fixture.New(t)
			f.Commit("base", "a", "1\n")
			f.Write("a", "a secret in a file\n")
			out := t.TempDir()
			script := filepath.Join(out, "run")
			require.NoError(t, os.WriteFile(script, fmt.Appendf(nil, `export TERM=xterm-256color LC_ALL=C.UTF-8 XDG_CACHE_HOME=%[1]s %[2]s=1
stty -g >%[1]s/before
sh -c 'echo $$ >%[1]s/pid; exec %[3]s'
while test -e %[1]s/wait; do :; done
stty -g >%[1]s/after
echo ENDED
read line
`, out, asMain, self(t)), 0o777))
			require.NoError(t, os.WriteFile(filepath.Join(out, "wait"), nil, 0o666))
			term := inTerminal(t, f.Dir, 100, 30, "sh "+script)
			term.waitFor("a secret")
			term.keys("j", "j", "?")
			term.waitFor("any other key closes")
			pid, err := os.ReadFile(filepath.Join(out, "pid"))
			require.NoError(t, err)
			number, err := strconv.Atoi(strings.TrimSpace(string(pid)))
			require.NoError(t, err)
			require.NoError(t, syscall.Kill(number, signal))
			flags := "#{alternate_on}#{cursor_flag}#{mouse_any_flag}#{keypad_cursor_flag}"
			require.Eventually(t, func() bool { return strings.TrimSpace(term.tmux("display-message", "-p", "-t", "s", flags)) == "0100" },
				patience, 20*time.Millisecond)
			require.NoError(t, os.Remove(filepath.Join(out, "wait")))
			term.waitFor("ENDED")
			before, err := os.ReadFile(filepath.Join(out, "before"))
			require.NoError(t, err)
			after, err := os.ReadFile(filepath.Join(out, "after"))
			require.NoError(t, err)
			assert.Equal(t, string(before), string(after))
			files := func(pattern string) []string {
				found, err := filepath.Glob(filepath.Join(out, "bastel", pattern))
				require.NoError(t, err)
				return found
			}
			require.Eventually(t, func() bool { return len(files("running-*")) == 0 }, patience, 20*time.Millisecond)
			if !fault {
				assert.Empty(t, files("crash-*"))
				return
			}
			require.Eventually(t, func() bool { return len(files("crash-*.txt")) == 1 }, patience, 20*time.Millisecond)
			known, err := os.ReadFile(files("crash-*.txt")[0])
			require.NoError(t, err)
			assert.NotContains(t, string(known), "secret")
			for _, part := range []string{"bastel ", "fault: ", "Sort\tj\nSort\tj", "goroutine "} {
				assert.Contains(t, string(known), part)
			}
			again := inTerminal(t, f.Dir, 100, 30, fmt.Sprintf("XDG_CACHE_HOME=%s TERM=xterm-256color LC_ALL=C.UTF-8 %s=1 exec %s", out,
				asMain, self(t)))
			again.waitFor("ended by a fault of its own")
		})
	}
}
