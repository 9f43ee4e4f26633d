package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
	"bastel/test/opened"
)

// TestAReadOutTellsAllOfACommit: who wrote and who committed it, its body, its trailers, its signature, its files; control
// characters in any of it do nothing.
func TestAReadOutTellsAllOfACommit(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Write("a", "2\n")
	f.Git("commit", "--quiet", "--all", "--author",
		"Mira \x1b[31mLund <mira@quay.example>", "--message", "Say it\n\nWhy it is said.\n\nReviewed-by: Ines Falk <ines@quay.example>")
	raw := f.Git("cat-file", "commit", "HEAD")
	head, text, _ := strings.Cut(raw, "\n\n")
	f.Write("raw", head+"\ngpgsig nothing\n\n"+text+"\n")
	signed := f.Git("hash-object", "-t", "commit", "-w", "raw")
	out, err := opened.App(t, f.Dir).ReadOut(t.Context(), fixture.ID(t, signed))
	require.NoError(t, err)
	header := strings.Join(out.Header(), "\n")
	for _, want := range []string{"<mira@quay.example>, ", "committed by Ines Falk <ines@lanternquay.example>, ", "signed", "Why it is said.",
		"Reviewed-by: Ines Falk"} {
		assert.Contains(t, header, want)
	}
	whole := out.Whole()
	assert.True(t, strings.HasPrefix(whole, "Say it\n\nWhy it is said.\n\nReviewed-by: "), whole)
	assert.Contains(t, whole, signed+"\n")
	assert.True(t, strings.HasSuffix(whole, "1 file  +1 −1\na  +1 −1\n"), whole)
	assert.NotContains(t, header+whole, "\x1b")
}
