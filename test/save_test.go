package test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// saver is a folder with a git in it that, before one of the commands it is asked to run, saves a line into a file: in place, or as
// another file in its place, as editors do.
func saver(t *testing.T) (dir, count string) {
	real, err := exec.LookPath("git")
	require.NoError(t, err)
	dir = t.TempDir()
	count = filepath.Join(dir, "count")
	script := strings.NewReplacer("COUNT", count, "REAL", real).Replace(`#!/bin/sh
echo "$*" >>COUNT
n=$(wc -l <COUNT)
if [ "$n" -ge "$SAVE_AT" ] && mkdir COUNT.saved 2>/dev/null; then # several may come at once
	if [ "$SAVE_HOW" = "in place" ]; then
		echo SAVED >>"$SAVE_FILE"
	else
		cp -p "$SAVE_FILE" "$SAVE_FILE.new~" 2>/dev/null || :
		echo SAVED >>"$SAVE_FILE.new~" && mv "$SAVE_FILE.new~" "$SAVE_FILE"
	fi || rmdir COUNT.saved # its folder is gone by now
fi
exec REAL "$@"
`)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "git"), []byte(script), 0o777))
	return dir, count
}

// TestASaveIsNeverLost: whoever saves a file while an operation of any kind is at work, before whichever of the commands that it
// starts, finds the save in the file afterwards, also where the operation is about that very file; or undo brings it back, where
// it had been read already and was thrown away by its name.
func TestASaveIsNeverLost(t *testing.T) {
	for name, kind := range killedKinds {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			root := t.TempDir()
			f := killedBranch(t, filepath.Join(root, "0"))
			kind.prepare(f)
			bin, count := saver(t)
			copies := 0
			run := func(at int, file, how string) (*fixture.Repo, string) {
				copies++
				to := filepath.Join(root, fmt.Sprint(copies))
				out, err := exec.Command("cp", "-a", filepath.Join(root, "0"), to).CombinedOutput()
				require.NoError(t, err, "%s", out)
				again := fixture.Existing(t, filepath.Join(to, "work"))
				cmd := exec.Command("bastel", kind.args...)
				cmd.Dir = again.Dir
				cmd.Env = append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"), fmt.Sprintf("SAVE_AT=%d", at), "SAVE_HOW="+how,
					"SAVE_FILE="+filepath.Join(again.Dir, file))
				_, _ = os.Remove(count), os.Remove(count+".saved")
				said, _ := cmd.CombinedOutput() // refused or not
				return again, string(said)
			}
			whole, said := run(1000, "none", "")
			calls := lines(t, count)
			touched := changedFiles(f, whole)
			require.NoError(t, os.RemoveAll(filepath.Dir(whole.Dir)), said)
			random := fixture.Random(t, int64(len(name))+7)
			ways := []string{"in place", "another"}
			for i := range fixture.Rounds(2, 2*calls) {
				at := 1 + i/2
				if fixture.Rounds(0, 1) == 0 {
					at = 1 + random.Intn(calls)
				}
				file := "p.go"
				if i%2 == 0 && len(touched) > 0 {
					file = touched[random.Intn(len(touched))]
				}
				how := ways[random.Intn(2)]
				f, said := run(at, file, how)
				if _, err := os.Stat(count + ".saved"); err != nil {
					continue // it was over before
				}
				saved := func() bool { return strings.Contains(textOf(f, file), "SAVED") }
				if !saved() {
					removeLocks(t, f.Dir)
					_, _ = exec.Command("bastel", "-C", f.Dir, "undo").CombinedOutput()
				}
				require.True(t, saved(), "%s was saved %s before call %d of %d and is gone: %s", file, how, at, calls, said)
				f.Git("fsck", "--strict")
				require.NoError(t, os.RemoveAll(filepath.Dir(f.Dir)))
			}
		})
	}
}

// textOf is what a working file holds; nothing where it is not there.
func textOf(f *fixture.Repo, path string) string {
	data, _ := os.ReadFile(filepath.Join(f.Dir, path))
	return string(data)
}

// changedFiles are those working files that two states of a repository have differently, and that lie in a folder that is there.
func changedFiles(before, after *fixture.Repo) (paths []string) {
	seen := map[string]bool{}
	for _, f := range []*fixture.Repo{before, after} {
		for path := range strings.SplitSeq(f.Git("ls-files", "--cached", "--others"), "\n") {
			if path != "" && !seen[path] && textOf(before, path) != textOf(after, path) {
				paths = append(paths, path)
			}
			seen[path] = true
		}
	}
	paths = slices.DeleteFunc(paths, func(path string) bool {
		_, err := os.Stat(filepath.Dir(filepath.Join(before.Dir, path)))
		return err != nil
	})
	slices.Sort(paths)
	return paths
}
