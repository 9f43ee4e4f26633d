package send_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"bastel/internal/repo"
	"bastel/internal/send"
	"bastel/test/fixture"
)

func TestWhatThePreflightFoundIsListed(t *testing.T) {
	one, two := fixture.ID(t, strings.Repeat("1", 40)), fixture.ID(t, strings.Repeat("2", 40))
	facts := send.Facts{
		Commits: []send.Fact{{ID: one, Message: "wip.", Parents: 1, Name: "Ines", Email: "ines"},
			{ID: two, Message: "Add a", Parents: 2, Name: "Ines", Email: "a@x.example"}},
		Leftovers: []string{"a:1 in x", "b:2 in y"}, Large: []string{"film"}, Unread: []repo.ID{two}, Failed: []repo.ID{one}, Check: true,
		TakesBack: []string{"1 line of Mira"}, Remarks: 3, Reviewers: []string{"Mira"}, Missing: 1, Target: "main",
	}
	want := map[string][]string{
		send.Linear: {"2222222  Add a"}, send.Subjects: {"1111111  wip."}, send.Messages: {"1111111  wip.: its subject ends in a full stop"},
		send.Leftovers: {"a:1 in x", "b:2 in y"}, send.LargeFile: {"film"}, send.Identity: {"1111111  wip.: \"ines\" is no proper address"},
		send.Checks: {"1111111  wip."}, send.Read: {"2222222  Add a"},
		send.Others: {"1 line of Mira"}, send.Remarks: nil, send.Reviewers: nil, send.UpToDate: nil,
	}
	for _, item := range send.Preflight(facts, nil) {
		assert.Equal(t, want[item.Name], item.Details, item.Name)
		assert.Equal(t, send.Warn, item.Level, item.Name)
	}
}

func TestPreflight(t *testing.T) {
	id := fixture.ID(t, strings.Repeat("1", 40))
	commit := func(message string) []send.Fact {
		return []send.Fact{{ID: id, Message: message, Parents: 1, Name: "Ines", Email: "a@x.example"}}
	}
	for name, test := range map[string]struct {
		facts send.Facts
		item  string
		want  string // empty: nothing is found
	}{
		"in form": {send.Facts{Commits: commit("Add a\n\nWhy.\n")}, send.Messages, ""},
		"long subject": {send.Facts{Commits: commit(strings.Repeat("a", 73))}, send.Messages,
			"a message is not well formed: its subject is longer than 72"},
		"wide subject": {send.Facts{Commits: commit(strings.Repeat("ä", 72))}, send.Messages, ""},
		"full stop": {send.Facts{Commits: commit("Add a.\n")}, send.Messages,
			"a message is not well formed: its subject ends in a full stop"},
		"no blank line": {send.Facts{Commits: commit("Add a\nand b\n")}, send.Messages,
			"a message is not well formed: no blank line follows its subject"},
		"no subject": {send.Facts{Commits: commit("")}, send.Messages, "a message is not well formed: it has no subject"},
		"fixup":      {send.Facts{Commits: commit("fixup! Add a")}, send.Subjects, "1 commit with a subject such as fixup! or wip"},
		"wip":        {send.Facts{Commits: commit("WIP: lamps")}, send.Subjects, "1 commit with a subject such as fixup! or wip"},
		"wiper":      {send.Facts{Commits: commit("wiper blades")}, send.Subjects, ""},
		"linear":     {send.Facts{Commits: commit("Add a")}, send.Linear, ""},
		"merge":      {send.Facts{Commits: []send.Fact{{ID: id, Parents: 2}}}, send.Linear, "1 merge: the series is not a straight line"},
		"leftover":   {send.Facts{Leftovers: []string{"a.go:7"}}, send.Leftovers, "left over in what is added: a.go:7"},
		"leftovers": {send.Facts{Leftovers: []string{"a.go:7", "b:1", "b:2"}}, send.Leftovers,
			"left over in what is added: a.go:7 and 2 more"},
		"large": {send.Facts{Large: []string{"film"}}, send.LargeFile, "too large: film"},
		"author": {send.Facts{Commits: []send.Fact{{ID: id, Name: "Ines", Email: "ines@localhost"}}}, send.Identity,
			"1 commit whose author is not right"},
		"no name": {send.Facts{Commits: []send.Fact{{ID: id, Email: "a@x.example"}}}, send.Identity,
			"1 commit whose author is not right"},
		"another address": {send.Facts{Commits: commit("Add a"), Name: "Ines", Email: "ines@x.example"}, send.Identity,
			"1 commit whose author is not right"},
		"another person":   {send.Facts{Commits: commit("Add a"), Name: "Oskar", Email: "oskar@x.example"}, send.Identity, ""},
		"the same address": {send.Facts{Commits: commit("Add a"), Name: "Ines", Email: "A@x.example"}, send.Identity, ""},
		"no check":         {send.Facts{}, send.Checks, ""},
		"not checked":      {send.Facts{Check: true, Unchecked: []repo.ID{id}}, send.Checks, "1 commit not checked yet"},
		"check failed": {send.Facts{Check: true, Failed: []repo.ID{id}, Unchecked: []repo.ID{id}}, send.Checks,
			"the check failed on 1 commit"},
		"checked": {send.Facts{Check: true}, send.Checks, ""},
		"behind": {send.Facts{Target: "origin/main", Missing: 2}, send.UpToDate,
			"origin/main has 2 commits that the branch does not have"},
		"with the target":    {send.Facts{Target: "origin/main"}, send.UpToDate, ""},
		"nothing to be sent": {send.Facts{}, send.Messages, ""},
	} {
		t.Run(name, func(t *testing.T) {
			for _, item := range send.Preflight(test.facts, map[string]send.Level{test.item: send.Block}) {
				switch {
				case item.Name != test.item:
				case test.want == "":
					assert.Equal(t, send.OK, item.Level, item.Message)
				default:
					assert.Equal(t, send.Block, item.Level)
					assert.Equal(t, test.want, item.Message)
				}
			}
			assert.Len(t, send.Preflight(test.facts, map[string]send.Level{test.item: send.Off}), len(send.ItemNames)-1)
		})
	}
}

// TestWhatCouldNotBeLookedAt: no item claims that all is well where there was nothing to look at.
func TestWhatCouldNotBeLookedAt(t *testing.T) {
	for _, item := range send.Preflight(send.Facts{}, nil) {
		if item.Name != send.Remarks && item.Name != send.Reviewers {
			assert.True(t, strings.HasPrefix(item.Message, "not checked: "), "%s: %s", item.Name, item.Message)
		}
	}
}
