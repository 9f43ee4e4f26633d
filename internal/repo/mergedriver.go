package repo

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// MergeFiles is what a merge driver is given: three versions of a path.
type MergeFiles struct {
	Path              string
	Base, Left, Right []byte
	MarkerSize        int // 0: the usual 7
}

// RunMergeDriver has a program of the user's configuration merge three versions of a path, on files
// in a scratch folder. What stands for what in the command, and what its status means, is as
// gitattributes(5) has it: %O the base, %A the left side and the result, %B the right side, %L
// the size of markers, %P the path. Clean is false where it says that something is left to be settled, and where it could not be
// started, or failed.
func (r *Repo) RunMergeDriver(ctx context.Context, command string, files MergeFiles) (merged []byte, clean bool, err error) {
	dir, err := os.MkdirTemp("", "bastel-merge-")
	if err != nil {
		return nil, false, fmt.Errorf("make a folder for the merge driver of %q: %w", files.Path, err)
	}
	defer os.RemoveAll(dir)
	size := files.MarkerSize
	if size == 0 {
		size = 7
	}
	values := map[byte]string{'L': strconv.Itoa(size), 'P': shellQuoted(files.Path), 'S': "base", 'X': "left", 'Y': "right"}
	for letter, data := range map[byte][]byte{'O': files.Base, 'A': files.Left, 'B': files.Right} {
		name := filepath.Join(dir, string(letter))
		if err := os.WriteFile(name, data, 0o600); err != nil {
			return nil, false, fmt.Errorf("write the versions of %q for its merge driver: %w", files.Path, err)
		}
		values[letter] = shellQuoted(name)
	}
	cmd := exec.CommandContext(ctx, "/bin/sh", "-c", expanded(command, values))
	cmd.Dir = r.top
	cmd.Env = append(os.Environ(), r.env...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setsid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGTERM) }
	cmd.WaitDelay = 2 * time.Second
	said, err := cmd.CombinedOutput()
	if ctx.Err() != nil {
		return nil, false, fmt.Errorf("merge driver of %q: %w", files.Path, context.Cause(ctx))
	}
	var exit *exec.ExitError
	switch {
	case errors.As(err, &exit) && exit.ExitCode() > 0 && exit.ExitCode() <= 125:
	case err != nil:
		r.Log().WarnContext(ctx, "a merge driver failed: its file counts as conflicting", "command", command, "error", err, "said", len(said))
		return nil, false, nil
	default:
		clean = true
	}
	merged, err = os.ReadFile(filepath.Join(dir, "A"))
	if err != nil {
		return nil, false, fmt.Errorf("read what the merge driver made of %q: %w", files.Path, err)
	}
	return merged, clean, nil
}

// expanded puts values in the place of letters after a percent sign; %% is one.
func expanded(command string, values map[byte]string) string {
	var b strings.Builder
	for i := 0; i < len(command); i++ {
		if command[i] != '%' || i+1 == len(command) {
			b.WriteByte(command[i])
			continue
		}
		i++
		value, ok := values[command[i]]
		switch {
		case ok:
			b.WriteString(value)
		case command[i] == '%':
			b.WriteByte('%')
		default:
			b.WriteString(command[i-1 : i+1])
		}
	}
	return b.String()
}

// shellQuoted makes one word of a text, whatever it holds.
func shellQuoted(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }
