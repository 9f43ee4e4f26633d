package suggest_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/suggest"
	"bastel/test/fixture"
)

var ctx = context.Background()

// history puts texts of one file into an overlay, as commits that follow each other.
func history(t fixture.TB, o *repo.Overlay, empty repo.ID, texts []string) []suggest.Commit {
	before := empty
	var commits []suggest.Commit
	for i, text := range texts {
		tree := o.PutTree(repo.Tree{{Mode: repo.ModeFile, Name: "x", ID: o.Put(repo.KindBlob, []byte(text))}})
		commits = append(commits, suggest.Commit{ID: fixture.ID(t, fmt.Sprintf("%040x", i+1)), Message: fmt.Sprintf("commit %d\n", i),
			Before: before, Tree: tree})
		before = tree
	}
	return commits[1:]
}

// TestWhatDoesNotOverlapMovesFreely: two commits that follow each other and do not
// overlap can change places without a conflict; two that do cannot.
func TestWhatDoesNotOverlapMovesFreely(t *testing.T) {
	r := fixture.New(t).Open(t)
	rapid.Check(t, func(t *rapid.T) {
		o := r.NewOverlay()
		lines := make([]string, 12)
		for i := range lines {
			lines[i] = fmt.Sprintf("line %d", i)
		}
		texts := []string{strings.Join(lines, "\n") + "\n"}
		for n := range 2 {
			start := rapid.IntRange(0, len(lines)).Draw(t, "start")
			end := rapid.IntRange(start, min(len(lines), start+2)).Draw(t, "end")
			fewest := 0
			if start == end {
				fewest = 1
			}
			var edit []string
			for i := range rapid.IntRange(fewest, 2).Draw(t, "lines") {
				edit = append(edit, fmt.Sprintf("edit %d of %d", i, n))
			}
			lines = append(append(append([]string{}, lines[:start]...), edit...), lines[end:]...)
			texts = append(texts, strings.Join(lines, "\n")+"\n")
		}
		commits := history(t, o, r.EmptyTree(), texts)
		m, err := suggest.Survey(ctx, o, commits)
		require.NoError(t, err)
		together := false
		for _, region := range m.Rows[0].Regions {
			together = together || len(region.Commits) == 2
			assert.LessOrEqual(t, region.Start, region.End)
		}
		assert.Equal(t, len(m.Overlaps) > 0, together, "what overlaps meets in a region")
		// The second one past the first: its change onto what was before both.
		moved, conflicts, err := merge.Trees(ctx, o, commits[1].Before, commits[0].Before, commits[1].Tree)
		require.NoError(t, err)
		if len(m.Overlaps) == 0 {
			// Lines that the first one removed leave no line behind to be touched.
			removed := m.Rows[0].Cells[0].Added == 0
			assert.True(t, len(conflicts) == 0 || removed, "%v", texts)
		} else {
			assert.True(t, len(conflicts) > 0 || moved == commits[0].Before, "only what takes the first one back goes past it: %v", texts)
		}
	})
}

func TestFindBySubjects(t *testing.T) {
	r := fixture.New(t).Open(t)
	messages := []string{"Add a\n", "Add b\n\nBecause.\n", "fixup! Add a\n", "squash! Add b\n\nAnd more.\n",
		"amend! Add a\n\nAdd A\n\nBetter.\n", "fixup! fixup! Add a\n", "fixup! nowhere\n"}
	texts := []string{""}
	for i := range messages {
		texts = append(texts, strings.Repeat("far\n", 50*i)+fmt.Sprintf("new %d\n", i))
	}
	commits := history(t, r.NewOverlay(), r.EmptyTree(), texts)
	var sources []repo.ID
	for i := range commits {
		commits[i].Message = messages[i]
		sources = append(sources, commits[i].ID)
	}
	plan := shape.New("topic", sources[len(sources)-1], repo.ID{}, sources)
	found := suggest.Find(suggest.Matrix{Commits: commits}, plan, nil)
	var titles []string
	for _, s := range found {
		titles = append(titles, s.Title)
		require.NoError(t, s.Plan.Check())
	}
	assert.Equal(t, []string{
		"Join 3 into 1, Add a: its subject says fixup!", "Join 4 into 2, Add b: its subject says squash!",
		"Join 5 into 1, Add a: its subject says amend!", "Join 6 into 1, Add a: its subject says fixup!",
	}, titles)
	assert.Empty(t, found[0].Plan.Next[0].Message, "a fixup leaves the message")
	assert.Equal(t, "Add b\n\nBecause.\n\nAnd more.\n", found[1].Plan.Next[1].Message)
	assert.Equal(t, "Add A\n\nBetter.\n", found[2].Plan.Next[0].Message)
	assert.Empty(t, suggest.Find(suggest.Matrix{Commits: commits}, plan.LeaveOut(0).LeaveOut(0), nil), "what is left out is not joined to")
}
