package tmux

import (
	"fmt"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/demo"
	"bastel/test/fixture"
)

const branch = demo.BranchName

// toSend leads from the start of the demo to Send.
var toSend = []string{"+3 hunks", "]", "+nothing planned yet", "]", "+No conflict waits", "]", "+▰ Send", "+to send"}

// dropOne leaves the commit about the theme out, and goes to Send.
var dropOne = []string{"+3 hunks", "]", "+nothing planned yet", "j", "j", "x", "+left out: 3", "a", "+11 commits became 10", "]",
	"+▰ Mend", "]", "+▰ Send", "+of yours replaced"}

// TestARewrittenBranchIsReadAndSent: preflight, read-through, and a push with a
// lease on what was seen.
func TestARewrittenBranchIsReadAndSent(t *testing.T) {
	work, shared := makeDemo(t)
	before := shared.Git("rev-parse", branch)
	term := open(t, work.Dir, 142, 42)
	term.play(dropOne...)
	term.play("!", "+3 findings before sending", "+left over in what is added", "+8 commits not read through yet", "+berth/depth.go:14",
		"Escape", "-findings before",
		"v", "+0 of 10 commits read", "v", "v", "+1 of 10 commits read", "+▰ Next  tide offsets",
		"j", "j", "j", "m", "+Remark on line 3 of tide/offsets.go", "text:Minutes or hours?", "C-s", "+┊ Minutes or hours?", "+1 remark open",
		".", "+all remarks done", "e", "+the whole branch as one difference", "Escape", "-the whole branch as one")
	assert.Equal(t, before, shared.Git("rev-parse", branch))
	term.play("a", "+On origin: 3 of yours replaced and 1 of yours removed. y sends.", "n", "+Nothing was done.")
	assert.Equal(t, before, shared.Git("rev-parse", branch))
	term.play("a", "+y sends.", "y", "+Sent 8 commits.", "+The remote has all of it.")
	assert.Equal(t, work.Git("rev-parse", "HEAD"), shared.Git("rev-parse", branch))
	assert.NotContains(t, shared.Git("log", "--format=%s", branch), "red theme")
	term.play("X", "+on origin goes back from ", "y", "+is at "+before[:7]+" again")
	assert.Equal(t, before, shared.Git("rev-parse", branch))
}

// TestAColleaguesPushInBetween: it arrives between the look and the push; it is shown, taken
// in, and part of what is sent.
func TestAColleaguesPushInBetween(t *testing.T) {
	work, shared := makeDemo(t)
	term := open(t, work.Dir, 142, 42)
	term.play(dropOne...)
	mira := fixture.Existing(t, filepath.Join(filepath.Dir(work.Dir), "colleague"))
	mira.Git("fetch", "--quiet")
	mira.Git("switch", "--quiet", branch)
	mira.Commit("Say which way the tide runs", "tide/README.md", "In minutes after the gauge.\n")
	mira.Git("push", "--quiet", "origin", branch)
	theirs := shared.Git("rev-parse", branch)
	term.play("a", "+y sends.", "y", "+Somebody pushed to "+branch, "n", "+Nothing was done.")
	assert.Equal(t, theirs, shared.Git("rev-parse", branch))
	term.play("F", "+Fetched from origin.", "+not yours", "+Say which way the tide runs", "Y", "+▰ Shape", "+Say which way", "+from +",
		"a", "+became 11", "+▰ Send", "+of yours replaced", "a", "+y sends.", "y", "+Sent ")
	assert.Equal(t, work.Git("rev-parse", "HEAD"), shared.Git("rev-parse", branch))
	assert.Equal(t, "Say which way the tide runs", shared.Git("log", "-1", "--format=%s", branch))
	assert.Equal(t, "In minutes after the gauge.", shared.Git("show", branch+":tide/README.md"))
}

// rewriting is a colleague's clone of the branch, as it is there.
func rewriting(t *testing.T, work *fixture.Repo) *fixture.Repo {
	mira := fixture.Existing(t, filepath.Join(filepath.Dir(work.Dir), "colleague")).ByMira()
	mira.Git("fetch", "--quiet")
	mira.Git("switch", "--quiet", branch)
	return mira
}

