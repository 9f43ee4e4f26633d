package lifeline

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestNoTextOfAFaultIsWritten: of a panic only that it was one, unless the language's own system worded it; and the stack.
func TestNoTextOfAFaultIsWritten(t *testing.T) {
	for output, want := range map[string]string{
		"panic: a line of a file\nand another\n\ngoroutine 1 [running]:\nmain.main()\n":         "a panic",
		"panic: runtime error: index out of range [3]\n\ngoroutine 1 [running]:\nmain.main()\n": "panic: runtime error: index out of range [3]",
		"fatal error: concurrent map writes\n\ngoroutine 1 [running]:\nmain.main()\n":           "fatal error: concurrent map writes",
		"SIGSEGV: segmentation violation\nPC=0x1\n\ngoroutine 1 [running]:\nmain.main()\n":      "SIGSEGV: segmentation violation",
	} {
		assert.Equal(t, want, faultOf(output))
		assert.Equal(t, "goroutine 1 [running]:\nmain.main()\n", stackOf(output))
	}
}

func TestTheLastActionsAreHeard(t *testing.T) {
	var said strings.Builder
	for i := range 2 * mostDone {
		fmt.Fprintf(&said, "Sort\t%d\n", i)
	}
	done, ended := listen(strings.NewReader(said.String()))
	assert.False(t, ended)
	assert.Len(t, done, mostDone)
	assert.Equal(t, fmt.Sprintf("Sort\t%d", 2*mostDone-1), done[mostDone-1])
	_, ended = listen(strings.NewReader(said.String() + goodbye + "\n"))
	assert.True(t, ended)
}

// TestAFaultIsNamedOnce: by the first start after it.
func TestAFaultIsNamedOnce(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	assert.Empty(t, Untold())
	name, err := Write("1", "a panic", []string{"Sort\tj"}, "goroutine 1")
	require.NoError(t, err)
	text, err := os.ReadFile(name)
	require.NoError(t, err)
	assert.Contains(t, string(text), "fault: a panic\n")
	assert.Contains(t, string(text), "Sort\tj\n\ngoroutine 1")
	assert.Equal(t, name, Untold())
	assert.Empty(t, Untold())
}
