package ui

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

func TestSendByKeys(t *testing.T) {
	for name, test := range map[string]struct {
		prepare func(f, remote *fixture.Repo)
		steps   []string
		check   func(t *testing.T, f, remote *fixture.Repo)
	}{
		"a new branch": {func(f, remote *fixture.Repo) {}, []string{"+A new branch there", "a", "+Sent 2 commits.",
			"+The remote has all of it."}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, f.Git("rev-parse", "topic"), remote.Git("rev-parse", "topic"))
			assert.Equal(t, "origin/topic", f.Git("rev-parse", "--abbrev-ref", "topic@{upstream}"))
		}},
		"more of it": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic~1:refs/heads/topic")
			f.Git("branch", "--quiet", "--set-upstream-to=origin/topic")
		}, []string{"+Change thirty", "a", "+Sent 1 commit."}, nil},
		"a rewritten one asks": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
			f.Git("commit", "--quiet", "--amend", "-m", "Change thirty anew")
		}, []string{"+of yours replaced", "a", "+On origin: 1 of yours replaced. y sends.", "n", "+Nothing was done.", "a", "+y sends.", "y",
			"+Sent "}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, "Change thirty anew", remote.Git("log", "-1", "--format=%s", "topic"))
		}},
		"a colleague's is never replaced": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
			f.Git("checkout", "--quiet", "-B", "theirs")
			f.Commit("Theirs", "theirs", "t\n")
			f.Git("push", "--quiet", "origin", "theirs:topic")
			f.Git("checkout", "--quiet", "topic")
			f.Git("branch", "--quiet", "-D", "theirs")
			f.Git("update-ref", "-d", "refs/remotes/origin/theirs")
			f.Git("commit", "--quiet", "--amend", "-m", "Change thirty anew")
		}, []string{"+Theirs", "a"}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, "Theirs", remote.Git("log", "-1", "--format=%s", "topic"))
		}},
		"a colleague's is taken in": {func(f, remote *fixture.Repo) {
			pushedInBetween(t, f, remote)
		}, []string{"+of yours replaced", "a", "+y sends.", "y", "+Somebody pushed to topic", "esc", "F", "+Theirs", "+not yours", "enter",
			"+Look", "esc", "Y", "+▰ Shape", "+from +", "a", "+became 3", "]", "]", "+▰ Send", "+of yours replaced", "a", "+y sends.", "y",
			"+Sent "}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, "Theirs\nChange thirty anew\nChange ten", remote.Git("log", "-3", "--format=%s", "topic"))
		}},
		"a colleague's is taken in, and the target moved": {func(f, remote *fixture.Repo) {
			other := pushedInBetween(t, f, remote)
			other.Git("switch", "--quiet", "main")
			other.Commit("On main", "m", "m\n")
			other.Git("push", "--quiet")
		}, []string{"+of yours replaced", "a", "+y sends.", "y", "+Somebody pushed to topic", "esc", "F", "+not yours", "Y", "+▰ Shape",
			"+C   Theirs", "a", "+became 3", "]", "]", "+▰ Send", "+of yours replaced"}, nil},
		"what differs": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
			f.Write("a.go", numbered(40, map[int]string{10: "ten\n", 30: "thirty, really\n"}))
			f.Git("commit", "--quiet", "--all", "--amend", "--no-edit")
		}, []string{"+changed", "enter", "+what differs between the changes of", "+thirty, really"}, nil},
		"land and delete": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
		}, []string{"+The remote has all of it", "V", "+origin/main, landed", "+It moves forward by 2 commits", "+topic stays.", "x",
			"+topic is deleted afterwards", "a", "+main on origin is at", "+On main", "u", "+Undo the landing: ", "y", "+Undid the landing",
			"+On topic", "X", "+topic is made anew on origin, at ", "y", "+topic on origin is at"}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, "* main\n  topic", remote.Git("branch"), "the branch is there again too")
			assert.Equal(t, f.Git("rev-parse", "topic"), remote.Git("rev-parse", "main"))
			assert.Empty(t, f.Git("status", "--porcelain"))
		}},
		"the target moved": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
			other := fixture.Existing(t, t.TempDir())
			other.Git("clone", "--quiet", "--branch", "main", remote.Dir, ".")
			other.Commit("Theirs", "theirs", "t\n")
			other.Git("push", "--quiet")
		}, []string{"+The remote has all of it", "V", "+origin/main, landed", "a", "+main on origin has moved on", "y", "+▰ Shape",
			"+onto origin/main", "a", "+2 commits became 2", "]", "]", "+and 1 that origin/main has already", "a", "+y sends.", "y", "+Sent ", "V",
			"+It moves forward by 2 commits", "a", "+main on origin is at"}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, "Change thirty\nChange ten\nTheirs", remote.Git("log", "-3", "--format=%s", "main"))
		}},
		"the target is ahead": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "origin", "main:refs/heads/keep")
			f.Git("switch", "--quiet", "main")
			f.Commit("Theirs", "theirs", "t\n")
			f.Git("push", "--quiet", "origin", "main")
			f.Git("switch", "--quiet", "topic")
		}, []string{"+A new branch there", "V", "+origin/main has 1 commit that topic does not have", "a", "x", "A", "+cannot move forward",
			")", "+▰ Shape", "+onto origin/main"}, nil},
		"land by a merge": {func(f, remote *fixture.Repo) {}, []string{"+A new branch there", "V", "+origin/main, landed", "A",
			"+Message of the merge", "ctrl+s", "+It takes in 2 commits by a merge commit", "+Merge topic", "a", "+main on origin is at"},
			func(t *testing.T, f, remote *fixture.Repo) {
				assert.Equal(t, "Merge topic", remote.Git("log", "-1", "--format=%s", "main"))
			}},
		"taken back": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic~1:refs/heads/topic")
			f.Git("branch", "--quiet", "--set-upstream-to=origin/topic")
		}, []string{"+Change thirty", "a", "+Sent 1 commit.", "X", "+topic on origin goes back from ", "y", "+on origin is at", "X",
			"+is no longer at what you sent last"}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, f.Git("rev-parse", "topic~1"), remote.Git("rev-parse", "topic"))
		}},
		"with options, and what the server says": {func(f, remote *fixture.Repo) {
			remote.Git("config", "receive.advertisePushOptions", "true")
			hookOf(t, remote, "pre-receive", `echo "You said $GIT_PUSH_OPTION_0."; echo "Review it: https://quay.example/review/7"`)
		}, []string{"+A new branch there", "A", "+Other ways to push topic", "o", "+Options for the server's hooks", "draft",
			"ctrl+s", "+1 option will be passed", "+Along with it: 1 push option.",
			"a", "+The server said:", "+You said draft.", "+https://quay.example/review/7", "esc", "+The remote has all of it",
			"+https://quay.example/review/7",
			"E", "+open https://quay.example/review/7", "copy", "enter", "+The address is on the clipboard"}, nil},
		"to another remote": {func(f, remote *fixture.Repo) {
			other := fixture.At(t, filepath.Join(t.TempDir(), "other.git"), "--bare")
			f.Git("remote", "add", "fork", other.Dir)
			f.Git("config", "remote.fork.fetch", "+refs/heads/*:refs/remotes/fork/*")
		}, []string{"+A new branch there", "A", "+to fork", "enter", "+The branch is pushed to fork from now on.", "+fork has topic", "a",
			"+fork has topic at"}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Equal(t, "fork", f.Git("config", "branch.topic.pushRemote"))
			assert.Equal(t, f.Git("rev-parse", "topic"), f.Git("rev-parse", "fork/topic"))
			assert.Empty(t, remote.Git("branch", "--list", "topic"))
		}},
		"with the stack": {func(f, remote *fixture.Repo) {
			f.Git("branch", "lower", "topic~1")
		}, []string{"+A new branch there", "A", "+1 other branch along", "stack", "enter", "+Along with it: lower.", "a", "+Sent 2 commits."},
			func(t *testing.T, f, remote *fixture.Repo) {
				assert.Equal(t, f.Git("rev-parse", "topic", "lower"), remote.Git("rev-parse", "topic", "lower"))
			}},
		"pictures": {func(f, remote *fixture.Repo) {
			f.Git("push", "--quiet", "origin", "topic~1:refs/heads/topic")
			f.Git("fetch", "--quiet")
		}, []string{"+1 commit to send", "W", "+the seam", "on the remote", "enter", "+Draw into which file", "ctrl+s", "+Written: ", "W",
			"before and after", "enter", "+Draw into which file", "ctrl+s", "+Nothing was rewritten here yet"},
			func(t *testing.T, f, remote *fixture.Repo) {
				assert.Contains(t, f.Read("topic.svg"), "on origin")
			}},
		"commits in turn": {func(f, remote *fixture.Repo) {}, []string{"+A new branch there", "enter", "+Look", "+with 2 commits",
			"+<ines@", "+thirty", "{", "+ten",
			"{", "+There is no other commit.", "C", "+on the clipboard as text", "}", "+thirty", "esc", "+A new branch there"}, nil},
		"the request": {func(f, remote *fixture.Repo) {}, []string{"+A new branch there", "C", "+hand over topic", "+## Commits", "C",
			"+On the clipboard: a request for review",
			"enter", "+Into which file?", "ctrl+s", "+Written: ", "j", "+Subject: [PATCH 1/2]", "enter", "+Into which file?", "ctrl+s",
			"+topic.mbox",
			"j", "+diff --git", "enter", "+Into which file?", "ctrl+s", "+topic.diff", "enter", "+Into which file?", "ctrl+s",
			"+is there already"}, func(t *testing.T, f, remote *fixture.Repo) {
			assert.Contains(t, f.Read("topic.md"), "Change thirty")
			f.Git("switch", "--quiet", "--detach", "main")
			f.Git("apply", "--check", "topic.diff")
			f.Git("am", "--quiet", "topic.mbox")
			assert.Equal(t, f.Git("rev-parse", "topic^{tree}"), f.Git("rev-parse", "HEAD^{tree}"))
		}},
		"preflight": {func(f, remote *fixture.Repo) {
			f.Git("commit", "--quiet", "--amend", "-m", "fixup! Change ten")
		}, []string{"+fixup!", "!", "+2 findings before sending", "+2 commits not read through yet", "+messages are well formed",
			"+enter goes to Shape, to what could be joined", "+fixup! Change ten", "enter", "+▰ Shape", "+What could be done with this plan",
			"enter", "+from 1 2"}, nil},
		"blocked by the preflight": {func(f, remote *fixture.Repo) {
			f.Git("commit", "--quiet", "--amend", "-m", "wip")
			require.NoError(t, os.MkdirAll(filepath.Join(os.Getenv("XDG_CONFIG_HOME"), "bastel"), 0o777))
			require.NoError(t, os.WriteFile(filepath.Join(os.Getenv("XDG_CONFIG_HOME"), "bastel", "settings.toml"),
				[]byte("[preflight]\nsubjects = \"block\"\n"), 0o666))
		}, []string{"+wip", "a", "+The preflight blocks topic: 1 commit with a subject such as fixup! or wip", "esc"},
			func(t *testing.T, f, remote *fixture.Repo) {
				assert.Empty(t, remote.Git("branch", "--list", "topic"))
			}},
		"fetched": {func(f, remote *fixture.Repo) {}, []string{"F", "+Fetched from origin. Nothing new. Your branches and files are as they " +
			"were."}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			f := desk(t)
			f.Git("checkout", "--quiet", "--force", "topic")
			f.Git("clean", "--quiet", "--force")
			remote := f.Remote(t)
			f.Git("push", "--quiet", "origin", "main")
			test.prepare(f, remote)
			d := newDriver(t, f.Dir)
			d.play("+No loose changes", "]", "+Shape", "]", "+▰ Mend", "]", "+▰ Send")
			d.gone("reading")
			d.play(test.steps...)
			if test.check != nil {
				test.check(t, f, remote)
			}
			remote.Git("fsck", "--strict")
		})
	}
}

