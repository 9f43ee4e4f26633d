package test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// lasting is a cause that stays: it is brought about in a repository, and taken away again. Some are only so for a command that is
// started in their way.
type lasting struct {
	begin func(t *testing.T, f *fixture.Repo, n int) (end func())
	start func(n int, args ...string) *exec.Cmd // nil: as usual
	other bool                                  // it is met by another user than the superuser, whom nothing stops
}

var lastingCauses = map[string]lasting{
	"a filter that fails": {begin: func(t *testing.T, f *fixture.Repo, n int) func() {
		counter := filepath.Join(f.Dir, ".git", "smudged")
		script := fmt.Sprintf("echo >>'%s'; test $(wc -l <'%s') -le %d && cat", counter, counter, n)
		f.Git("config", "filter.fails.smudge", script)
		f.Git("config", "filter.fails.clean", "cat")
		f.Git("config", "filter.fails.required", "true")
		attributes := filepath.Join(f.Dir, ".git", "info", "attributes")
		require.NoError(t, os.MkdirAll(filepath.Dir(attributes), 0o777))
		require.NoError(t, os.WriteFile(attributes, []byte("* filter=fails\n"), 0o666))
		return func() { f.Git("config", "filter.fails.smudge", "cat") }
	}},
	"a content that is missing": {begin: func(t *testing.T, f *fixture.Repo, n int) func() {
		var blobs []string
		for line := range strings.SplitSeq(f.Git("rev-list", "--objects", "--all"), "\n") {
			id, _, _ := strings.Cut(line, " ")
			name := filepath.Join(f.Dir, ".git", "objects", id[:2], id[2:])
			if _, err := os.Stat(name); err == nil && f.Git("cat-file", "-t", id) == "blob" {
				blobs = append(blobs, name)
			}
		}
		slices.Sort(blobs)
		gone := blobs[n%len(blobs)]
		require.NoError(t, os.Rename(gone, gone+".gone"))
		return func() { require.NoError(t, os.Rename(gone+".gone", gone)) }
	}},
	"a folder that cannot be written": {
		begin: func(t *testing.T, f *fixture.Repo, n int) func() {
			shut := []string{".", "dir", ".git", ".git/objects", ".git/refs/heads", ".git/bastel"}[n%6]
			out, err := exec.Command("chown", "-R", "65534:65534", filepath.Dir(f.Dir)).CombinedOutput()
			require.NoError(t, err, "%s", out)
			folder := filepath.Join(f.Dir, shut)
			if os.Chmod(folder, 0o555) != nil {
				return func() {}
			}
			return func() { require.NoError(t, os.Chmod(folder, 0o777)) }
		},
		start: func(_ int, args ...string) *exec.Cmd {
			cmd := exec.Command(args[0], args[1:]...)
			cmd.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: 65534, Gid: 65534}}
			return cmd
		},
		other: true,
	},
	"a disk that is full": {
		begin: func(t *testing.T, f *fixture.Repo, n int) func() {
			place := filepath.Dir(f.Dir)
			must := func(args ...string) {
				out, err := exec.Command(args[0], args[1:]...).CombinedOutput()
				require.NoError(t, err, "%v: %s", args, out)
			}
			must("mv", place, place+".large")
			require.NoError(t, os.Mkdir(place, 0o777))
			if exec.Command("mount", "-t", "tmpfs", "-o", "size=4m", "tmpfs", place).Run() != nil { // not allowed here
				require.NoError(t, os.Remove(place))
				must("mv", place+".large", place)
				return func() {}
			}
			must("cp", "-a", place+".large/.", place)
			var room syscall.Statfs_t
			require.NoError(t, syscall.Statfs(place, &room))
			filler := filepath.Join(place, "filler")
			require.NoError(t, os.WriteFile(filler, make([]byte, max(0, int64(room.Bavail)*room.Bsize-int64(n)*20<<10)), 0o666))
			return func() {
				must("rm", "-rf", filler, place+".large")
				must("cp", "-a", place, place+".large")
				must("umount", place)
				require.NoError(t, os.Remove(place))
				must("mv", place+".large", place)
			}
		},
		other: true,
	},
	"a limit on the size of files": {
		begin: func(*testing.T, *fixture.Repo, int) func() { return func() {} },
		start: func(n int, args ...string) *exec.Cmd {
			return exec.Command("sh", append([]string{"-c", fmt.Sprintf(`ulimit -f %d; trap '' XFSZ; exec "$@"`, n%4), "limit"}, args...)...)
		},
	},
}

