package send

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app/publishing"
	"bastel/internal/review"
	"bastel/internal/ui/action"
	"bastel/internal/ui/kit"
	"bastel/internal/ui/stream"
)

// reading is the read-through: Now is the series with what was read of it, and beside it
// stands what one commit changes, or all of them together.
type reading struct {
	screen *Model
	data   publishing.ReadThrough
	commit int
	whole  bool // all commits as one difference
	top    int
	half   kit.Half
	text   stream.Model
	read   [][2]int        // of each commit: hunks that were read, and all
	ticked map[string]bool // by hunk id: what was ticked since the read-through was opened
	keeper kit.Keeper
	size   kit.Size
}

// source is the commit that is read, of the whole the last; -1: there is none.
func (r *reading) source() int {
	if r.whole {
		return len(r.data.Sources) - 1
	}
	return min(r.commit, len(r.data.Sources)-1)
}

const (
	readingHead = 3
	messageRows = 7 // of a commit's message, at most
)

// readThrough opens the read-through, at the first commit that was not read.
func (m *Model) readThrough() tea.Cmd {
	return kit.Find(m.ctx, Name, m.publishing.ReadThrough)
}

func newReading(m *Model, data publishing.ReadThrough) *reading {
	r := &reading{screen: m, data: data, half: kit.Next, ticked: map[string]bool{}}
	r.count()
	r.toUnread()
	r.open()
	return r
}

// refresh takes a newer state of the series in, at the place where the old one was.
func (r *reading) refresh(data publishing.ReadThrough) {
	if r.commit < len(r.data.Series) {
		was := review.AnchorOf(r.data.Series[r.commit], review.Place{File: -1, Hunk: -1, Line: -1})
		if at := was.Successor(data.Series); at >= 0 {
			r.commit = at
		}
	}
	r.data = data
	r.commit = max(0, min(r.commit, len(data.Series)-1))
	r.mark()
	r.show()
}

// at is what is shown.
func (r *reading) at() review.Commit {
	switch {
	case r.whole:
		return r.data.Whole
	case r.commit >= len(r.data.Series):
		return review.Commit{}
	}
	return r.data.Series[r.commit]
}

// show lays out what stands at the right.
func (r *reading) show() {
	c := r.at()
	r.text.Set(c.Files)
	read := map[string]bool{}
	for i, f := range c.Files {
		for h, done := range r.data.Record.WasRead(c.Keys[i]) {
			read[f.Hunks[h].ID] = done
		}
	}
	r.text.SetRead(read)
	r.text.SetLeftovers(r.data.Leftovers)
	r.showRemarks()
}

// count counts what was read, which every frame shows.
func (r *reading) count() {
	r.read = make([][2]int, len(r.data.Series))
	for i := range r.read {
		r.read[i][0], r.read[i][1] = r.data.Tally(i)
	}
}

// open lays out a commit from its beginning, at what was not read of it.
func (r *reading) open() {
	r.show()
	r.text.End(false)
	r.text.ToUnread()
}

// shown is the series that the remarks are placed in.
func (r *reading) shown() []review.Commit {
	if r.whole {
		return []review.Commit{r.data.Whole}
	}
	return r.data.Series
}

func (r *reading) showRemarks() {
	remarks := map[string]map[int][]stream.Remark{}
	for _, n := range r.data.Remarks {
		at, found := n.Find(r.shown())
		if !found || at.Line < 0 || !r.whole && at.Commit != r.commit {
			continue
		}
		id := r.at().Files[at.File].Hunks[at.Hunk].ID
		if remarks[id] == nil {
			remarks[id] = map[int][]stream.Remark{}
		}
		remarks[id][at.Line] = append(remarks[id][at.Line], stream.Remark{Number: n.Number, Head: head(n), Text: n.Text, Settled: n.Settled})
	}
	r.text.SetRemarks(remarks)
}

// head says of a remark whose it is, and when it was made.
func head(n review.Placed) string {
	by := "your remark"
	if n.By != "" {
		by = n.By
	}
	text := fmt.Sprintf("%d  %s, %s", n.Number, by, kit.Age(n.When, time.Now()))
	if n.Settled {
		first, _, _ := strings.Cut(n.Text, "\n")
		text += ", done: " + first
	}
	return text
}

// toUnread goes to the next commit of which something was not read. It says whether there
// is one.
func (r *reading) toUnread() bool {
	for step := range r.data.Series {
		at := (r.commit + step) % len(r.data.Series)
		if r.read[at][0] < r.read[at][1] {
			r.commit = at
			return true
		}
	}
	return false
}

