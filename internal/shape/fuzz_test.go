package shape_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/internal/shape"
)

// FuzzPlanFile: whatever a plan file holds is refused or read, and what was read is written and read again as the same.
func FuzzPlanFile(f *testing.F) {
	id := "aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa"
	f.Add([]byte("format = \"bastel-plan/1\"\nbranch = \"b\"\ntip = \"" + id + "\"\nleft_out = []\n[[next]]\nfrom = [\"" + id +
		"\"]\nmessage = \"m\"\ndate = \"2026-05-06T09:30:00+02:00\"\n[[answer]]\nkey = \"k\"\nof = \"" + id +
		"\"\npath = \"p\"\ntake = [\"left:1,3\"]\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		file, err := shape.Decode(data)
		if err != nil {
			return
		}
		sources := append([]repo.ID{}, file.LeftOut...)
		for _, e := range file.Next {
			sources = append(sources, e.From...)
		}
		none := func(repo.ID) string { return "" }
		plan, err := file.Plan(repo.ID{}, sources, none)
		if err != nil {
			return
		}
		text, err := plan.File(none).Encode()
		require.NoError(t, err)
		again, err := shape.Decode(text)
		require.NoError(t, err, string(text))
		read, err := again.Plan(repo.ID{}, sources, none)
		require.NoError(t, err, string(text))
		assert.True(t, plan.Equal(read), "%s", text)
	})
}
