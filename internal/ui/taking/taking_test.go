package taking_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/internal/ui/taking"
	"bastel/test/fixture"
	"bastel/test/opened"
)

func TestThePreviewSaysWhatComes(t *testing.T) {
	for name, test := range map[string]struct{ here, there, want string }{
		"lines":       {"one\ntwo\n", "one\n2\nthree\n", "a  +2 −1\n- two\n+ 2\n+ three\n"},
		"a conflict":  {"one\nTWO\n", "one\n2\n", "1 place to answer in Mend first:\n  a"},
		"all is here": {"one\n2\n", "one\n2\n", "Your working files have all of it already."},
		"no text":     {"one\ntwo\n", "\x00\x01", "a  +0 −0\n  "},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			f := fixture.New(t)
			f.Commit("base", "a", "one\ntwo\n")
			there := fixture.ID(t, f.Commit("there", "a", test.there))
			f.Git("reset", "--quiet", "--hard", "HEAD~1")
			f.Write("a", test.here)
			source := taking.Source{App: opened.App(t, f.Dir), Screen: "Map",
				Commits: func(context.Context) ([]repo.ID, error) { return []repo.ID{there}, nil }}
			for _, option := range source.Options(t.Context()) {
				said, err := option.Look(t.Context())
				require.NoError(t, err)
				if name == "no text" {
					assert.Contains(t, said, test.want)
					continue
				}
				assert.Equal(t, test.want, said)
			}
			assert.Equal(t, test.here, f.Read("a"), "a look changes nothing")
		})
	}
}
