package test

import (
	"encoding/json"
	"fmt"
	"math/rand"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// walker does anything that can be done by commands, and keeps an eye on what must never happen.
type walker struct {
	*fixture.Repo
	t       *testing.T
	random  *rand.Rand
	eol     string // as the repository writes line ends: a clean file comes back with those, whatever it had
	tokens  int
	history []string // what was done, for who reads a failure
}

// kindsOfRepositories are the formats and settings in which a walk goes.
var kindsOfRepositories = map[string]struct {
	init     []string
	settings []string
	after    [][]string
}{
	"usual":        {},
	"sha256":       {init: []string{"--object-format=sha256"}},
	"index v4":     {settings: []string{"index.version=4"}},
	"index v3":     {settings: []string{"index.version=3"}},
	"split":        {settings: []string{"core.splitIndex=true"}},
	"autocrlf":     {settings: []string{"core.autocrlf=true", "core.safecrlf=false"}},
	"no modes":     {settings: []string{"core.fileMode=false"}},
	"no links":     {settings: []string{"core.symlinks=false"}},
	"ignore case":  {settings: []string{"core.ignoreCase=true"}},
	"untracked":    {settings: []string{"core.untrackedCache=true", "feature.manyFiles=true"}},
	"sparse":       {after: [][]string{{"sparse-checkout", "set", "--no-cone", "/*", "!/far/"}}},
	"sparse index": {after: [][]string{{"sparse-checkout", "set", "--cone", "--sparse-index", "near"}}},
	"no seconds":   {settings: []string{"core.trustctime=false"}},
}

var walkedPaths = []string{"a", "b", "near/c", "near/d", "ü e"}

func newWalker(t *testing.T, kind string, random *rand.Rand) *walker {
	k := kindsOfRepositories[kind]
	f := fixture.At(t, filepath.Join(t.TempDir(), "work"), k.init...)
	remote := fixture.At(t, filepath.Join(t.TempDir(), "shared.git"), append([]string{"--bare"}, k.init...)...)
	f.Git("remote", "add", "origin", remote.Dir)
	for _, s := range k.settings {
		key, value, _ := strings.Cut(s, "=")
		f.Git("config", key, value)
	}
	files := []string{".gitignore", "*.log\n"}
	for _, path := range append(walkedPaths, "far/z") {
		files = append(files, path, numberedLines(12))
	}
	f.Commit("base", files...)
	f.Git("push", "--quiet", "--set-upstream", "origin", "main")
	f.Git("switch", "--quiet", "-c", "topic", "--no-track")
	f.Commit("one", "a", strings.Replace(numberedLines(12), "line 3\n", "three\n", 1), "new one", "1\n")
	f.Commit("two", "near/c", strings.Replace(numberedLines(12), "line 9\n", "nine\n", 1))
	f.Commit("three", "b", strings.Replace(numberedLines(12), "line 5\n", "five\n", 1))
	f.Git("branch", "other", "main")
	for path := range strings.SplitSeq(f.Git("-c", "core.quotePath=false", "ls-files"), "\n") { // they lie as the repository writes them
		require.NoError(t, os.Remove(filepath.Join(f.Dir, path)))
	}
	f.Git("checkout", "--quiet", "--force", "topic")
	for _, args := range k.after {
		f.Git(args...)
	}
	eol := "\n"
	if kind == "autocrlf" {
		eol = "\r\n"
	}
	return &walker{Repo: f, t: t, random: random, eol: eol}
}

func (w *walker) one(list ...string) string { return list[w.random.Intn(len(list))] }

// saves has somebody save a file: a line of its own goes into it.
func (w *walker) saves() {
	path := w.one(append(walkedPaths, "new", "near/new", "x.log")...)
	w.tokens++
	token := fmt.Sprintf("token-%d.", w.tokens)
	name := filepath.Join(w.Dir, path)
	if os.MkdirAll(filepath.Dir(name), 0o777) != nil {
		return
	}
	data, _ := os.ReadFile(name)
	lines := strings.SplitAfter(string(data), "\n")
	at := w.random.Intn(len(lines))
	text := strings.Join(lines[:at], "") + token + w.eol + strings.Join(lines[at:], "")
	if err := os.WriteFile(name, []byte(text), 0o666); err == nil {
		w.history = append(w.history, "saves "+token+" in "+path)
	}
}

// colleague has somebody else push to the shared branch.
func (w *walker) colleague() {
	clone := filepath.Join(w.t.TempDir(), fmt.Sprint("mira-", len(w.history)))
	remote := w.Git("remote", "get-url", "origin")
	if exec.Command("git", "clone", "--quiet", "--branch", "main", remote, clone).Run() != nil {
		return
	}
	c := fixture.Existing(w.t, clone).ByMira()
	c.Commit("by Mira", "mira", fmt.Sprint(len(w.history), "\n"))
	_, _ = c.Run("push", "--quiet")
	w.history = append(w.history, "a colleague pushes")
}

func (w *walker) bastel(args ...string) (string, error) {
	cmd := exec.Command("bastel", args...)
	cmd.Dir = w.Dir
	out, err := cmd.CombinedOutput()
	w.history = append(w.history, fmt.Sprintf("bastel %q: %v", args, err))
	return string(out), err
}

// hunk is the id of one, loose or staged, and its file.
func (w *walker) hunk(staged bool) (id, path string) {
	args := []string{"hunks", "--json"}
	if staged {
		args = append(args, "--staged")
	}
	cmd := exec.Command("bastel", args...)
	cmd.Dir = w.Dir
	out, err := cmd.Output()
	var found struct{ Hunks []struct{ ID, Path string } }
	if err != nil || json.Unmarshal(out, &found) != nil || len(found.Hunks) == 0 {
		return "none", ""
	}
	h := found.Hunks[w.random.Intn(len(found.Hunks))]
	return h.ID, h.Path
}

// forGood are the commands that throw loose work away by its name, or move it out of sight; rest those whose undo is not here alone.
var (
	forGood = []string{"discard", "sweep", "switch --aside"}
	remotes = []string{"send", "land", "fetch", "takein"}
)

// command draws one.
func (w *walker) command() []string {
	id, path := w.hunk(w.random.Intn(3) == 0)
	commit := "HEAD~" + fmt.Sprint(w.random.Intn(3))
	commands := [][]string{
		{"stage", id}, {"stage", id}, {"stage", "--tray", w.one("B", "C"), id}, {"unstage", id}, {"stage", path}, {"discard", id},
		{"commit", "-m", "from A"}, {"commit", "--tray", "B", "-m", "from B"}, {"commit", "--tray", "C", "-m", "from C"},
		{"amend", "-m", "amended"}, {"loosen", "HEAD"}, {"loosen", commit, "--trays"}, {"home"}, {"home", id, "--into", commit},
		{"apply", w.plan()}, {"apply", w.plan()}, {"switch", w.one("main", "topic", "other")}, {"switch", w.one("main", "topic"), "--aside"},
		{"switch", fmt.Sprint("new-", len(w.history)), "--new"}, {"take", w.one("main", "topic", "other", "topic~1", "origin/main")},
		{"take", w.one("main~0", "topic~1"), "--", w.one(walkedPaths...)}, {"revert", commit, "-m", "back"}, {"sweep"}, {"sweep", "--branch"},
		{"move", "other", w.one("main", "topic~1"), "--yes"}, {"fetch"}, {"send"}, {"land"}, {"undo"}, {"redo"},
	}
	return commands[w.random.Intn(len(commands))]
}

// plan writes a plan of the branch, perhaps onto the target, with an entry left out or moved up.
func (w *walker) plan() string {
	name := filepath.Join(w.Dir, "..", "plan.toml")
	args := []string{"plan"}
	if w.random.Intn(2) == 0 {
		args = append(args, "--onto", w.one("main", "origin/main"))
	}
	cmd := exec.Command("bastel", args...)
	cmd.Dir = w.Dir
	out, _ := cmd.Output() // a plan that cannot be made is refused by who reads it
	text := string(out)
	if entries := strings.Split(text, "[[next]]"); len(entries) > 3 && w.random.Intn(2) == 0 {
		entries[1], entries[2] = entries[2], entries[1]
		text = strings.Join(entries, "[[next]]")
	}
	require.NoError(w.t, os.WriteFile(name, []byte(text), 0o666))
	return name
}

// loose are the tokens of working files that neither HEAD nor index has.
func (w *walker) loose() map[string]string {
	tokens := map[string]string{}
	for path := range strings.SplitSeq(w.Git("-c", "core.quotePath=false", "ls-files", "--cached", "--others"), "\n") {
		if path == "" {
			continue
		}
		for _, token := range tokenIn.FindAllString(textOf(w.Repo, path), -1) {
			tokens[token] = path
		}
	}
	return tokens
}

var tokenIn = regexp.MustCompile(`token-\d+\.`)

// kept are the tokens that some commit, the index or the journal has.
func (w *walker) kept() string {
	staged, _ := w.Run("grep", "--cached", "-h", "-o", "-E", `token-[0-9]+\.`)
	said, _ := w.Run("log", "--all", "-p", "--format=", "-m", "--unified=0", "HEAD")
	return staged + "\n" + said
}

func (w *walker) fail(format string, args ...any) {
	last := w.history[max(0, len(w.history)-12):]
	require.Fail(w.t, fmt.Sprintf(format, args...), "%s", strings.Join(last, "\n"))
}

// step does one thing, and says what it broke.
func (w *walker) step() {
	for range w.random.Intn(3) {
		w.saves()
	}
	if w.random.Intn(12) == 0 {
		w.colleague()
	}
	args := w.command()
	before, _ := stateOf(w.Repo)
	loose := w.loose()
	if w.random.Intn(10) == 0 { // a second one beside it
		beside := exec.Command("bastel", "stage", w.one(walkedPaths...))
		beside.Dir = w.Dir
		require.NoError(w.t, beside.Start())
		_, _ = w.bastel(args...)
		_ = beside.Wait() // refused or not
		w.nothingLost(args, loose)
		return
	}
	said, err := w.bastel(args...)
	after, _ := stateOf(w.Repo)
	if err != nil {
		if after != before && !slices.Contains(remotes, args[0]) {
			require.Equal(w.t, before, after, "a refusal changes nothing: %q: %s\n%s", args, said, strings.Join(w.history, "\n"))
		}
		return
	}
	w.nothingLost(args, loose)
	sorts := slices.Contains([]string{"stage", "unstage", "undo", "redo"}, args[0])
	if sorts || slices.Contains(remotes, args[0]) || after == before || w.random.Intn(2) == 0 {
		return
	}
	if said, err := w.bastel("undo"); err != nil {
		w.fail("it cannot be undone: %s", said)
	}
	again, _ := stateOf(w.Repo)
	require.Equal(w.t, before, again, "undo of %q is exactly before\n%s", args, strings.Join(w.history, "\n"))
	if said, err := w.bastel("redo"); err != nil {
		w.fail("it cannot be done again: %s", said)
	}
	again, _ = stateOf(w.Repo)
	require.Equal(w.t, after, again, "redo of %q is exactly after\n%s", args, strings.Join(w.history, "\n"))
}

// nothingLost fails where a token that was loose is nowhere any more, and nobody threw it away by its name.
func (w *walker) nothingLost(args []string, loose map[string]string) {
	for _, name := range forGood {
		if strings.Contains(args[0]+" "+strings.Join(args[1:], " "), name) || args[0] == name || strings.HasSuffix(name, "--aside") &&
			slices.Contains(args, "--aside") {
			return
		}
	}
	if args[0] == "undo" || args[0] == "redo" || args[0] == "switch" { // of what was thrown away, or put aside, before
		return
	}
	now := w.loose()
	var kept string
	for token, path := range loose {
		if _, ok := now[token]; ok {
			continue
		}
		if kept == "" {
			kept = w.kept()
		}
		if !strings.Contains(kept, token) {
			w.fail("%s, which lay in %s, is gone after %q", token, path, args)
		}
	}
}

// TestWalks goes any way through all commands, in repositories of every format and setting, with an editor, a colleague and a second
// Bastel beside it: no loose byte goes that was not thrown away by its name, each undo is exactly before, each redo exactly after, a
// refusal changes nothing, and the repository stays sound.
func TestWalks(t *testing.T) {
	kinds := []string{}
	for kind := range kindsOfRepositories {
		kinds = append(kinds, kind)
	}
	slices.Sort(kinds)
	for i := range fixture.Rounds(3, 200) {
		t.Run(fmt.Sprint(i), func(t *testing.T) {
			t.Parallel()
			random := fixture.Random(t, int64(i))
			kind := kinds[(i*3+random.Intn(2))%len(kinds)]
			w := newWalker(t, kind, random)
			defer func() {
				if t.Failed() {
					t.Logf("%s:\n%s", kind, strings.Join(w.history, "\n"))
				}
			}()
			for range fixture.Rounds(8, 150) {
				w.step()
			}
			w.Git("fsck", "--strict")
		})
	}
}
