// Package test holds the tests that cross packages: the command line as scripts
// that read as stories, the laws of the architecture, and crashes.
package test

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/fsnotify/fsnotify"
	"github.com/rogpeppe/go-internal/testscript"

	"bastel/internal/ask"
	"bastel/internal/cli"
	"bastel/internal/lifeline"
)

func TestMain(m *testing.M) {
	ask.Main()
	lifeline.Main()
	testscript.Main(m, map[string]func(){
		"bastel": func() { os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) },
	})
}

func TestScripts(t *testing.T) {
	testscript.Run(t, testscript.Params{
		Dir:                 "script",
		RequireExplicitExec: true,
		Setup: func(env *testscript.Env) error {
			env.Setenv("HOME", env.WorkDir)
			env.Setenv("XDG_STATE_HOME", env.WorkDir+"/state")
			env.Setenv("GIT_CONFIG_GLOBAL", env.WorkDir+"/gitconfig")
			env.Setenv("GIT_CONFIG_NOSYSTEM", "1")
			config := "[user]\n\tname = Ines Falk\n\temail = ines@lanternquay.example\n[init]\n\tdefaultBranch = main\n[protocol " +
				"\"file\"]\n\tallow = always\n[advice]\n\tdetachedHead = false\n"
			return os.WriteFile(env.WorkDir+"/gitconfig", []byte(config), 0o666)
		},
		Cmds: map[string]func(*testscript.TestScript, bool, []string){
			"exits": exits, "hunk": hunk, "jsonhas": jsonHas, "waitfor": waitFor, "write": write,
		},
	})
}

// waitFor FILE: until the file is there.
func waitFor(ts *testscript.TestScript, _ bool, args []string) {
	watcher, err := fsnotify.NewWatcher()
	ts.Check(err)
	defer watcher.Close()
	late, file := time.After(patience), ts.MkAbs(args[0])
	for {
		for dir := filepath.Dir(file); dir != filepath.Dir(dir); dir = filepath.Dir(dir) {
			_ = watcher.Add(dir) // of those above it some are there, and tell when the next one is
		}
		if _, err := os.Stat(file); err == nil {
			return
		}
		select {
		case <-watcher.Events:
		case err := <-watcher.Errors:
			ts.Check(err)
		case <-late:
			ts.Fatalf("%s never came", args[0])
		}
	}
}

// exits N bastel ARGS...: the command ends with status N.
func exits(ts *testscript.TestScript, _ bool, args []string) {
	want, err := strconv.Atoi(args[0])
	ts.Check(err)
	err = ts.Exec(args[1], args[2:]...)
	var exit *exec.ExitError
	got := 0
	if errors.As(err, &exit) {
		got = exit.ExitCode()
	} else {
		ts.Check(err)
	}
	if got != want {
		ts.Fatalf("%s ended with status %d, want %d", strings.Join(args[1:], " "), got, want)
	}
}

// hunk NAME PATH N [--staged]: sets NAME to the id of the Nth hunk of PATH, which
// may have Go's escapes.
func hunk(ts *testscript.TestScript, _ bool, args []string) {
	n, err := strconv.Atoi(args[2])
	ts.Check(err)
	path, err := strconv.Unquote(`"` + args[1] + `"`)
	ts.Check(err)
	ts.Check(ts.Exec("bastel", append([]string{"hunks", "--json"}, args[3:]...)...))
	var listed struct {
		Hunks []struct{ ID, Path string }
	}
	ts.Check(json.Unmarshal([]byte(ts.ReadFile("stdout")), &listed))
	for _, h := range listed.Hunks {
		if h.Path == path {
			if n--; n == 0 {
				ts.Setenv(args[0], h.ID)
				return
			}
		}
	}
	ts.Fatalf("no such hunk in %s", ts.ReadFile("stdout"))
}

// jsonHas PATH WANT: the last output is one JSON document in which the value at
// PATH, such as steps.0.result, prints as WANT; n=3 is a list of three.
func jsonHas(ts *testscript.TestScript, neg bool, args []string) {
	var value any
	ts.Check(json.Unmarshal([]byte(ts.ReadFile("stdout")), &value))
	for part := range strings.SplitSeq(args[0], ".") {
		switch v := value.(type) {
		case map[string]any:
			value = v[part]
		case []any:
			at, err := strconv.Atoi(part)
			ts.Check(err)
			if at >= len(v) {
				ts.Fatalf("%s: there are %d only", args[0], len(v))
			}
			value = v[at]
		}
	}
	if list, ok := value.([]any); ok && strings.HasPrefix(args[1], "n=") {
		value = fmt.Sprintf("n=%d", len(list))
	}
	if (fmt.Sprint(value) == args[1]) == neg {
		ts.Fatalf("%s is %v, want %s", args[0], value, args[1])
	}
}

// write PATH [TEXT]: writes a file; both may have Go's escapes.
func write(ts *testscript.TestScript, _ bool, args []string) {
	text, err := strconv.Unquote(`"` + strings.Join(args[1:], "") + `"`)
	ts.Check(err)
	path, err := strconv.Unquote(`"` + args[0] + `"`)
	ts.Check(err)
	ts.Check(os.WriteFile(ts.MkAbs(path), []byte(text), 0o666))
}
