package planning_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/tray"
	"bastel/test/fixture"
	"bastel/test/opened"
)

// What is told of taking a step back is what taking it back does: the commits that come again and go, and the files.
func TestWhatTakingBackWouldGive(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "one\n")
	f.Write("a", "two\n")
	a := opened.App(t, f.Dir)
	_, err := sorting.Of(a).Move(ctx, sorting.TrayMove{From: tray.Loose, To: tray.A, Selected: tray.SelectFiles("a"), View: tray.Plain})
	require.NoError(t, err)
	_, err = opened.Commit(a, "second", nil)
	require.NoError(t, err)
	f.Write("a", "three\n")
	_, err = sorting.Of(a).Discard(ctx, sorting.TrayMove{Selected: tray.SelectFiles("a"), View: tray.Plain})
	require.NoError(t, err)

	told := func() (list []string) {
		entries, err := a.Journal.Entries(ctx)
		require.NoError(t, err)
		for _, e := range entries {
			lines, err := planning.Of(a).LookBack(ctx, e)
			require.NoError(t, err)
			list = append(list, string(e.Kind)+": "+strings.Join(lines, "|"))
		}
		return list
	}
	list := told()
	assert.Contains(t, list[0], "discard: u undoes it and brings back:||Working files as they were:|  a")
	second := f.Git("rev-parse", "--short=7", "HEAD")
	assert.Contains(t, list[1], "1 later step")
	assert.Contains(t, list[1], "|  − "+second+"  second")
	_, err = planning.Of(a).Undo(ctx)
	require.NoError(t, err)
	assert.Equal(t, "three", strings.TrimSpace(f.Read("a")))
	list = told()
	assert.Contains(t, list[1], "discard: It was undone.")
	assert.Contains(t, list[2], "commit: u undoes it and brings back:")
	assert.Contains(t, list[0], "undo: It is only a record")
}

// A text that is being written outlives steps that are carried out meanwhile, and a step's note is not taken for one.
func TestTextsOutliveSteps(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "one\n")
	f.Write("a", "two\n")
	a := opened.App(t, f.Dir)
	texts := app.Unfinished{app.UnfinishedKey("Message", ""): {Text: "half a mess", When: time.Unix(1, 0).UTC()}}
	require.NoError(t, a.KeepUnfinished(texts))
	_, err := sorting.Of(a).Move(ctx, sorting.TrayMove{From: tray.Loose, To: tray.A, Selected: tray.SelectFiles("a"), View: tray.Plain})
	require.NoError(t, err)
	_, err = opened.Commit(a, "second", nil)
	require.NoError(t, err)
	assert.Equal(t, texts, a.ReadUnfinished())
}
