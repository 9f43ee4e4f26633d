package test

import (
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// killed is a kind of operation: a command, and what it begins from.
type killed struct {
	args    []string
	prepare func(f *fixture.Repo)
}

// killedBranch is a branch with loose work of every kind and a remote, in a folder that can
// be copied: nothing in it names its place.
func killedBranch(t *testing.T, root string) *fixture.Repo {
	f := fixture.At(t, filepath.Join(root, "work"))
	shared := fixture.At(t, filepath.Join(root, "shared.git"), "--bare")
	f.Git("remote", "add", "origin", "../"+filepath.Base(shared.Dir))
	f.Write(".gitattributes", "*.crlf text eol=crlf\n")
	f.Commit("base", "a", numberedLines(30), "b", "1\n", "c.crlf", "one\ntwo\n", "gone", "x\n", "same", "s\n", "p.go", "package p\n")
	f.Git("push", "--quiet", "--set-upstream", "origin", "main")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("one", "n", "n\n", "b", "2\n")
	f.Commit("two", "a", strings.Replace(numberedLines(30), "line 3\n", "line three\n", 1), "dir/deep", "d\n")
	f.Commit("three", "b", "3\n", "m", "m\n")
	f.Git("config", "branch.topic.description", "about it")
	return f
}

func numberedLines(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "line %d\n", i)
	}
	return b.String()
}

// loose makes changes that are not committed: of lines, a private file, a new one, one that
// is gone, one with other line ends, one that is staged.
func loose(f *fixture.Repo) {
	f.Write("a", strings.Replace(f.Read("a"), "line 20\n", "line twenty\n", 1))
	f.Write("p.go", f.Read("p.go")+"\nfunc init() { fmt.Println(\"DEBUG here\") }\n")
	f.Write("new/file", "untracked\n")
	f.Write("c.crlf", "one\r\ntwo\r\nthree\r\n")
	f.Write("staged", "st\n")
	f.Git("add", "staged")
	_ = os.Chmod(filepath.Join(f.Dir, "new/file"), 0o600)
	_ = os.Remove(filepath.Join(f.Dir, "gone"))
}

