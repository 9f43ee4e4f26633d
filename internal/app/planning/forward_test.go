package planning_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestForward: branches move up to what was fetched, the current one with its loose
// changes; what is in the way stops it before anything is touched.
func TestForward(t *testing.T) {
	ahead := func(f *fixture.Repo) { // topic is behind by a commit on "b"
		f.Commit("theirs", "b", "theirs\n")
		f.Git("push", "--quiet", "origin", "topic")
		f.Git("reset", "--quiet", "--hard", "HEAD~")
	}
	for name, test := range map[string]struct {
		prepare func(f *fixture.Repo)
		want    string // what is said, or why it is refused
		refused bool
		moved   []string // branches that are where the remote's are
	}{
		"behind": {ahead, "topic is where origin/topic is now", false, []string{"topic"}},
		"with loose changes": {func(f *fixture.Repo) { ahead(f); f.Write("a", "loose\n"); f.Write("new", "x\n") },
			"loose changes were carried", false, []string{"topic"}},
		"with staged changes": {func(f *fixture.Repo) { ahead(f); f.Write("a", "staged\n"); f.Git("add", "a"); f.Write("a", "both\n") },
			"loose changes were carried", false, []string{"topic"}},
		"a file is in the way": {func(f *fixture.Repo) { ahead(f); f.Write("b", "mine\n") }, "b", true, nil},
		"with commits of its own": {func(f *fixture.Repo) { ahead(f); f.Commit("mine", "c", "1\n") }, "main is up to date", false,
			[]string{"main"}},
		"the target too": {func(f *fixture.Repo) {
			ahead(f)
			f.Git("push", "--quiet", "origin", "topic:main")
			f.Git("fetch", "--quiet")
		}, "topic is where origin/topic is now; loose changes were carried. main is where origin/main is now.", false, []string{"topic", "main"}},
		"on the target itself": {func(f *fixture.Repo) {
			f.Git("push", "--quiet", "origin", "topic:main")
			f.Git("switch", "--quiet", "main")
		}, "main is where origin/main is now", false, []string{"main"}},
		"the target has its own": {func(f *fixture.Repo) {
			f.Git("push", "--quiet", "origin", "topic:main")
			f.Git("branch", "--quiet", "--force", "main", f.Git("commit-tree", "-p", "main", "-m", "own", "main^{tree}"))
		}, "main has commits of its own", true, nil},
		"detached": {func(f *fixture.Repo) { f.Git("switch", "--quiet", "--detach") }, "no branch", true, nil},
	} {
		t.Run(name, func(t *testing.T) {
			f := fixture.New(t)
			f.Commit("base", "a", "1\n")
			f.Remote(t)
			f.Git("push", "--quiet", "--set-upstream", "origin", "main")
			f.Git("switch", "--quiet", "-c", "topic")
			f.Commit("one", "one", "1\n")
			f.Git("push", "--quiet", "--set-upstream", "origin", "topic")
			test.prepare(f)
			state := func() string {
				return f.Git("for-each-ref", "refs/heads") + f.Git("status", "--porcelain") + f.Git("diff") + f.Git("diff", "--cached")
			}
			loose, before := f.Git("status", "--porcelain")+f.Git("diff")+f.Git("diff", "--cached"), state()
			a := opened.App(t, f.Dir)
			said, err := planning.Of(a).Forward(ctx)
			if test.refused {
				assert.ErrorContains(t, err, test.want)
				assert.Equal(t, before, state())
				return
			}
			require.NoError(t, err)
			assert.Contains(t, said, test.want)
			for _, branch := range test.moved {
				assert.Equal(t, f.Git("rev-parse", "origin/"+branch), f.Git("rev-parse", branch))
			}
			assert.Equal(t, loose, f.Git("status", "--porcelain")+f.Git("diff")+f.Git("diff", "--cached"))
			if before == state() {
				return
			}
			for range test.moved {
				_, err = planning.Of(a).Undo(ctx)
				require.NoError(t, err)
			}
			assert.Equal(t, before, state())
			_, err = planning.Of(a).Redo(ctx)
			require.NoError(t, err)
		})
	}
}

// TestFetchAsksTheRemotesThatConcernTheBranch: a branch that is pushed to a remote of one's
// own still hears of its target on the shared one.
func TestFetchAsksTheRemotesThatConcernTheBranch(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	shared := f.Remote(t)
	f.Git("push", "--quiet", "--set-upstream", "origin", "main")
	for _, name := range []string{"fork", "stranger"} {
		remote := fixture.At(t, t.TempDir(), "--bare")
		f.Git("remote", "add", name, remote.Dir)
		f.Git("push", "--quiet", name, "main")
		remote.Git("branch", "topic", "main")
	}
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("mine", "a", "2\n")
	f.Git("config", "branch.topic.pushRemote", "fork")
	other := fixture.Existing(t, t.TempDir())
	other.Git("clone", "--quiet", "--branch", "main", shared.Dir, ".")
	other.Commit("theirs", "a", "3\n")
	other.Git("push", "--quiet")
	a := opened.App(t, f.Dir)
	fetched, err := publishing.Of(a).Fetch(ctx, nil)
	arrivals := fetched.Arrivals
	require.NoError(t, err)
	var said []string
	for _, r := range arrivals {
		said = append(said, r.Says())
	}
	assert.ElementsMatch(t, []string{"origin/main has 1 new commit; 1 touches files of your branch.", "fork/topic is new."}, said)
}