// TestWhatCannotBeFinishedIsTakenBack: whatever kind of step meets whatever cause that lasts, it is refused before anything moved, or
// taken back whole; so it is for the next command, with the cause still there, and with the cause gone: a step that failed is
// never finished later. Then it can be given again.
func TestWhatCannotBeFinishedIsTakenBack(t *testing.T) {
	program, err := exec.LookPath("bastel")
	require.NoError(t, err)
	for dir := filepath.Dir(program); dir != "/" && dir != os.TempDir(); dir = filepath.Dir(dir) { // the other user runs it too
		_ = os.Chmod(dir, 0o755)
	}
	causes := []string{}
	for cause := range lastingCauses {
		if os.Getuid() == 0 || !lastingCauses[cause].other {
			causes = append(causes, cause)
		}
	}
	slices.Sort(causes)
	for name, kind := range killedKinds {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			root := t.TempDir()
			for dir := root; dir != "/" && dir != os.TempDir(); dir = filepath.Dir(dir) { // for the other user
				_ = os.Chmod(dir, 0o755)
			}
			f := killedBranch(t, filepath.Join(root, "0"))
			kind.prepare(f)
			before, _ := stateOf(f)
			copies := 0
			again := func() *fixture.Repo {
				copies++
				to := filepath.Join(root, fmt.Sprint(copies))
				out, err := exec.Command("cp", "-a", filepath.Join(root, "0"), to).CombinedOutput()
				require.NoError(t, err, "%s", out)
				return fixture.Existing(t, filepath.Join(to, "work"))
			}
			whole := again()
			bastelIn(whole, kind.args...)
			after, _ := stateOf(whole)
			random := fixture.Random(t, int64(len(name))*7)
			table := map[string][3]int{}
			for i := range fixture.Rounds(1, 12*len(causes)) {
				cause := causes[(i+random.Intn(len(causes)))%len(causes)]
				n := random.Intn(12)
				f := again()
				end := lastingCauses[cause].begin(t, f, n)
				start := func(n int, args ...string) *exec.Cmd {
					cmd := exec.Command(args[0], args[1:]...)
					if lastingCauses[cause].start != nil {
						cmd = lastingCauses[cause].start(n, args...)
					}
					cmd.Dir = f.Dir
					cmd.Env = append(os.Environ(), "GIT_CONFIG_COUNT=3", "GIT_CONFIG_KEY_2=safe.directory", "GIT_CONFIG_VALUE_2=*", "HOME="+root)
					return cmd
				}
				cmd := start(n, append([]string{"bastel"}, kind.args...)...)
				out, err := cmd.CombinedOutput()
				when := fmt.Sprintf("%s, %s (%d): %v: %s", name, cause, n, err, out)
				now := func() string {
					if lastingCauses[cause].other {
						_ = exec.Command("chown", "-R", "0:0", filepath.Dir(f.Dir)).Run()
						defer exec.Command("chown", "-R", "65534:65534", filepath.Dir(f.Dir)).Run()
					}
					here, _ := stateOf(f)
					return here
				}
				counts := table[cause]
				want := before
				if err == nil {
					want = after
					counts[0]++
				} else {
					counts[1]++
					require.Contains(t, []int{1, 3}, cmd.ProcessState.ExitCode(), "%s", when)
				}
				require.Equal(t, want, now(), "%s", when)
				next, nextErr := start(n, "bastel", "journal").CombinedOutput()
				require.Equal(t, want, now(), "the next command, the cause still there: %s\n%v %s", when, nextErr, next)
				end()
				_ = exec.Command("chown", "-R", "0:0", filepath.Dir(f.Dir)).Run() // where it was another user's
				bastelIn(f, "journal")
				here, _ := stateOf(f)
				require.Equal(t, want, here, "the cause is gone: %s", when)
				if err != nil && name != "land" {
					_, locked := os.Lstat(filepath.Join(f.Dir, ".git", "index.lock"))
					require.Error(t, locked, "a lock is left: %s; then %s", when, next)
					bastelIn(f, kind.args...)
					here, _ = stateOf(f)
					require.Equal(t, after, here, "given again: %s", when)
				}
				table[cause] = counts
				require.NoError(t, os.RemoveAll(filepath.Dir(f.Dir)))
			}
			for _, cause := range causes {
				t.Logf("%-16s %-32s done %2d, before or taken back whole %2d", name, cause, table[cause][0], table[cause][1])
			}
		})
	}
}

// TestAStepThatIsLeftIsSaid: where neither the rest of a killed step can be done nor what was done be taken back, all that only reads
// works and says so, nothing else is changed, and it is ended either way by what doctor is asked.
func TestAStepThatIsLeftIsSaid(t *testing.T) {
	for way, want := range map[string]string{"--finish": "elsewhere", "--take-back": "topic"} {
		f := killedBranch(t, t.TempDir())
		elsewhere(f)
		real, err := exec.LookPath("git")
		require.NoError(t, err)
		bin := t.TempDir()
		script := "#!/bin/sh\ncase \"$*\" in update-ref*--stdin*) " + real + " \"$@\"; kill -9 $PPID; exit 1;; esac\nexec " + real + " \"$@\"\n"
		require.NoError(t, os.WriteFile(filepath.Join(bin, "git"), []byte(script), 0o777))
		killed := exec.Command("bastel", "switch", "elsewhere")
		killed.Dir, killed.Env = f.Dir, append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"))
		require.Error(t, killed.Run())
		laidOut, err := filepath.Glob(filepath.Join(f.Dir, ".git", "bastel", "layout-*"))
		require.NoError(t, err)
		require.Len(t, laidOut, 1)
		require.NoError(t, os.RemoveAll(laidOut[0])) // all that it needs
		run := func(args ...string) (string, error) {
			cmd := exec.Command("bastel", args...)
			cmd.Dir = f.Dir
			out, err := cmd.CombinedOutput()
			return string(out), err
		}
		for _, reads := range [][]string{{"status"}, {"journal"}, {"hunks"}, {"branches"}, {"doctor"}} {
			said, err := run(reads...)
			require.NoError(t, err, "%s", said)
			require.Contains(t, said, "was interrupted")
		}
		before, _ := stateOf(f)
		for _, changes := range [][]string{{"switch", "main"}, {"stage", "a"}, {"undo"}, {"loosen", "HEAD"}} {
			said, err := run(changes...)
			require.Error(t, err, "%s", said)
		}
		after, _ := stateOf(f)
		require.Equal(t, before, after)
		said, err := run("doctor", way)
		require.NoError(t, err, "%s", said)
		require.Contains(t, said, "what differs is loose")
		require.Equal(t, want, f.Git("symbolic-ref", "--short", "HEAD"))
		require.Equal(t, f.Git("write-tree"), f.Git("rev-parse", "HEAD^{tree}"), "index and HEAD say the same")
		said, err = run("switch", "main", "--aside")
		require.NoError(t, err, "%s", said)
	}
}
