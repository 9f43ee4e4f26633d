package journal_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/journal"
	"bastel/test/fixture"
)

func TestWhatCanBeTakenBack(t *testing.T) {
	for script, want := range map[string]string{
		"":                                        "|",
		"commit commit":                           "1 2|",
		"commit commit undo:2":                    "1|2",
		"commit commit undo:2 undo:1":             "|2 1",
		"commit commit undo:2 undo:1 redo:1":      "1|2",
		"commit undo:1 apply":                     "3|",
		"commit push pushed:2":                    "1|",
		"commit apply void:2":                     "1|",
		"commit elsewhere undo:1":                 "|1",
		"commit apply undo:2 redo:2 undo:2 apply": "1 6|",
	} {
		var entries []journal.Entry
		for i, word := range strings.Fields(script) {
			kind, of, _ := strings.Cut(word, ":")
			e := journal.Entry{Number: i + 1, Kind: journal.Kind(kind), Worktree: "here"}
			if kind == "elsewhere" {
				e.Kind, e.Worktree = journal.Commit, "there"
			}
			fmt.Sscan(of, &e.Of)
			entries = append([]journal.Entry{e}, entries...)
		}
		state := journal.StateOf(entries, "here")
		assert.Equal(t, want, numbers(state.Done)+"|"+numbers(state.Undone), script)
	}
}

func numbers(entries []journal.Entry) string {
	var list []string
	for _, e := range entries {
		list = append(list, fmt.Sprint(e.Number))
	}
	return strings.Join(list, " ")
}

func TestEntriesKeepWhatTheySpeakOf(t *testing.T) {
	ctx := context.Background()
	f := fixture.New(t)
	first := fixture.ID(t, f.Commit("first", "a", "1\n"))
	second := fixture.ID(t, f.Commit("second", "a", "2\n"))
	f.Git("reset", "--quiet", "--hard", first.String())
	r := f.Open(t)
	l := journal.New(r)
	entries, err := l.Entries(ctx)
	require.NoError(t, err)
	assert.Empty(t, entries)
	for i := range 3 {
		e, update, err := l.Write(ctx, journal.Entry{Kind: journal.Apply, Ref: "refs/heads/main", Old: second, New: first,
			Title: fmt.Sprint("step ", i)})
		require.NoError(t, err)
		require.NoError(t, r.UpdateRefs(ctx, "journal", update))
		assert.Equal(t, i+1, e.Number)
	}
	entries, err = l.Entries(ctx)
	require.NoError(t, err)
	require.Len(t, entries, 3)
	assert.Equal(t, "step 2", entries[0].Title)
	assert.Equal(t, second, entries[2].Old)
	f.Git("gc", "--quiet", "--prune=now")
	f.Git("fsck", "--strict")
	assert.Equal(t, "second", f.Git("log", "-1", "--format=%s", second.String()), "nothing that can be taken back is pruned")
}