var killedKinds = map[string]killed{
	"commit":  {[]string{"commit", "-m", "staged"}, loose},
	"stage":   {[]string{"stage", "a"}, loose},
	"unstage": {[]string{"unstage", "staged"}, loose},
	"revert":  {[]string{"revert", "HEAD"}, func(f *fixture.Repo) { f.Write("new/file", "untracked\n") }},
	"send":    {[]string{"send"}, func(f *fixture.Repo) { loose(f) }},
	"several": {[]string{"commit", "--all"}, func(f *fixture.Repo) {
		loose(f)
		bastelIn(f, "stage", "--tray", "B", "a")
		bastelIn(f, "message", "-m", "A")
		bastelIn(f, "message", "--tray", "B", "-m", "B")
	}},
	"amend":  {[]string{"amend", "-m", "three, amended"}, loose},
	"loosen": {[]string{"loosen", "HEAD~1"}, func(f *fixture.Repo) { f.Write("new/file", "untracked\n") }},
	"home":   {[]string{"home"}, func(f *fixture.Repo) { f.Write("m", "m\nmore\n"); f.Write("new/file", "untracked\n") }},
	"sweep":  {[]string{"sweep"}, loose},
	"sweep all": {[]string{"sweep", "--branch"}, func(f *fixture.Repo) {
		f.Commit("debug", "d.go", "package d\n\nfunc init() { fmt.Println(\"DEBUG\") }\n")
		f.Write("new/file", "u\n")
	}},
	"discard":      {[]string{"discard", "a", "c.crlf", "gone", "new/file"}, loose},
	"discard part": {[]string{"discard", "d74c358bf391"}, loose}, // the line that is loose in a
	"take": {[]string{"take", "elsewhere"}, func(f *fixture.Repo) {
		f.Git("switch", "--quiet", "-c", "elsewhere", "main")
		f.Git("rm", "--quiet", "same")
		f.Commit("from elsewhere", "e", "e\n", "c.crlf", "one\ntwo\nelse\n")
		f.Git("switch", "--quiet", "topic")
		f.Write("a", strings.Replace(f.Read("a"), "line 20\n", "line twenty\n", 1))
	}},
	"resolve": {[]string{"mend", "--resolved", "b"}, func(f *fixture.Repo) { conflict(f); f.Write("b", "both\n") }},
	"finish": {[]string{"mend", "--finish"}, func(f *fixture.Repo) {
		conflict(f)
		f.Write("b", "both\n")
		f.Git("add", "b")
		f.Write("new/file", "u\n")
	}},
	"give up": {[]string{"mend", "--give-up"}, func(f *fixture.Repo) { rebasing(f) }},
	"undo give up": {[]string{"undo"}, func(f *fixture.Repo) {
		rebasing(f)
		bastelIn(f, "mend", "--give-up")
	}},
	"take over": {[]string{"mend", "--take-over"}, func(f *fixture.Repo) { rebasing(f) }},
	"pick": {[]string{"mend", "--finish"}, func(f *fixture.Repo) {
		f.Git("switch", "--quiet", "-c", "other", "main")
		f.Commit("other b", "b", "other\n", "o", "o\n")
		f.Git("switch", "--quiet", "topic")
		_, _ = f.Run("cherry-pick", "other") // it conflicts
		f.Write("b", "both\n")
		f.Git("add", "b")
	}},
	"apply":          {[]string{"apply", "../plan.toml"}, func(f *fixture.Repo) { plan(f); f.Write("new/file", "untracked\n") }},
	"apply carrying": {[]string{"apply", "../plan.toml"}, func(f *fixture.Repo) { plan(f); loose(f) }},
	"undo carrying":  {[]string{"undo"}, func(f *fixture.Repo) { plan(f); loose(f); bastelIn(f, "apply", "../plan.toml") }},
	"forward": {[]string{"fetch", "--forward"}, func(f *fixture.Repo) {
		f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
		f.Git("reset", "--quiet", "--hard", "topic~2")
		f.Write("new/file", "untracked\n")
	}},
	"undo": {[]string{"undo"}, func(f *fixture.Repo) { loose(f); bastelIn(f, "discard", "a", "c.crlf", "gone", "new/file") }},
	"undo apply": {[]string{"undo"}, func(f *fixture.Repo) {
		plan(f)
		bastelIn(f, "apply", "../plan.toml")
		f.Write("new/file", "untracked\n")
	}},
	"undo commit": {[]string{"undo"}, func(f *fixture.Repo) { loose(f); bastelIn(f, "commit", "-m", "staged") }},
	"redo":        {[]string{"redo"}, func(f *fixture.Repo) { loose(f); bastelIn(f, "discard", "a", "new/file"); bastelIn(f, "undo") }},
	"land": {[]string{"land", "--delete"}, func(f *fixture.Repo) {
		f.Git("push", "--quiet", "origin", "topic")
		f.Write("new/file", "untracked\n")
	}},
	"switch": {[]string{"switch", "elsewhere"}, func(f *fixture.Repo) { elsewhere(f); f.Write("new/file", "untracked\n") }},
	"switch new": {[]string{"switch", "another", "--new", "--from", "topic~1"}, func(f *fixture.Repo) {
		f.Write("new/file", "untracked\n")
	}},
	"switch aside": {[]string{"switch", "elsewhere", "--aside"}, func(f *fixture.Repo) { elsewhere(f); loose(f) }},
	"undo aside": {[]string{"undo"}, func(f *fixture.Repo) {
		elsewhere(f)
		loose(f)
		bastelIn(f, "switch", "elsewhere", "--aside")
	}},
	"back from aside": {[]string{"switch", "topic"}, func(f *fixture.Repo) {
		elsewhere(f)
		loose(f)
		bastelIn(f, "switch", "elsewhere", "--aside")
	}},
	"undo switch": {[]string{"undo"}, func(f *fixture.Repo) { elsewhere(f); bastelIn(f, "switch", "elsewhere") }},
	"branches":    {[]string{"branch", "delete", "elsewhere", "--yes"}, func(f *fixture.Repo) { elsewhere(f); loose(f) }},
	"rename":      {[]string{"branch", "rename", "topic", "subject"}, loose},
	"move":        {[]string{"move", "topic", "topic~1", "--yes"}, func(f *fixture.Repo) { f.Write("new/file", "untracked\n") }},
	"undo land":   {[]string{"undo"}, func(f *fixture.Repo) { bastelIn(f, "land", "--delete") }},
}

// elsewhere is a branch with other content.
func elsewhere(f *fixture.Repo) {
	f.Git("switch", "--quiet", "-c", "elsewhere", "topic~2")
	f.Git("rm", "--quiet", "same")
	f.Commit("from elsewhere", "e", "e\n", "c.crlf", "one\ntwo\nelse\n")
	f.Git("switch", "--quiet", "topic")
}