// TestQuestionsOfARemote: names, passwords and host keys are asked for on the screen, over
// whatever is there; no answer is an answer too.
func TestQuestionsOfARemote(t *testing.T) {
	for name, test := range map[string]struct {
		ssh   string
		steps []string
		sent  bool
	}{
		"a password": {"", []string{"a", "+The remote asks", "+Username for", "ines", "enter", "+Password for", "tide table", "+··········",
			"-tide table", "enter", "+Sent 2 commits."}, true},
		"no answer": {"", []string{"a", "+Username for", "esc", "+it asked for a password or passphrase, and got no answer", "esc", "a",
			"+Username for", "ines", "enter", "+Password for", "tide table", "enter", "+Sent 2 commits."}, true},
		"a wrong one": {"", []string{"a", "+Username for", "ines", "enter", "+Password for", "ebb", "enter", "+it does not let you in", "esc",
			"F", "+Username for", "ines", "enter", "+Password for", "tide table", "enter", "+Fetched from origin."}, false},
		"a host and a passphrase": {"publickey", []string{"a", "+authenticity of host", "+y yes", "y", "+Enter passphrase", "low water",
			"enter", "+Sent 2 commits."}, true},
		"a host that is not it": {"publickey", []string{"a", "+authenticity of host", "n",
			"+its host key is not the known one, or not known"}, false},
		"over a page": {"", []string{"a", "?", "+Username for", "esc", "+got no answer"}, false},
	} {
		t.Run(name, func(t *testing.T) {
			f := desk(t)
			f.Git("checkout", "--quiet", "--force", "topic")
			f.Git("clean", "--quiet", "--force")
			remote := f.Remote(t)
			remote.Git("config", "http.receivepack", "true")
			f.Git("push", "--quiet", "origin", "main")
			root := filepath.Dir(remote.Dir)
			address := "http://" + fixture.ServeHTTP(t, root) + "/shared.git"
			if test.ssh != "" {
				server := fixture.ServeSSH(t, root)
				f.Git("config", "core.sshCommand", server.Command(test.ssh))
				address = "ssh://" + fixture.User + "@" + server.Address + remote.Dir
			}
			f.Git("remote", "set-url", "origin", address)
			d := newDriver(t, f.Dir)
			d.play("+No loose changes", "]", "]", "]", "+A new branch there")
			d.play(test.steps...)
			assert.Equal(t, test.sent, remote.Git("branch", "--list", "topic") != "")
		})
	}
}

