package planning_test

import (
	"errors"
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app/planning"
	"bastel/internal/mend"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// stopped is a branch of five commits whose rebase onto main stopped at the first conflict, with a list that is edited before.
func stopped(t *testing.T, list string, args ...string) *fixture.Repo {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n2\n3\n", "b", "b\n", "c", "c\n", "loose", "l\n")
	f.Git("switch", "--quiet", "-c", "topic")
	f.Commit("Clean", "c", "cc\n")
	f.Commit("Meets", "a", "one\n2\n3\n")
	f.Commit("More", "b", "bee\n")
	f.Commit("Again", "a", "uno\n2\n3\n")
	f.Commit("Last", "new", "n\n")
	f.Git("switch", "--quiet", "main")
	f.Commit("Main", "a", "eins\n2\n3\n")
	f.Git("switch", "--quiet", "topic")
	editor := filepath.Join(t.TempDir(), "editor")
	require.NoError(t, os.WriteFile(editor, []byte("#!/bin/sh\ncp \"$1\" \"$1.all\"\n"+list+"\n"), 0o755))
	_, err := f.Run(append([]string{"-c", "sequence.editor=" + editor}, args...)...)
	require.Error(t, err, "it stops")
	return f
}

// TestARebaseGoesOn: what comes out is what the repository's own command makes of the same answers, and undo brings all of it back.
func TestARebaseGoesOn(t *testing.T) {
	for name, test := range map[string]struct {
		list string   // what the editor does to it
		args []string // besides
		skip bool
		says string // where the rest is a plan
	}{
		"plain":       {"", nil, false, ""},
		"skipped":     {"", nil, true, ""},
		"joined":      {`sed -i 's/^pick \(.* More\)$/fixup \1/' "$1"`, nil, false, ""},
		"left out":    {`sed -i 's/^pick \(.* More\)$/drop \1/' "$1"`, nil, false, ""},
		"reordered":   {`sed -n -e '/More/p' "$1.all" >"$1"; sed -n -e '/^pick/{/More/!p}' "$1.all" >>"$1"`, nil, false, ""},
		"onto":        {"", []string{"--onto", "main", "topic~4"}, false, ""},
		"put away":    {"", []string{"--autostash", "main"}, false, ""},
		"reworded":    {`sed -i 's/^pick \(.* Last\)$/reword \1/' "$1"`, nil, false, "messages to be written"},
		"conflicting": {`sed -i 's/^pick \(.* More\)$/break\n&/' "$1"`, nil, false, ""},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			args := test.args
			if args == nil {
				args = []string{"main"}
			}
			begin := func() *fixture.Repo {
				f := stopped(t, test.list, append([]string{"-c", "core.editor=true", "rebase", "--interactive"}, args...)...)
				if !test.skip {
					f.Write("a", "answered\n2\n3\n")
					f.Git("add", "a")
				}
				return f
			}
			theirs, ours := begin(), begin()
			// The same conflict comes again with the commit "Again": it is answered by its own side.
			step := "--continue"
			if test.skip {
				step = "--skip"
			}
			for range 5 {
				if _, err := theirs.Run("-c", "core.editor=true", "rebase", step); err == nil {
					if _, err := os.Stat(filepath.Join(theirs.Dir, ".git", "rebase-merge")); err != nil {
						break
					}
				} else {
					theirs.Write("a", "uno\n2\n3\n")
					theirs.Git("add", "a")
				}
				step = "--continue"
			}
			a := opened.App(t, ours.Dir)
			p := planning.Of(a)
			state := ours.Git("ls-files", "-s")
			taken, err := p.GoOn(ctx, test.skip)
			require.NoError(t, err)
			_, err = os.Stat(filepath.Join(ours.Dir, ".git", "rebase-merge"))
			assert.ErrorIs(t, err, os.ErrNotExist)
			assert.Equal(t, "refs/heads/topic", ours.Git("symbolic-ref", "HEAD"))
			if test.says != "" {
				assert.False(t, taken.Done)
				assert.Contains(t, taken.Says, test.says)
				return
			}
			if !taken.Done { // the later conflict is one of the plan
				plan := taken.Plan
				for range 3 {
					forecast, err := p.Forecast(ctx, plan, nil)
					require.NoError(t, err)
					for _, s := range forecast.Steps {
						for _, met := range s.PathConflicts {
							if met.Open() > 0 {
								plan = plan.Answer(met.Regions[0].Give(mineOf(met.Regions[0])))
							}
						}
					}
				}
				_, err = p.Apply(ctx, plan, 0, nil)
				require.NoError(t, err)
			}
			format := "--format=%T %an %ae %at %B"
			assert.Equal(t, theirs.Git("log", format, "main.."), ours.Git("log", format, "main.."))
			assert.Equal(t, theirs.Git("status", "--porcelain"), ours.Git("status", "--porcelain"))
			_, err = p.Undo(ctx)
			require.NoError(t, err)
			_, err = p.Undo(ctx)
			require.NoError(t, err)
			assert.Equal(t, state, ours.Git("ls-files", "-s"))
			assert.True(t, strings.HasPrefix(ours.Read(".git/rebase-merge/head-name"), "refs/heads/topic"))
			ours.Git("fsck", "--strict")
		})
	}
}