func bastelIn(f *fixture.Repo, args ...string) {
	cmd := exec.Command("bastel", args...)
	cmd.Dir = f.Dir
	if out, err := cmd.CombinedOutput(); err != nil {
		panic(fmt.Sprintf("%v: %s", args, out))
	}
}

func conflict(f *fixture.Repo) {
	f.Git("switch", "--quiet", "-c", "other", "main")
	f.Commit("other b", "b", "other\n", "o", "o\n")
	f.Git("switch", "--quiet", "topic")
	_, _ = f.Run("merge", "--quiet", "other") // it conflicts
}

// rebasing has a rebase stop in a conflict, with loose work put away.
func rebasing(f *fixture.Repo) {
	f.Git("switch", "--quiet", "-c", "other", "main")
	f.Commit("other b", "b", "other\n", "o", "o\n")
	f.Git("switch", "--quiet", "topic")
	f.Write("same", "changed\n")
	_, _ = f.Run("rebase", "--autostash", "other")
	f.Write("new/file", "u\n")
}

func plan(f *fixture.Repo) {
	text := fmt.Sprintf("format = \"bastel-plan/1\"\nbranch = \"topic\"\ntip = %q\nleft_out = [%q]\n[[next]]\nfrom = [%q]\n[[next]]\nfrom "+
		"= [%q]\n",
		f.Git("rev-parse", "topic"), f.Git("rev-parse", "topic~1"), f.Git("rev-parse", "topic~2"), f.Git("rev-parse", "topic"))
	if err := os.WriteFile(filepath.Join(f.Dir, "..", "plan.toml"), []byte(text), 0o666); err != nil {
		panic(err)
	}
}

// stateOf is all that an operation may change, without what is Bastel's own.
func stateOf(f *fixture.Repo) (here, there string) {
	var b strings.Builder
	head, _ := f.Run("symbolic-ref", "--quiet", "HEAD") // detached it is empty
	fmt.Fprintln(&b, "HEAD", head)
	fmt.Fprintln(&b, f.Git("for-each-ref", "--format=%(refname) %(objectname)", "refs/heads"))
	fmt.Fprintln(&b, f.Git("ls-files", "--stage"))
	settings, _ := f.Run("config", "--get-regexp", "^branch[.].*[.]description")
	fmt.Fprintln(&b, settings)
	for _, name := range []string{"MERGE_HEAD", "CHERRY_PICK_HEAD", "rebase-merge/head-name", "rebase-merge/autostash", "sequencer/todo"} {
		data, err := os.ReadFile(filepath.Join(f.Dir, ".git", name))
		fmt.Fprintf(&b, "under way: %s %v %q\n", name, err == nil, data)
	}
	_ = filepath.WalkDir(f.Dir, func(path string, entry fs.DirEntry, err error) error {
		switch name := strings.TrimPrefix(path, f.Dir+"/"); {
		case err != nil || name == ".git":
			return filepath.SkipDir
		case !entry.IsDir():
			info, _ := entry.Info()
			data, _ := os.ReadFile(path)
			fmt.Fprintf(&b, "%s %s %q\n", name, info.Mode(), data)
		}
		return nil
	})
	shared := filepath.Join(f.Dir, "..", "shared.git")
	out, _ := exec.Command("git", "-C", shared, "for-each-ref").Output()
	return b.String(), string(out)
}

// harm is what befalls an operation at one of the commands that it starts. What hangs is stopped by the user.
var harm = []string{"killed before", "killed after", "failed before", "failed after", "cut short", "hung before"}

// killer is a folder with a git in it that counts, and at one number does harm: it kills who
// called it, or fails, before it has done its work or after.
func killer(t *testing.T) (dir, count string) {
	real, err := exec.LookPath("git")
	require.NoError(t, err)
	dir = t.TempDir()
	count = filepath.Join(dir, "count")
	script := strings.NewReplacer("COUNT", count, "REAL", real).Replace(`#!/bin/sh
echo "$*" >>COUNT
n=$(wc -l <COUNT)
if [ "$n" = "$HARM_AT" ]; then
	case $HARM in
	*after) REAL "$@" ;;
	cut*) # of a command that answers questions as they come nothing comes any more
		case $1 in cat-file|check-attr) REAL "$@" </dev/null ;; *) REAL "$@" ;; esac | head -c 20 ;;
	hung*) echo >COUNT.hung; exec sleep 600 ;;
	esac
	case $HARM in killed*) kill -KILL $PPID ;; esac
	exit 1
fi
exec REAL "$@"
`)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "git"), []byte(script), 0o777))
	return dir, count
}

