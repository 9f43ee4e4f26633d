package ui

import (
	"slices"
	"testing"

	tea "charm.land/bubbletea/v2"
	"github.com/stretchr/testify/assert"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
)

// TestARefusedStep: what was shown as done and is refused is shown as it was; the keys that came
// after it are dropped, and named.
func TestARefusedStep(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	countProcesses(t).quiet(d)
	f.Write("a.go", numbered(40, map[int]string{12: "something else\n"}))
	d.press("enter", "enter", "2", "j", "a")
	assert.Contains(t, d.frame(), "1 hunk in 1 file", "it is on the screen at once")
	d.wait("enter: ")
	d.wait("Dropped with it: enter 2 a")
	d.wait("something else")
	assert.Empty(t, f.Git("diff", "--cached"))
	assert.Contains(t, d.frame(), "nothing in it yet")
	d.press("u")
	d.wait("There is nothing to undo.")
}

// TestAReadingOlderThanAStep: what was begun to be read before a step, and comes only when the repository has followed,
// does not bring back what is gone; nor does a look that is changed before all is read anew.
func TestAReadingOlderThanAStep(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	countProcesses(t).quiet(d)
	older := d.m.refresh()().(kit.Read[app.BranchStatus])
	d.press("enter")
	for _, behind := range []bool{true, false} {
		for d.m.behind() != behind {
			d.update(<-d.messages)
		}
	}
	assert.Nil(t, d.m.haveSituated(older))
	for d.press(">"); d.m.queue.open > 0 || d.m.where.Pending(); d.update(<-d.messages) {
		assert.Contains(t, d.frame(), "1 hunk in 1 file")
	}
	assert.Contains(t, d.frame(), "1 hunk in 1 file")
}

// TestACommitTakesWhatWasSeen: with more context too, what another program puts into the index after the last look is
// not committed unseen.
func TestACommitTakesWhatWasSeen(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	d.press("enter", "m", "Say it", "ctrl+s", ">")
	countProcesses(t).quiet(d)
	f.Git("add", "--all")
	tip := f.Git("rev-parse", "HEAD")
	d.press("a")
	d.wait("has changed since you looked")
	assert.Equal(t, tip, f.Git("rev-parse", "HEAD"))
}

// TestAKeyWaitsForWhatOvertakes: where a reading that keys wait for comes after a later one, that of another program's change,
// they wait until what that one leads to is on the screen.
func TestAKeyWaitsForWhatOvertakes(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.wait("2 hunks")
	countProcesses(t).quiet(d)
	f.Write("a.go", numbered(40, map[int]string{12: "something else\n"}))
	d.m.queue.tracking = true
	slow := d.m.track(d.m.refresh())
	d.m.queue.tracking = false
	first, second := slow(), d.m.refreshTopics(repo.AllTopics)()
	_, shows := d.m.Update(second)
	d.update(first)
	d.press("enter")
	d.run(shows)
	d.wait("1 hunk in 1 file")
	d.rest()
	assert.NotContains(t, d.frame(), "enter: ")
	assert.Contains(t, f.Git("diff", "--cached"), "something else")
}

// TestEscStopsWhatIsLookedFor: what a key began to look for, and has not shown yet, does not come after esc, which leaves all else as
// it is; keys in between were for it, and are named.
func TestEscStopsWhatIsLookedFor(t *testing.T) {
	f := desk(t)
	d := newDriver(t, f.Dir)
	d.play("+2 hunks", "]", "+1 file +1 −1", "enter", "+esc back to the series")
	d.rest()
	_, story := d.m.Update(tea.KeyPressMsg{Code: 'I', Text: "I"}) // held back
	d.press("j", "esc")
	assert.Contains(t, d.frame(), "Dropped with it: 1 key typed after it.")
	assert.Contains(t, d.frame(), "esc back to the series", "the page below stays")
	d.run(story)
	d.rest()
	assert.NotContains(t, d.frame(), "commits up to")
	d.press("I")
	d.wait("commits up to")
	d.press("esc")
	d.wait("esc back to the series")
}

// TestNoChooserComesAfterEsc: what a key would ask, once it has looked for the answers, is not asked after esc.
func TestNoChooserComesAfterEsc(t *testing.T) {
	for id, asks := range map[action.ID]string{action.Journal: "Journal: what was done", action.ChooseTarget: "land?",
		action.Branch: "Which branch", action.Loosen: "Loosen commits", action.Ignored: "Ignored files"} {
		t.Run(string(id), func(t *testing.T) {
			f := desk(t)
			d := newDriver(t, f.Dir)
			d.wait("2 hunks")
			d.rest()
			at := slices.IndexFunc(d.m.actions(), func(a kit.Action) bool { return a.ID == id })
			for _, stopped := range []bool{true, false} {
				d.m.queue.tracking = true
				asking := d.m.track(d.m.do(d.m.actions()[at]))
				d.m.queue.tracking = false
				if stopped {
					d.press("esc")
				}
				d.run(asking)
				if !stopped {
					d.wait(asks)
					continue
				}
				d.rest()
				assert.NotContains(t, d.frame(), asks)
			}
		})
	}
}
