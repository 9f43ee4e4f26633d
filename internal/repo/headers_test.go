package repo_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestCommitsKeepTheirHeaders: a commit is written as it was read, whatever its headers hold, and a line end
// in a header never begins another one.
func TestCommitsKeepTheirHeaders(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		value := rapid.StringMatching("[ -~\n<>é]{0,20}")
		c := &repo.Commit{Author: value.Draw(t, "author"), Committer: value.Draw(t, "committer"), Encoding: value.Draw(t, "encoding"),
			Message: value.Draw(t, "message"), Extra: []repo.Header{{Key: "mergetag", Value: value.Draw(t, "extra")}}}
		c.Tree, _ = repo.ParseID(strings.Repeat("ab", 20))
		again, err := repo.ParseCommit(c.Encode())
		require.NoError(t, err)
		assert.Equal(t, c, again)
	})
}

// TestAuthorsAsGiven: dates of long ago, and authors that no command would write.
func TestAuthorsAsGiven(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	r := f.Open(t)
	tree, err := repo.ParseID(f.Git("rev-parse", "HEAD^{tree}"))
	require.NoError(t, err)
	for _, author := range []string{"A <a@x> 0 +0000", "A <a@x> 99999999 -1130", "A <> 5 +0000", "A. <a@x> 5 +0000", "A <a@x",
		"Two\nlines <a@x> 5 +0000", " <a@x> 5 +0000"} {
		id, err := r.CommitTree(t.Context(), repo.NewCommit{Tree: tree, Message: "m\n", Author: author})
		require.NoError(t, err, author)
		c, err := r.Commit(t.Context(), id)
		require.NoError(t, err)
		assert.Equal(t, author, c.Author, fmt.Sprintf("%q", author))
	}
}

// TestAHookThatLeavesAProcessBehind ends when the hook ends.
func TestAHookThatLeavesAProcessBehind(t *testing.T) {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	f.Hook("pre-commit", "#!/bin/sh\nsleep 40 &\necho said\n")
	f.Hook("post-rewrite", "#!/bin/sh\nsleep 40 &\n")
	r := f.Open(t)
	began := time.Now()
	require.NoError(t, r.RunHook(t.Context(), "pre-commit"))
	require.NoError(t, r.RunPostRewrite(t.Context(), "amend", nil))
	assert.Less(t, time.Since(began), 30*time.Second)
	f.Hook("pre-commit", "#!/bin/sh\nsleep 40 &\necho no >&2\nexit 1\n")
	assert.ErrorContains(t, r.RunHook(t.Context(), "pre-commit"), "no")
}
