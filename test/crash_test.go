package test

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// TestKilledApplyIsBeforeOrAfter kills an apply at moments spread over its whole
// run, the process alone or with its children. The repository is sound each time,
// the branch is at its old or its new commit, and the next command brings index
// and working tree in line, with the loose change kept.
func TestKilledApplyIsBeforeOrAfter(t *testing.T) {
	f := fixture.New(t)
	for i := range 150 {
		f.Write(fmt.Sprintf("d%d/f%d", i%7, i), fmt.Sprintln("one", i))
	}
	f.Commit("base", "loose", "x\n")
	f.Git("switch", "--quiet", "-c", "feature")
	for i := range 150 {
		f.Write(fmt.Sprintf("d%d/f%d", i%7, i), fmt.Sprintln("two", i))
	}
	dropped := f.Commit("dropped", "only-here", "y\n")
	old := f.Commit("kept", "more", "z\n")
	f.Write("loose", "loose work\n")
	plan := filepath.Join(t.TempDir(), "plan.toml")
	require.NoError(t, os.WriteFile(plan, fmt.Appendf(nil, "format = \"bastel-plan/1\"\nbranch = \"feature\"\ntip = %q\nleft_out = "+
		"[%q]\n[[next]]\nfrom = [%q]\n", old, dropped, old), 0o666))
	apply := func() *exec.Cmd {
		cmd := exec.Command("bastel", "-C", f.Dir, "apply", plan)
		cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
		return cmd
	}
	began := time.Now()
	out, err := apply().CombinedOutput()
	require.NoError(t, err, "%s", out)
	whole := time.Since(began)
	next := f.Git("rev-parse", "HEAD")
	bastel(t, f, "undo")

	finished, kills := 0, fixture.Rounds(9, 120)
	for i := range kills {
		cmd := apply()
		require.NoError(t, cmd.Start())
		timer := time.NewTimer(whole * time.Duration(i) / time.Duration(kills-4))
		<-timer.C
		target := -cmd.Process.Pid // the whole group
		if i%2 == 1 {
			target = cmd.Process.Pid
		}
		_ = syscall.Kill(target, syscall.SIGKILL) // it may have ended by itself
		_ = cmd.Wait()
		waitForGroup(t, cmd.Process.Pid)

		removeLocks(t, f.Dir)
		head := f.Git("rev-parse", "HEAD")
		f.Git("fsck", "--strict")
		bastel(t, f, "journal")
		assert.Equal(t, " M loose", strings.TrimRight(f.Git("status", "--porcelain"), "\n"), "kill %d", i)
		assert.Equal(t, "loose work\n", f.Read("loose"))
		if head == old {
			assert.Equal(t, "two 0\n", f.Read("d0/f0"))
			continue
		}
		finished++
		author := f.Git("log", "-1", "--format=%s %T", head)
		assert.Equal(t, f.Git("log", "-1", "--format=%s %T", next), author)
		assert.Equal(t, "one 0\n", f.Read("d0/f0"))
		bastel(t, f, "undo")
		require.Equal(t, old, f.Git("rev-parse", "HEAD"))
	}
	assert.Less(t, finished, kills, "some were killed before the step")
	assert.Positive(t, finished, "some were killed after it")
	t.Logf("%d of %d were after the step", finished, kills)
}

func bastel(t *testing.T, f *fixture.Repo, args ...string) {
	t.Helper()
	out, err := exec.Command("bastel", append([]string{"-C", f.Dir}, args...)...).CombinedOutput()
	require.NoError(t, err, "%s", out)
}

// waitForGroup waits until no process of a group runs. Those that ended and whom
// nobody has collected yet do not count.
func waitForGroup(t *testing.T, group int) {
	t.Helper()
	require.Eventually(t, func() bool {
		stats, _ := filepath.Glob("/proc/[0-9]*/stat")
		for _, name := range stats {
			data, err := os.ReadFile(name)
			if err != nil {
				continue // ended meanwhile
			}
			// pid (name) state parent group: the name may hold anything.
			fields := strings.Fields(string(data[strings.LastIndexByte(string(data), ')')+1:]))
			if fields[2] == fmt.Sprint(group) && fields[0] != "Z" {
				return false
			}
		}
		return true
	}, 10*time.Second, time.Millisecond)
}

// removeLocks does what the error message asks for when a killed command has left
// its lock behind.
func removeLocks(t *testing.T, dir string) {
	for _, folder := range []string{filepath.Join(dir, ".git"), filepath.Join(dir, "..", "shared.git")} {
		require.NoError(t, filepath.WalkDir(folder, func(path string, _ os.DirEntry, err error) error {
			if errors.Is(err, fs.ErrNotExist) { // no remote, or a killed command has just ended
				return nil
			}
			if err == nil && strings.HasSuffix(path, ".lock") {
				err = os.Remove(path)
			}
			return err
		}))
	}
}