func hookOf(t *testing.T, remote *fixture.Repo, name, script string) {
	require.NoError(t, os.MkdirAll(filepath.Join(remote.Dir, "hooks"), 0o777))
	require.NoError(t, os.WriteFile(filepath.Join(remote.Dir, "hooks", name), []byte("#!/bin/sh\n"+script), 0o777))
}

// TestReadThrough: what is ticked and noted lasts through a rewriting.
func TestReadThrough(t *testing.T) {
	f := desk(t)
	f.Git("checkout", "--quiet", "--force", "topic")
	f.Git("clean", "--quiet", "--force")
	remote := f.Remote(t)
	f.Git("push", "--quiet", "origin", "main")
	remote.Git("config", "receive.advertisePushOptions", "true")
	d := newDriver(t, f.Dir)
	d.play("+No loose changes", "]", "+Shape", "]", "+▰ Mend", "]", "+A new branch there", "v", "+0 of 2 commits read", "+Change ten",
		"v", "+1 of 2 commits read", "+▰ Next  Change thirty", // the next one that was not read
		"n", "down", "down", "down", "down", "m", "+Remark on line 30 of a.go", "Why thirty?", "ctrl+s", "+┊ 1  your remark", "+1 remark open",
		"+┊ Why thirty?",
		"m", "+Remark 1", " And not forty?", "ctrl+s", "+Why thirty? And not forty?",
		"h", "m", "+Remark on the commit Change thirty", "As a whole", "ctrl+s", "+2 remarks open", "+: As a whole",
		"e", "+the whole branch as one difference", "+2 hunks", "e", "+▰ Now  1 of 2")
	f.Git("rebase", "--quiet", "--force-rebase", "--onto", "main", "main", "topic", "--exec",
		"git commit --quiet --amend --no-edit --date=now --author='Ines Falk <i@x.example>'")
	d.play("r", "+1 of 2 commits read", "+2 remarks open", "v", "+2 of 2 commits read", "}", "l", "n", "v", "+1 of 2 commits read")
	d.play(";", "+remarks", "1", "+Remarks on topic: 2 open", "Why", "enter", ".", "+Done.", "+1 remark open", "+, done: Why thirty?")
	d.play(";", "1", "whole", "enter", "down", "x", "esc", "C", "+2 remarks on the clipboard", ";", "+comments of reviewers", "2",
		"+No review service is set", "esc", "+A new branch there", "!", "+1 remark not done yet", "+1 commit not read through yet", "down",
		"+enter goes to the read-through", "enter", "+1 of 2 commits read")
	assert.Empty(t, f.Git("status", "--porcelain"))
}