// TestThreeKeysToASafePush: a colleague's commit is known, and the branch goes on top of it;
// nothing of either is replaced.
func TestThreeKeysToASafePush(t *testing.T) {
	work, shared := makeDemo(t)
	mira := rewriting(t, work)
	mira.Commit("Say which way the tide runs", "tide/README.md", "In minutes after the gauge.\n")
	mira.Git("push", "--quiet", "origin", branch)
	theirs := shared.Git("rev-parse", branch)
	term := open(t, work.Dir, 142, 42)
	term.play(toSend...)
	term.play("F", "+Fetched from origin.", "+not yours", "+Y take in   a")
	term.play("Y", "+▰ Shape", "+onto origin/"+branch, "a", "+▰ Send", "+5 commits to send, nothing replaced.", "a", "+Sent 5 commits.")
	assert.Equal(t, work.Git("rev-parse", "HEAD"), shared.Git("rev-parse", branch))
	assert.Equal(t, theirs, shared.Git("rev-parse", branch+"~5"), "what was there stays")
}

// TestAColleagueRewroteTheBranch: it is explained, and leads onto their version.
func TestAColleagueRewroteTheBranch(t *testing.T) {
	work, shared := makeDemo(t)
	mira := rewriting(t, work)
	mira.Git("commit", "--quiet", "--amend", "-m", "Read the tide table once more")
	mira.Git("push", "--quiet", "--force", "origin", branch)
	term := open(t, work.Dir, 142, 42)
	term.play(toSend...)
	term.play("F", "+Fetched from origin.", "+Mira Lund rewrote "+branch, "+theirs now, reworded", "Y", "+▰ Shape", "+Left out: 1 commit",
		"a", "+▰ Send", "+5 commits to send, nothing replaced.", "a", "+Sent 5 commits.")
	assert.Equal(t, work.Git("rev-parse", "HEAD"), shared.Git("rev-parse", branch))
	assert.Equal(t, "Read the tide table once more", shared.Git("log", "-1", "--format=%s", branch+"~5"))
	assert.NotContains(t, shared.Git("log", "--format=%s", branch), "parser again")
}

// TestAColleagueDeletedTheBranch: it is not brought back without a question.
func TestAColleagueDeletedTheBranch(t *testing.T) {
	work, shared := makeDemo(t)
	rewriting(t, work).Git("push", "--quiet", "origin", ":"+branch)
	term := open(t, work.Dir, 142, 42)
	term.play(toSend...)
	term.play("a", "+was deleted on origin since you last fetched", "+leave it", "Enter", "+Nothing was sent.")
	assert.Empty(t, shared.Git("branch", "--list", branch))
	term.play("a", "+was deleted on origin", "text:all the same", "Enter", "+Sent ")
	assert.Equal(t, work.Git("rev-parse", "HEAD"), shared.Git("rev-parse", branch))
	term.play("u", "+The last thing done here is the push of "+branch, "text:push back", "Enter", "+is deleted on origin", "y",
		"+is gone again")
}

// TestAFork: one's own copy is pushed to, the branch lands where the work is shared.
func TestAFork(t *testing.T) {
	work, _ := makeDemo(t)
	fork := fixture.At(t, t.TempDir(), "--bare")
	work.Git("remote", "add", "fork", fork.Dir)
	work.Git("config", "remote.pushDefault", "fork")
	term := open(t, work.Dir, 142, 42)
	term.play("+ahead of origin/main", "+3 hunks", "]", "]", "]", "+▰ Send", "+fork has", "+A new branch there", "a", "+Sent ",
		"+The remote has all of it", "+ahead of origin/main")
	assert.Equal(t, work.Git("rev-parse", "HEAD"), fork.Git("rev-parse", branch))
	term.play("B", "+Where does "+branch+" land?", "text:origin/main", "Enter", "+The branch lands on origin/main.")
	assert.Equal(t, "origin/main", work.Git("config", "branch."+branch+".bastelTarget"))
	term.play("F", "+Fetched from fork, origin.")
}

