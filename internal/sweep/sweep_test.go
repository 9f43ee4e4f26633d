package sweep_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/sweep"
)

func TestDefaults(t *testing.T) {
	f, err := sweep.New(sweep.Defaults)
	require.NoError(t, err)
	for file, lines := range map[string]map[string]bool{
		"a/b.go": {"\tprintln(\"x\")": true, "\tfmt.Println(\"DEBUG\", x)": true, "\tfmt.Println(total)": false, "// do not commit": true,
			"func println() {": false},
		"web/x.js":  {"  console.log(1)": true, "  debugger;": true, "  logger.info(1)": false, "<<<<<<< ours": true, "=======": false},
		"x.py":      {"    breakpoint()": true, "    print(result)": false, "    print('debug', x)": true},
		"x.rs":      {"    dbg!(x);": true, "    println!(\"{}\", x);": false},
		"README.md": {"console.log(1)": false, ">>>>>>> main": true, "NOCOMMIT": true},
		"run.sh":    {"set -x": true, "set -e": false},
	} {
		is := f.In(file)
		require.NotNil(t, is)
		for line, want := range lines {
			assert.Equal(t, want, is([]byte(line+"\n")), "%s: %s", file, line)
		}
	}
}

func TestOwnPatterns(t *testing.T) {
	f, err := sweep.New([]sweep.Pattern{{Match: "WIP", Files: "*.txt notes"}})
	require.NoError(t, err)
	assert.True(t, f.In("dir/notes")([]byte("WIP here")))
	assert.Nil(t, f.In("x.go"))
	for _, bad := range []sweep.Pattern{{Match: "("}, {Match: "x", Files: "["}} {
		_, err := sweep.New([]sweep.Pattern{bad})
		assert.ErrorContains(t, err, "sweep pattern")
	}
}