// TestASharedBranchIsUnlocked: the consequence is named before what a shared branch has on
// the remote is rewritten; the push stays guarded all the same.
func TestASharedBranchIsUnlocked(t *testing.T) {
	f := desk(t)
	f.Git("checkout", "--quiet", "--force", "topic")
	f.Git("clean", "--quiet", "--force")
	f.Git("branch", "-m", "release/7")
	remote := f.Remote(t)
	f.Git("push", "--quiet", "--set-upstream", "origin", "main", "release/7")
	before := f.Git("rev-parse", "HEAD")
	d := newDriver(t, f.Dir)
	d.play("+No loose changes", "]", "+Change thirty", "m", "+Message", " anew", "ctrl+s", "+anew", "a", "+release/7 is shared",
		"+leave release/7 as it is", "enter", "+Nothing was done.")
	assert.Equal(t, before, f.Git("rev-parse", "HEAD"))
	d.play("a", "+unlock release/7 and rewrite it", "unlock", "enter", "+2 commits became 2.")
	assert.NotEqual(t, before, f.Git("rev-parse", "HEAD"))
	d.play("]", "]", "+release/7 is shared: others build on it", "a", "+Put your commits onto", "esc")
	assert.Equal(t, before, remote.Git("rev-parse", "release/7"))
}