// TestLandingAfterSquashing: the older version on the remote goes with the branch, since it is
// replaced by what landed.
func TestLandingAfterSquashing(t *testing.T) {
	work, shared := makeDemo(t)
	work.Git("stash", "--quiet", "--include-untracked")
	work.Git("switch", "--quiet", "-c", "hours", "origin/main", "--no-track")
	work.Commit("Close at nine", "docs/hours.md", "Nine.\n")
	work.Commit("At nine in summer", "docs/hours.md", "Nine in summer.\n")
	work.Git("push", "--quiet", "--set-upstream", "origin", "hours")
	term := open(t, work.Dir, 142, 42)
	term.play("+No loose changes", "]", "+nothing planned yet", "G", "s", "+from 1 2", "a", "+2 commits became 1", "]", "]", "+▰ Send",
		"+2 of yours replaced",
		"V", "+It moves forward by 1 commit", "x", "+Its older version", "a", "+main on origin is at ", "+On main")
	assert.Empty(t, shared.Git("branch", "--list", "hours"))
	assert.Equal(t, work.Git("rev-parse", "main"), shared.Git("rev-parse", "main"))
}

// TestACloneOfOneBranch sees what a colleague does to the branch at work.
func TestACloneOfOneBranch(t *testing.T) {
	work, shared := makeDemo(t)
	one := fixture.Existing(t, t.TempDir())
	one.Git("clone", "--quiet", "--single-branch", "--branch", "main", shared.Dir, ".")
	one.Git("switch", "--quiet", "-c", "lamp")
	one.Commit("Light the lamp", "lamp.md", "On.\n")
	term := open(t, one.Dir, 142, 42)
	term.play("+No loose changes", "]", "]", "]", "+▰ Send", "+A new branch there", "a", "+Sent 1 commit.")
	mira := fixture.Existing(t, filepath.Join(filepath.Dir(work.Dir), "colleague")).ByMira()
	mira.Git("fetch", "--quiet")
	mira.Git("switch", "--quiet", "lamp")
	mira.Commit("Trim the wick", "lamp.md", "On, trimmed.\n")
	mira.Git("push", "--quiet", "origin", "lamp")
	term.play("F", "+origin/lamp has 1 new commit", "+Nothing to send. origin has 1 commit more", "C-f", "+lamp is where origin/lamp is now")
	assert.Equal(t, shared.Git("rev-parse", "lamp"), one.Git("rev-parse", "lamp"))
}

// TestNoForcedPushToMain: not by the application, and where a setting has it try, not by
// the server, whose words come through.
func TestNoForcedPushToMain(t *testing.T) {
	work, shared := makeDemo(t)
	before := shared.Git("rev-parse", "main")
	work.Git("stash", "--quiet", "--include-untracked")
	work.Git("switch", "--quiet", "main")
	work.Git("merge", "--quiet", "--ff-only", "origin/main")
	work.Git("commit", "--quiet", "--amend", "-m", "Summer hours, reworded")
	term := open(t, work.Dir, 142, 42)
	term.play("+No loose changes", "]", "]", "]", "+▰ Send", "+main is shared", "a", "+Put your commits onto origin/main instead.")
	assert.Equal(t, before, shared.Git("rev-parse", "main"))
	work.Git("config", "bastel.shared", "nothing")
	work.Git("symbolic-ref", "--delete", "refs/remotes/origin/HEAD")
	term.play("r", "+1 of Mira Lund", "a", "+y sends.", "y", "+A rule of origin refused the push of main.",
		"+main does not take forced pushes: "+before+" would be lost.")
	assert.Equal(t, before, shared.Git("rev-parse", "main"))
}

func TestLandAndDelete(t *testing.T) {
	work, shared := makeDemo(t)
	work.Git("stash", "--quiet", "--include-untracked")
	work.Git("switch", "--quiet", "-c", "summer", "origin/main", "--no-track")
	tip := work.Commit("Close at nine in summer", "docs/hours.md", "Nine.\n")
	work.Write("docs/loose.md", "not landed\n")
	term := open(t, work.Dir, 142, 42)
	term.play("+docs/loose.md", "]", "]", "]", "+▰ Send", "+A new branch there", "a", "+Sent 1 commit.", "V",
		"+It moves forward by 1 commit", "x", "+summer is deleted afterwards", "a", "+main on origin is at "+tip[:7], "+On main")
	assert.Equal(t, tip, shared.Git("rev-parse", "main"))
	assert.Empty(t, shared.Git("branch", "--list", "summer")+work.Git("branch", "--list", "summer"))
	assert.Equal(t, "?? docs/loose.md", work.Git("status", "--porcelain"), "loose changes stay")
	term.play("u", "+? y does it.", "y", "+On summer")
	assert.Equal(t, tip, work.Git("rev-parse", "summer"))
	assert.Equal(t, "?? docs/loose.md", work.Git("status", "--porcelain"))
}

