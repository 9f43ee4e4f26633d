package test

import (
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/test/fixture"
)

// bothCommands are given at the same time, by Bastel twice or by Bastel and somebody at another terminal.
var bothCommands = []string{
	"bastel commit -m staged", "bastel discard a", "bastel stage a", "bastel apply ../plan.toml", "bastel amend -m other",
	"bastel loosen HEAD",
	"bastel sweep", "bastel stage --tray B a", "bastel undo", "git commit -qm elsewhere", "git add a", "git checkout -q -- a",
	"git reset -q HEAD~1",
}

// TestTwoAtOnce: of two commands given at the same time in one working tree each is done or refused, and what comes of both is
// what one after the other would make: never a mixture, and no byte of loose work gone that neither threw away.
func TestTwoAtOnce(t *testing.T) {
	t.Parallel()
	root, random := t.TempDir(), fixture.Random(t, 12)
	f := killedBranch(t, filepath.Join(root, "0"))
	plan(f)
	loose(f)
	copies := 0
	again := func() *fixture.Repo {
		copies++
		to := filepath.Join(root, fmt.Sprint(copies))
		out, err := exec.Command("cp", "-a", filepath.Join(root, "0"), to).CombinedOutput()
		require.NoError(t, err, "%s", out)
		return fixture.Existing(t, filepath.Join(to, "work"))
	}
	run := func(f *fixture.Repo, command string) (string, error) {
		cmd := exec.Command("sh", "-c", command)
		cmd.Dir = f.Dir
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	met := 0
	for range fixture.Rounds(4, 100) {
		first, second := bothCommands[random.Intn(len(bothCommands))], bothCommands[random.Intn(9)]
		possible := map[string]string{}
		for name, order := range map[string][]string{"neither": nil, "first": {first}, "second": {second}, "first, second": {first, second},
			"second, first": {second, first}} {
			c := again()
			for _, command := range order {
				_, _ = run(c, command) // it may be refused
			}
			here, _ := stateOf(c)
			possible[here] = name
		}
		both := again()
		var group sync.WaitGroup
		for _, command := range []string{first, second} {
			group.Go(func() {
				if out, err := run(both, command); err != nil && strings.HasPrefix(command, "bastel") {
					assert.Contains(t, []int{1, 3}, err.(*exec.ExitError).ExitCode(), "%s: %s", command, out) // 3: the index is locked
				}
			})
		}
		group.Wait()
		bastelIn(both, "journal") // the next start
		here, _ := stateOf(both)
		assert.Contains(t, possible, here, "%s / %s", first, second)
		if possible[here] != "neither" {
			met++
		}
		both.Git("fsck", "--strict")
	}
	assert.Positive(t, met)
}
