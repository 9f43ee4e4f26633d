package series_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"bastel/internal/series"
	"bastel/test/fixture"
)

func TestRequest(t *testing.T) {
	one, two := fixture.ID(t, strings.Repeat("1", 40)), fixture.ID(t, strings.Repeat("2", 40))
	a := series.Described{ID: one, Message: "Add *a*\n\nBecause of b.\n", Files: 1, Added: 2}
	assert.Equal(t, "# Add \\*a\\*\n\nBecause of b.\n\n## Commits\n\n1. `1111111` Add \\*a\\* (1 file, +2 −0)\n",
		series.Request("x", []series.Described{a}, nil))
	b := series.Described{ID: two, Message: "Add b\n", Files: 2, Added: 1, Removed: 3}
	text := series.Request("feature/berth-board", []series.Described{a, b}, []series.Pairing{
		{Old: one, New: one, Relation: series.Same}, {Old: one, New: two, Relation: series.Changed}, {New: two, Relation: series.New},
		{Old: one, Relation: series.Gone}})
	assert.Equal(t, "# berth board\n\n**Add \\*a\\***\n\nBecause of b.\n\n**Add b**\n\n## Commits\n\n1. `1111111` Add \\*a\\* (1 file, +2 "+
		"−0)\n2. `2222222` Add b (2 files, +1 −3)\n"+
		"\n## Since the last push\n\n- changed: `1111111` is `2222222` now, Add b\n- new: `2222222` Add b\n- gone: `1111111`\n", text)
}