// TestWhatIsNotTakenOver is refused, and nothing is changed.
func TestWhatIsNotTakenOver(t *testing.T) {
	for name, list := range map[string]string{"a command": `echo "exec true" >>"$1"`, "a label": `echo "label here" >>"$1"`} {
		t.Run(name, func(t *testing.T) {
			f := stopped(t, list, "rebase", "--interactive", "main")
			before := f.Git("status", "--porcelain")
			_, err := planning.Of(opened.App(t, f.Dir)).TakeOver(ctx)
			assert.ErrorIs(t, err, repo.ErrNotUnderstood)
			assert.ErrorContains(t, err, "git rebase --continue")
			assert.Equal(t, before, f.Git("status", "--porcelain"))
			assert.NotEmpty(t, f.Read(".git/rebase-merge/git-rebase-todo"))
		})
	}
}

// mineOf answers a question by the commit's own side.
func mineOf(mend.Question) mend.Answer { return mend.Take(mend.Right) }

// TestRebasesGoOnAsTheirsDo: rebases of any list, taken over at any of their stops, come out as the repository's own command makes
// them with the same answers: each commit's own version of what conflicts.
func TestRebasesGoOnAsTheirsDo(t *testing.T) {
	random := fixture.Random(t, 37)
	compared := 0
	rounds := fixture.Rounds(4, 150)
	for range rounds {
		seed := random.Int63()
		build := func(stop int) (*fixture.Repo, bool) { return rebased(t, rand.New(rand.NewSource(seed)), stop) }
		theirs, stops := build(-1)
		if !stops {
			continue // nothing conflicts
		}
		for stop := 1; stop <= 3; stop++ {
			ours, stopped := build(stop)
			if !stopped {
				break
			}
			p := planning.Of(opened.App(t, ours.Dir))
			taken, err := p.GoOn(ctx, false)
			if errors.Is(err, repo.ErrNotUnderstood) {
				continue // such as commits of which nothing was left: the command is named
			}
			require.NoError(t, err, "seed %d, stop %d", seed, stop)
			if !taken.Done {
				applyWithOwn(t, p, taken.Plan)
			}
			format := "--format=%T %an %ae %at %s"
			require.Equal(t, theirs.Git("log", format, "topic"), ours.Git("log", format, "topic"), "seed %d, stop %d", seed, stop)
			require.Equal(t, theirs.Git("status", "--porcelain"), ours.Git("status", "--porcelain"), "seed %d, stop %d", seed, stop)
			compared++
		}
	}
	assert.Positive(t, compared)
}