// TestKilledIsBeforeOrAfter does harm to every kind of operation: it is killed, or a command
// that it starts fails, before and after that has done its work; it gets signals at random
// moments; the disk fills. After the next start the repository is sound and
// as it was before, or as it would be after; no byte of loose work is gone; and the command
// can be given again, or undone whole.
func TestKilledIsBeforeOrAfter(t *testing.T) {
	for name, kind := range killedKinds {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			root := t.TempDir()
			f := killedBranch(t, filepath.Join(root, "0"))
			kind.prepare(f)
			before, thereBefore := stateOf(f)
			bin, count := killer(t)
			copies := 0
			again := func() *fixture.Repo {
				copies++
				to := filepath.Join(root, fmt.Sprint(copies))
				out, err := exec.Command("cp", "-a", filepath.Join(root, "0"), to).CombinedOutput()
				require.NoError(t, err, "%s", out)
				return fixture.Existing(t, filepath.Join(to, "work"))
			}
			command := func(f *fixture.Repo, env ...string) *exec.Cmd {
				cmd := exec.Command("bastel", kind.args...)
				cmd.Dir = f.Dir
				cmd.Env = append(os.Environ(), env...)
				cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
				return cmd
			}
			whole := again()
			began := time.Now()
			out, err := command(whole, "PATH="+bin+":"+os.Getenv("PATH")).CombinedOutput()
			require.NoError(t, err, "%s", out)
			took := time.Since(began)
			after, thereAfter := stateOf(whole)
			require.NotEqual(t, before+thereBefore, after+thereAfter, "it does something")
			calls := lines(t, count)
			befores, afters := 0, 0
			check := func(f *fixture.Repo, when string) {
				removeLocks(t, f.Dir)
				bastelIn(f, "journal") // the next start
				here, there := stateOf(f)
				f.Git("fsck", "--strict")
				switch here {
				case before:
					befores++
				case after:
					afters++
				default:
					require.Equal(t, after, here, "%s: neither before nor after", when)
				}
				if name != "land" { // which is two pushes, each whole
					require.Contains(t, []string{thereBefore, thereAfter}, there, when)
				} else if there != thereBefore {
					require.Contains(t, there, whole.Git("rev-parse", "main")+" commit\trefs/heads/main", "%s: nothing is deleted before it landed", when)
				}
				if here == before && there == thereBefore {
					bastelIn(f, kind.args...)
					here, _ = stateOf(f)
					require.Equal(t, after, here, "%s: given again", when)
				}
				require.NoError(t, os.RemoveAll(filepath.Dir(f.Dir)))
			}
			random := fixture.Random(t, int64(len(name)))
			places := fixture.Rounds(len(harm), calls*len(harm))
			for i := range places {
				at := 1 + i/len(harm)
				if places < calls { // most of what matters comes late
					at = calls - random.Intn(calls/2)
				}
				f := again()
				require.NoError(t, os.Remove(count))
				cmd := command(f, "PATH="+bin+":"+os.Getenv("PATH"), fmt.Sprintf("HARM_AT=%d", at), "HARM="+harm[i%len(harm)])
				require.NoError(t, cmd.Start())
				if strings.HasPrefix(harm[i%len(harm)], "hung") {
					stopWhereItHangs(t, cmd, count+".hung")
				}
				_ = cmd.Wait() // it is killed, or says what failed
				waitForGroup(t, cmd.Process.Pid)
				check(f, fmt.Sprintf("%s at call %d of %d", harm[i%len(harm)], at, calls))
			}
			signals := []syscall.Signal{syscall.SIGKILL, syscall.SIGTERM, syscall.SIGINT, syscall.SIGHUP}
			for i := range fixture.Rounds(1, 60) {
				f := again()
				cmd := command(f)
				require.NoError(t, cmd.Start())
				<-time.After(time.Duration(random.Int63n(int64(took))))
				_ = syscall.Kill(-cmd.Process.Pid, signals[i%len(signals)]) // it may have ended by itself
				_ = cmd.Wait()
				waitForGroup(t, cmd.Process.Pid)
				check(f, fmt.Sprintf("%v at a random moment", signals[i%len(signals)]))
			}
			for i := range fixture.Rounds(0, 8) {
				full(t, filepath.Join(root, "0"), 20+40*i, func(f *fixture.Repo) {
					_ = command(f).Run() // where it needs more room it says so
				}, check)
			}
			if fixture.Rounds(0, 1) == 1 || name == "discard" || name == "apply" {
				unwritable(t, filepath.Join(root, "0"), func(f *fixture.Repo) {
					require.Error(t, command(f).Run(), "nothing can be written")
				}, check)
			}
			t.Logf("%-12s %3d calls, killed %2d times: %2d before, %2d after", name, calls, befores+afters, befores, afters)
		})
	}
}