// TestFetchingByItself: what came is told, and nothing else is touched or asked.
func TestFetchingByItself(t *testing.T) {
	f := desk(t)
	remote := f.Remote(t)
	f.Git("push", "--quiet", "--set-upstream", "origin", "main")
	allowed(t, f, "bastel.fetchEvery", "2h")
	d := newDriver(t, f.Dir)
	d.play("+loose changes")
	other := fixture.Existing(t, t.TempDir())
	other.Git("clone", "--quiet", remote.Dir, ".")
	other.Commit("Theirs", "a.go", "t\n")
	other.Git("push", "--quiet")
	before := f.Git("status", "--porcelain") + f.Git("rev-parse", "HEAD", "main")
	d.update(fetchDue{time.Hour})
	d.play("+Fetched from origin. origin/main has 1 new commit; 1 touches files of your branch.", "+1 behind")
	assert.Equal(t, before, f.Git("status", "--porcelain")+f.Git("rev-parse", "HEAD", "main"))
	f.Git("remote", "set-url", "origin", "http://"+fixture.ServeHTTP(t, filepath.Dir(remote.Dir))+"/shared.git")
	d.update(fetchDue{time.Hour})
	d.play("+got no answer")
	allowed(t, f, "bastel.fetchEvery", "soon")
	newDriver(t, f.Dir).wait("fetch_every is \"soon\", and no time such as 15m")
}

// TestTheFrame: pages over any screen, and what the frame does by itself.
func TestTheFrame(t *testing.T) {
	for name, steps := range map[string][]string{
		"help":            {"?", "+Now holds what you changed", "down", "esc", "+loose changes"},
		"finder":          {":", "+Find an action", "whole", "+Put all hunks of the file", "esc", "+loose changes"},
		"finder does":     {":", "+Find an action", "next hunk", "enter", "+loose changes"},
		"finder goes":     {":", "+Find an action", "squash", "+Shape: ", "enter", "+Now  topic"},
		"nothing to undo": {"u", "+There is nothing to undo."},
		"nothing to redo": {"U", "+There is nothing to redo."},
		"journal":         {"w", "+Journal: what was done here", "+Nothing here.", "esc", "+loose changes"},
		"ask for a demo":  {"D", "+Leave this repository for the demo?", "n", "+Nothing was done."},
		"look again":      {"r", "+loose changes"},
		"screens":         {"]", "+Now  topic", "]", "+No conflict waits", "]", "+▰ Send", "[", "[", "[", "+▰ Sort"},
		"unknown keys":    {"Z", "%", "+loose changes"},
	} {
		t.Run(name, func(t *testing.T) {
			f := desk(t)
			before := f.Git("status", "--porcelain")
			d := newDriver(t, f.Dir)
			d.play("+2 hunks")
			d.play(steps...)
			assert.Equal(t, before, f.Git("status", "--porcelain"))
		})
	}
}

// TestNarrowScreens: below the width for two halves, one is shown, and the same keys
// turn them.
func TestNarrowScreens(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.update(tea.WindowSizeMsg{Width: 80, Height: 24})
	d.play("+2 hunks", "+Next →")
	assert.NotContains(t, d.frame(), "the commits to be")
	d.play("right", "+the commits to be on topic", "+← Now", "left", "+loose changes", "]", "right", "+← Now", "left", "+Next →", "[")
	d.play("1", "-2 hunks", "right", "+1 hunk in 1 file")
	d.update(tea.WindowSizeMsg{Width: 18, Height: 6})
	assert.Contains(t, d.frame(), "Bastel needs")
}

// pushedInBetween is a colleague's clone, who pushed to a branch that was sent, and has been rewritten here since.
func pushedInBetween(t *testing.T, f, remote *fixture.Repo) *fixture.Repo {
	f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
	f.Git("commit", "--quiet", "--amend", "-m", "Change thirty anew")
	other := fixture.Existing(t, t.TempDir())
	other.Git("clone", "--quiet", "--branch", "topic", remote.Dir, ".")
	other.Commit("Theirs", "theirs", "t\n")
	other.Git("push", "--quiet")
	return other
}