// TestAPassphraseOnTheScreen: over a real connection by ssh, and nothing of the secret
// shows.
func TestAPassphraseOnTheScreen(t *testing.T) {
	work, shared := makeDemo(t)
	server := fixture.ServeSSH(t, filepath.Dir(shared.Dir))
	work.Git("config", "core.sshCommand", server.Command("publickey"))
	work.Git("remote", "set-url", "origin", "ssh://"+fixture.User+"@"+server.Address+shared.Dir)
	term := open(t, work.Dir, 142, 42)
	term.play(toSend...)
	term.play("a", "+The authenticity of host", "y", "+Enter passphrase for key", "text:"+server.Passphrase, "+·········")
	assert.NotContains(t, term.screen(), "low")
	term.play("Enter", "+Sent 5 commits.")
	assert.Equal(t, work.Git("rev-parse", "HEAD"), shared.Git("rev-parse", branch))
	term.play("F", "+Nothing new.") // without another question
}

// TestTheReviewDesk: the demo as a new user starts it, with a reviewer at work.
func TestTheReviewDesk(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "demo")
	term := open(t, t.TempDir(), 142, 42, "demo", "--dir", dir)
	term.play(toSend...)
	term.play("a", "+The server said:", "+Review it: http://127.0.0.1:", "Escape", "-The server said:", "+/series/"+branch)
	work := fixture.Existing(t, filepath.Join(dir, "work"))
	desk := work.Git("config", "bastel.review")
	for path, form := range map[string]url.Values{
		"/comment/": {"commit": {work.Git("rev-parse", "HEAD~9")}, "path": {"tide/offsets.go"}, "sign": {"+"}, "line": {"3"},
			"by": {"Oskar Brandt"}, "text": {"Minutes or hours?"}},
		"/verdict/": {"by": {"Oskar Brandt"}, "approved": {"yes"}},
	} {
		response, err := http.PostForm(desk+path+branch, form)
		require.NoError(t, err)
		response.Body.Close()
		require.Equal(t, http.StatusOK, response.StatusCode)
	}
	term.play("v", "+0 of 11 commits read", ";", "+comments of reviewers", "1", "+1 new comment and 1 new verdict came",
		"+Oskar Brandt says it is ready to land", "+1 remark open", "}", "+▰ Next  tide offsets", "+┊ Minutes or hours?")
	assert.Contains(t, strings.Split(term.waitFor("Oskar Brandt, today"), "Minutes or hours?")[0], "offsets are what")
}

// TestTextsOfOthersOnATerminal: what a repository holds drives no terminal, whichever command prints it.
func TestTextsOfOthersOnATerminal(t *testing.T) {
	work, _ := makeDemo(t)
	work.Commit("Red \x1b[31mtext \u202eand more", "odd", "\x1b]0;title\x07\n")
	term := &terminal{t, fmt.Sprintf("bastel-%d-request", os.Getpid())}
	t.Cleanup(func() { exec.Command("tmux", "-L", term.name, "kill-server").Run() })
	term.tmux("-f", os.DevNull, "new-session", "-d", "-s", "s", "-x", "142", "-y", "42", "-c", work.Dir,
		fmt.Sprintf("%s=1 %s request; read end", asMain, self(t)))
	term.waitFor("Red ␛\\[31mtext \uFFFDand more")
}

// TestOpeningThatHangs can be stopped and left by each of the keys for it.
func TestOpeningThatHangs(t *testing.T) {
	bin := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(bin, "git"), []byte("#!/bin/sh\nexec sleep 600\n"), 0o777))
	t.Setenv("PATH", bin+":"+os.Getenv("PATH"))
	for _, key := range []string{"q", "C-c"} {
		t.Run(key, func(t *testing.T) { // that it ends is looked at as the test does
			term := open(t, t.TempDir(), 80, 24)
			term.play("+Opening", key)
		})
	}
	t.Run("Escape", func(t *testing.T) {
		term := open(t, t.TempDir(), 80, 24)
		term.play("+Opening", "Escape", "+opening was stopped", "q")
	})
}
