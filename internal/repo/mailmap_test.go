package repo_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/test/fixture"
)

// TestPeopleAreKnownAsTheRepositoryKnowsThem, whatever the map says.
func TestPeopleAreKnownAsTheRepositoryKnowsThem(t *testing.T) {
	fixture.FewerChecks(t, "30")
	f := fixture.New(t)
	f.Commit("base", "a", "1\n")
	word := rapid.SampledFrom([]string{"Ines", "ines Falk", "Mira Lund", "Oskar", ""})
	address := rapid.SampledFrom([]string{"a@x.example", "A@X.example", "b@x.example", "c@x.example", ""})
	rapid.Check(t, func(t *rapid.T) {
		var lines []string
		for range rapid.IntRange(0, 6).Draw(t, "lines") {
			line := fmt.Sprintf("%s <%s>", word.Draw(t, "name"), address.Draw(t, "address"))
			if rapid.Bool().Draw(t, "two") {
				line += fmt.Sprintf(" %s <%s>", word.Draw(t, "signed name"), address.Draw(t, "signed"))
			}
			if rapid.IntRange(0, 6).Draw(t, "no line") == 0 {
				line = rapid.SampledFrom([]string{"", "# comment <a@x.example>", "Ines", "Ines <a@x.example", "  <b@x.example>  "}).Draw(t, "odd")
			}
			lines = append(lines, line)
		}
		text := strings.Join(lines, "\n") + "\n"
		f.Write(".mailmap", text)
		for _, who := range []repo.Person{{Name: "Ines", Email: "a@x.example"}, {Name: "INES", Email: "A@x.example"},
			{Name: "Mira Lund", Email: "b@x.example"}, {Name: "Nobody", Email: "c@x.example"}} {
			known := repo.ParseMailmap(text).Person(who)
			want := f.Git("check-mailmap", fmt.Sprintf("%s <%s>", who.Name, who.Email))
			assert.Equal(t, want, fmt.Sprintf("%s <%s>", known.Name, known.Email), text)
		}
	})
}

// TestWritersAreKnown by the map of the working tree, which is read again when it changes; commits themselves stay as they are.
func TestWritersAreKnown(t *testing.T) {
	f := fixture.New(t)
	id := fixture.ID(t, f.Commit("base", "a", "1\n"))
	r := f.Open(t)
	signed := func() *repo.Commit {
		c, err := r.Commit(ctx, id)
		require.NoError(t, err)
		return c
	}
	before := signed().Writer()
	f.Write(".mailmap", "Somebody Else <new@x.example> <"+before.Email+">\n")
	c := signed()
	assert.Equal(t, "Somebody Else", c.Writer().Name)
	assert.Equal(t, "new@x.example", c.CommittedBy().Email)
	assert.Equal(t, before, c.SignedBy())
	assert.Equal(t, f.Git("cat-file", "commit", id.String())+"\n", string(c.Encode()))
	f.Write("elsewhere", "Third <third@x.example> <"+before.Email+">\n")
	f.Git("config", "mailmap.file", "elsewhere")
	assert.Equal(t, "Third", signed().Writer().Name)
}
