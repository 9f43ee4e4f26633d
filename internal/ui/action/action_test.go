package action_test

import (
	"flag"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/ui/action"
)

var update = flag.Bool("update", false, "write docs/keys.md anew")

const page = "../../../docs/keys.md"

func TestThePageOfKeysComesFromTheTable(t *testing.T) {
	if *update {
		require.NoError(t, os.WriteFile(page, []byte(keysPage()), 0o666))
	}
	written, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, keysPage(), string(written), "write it anew: go test ./internal/ui/action -update")
}

// TestAKeyMeansOneThing: each key stands in one row of the table; an action has the keys
// of its row only; and in one place a key stands for one action.
func TestAKeyMeansOneThing(t *testing.T) {
	rowOf := map[string]string{}
	for _, row := range action.Table {
		assert.NotEmpty(t, row.Means)
		for _, key := range row.Keys {
			assert.Empty(t, rowOf[key], "%s has two meanings", key)
			rowOf[key] = row.Means
		}
		for _, a := range row.Actions {
			for _, key := range action.Find(a.ID).Keys {
				assert.Contains(t, row.Keys, key, "%s has a key of another meaning", a.ID)
			}
		}
	}
	for _, place := range places {
		taken := map[string]action.ID{}
		for _, a := range rowsOf(place) {
			for _, key := range a.Keys {
				assert.Empty(t, taken[key], "%s in %s is %s too", key, place, a.ID)
				taken[key] = a.ID
			}
		}
	}
}

// TestNarrowerMeaningsAreListed: what is done in a place in place of what is done
// everywhere has the same key only where the row's meaning covers both.
func TestNarrowerMeaningsAreListed(t *testing.T) {
	narrower := map[string][]action.ID{
		"left": {action.GridLeft}, "right": {action.GridRight},
		"u": {action.UndoSorting, action.UndoEdit, action.UndoPart, action.UndoAnswer, action.UndoStep}, "b": {action.WorkHere},
		"=":   {action.CompareBranches, action.CompareEnd, action.AgainstBase},
		"U":   {action.RedoSorting, action.RedoEdit, action.RedoPart, action.RedoAnswer},
		"!":   {action.Conflicts, action.LookBefore, action.OtherConflicts},
		"esc": {action.Back, action.CloseList, action.DropText},
	}
	everywhere := map[string]bool{}
	for _, a := range rowsOf(action.Everywhere) {
		for _, key := range a.Keys {
			everywhere[key] = true
		}
	}
	for _, place := range places[1:] {
		for _, a := range rowsOf(place) {
			if len(a.Keys) > 0 && everywhere[a.Keys[0]] && !slices.Contains(a.In, action.Everywhere) {
				assert.Contains(t, narrower[a.Keys[0]], a.ID, "in %s", place)
			}
		}
	}
}

func TestEachRowIsComplete(t *testing.T) {
	seen := map[action.ID]bool{}
	exceptions := 0
	for _, row := range action.Table {
		if row.Except != "" {
			exceptions++
		}
		for _, a := range row.Actions {
			assert.False(t, seen[a.ID], "%s stands twice", a.ID)
			seen[a.ID] = true
			assert.NotEmpty(t, a.In, a.ID)
			assert.NotEmpty(t, a.Name, a.ID)
			assert.Regexp(t, `^[A-Z].*\.$`, a.Help, a.ID)
			assert.LessOrEqual(t, len(strings.Fields(a.Name)), 4, a.ID)
		}
	}
	assert.Equal(t, 1, exceptions, "an exception needs a reason that holds")
}

func TestWordsOfTheTradeAreFound(t *testing.T) {
	for typed, want := range map[string]action.ID{
		"rebase": action.Onto, "cherry-pick": action.TakeCommits, "force push": action.Push, "amend": action.Amend, "fixup": action.Squash,
		"reword": action.EntryMessage, "stage": action.Carry, "pull": action.Fetch, "drop": action.LeaveOut,
		"split": action.Divide, "switch": action.GoThere, "checkout": action.GoThere,
	} {
		assert.Positive(t, action.Find(want).Fits(typed), typed)
	}
	for _, typed := range []string{"stash", "rebase --continue", "bisect"} {
		typed = strings.ReplaceAll(typed, "--", "")
		assert.True(t, slices.ContainsFunc(action.Instead, func(w action.Way) bool { return w.Fits(typed) > 0 }), typed)
	}
	squash := action.Find(action.Squash)
	assert.Greater(t, squash.Fits("squash"), squash.Fits("combine"), "a name goes before a word")
	assert.Greater(t, squash.Fits("combine"), squash.Fits("message stays"), "a word goes before the sentence")
	assert.Zero(t, squash.Fits("tide"))
}

// TestNoOldWordIsShown: what was renamed is not said any more.
func TestNoOldWordIsShown(t *testing.T) {
	old := regexp.MustCompile(`(?i)\b(uncommit|fold|folded|settle|settled|full mark|youngest)\b|take[sn]? back the|\bbehind entry`)
	for _, row := range action.Table {
		assert.NotRegexp(t, old, row.Means+row.Except)
		for _, a := range row.Actions {
			assert.NotRegexp(t, old, a.Name+". "+a.Help+" "+a.Command)
		}
	}
}