// stopWhereItHangs stops a command as soon as what it waits for hangs, unless it ends before.
func stopWhereItHangs(t *testing.T, cmd *exec.Cmd, hung string) {
	ended := func() bool { return syscall.Kill(cmd.Process.Pid, 0) != nil || zombie(cmd.Process.Pid) }
	require.Eventually(t, func() bool {
		_, err := os.Stat(hung)
		return err == nil || ended()
	}, time.Minute, 5*time.Millisecond)
	_ = os.Remove(hung)
	// The first time it stops where that leaves nothing half done; the second time it ends. It may have ended by itself.
	for range 2 {
		_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGTERM)
		for range 120 {
			if ended() {
				return
			}
			<-time.After(10 * time.Millisecond)
		}
	}
	require.Eventually(t, ended, time.Minute, 10*time.Millisecond, "it cannot be stopped")
}

// zombie says that a process has ended and only nobody took note of it.
func zombie(pid int) bool {
	state, err := exec.Command("ps", "-o", "stat=", "-p", fmt.Sprint(pid)).Output()
	return err != nil || strings.HasPrefix(string(state), "Z")
}

// full does something in a copy on a small file system of its own that has some kilobytes
// left; where none can be mounted that is left to the stories, which limit file sizes.
func full(t *testing.T, from string, left int, do func(f *fixture.Repo), check func(f *fixture.Repo, when string)) {
	place := filepath.Join(t.TempDir(), "small")
	require.NoError(t, os.Mkdir(place, 0o777))
	if exec.Command("mount", "-t", "tmpfs", "-o", "size=4m", "tmpfs", place).Run() != nil {
		return
	}
	defer exec.Command("umount", place).Run()
	out, err := exec.Command("cp", "-a", from, filepath.Join(place, "x")).CombinedOutput()
	require.NoError(t, err, "%s", out)
	var room syscall.Statfs_t
	require.NoError(t, syscall.Statfs(place, &room))
	filler := filepath.Join(place, "filler")
	size := int64(room.Bavail)*room.Bsize - int64(left)<<10
	require.NoError(t, os.WriteFile(filler, make([]byte, max(0, size)), 0o666))
	f := fixture.Existing(t, filepath.Join(place, "x", "work"))
	do(f)
	require.NoError(t, os.Remove(filler))
	check(f, fmt.Sprintf("a disk with %d KB left", left))
}

// unwritable does something in a copy that cannot be written to: for the superuser, whom no
// permission stops, on a small file system that is made read-only.
func unwritable(t *testing.T, from string, do func(f *fixture.Repo), check func(f *fixture.Repo, when string)) {
	place := filepath.Join(t.TempDir(), "small")
	require.NoError(t, os.Mkdir(place, 0o777))
	shut := func(how string) error { return exec.Command("chmod", "-R", how, place).Run() }
	if os.Getuid() == 0 {
		if exec.Command("mount", "-t", "tmpfs", "-o", "size=8m", "tmpfs", place).Run() != nil {
			return
		}
		defer exec.Command("umount", place).Run()
		shut = func(how string) error {
			return exec.Command("mount", "-o", "remount,"+map[string]string{"a-w": "ro", "u+w": "rw"}[how], place).Run()
		}
	}
	out, err := exec.Command("cp", "-a", from, filepath.Join(place, "x")).CombinedOutput()
	require.NoError(t, err, "%s", out)
	f := fixture.Existing(t, filepath.Join(place, "x", "work"))
	require.NoError(t, shut("a-w"))
	do(f)
	require.NoError(t, shut("u+w"))
	check(f, "a folder that cannot be written to")
}

func lines(t *testing.T, name string) int {
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	return strings.Count(string(data), "\n")
}
