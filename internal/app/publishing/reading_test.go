package publishing_test

import (
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/draw"
	"bastel/internal/lanes"
	"bastel/internal/review"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestReadingLastsThroughRewritings: whatever is done to the series, a commit whose change
// is what it was stays read, and its remark stays on its line.
func TestReadingLastsThroughRewritings(t *testing.T) {
	random := rand.New(rand.NewSource(7))
	for range 4 {
		f := fixture.New(t)
		f.Commit("base", "base", "1\n")
		f.Git("switch", "--quiet", "-c", "topic")
		for i := range 6 {
			f.Commit(fmt.Sprint("commit ", i), fmt.Sprint("f", i), fmt.Sprintf("one of %d\ntwo of %d\n", i, i))
		}
		a := opened.App(t, f.Dir)
		r, err := publishing.Of(a).ReadThrough(ctx)
		require.NoError(t, err)
		var all []string
		for i, s := range r.Sources {
			all = append(all, s.ID.String())
			_, err := publishing.Of(a).RemarkOn(ctx, s.ID.String(), fmt.Sprint("f", i), 2, fmt.Sprint("about two of ", i))
			require.NoError(t, err)
		}
		hunks, err := publishing.Of(a).TickCommits(ctx, all, true)
		require.NoError(t, err)
		assert.Equal(t, 6, hunks)
		for range 3 {
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			n := len(plan.Next)
			plan = plan.Move(random.Intn(n), random.Intn(n))
			if n > 2 && random.Intn(2) == 0 {
				plan = plan.Join(0, 1)
			}
			plan = plan.Reword(random.Intn(len(plan.Next)), fmt.Sprint("words ", random.Intn(100), "\n"))
			_, err = planning.Of(a).Apply(ctx, plan, app.OwnOnly, nil)
			require.NoError(t, err)
			r, err := publishing.Of(a).ReadThrough(ctx)
			require.NoError(t, err)
			for i := range r.Series {
				read, all := r.Tally(i)
				assert.Equal(t, all, read, r.Sources[i].Commit.Subject())
			}
			assert.Len(t, r.Remarks, 6)
			for i, remark := range r.Remarks {
				require.False(t, remark.Gone)
				line := r.Series[remark.Commit].Files[remark.File].Hunks[remark.Hunk].Lines[remark.Line]
				assert.Equal(t, fmt.Sprintf("two of %d\n", i), string(line.Text))
			}
		}
	}
}

// TestRemarksThatCannotBe: what is wrong is said, and nothing is kept.
func TestRemarksThatCannotBe(t *testing.T) {
	f := opened.Feature(t)
	a := opened.App(t, f.Dir)
	for name, do := range map[string]func() error{
		"no such commit": func() error { _, err := publishing.Of(a).RemarkOn(ctx, "nowhere", "a", 1, "x"); return err },
		"no such line":   func() error { _, err := publishing.Of(a).RemarkOn(ctx, "HEAD", "a", 999, "x"); return err },
		"no such file":   func() error { _, err := publishing.Of(a).RemarkOn(ctx, "HEAD", "nowhere", 1, "x"); return err },
		"no text":        func() error { _, err := publishing.Of(a).RemarkOn(ctx, "HEAD", "", 0, " \n"); return err },
		"no such remark": func() error { return publishing.Of(a).CloseRemark(3, true) },
		"nor to reword":  func() error { return publishing.Of(a).RewordRemark(3, "x") },
		"nor to drop":    func() error { return publishing.Of(a).DropRemark(3) },
		"not that read": func() error {
			_, err := publishing.Of(a).TickCommits(ctx, []string{"HEAD", "nowhere"}, true)
			return err
		},
	} {
		t.Run(name, func(t *testing.T) {
			opened.Refusal(t, do())
			r, err := publishing.Of(a).ReadThrough(ctx)
			require.NoError(t, err)
			assert.Empty(t, r.Remarks)
		})
	}
}

// TestRemarksOfALinkedWorktree: what one working tree notes, another one sees; and several at
// once lose nothing of each other's.
func TestRemarksOfALinkedWorktree(t *testing.T) {
	f := opened.Feature(t)
	linked := filepath.Join(t.TempDir(), "linked")
	f.Git("worktree", "add", "--quiet", "-b", "other", linked)
	here, there := opened.App(t, f.Dir), opened.App(t, linked)
	for i := range 5 {
		done := make(chan error)
		for _, a := range []*app.App{here, here} {
			go func() {
				_, err := publishing.Of(a).AddRemark("feature", review.Anchor{}, fmt.Sprint("remark ", i))
				done <- err
			}()
		}
		require.NoError(t, <-done)
		require.NoError(t, <-done)
	}
	_, err := publishing.Of(there).AddRemark("other", review.Anchor{}, "from there")
	require.NoError(t, err)
	r, err := publishing.Of(here).ReadThrough(ctx)
	require.NoError(t, err)
	var numbers []int
	for _, n := range r.Remarks {
		numbers = append(numbers, n.Number)
	}
	slices.Sort(numbers)
	assert.Equal(t, []int{1, 2, 3, 4, 5, 6, 7, 8, 9, 10}, numbers, "of this branch")
	other, err := publishing.Of(there).ReadThrough(ctx)
	require.NoError(t, err)
	assert.Len(t, other.Remarks, 1)
	require.NoError(t, os.WriteFile(filepath.Join(f.Dir, ".git", "bastel", "review.toml"), []byte("format = \"bastel-review/9\"\n"), 0o666))
	r, err = publishing.Of(here).ReadThrough(ctx)
	require.NoError(t, err)
	assert.Empty(t, r.Remarks, "a newer book is passed over")
}

// TestHistories: before and after as two lines, oldest first, each commit tied to what it
// became; what is the target's bears no mark, and before shows nothing that came later.
func TestHistories(t *testing.T) {
	for name, test := range map[string]struct {
		prepare       func(f *fixture.Repo)
		onto          string
		before, after []string
		threads       []lanes.Thread
	}{
		"rewritten": {func(f *fixture.Repo) {}, "", []string{"1 one", "2 two", "3 three"}, []string{"A one, reworded", "B two", "C three"},
			[]lanes.Thread{{From: 0, To: 0}, {From: 1, To: 1}, {From: 2, To: 2}}},
		"onto a target that moved on": {func(f *fixture.Repo) {
			f.Git("branch", "-f", "main", f.Git("commit-tree", "-p", "main", "-m", "later", "main^{tree}"))
		}, "main", []string{"1 one", "2 two", "3 three"}, []string{" later", "A one, reworded", "B two", "C three"},
			[]lanes.Thread{{From: 0, To: 1}, {From: 1, To: 2}, {From: 2, To: 3}}},
	} {
		t.Run(name, func(t *testing.T) {
			f := opened.Feature(t)
			test.prepare(f)
			a := opened.App(t, f.Dir)
			_, err := publishing.Of(a).HistoryOf(ctx, false)
			assert.Contains(t, opened.Refusal(t, err), "Nothing was rewritten")
			plan, err := a.NewPlan(ctx, test.onto, "")
			require.NoError(t, err)
			_, err = planning.Of(a).Apply(ctx, plan.Reword(0, "one, reworded\n"), app.OwnOnly, nil)
			require.NoError(t, err)
			picture, err := publishing.Of(a).HistoryOf(ctx, false)
			require.NoError(t, err)
			list := func(line draw.Line) (titles []string) {
				for _, k := range line.Knots {
					titles = append(titles, k.Mark+" "+k.Title)
				}
				return titles
			}
			assert.Equal(t, test.before, list(picture.Before))
			assert.Equal(t, test.after, list(picture.After))
			assert.Equal(t, test.threads, picture.Threads)
			_, err = publishing.Of(a).HistoryOf(ctx, true)
			assert.Error(t, err, "no remote")
		})
	}
}