// tick remarks that the hunk at the cursor was read, or takes that back, and goes on.
func (r *reading) tick() tea.Cmd {
	hunks := r.text.HunksAtCursor()
	r.text.Read()
	for _, h := range hunks {
		r.ticked[h.ID] = r.text.WasRead(h.ID)
	}
	r.mark()
	unread, _ := r.text.Unread()
	if unread == 0 && !r.whole && r.toUnread() {
		r.open()
	}
	return r.keep()
}

// tickCommit does so for all of the commit, or of what is shown.
func (r *reading) tickCommit() tea.Cmd {
	unread, _ := r.text.Unread()
	for _, f := range r.at().Files {
		for _, h := range f.Hunks {
			r.ticked[h.ID] = unread > 0
		}
	}
	r.mark()
	if unread > 0 && !r.whole && r.toUnread() {
		r.open()
	} else {
		r.show()
	}
	return r.keep()
}

// mark brings what was ticked into the record that is shown.
func (r *reading) mark() {
	for _, c := range r.everything() {
		for i, f := range c.Files {
			r.data.Record.Tick(f, c.Keys[i], r.ticked, time.Now())
		}
	}
	r.count()
}

func (r *reading) everything() []review.Commit {
	return append(slices.Clone(r.data.Series), r.data.Whole)
}

// keep writes what was ticked. Each writing has all ticks, so that a late one does no harm.
func (r *reading) keep() tea.Cmd {
	ticked, commits := maps.Clone(r.ticked), r.everything()
	keep := r.keeper.Keep(func() error { return r.screen.publishing.TickRead(commits, ticked) })
	return func() tea.Msg {
		if err := keep(); err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		return nil
	}
}

func (r *reading) Explain() (title, text string) {
	return "Reading through", "Now is the branch's series with what was read of it; beside it is what a commit says and changes, as its " +
		"reviewers will see it. " +
		"Ticks and remarks belong to content: they survive a rewriting wherever it stays the same. Reviewers' comments come as remarks too."
}

func (r *reading) Actions() []kit.Action {
	has := len(r.data.Series) > 0
	number := r.remarkHere()
	actions := []kit.Action{
		kit.Act(action.ReadPart, has, r.tickHere),
		kit.Asking(action.WriteRemark, has, r.write),
		kit.Act(action.RemarkDone, number > 0, func() tea.Cmd { return r.closeRemark(number) }),
		kit.Asking(action.ListRemarks, len(r.data.Remarks) > 0, r.list),
		kit.Act(action.NextCommit, true, kit.Just(func() { r.step(1) })),
		kit.Act(action.PreviousCommit, true, kit.Just(func() { r.step(-1) })),
		kit.Act(action.AsOne, true, kit.Just(func() { r.whole = !r.whole; r.show() })).Named(r.wholeName()),
		kit.Asking(action.DropRemark, number > 0, func() tea.Cmd { return r.drop(number) }),
		kit.Act(action.Receive, true, r.receive),
		kit.Act(action.CopyRemarks, len(r.data.Remarks) > 0, r.export),
		kit.Act(action.Hide, true, kit.Just(r.text.Hide)),
		kit.Act(action.Back, true, r.screen.close).Named("back to the branch"),
	}
	moves := kit.Navigator{Move: r.text.Move, Page: r.text.Page, End: r.text.End, Turn: func(half kit.Half) { r.half = half }}
	if r.half == kit.Now {
		moves.Move, moves.Page = r.step, func(pages int) { r.step(10 * pages) }
		moves.End = func(last bool) {
			if last {
				r.step(len(r.data.Series))
			} else {
				r.step(-len(r.data.Series))
			}
		}
	}
	return slices.Concat(actions, kit.Hunks(has, r.text.Hunk, r.text.File), moves.Actions())
}

// remarkHere is the number of the remark that the keys mean; 0: none.
func (r *reading) remarkHere() int {
	if r.half == kit.Next {
		return r.text.RemarkAtCursor()
	}
	for _, n := range r.data.Remarks {
		if !n.Gone && n.Commit == r.commit && n.Anchor.Path == "" {
			return n.Number
		}
	}
	return 0
}

func (r *reading) wholeName() string {
	if r.whole {
		return "by commits"
	}
	return "as a whole"
}

func (r *reading) step(commits int) {
	r.commit = max(0, min(r.commit+commits, len(r.data.Series)-1))
	r.whole = false
	r.open()
}

func (r *reading) tickHere() tea.Cmd {
	if r.half == kit.Now {
		return r.tickCommit()
	}
	return r.tick()
}