// rebased is a branch that is rebased by a list of its own, up to a stop whose conflict is settled; negative: to the end. It says
// whether it stopped, or of a whole one, whether it did at all.
func rebased(t *testing.T, random *rand.Rand, stop int) (*fixture.Repo, bool) {
	f := fixture.New(t)
	names := []string{"a", "b", "c"}
	write := func(n int) (files []string) {
		for range n {
			files = append(files, names[random.Intn(len(names))], fmt.Sprintf("%d\n", random.Intn(1000)))
		}
		return files
	}
	f.Commit("base", "a", "a\n", "b", "b\n", "c", "c\n")
	f.Git("switch", "--quiet", "-c", "topic")
	count := 3 + random.Intn(4)
	for n := range count {
		f.Commit(fmt.Sprint("Commit ", n), write(1+random.Intn(2))...)
	}
	f.Git("switch", "--quiet", "main")
	f.Commit("Main", write(1+random.Intn(2))...)
	f.Git("switch", "--quiet", "topic")
	var list strings.Builder
	history := strings.Fields(f.Git("rev-list", "--reverse", "main..topic"))
	ids := slices.Clone(history)
	random.Shuffle(len(ids), func(i, j int) {
		if random.Intn(3) == 0 {
			ids[i], ids[j] = ids[j], ids[i]
		}
	})
	for i, id := range ids {
		command := []string{"pick", "pick", "pick", "fixup", "drop"}[random.Intn(5)]
		// In a plan commits that are joined are applied in the order of the branch, so that there is one question: only of such is the
		// answer the same.
		follows := i > 0 && slices.Index(history, id) == slices.Index(history, ids[i-1])+1
		if command == "fixup" && !follows || i == 0 || command == "drop" && i == len(ids)-1 {
			command = "pick"
		}
		fmt.Fprintln(&list, command, id)
	}
	file := filepath.Join(t.TempDir(), "list")
	require.NoError(t, os.WriteFile(file, []byte(list.String()), 0o600))
	_, err := f.Run("-c", "sequence.editor=cp "+file, "-c", "core.editor=true", "rebase", "--interactive", "main")
	for stops := 1; ; stops++ {
		unsettled := strings.Fields(f.Git("diff", "--name-only", "--diff-filter=U"))
		if err == nil || len(unsettled) == 0 {
			return f, stop < 0 && stops > 1
		}
		f.Git(append([]string{"checkout", "--quiet", "--theirs", "--"}, unsettled...)...)
		f.Git(append([]string{"add", "--"}, unsettled...)...)
		if stops == stop {
			return f, true
		}
		_, err = f.Run("-c", "core.editor=true", "rebase", "--continue")
	}
}

// applyWithOwn answers what conflicts in a plan by each commit's own side, and applies it.
func applyWithOwn(t *testing.T, p *planning.App, plan shape.Plan) {
	for {
		forecast, err := p.Forecast(ctx, plan, nil)
		require.NoError(t, err)
		if forecast.Conflicts() == 0 {
			break
		}
		for _, step := range forecast.Steps {
			if step.Result != replay.Conflict {
				continue
			}
			for _, met := range step.PathConflicts {
				for _, q := range met.Questions() {
					if q.Open() {
						plan = plan.Answer(q.Give(mineOf(q)))
					}
				}
			}
			break
		}
	}
	_, err := p.Apply(ctx, plan, 0, nil)
	require.NoError(t, err)
}

// TestASequenceGoesOn: the commit that waits is made, and the rest follows, as by the repository's own command.
func TestASequenceGoesOn(t *testing.T) {
	for name, args := range map[string][]string{"picks": {"cherry-pick", "main~2", "main~1", "main"},
		"reverts": {"revert", "--no-edit", "topic~2", "topic~1"}} {
		t.Run(name, func(t *testing.T) {
			begin := func() *fixture.Repo {
				f := fixture.New(t)
				f.Commit("base", "a", "1\n", "b", "b\n")
				f.Git("switch", "--quiet", "-c", "topic")
				f.Commit("One", "a", "one\n")
				f.Commit("Two", "b", "two\n")
				f.Commit("Three", "a", "three\n")
				f.Git("switch", "--quiet", "main")
				mira := f.ByMira()
				mira.Commit("Meets", "a", "eins\n")
				mira.Commit("New", "c", "c\n")
				mira.Commit("Newer", "d", "d\n")
				f.Git("switch", "--quiet", "topic")
				_, err := f.Run(args...)
				require.Error(t, err, "it stops")
				f.Write("a", "answered\n")
				f.Git("add", "a")
				return f
			}
			theirs, ours := begin(), begin()
			theirs.Git("-c", "core.editor=true", args[0], "--continue")
			p := planning.Of(opened.App(t, ours.Dir))
			message, err := p.MergeDraft(ctx)
			require.NoError(t, err)
			_, said, err := p.FinishWaiting(ctx, message, false)
			require.NoError(t, err)
			assert.Contains(t, said, "All of it is done")
			format := "--format=%T %an %ae %at %B"
			ourLog, theirLog := ours.Git("log", format), theirs.Git("log", format)
			if name == "reverts" { // which are the user's own, now
				format = "--format=%T %an %ae %B"
				ourLog, theirLog = ours.Git("log", format), theirs.Git("log", format)
			}
			ids := regexp.MustCompile(`\b[0-9a-f]{40}\.`)
			assert.Equal(t, ids.ReplaceAllString(theirLog, "ID"), ids.ReplaceAllString(ourLog, "ID"))
			assert.Empty(t, ours.Git("status", "--porcelain"))
			_, err = os.Stat(filepath.Join(ours.Dir, ".git", "sequencer"))
			assert.ErrorIs(t, err, os.ErrNotExist)
		})
	}
}
