package charting

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"bastel/internal/repo"
)

// mostComing is how many commits that come with landings are places of the line; those before them are counted.
const mostComing = 12

// longestLine bounds how far back a line is followed for moorings.
const longestLine = 200_000

// apart is how long the chart stays as it is, at least, while the walk goes on.
const apart = 100 * time.Millisecond

// walk finds the moorings of branches.
type walk struct {
	*App
	*descent
	chart    *Chart
	branches []Branch          // of which it is known where they hang
	tips     map[repo.ID][]int // branches by their tips
	rank     []int64           // by branch
	claimed  map[repo.ID]int   // commits that are on the chart, by the branch that has them
	comes    int               // commits of the line that come with landings
	length   int               // of the line; 0: not known yet
}

// run walks, and gives charts of what is found so far, no two of them closer than apart.
func (w *walk) run(ctx context.Context, branches []Branch, part func(Chart), apart time.Duration) error {
	sent, err := w.onRemotes(ctx)
	if err != nil {
		return err
	}
	tips := slices.Clone(sent)
	target := w.chart.Target.ID
	if !target.IsZero() {
		tips = append(tips, target)
	}
	for _, b := range branches {
		tips = append(tips, b.Tip)
	}
	w.descent = newDescent(target, branches, sent)
	err = w.byDate(ctx, tips, branches, part, apart)
	if errors.Is(err, errOrder) {
		w.descent = newDescent(target, branches, sent)
		err = w.byOrder(ctx, tips)
	}
	if err != nil {
		return err
	}
	if !target.IsZero() {
		line, err := w.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", longestLine), target.String())
		if err != nil {
			return err
		}
		w.length = len(line)
	}
	w.branches = branches
	return w.lay(ctx)
}

// byDate walks with the newest commit first, which costs no more than what is read. Errors: errOrder.
func (w *walk) byDate(ctx context.Context, tips []repo.ID, branches []Branch, part func(Chart), apart time.Duration) error {
	news, shown := false, time.Now()
	for c, err := range w.Repo.History(ctx, tips, repo.ByDate) {
		if err != nil {
			return err
		}
		found, err := w.visit(c)
		if err != nil || w.done() && c.When.Before(w.settled.Add(-slop)) {
			return err
		}
		news = news || found
		if _, onLine := w.position[c.ID]; !onLine || !news || part == nil || time.Since(shown) < apart {
			continue
		}
		soFar, err := w.soFar(ctx, branches)
		if err != nil {
			return err
		}
		part(soFar)
		news, shown = false, time.Now()
	}
	return nil
}

// byOrder walks with each commit before those that it is made on, whatever their dates: the repository reads all of the history
// before it gives the first one.
func (w *walk) byOrder(ctx context.Context, tips []repo.ID) error {
	for c, err := range w.Repo.History(ctx, tips, repo.ByOrder) {
		if err != nil {
			return err
		}
		if _, err := w.visit(c); err != nil || w.done() {
			return err
		}
	}
	return nil
}

// soFar is the chart of those branches of which it is known where they hang.
func (w *walk) soFar(ctx context.Context, branches []Branch) (Chart, error) {
	c := *w.chart
	part := *w
	part.chart = &c
	known := map[repo.ID]bool{}
	part.branches = nil
	for _, b := range branches {
		if w.moored(b.Tip, known) {
			part.branches = append(part.branches, b)
		}
	}
	c.Unmoored = len(branches) - len(part.branches)
	err := part.lay(ctx)
	return c, err
}

// lay puts the branches into rows.
func (w *walk) lay(ctx context.Context) error {
	w.tips, w.claimed = map[repo.ID][]int{}, map[repo.ID]int{}
	for i, b := range w.branches {
		w.tips[b.Tip] = append(w.tips[b.Tip], i)
	}
	order := make([]int, len(w.branches))
	for i := range order {
		order[i] = i
	}
	w.rank = w.ranks()
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Compare(w.rank[y], w.rank[x]) })
	placed := make([]place, len(w.branches))
	for _, i := range order {
		placed[i] = w.place(w.branches[i].Tip)
		for _, id := range placed[i].commits {
			w.claimed[id] = i
		}
	}
	w.stack(placed)
	if err := w.count(ctx); err != nil {
		return err
	}
	for i := range w.chart.Line {
		w.chart.Line[i].At -= w.comes
	}
	return w.read(ctx)
}

// onRemotes are the tips of what remotes are known to have, or were then.
func (w *walk) onRemotes(ctx context.Context) (tips []repo.ID, err error) {
	for ref, at := range w.chart.Show.moment {
		if strings.HasPrefix(ref, "refs/remotes/") {
			tips = append(tips, at)
		}
	}
	if w.chart.Show.moment != nil {
		return tips, nil
	}
	refs, err := w.Repo.Refs(ctx, "refs/remotes")
	for _, ref := range refs {
		tips = append(tips, ref.ID)
	}
	return tips, err
}

// place is where a branch comes from: its commits back to the line or to another branch's tip.
type place struct {
	commits []repo.ID // newest first
	on      repo.ID   // a commit of another branch; zero: none
	inside  bool      // that one is not the other branch's tip
	same    bool      // another branch has the same tip, and is drawn for both
	mooring repo.ID   // the line's commit; zero: on another branch, or a root of its own
}

func (w *walk) place(tip repo.ID) place {
	var p place
	for at := tip; ; {
		c, own := w.own[at]
		if !own {
			p.mooring = w.mooring(at)
			return p
		}
		if _, taken := w.claimed[at]; taken && at == tip && w.isTip(at) {
			p.same = true
			return p
		} else if at != tip && w.isTip(at) || taken {
			p.on, p.inside = at, !w.isTip(at)
			return p
		}
		p.commits = append(p.commits, at)
		if len(c.Parents) == 0 {
			return p
		}
		at = c.Parents[0]
	}
}

func (w *walk) isTip(id repo.ID) bool { return len(w.tips[id]) > 0 }

// ranks say which of several branches goes on in a row, and has the commits that several have: the one on which more others
// sit, then the newest. What is checked out does not count, so that rows stay where they are at a switch.
func (w *walk) ranks() []int64 {
	const oneMore = 1 << 40 // more than any date
	ranks := make([]int64, len(w.branches))
	for i, b := range w.branches {
		ranks[i] += b.When.Unix()
		for at := b.Tip; ; {
			c, own := w.own[at]
			if !own || len(c.Parents) == 0 {
				break
			}
			at = c.Parents[0]
			for _, below := range w.tips[at] {
				ranks[below] += oneMore
			}
		}
	}
	return ranks
}

// moorings are the places of the line that something hangs from, and its tip.
func (w *walk) moorings(placed []place, roots []int, there map[repo.ID][]Branch) {
	used := map[int]bool{}
	for _, i := range roots {
		if at, ok := w.position[placed[i].mooring]; ok {
			used[at] = true
		}
	}
	for id := range there {
		if at, ok := w.position[id]; ok {
			used[at] = true
		}
	}
	if len(w.line) > 0 {
		used[0] = true
	}
	for at := range min(w.comes, mostComing, len(w.line)) {
		used[at] = true
	}
	var places []int
	for at := range used {
		places = append(places, at)
	}
	slices.Sort(places)
	slices.Reverse(places) // the oldest first
	last := w.length
	for _, at := range places {
		hidden := last - at - 1
		if last == 0 {
			hidden = Uncounted
		}
		w.chart.Line = append(w.chart.Line, Mooring{At: at, ID: w.line[at], Hidden: hidden, Branches: there[w.line[at]]})
		for i := range there[w.line[at]] {
			there[w.line[at]][i].Behind = at
		}
		last = at
	}
}

func (w *walk) mooringOf(id repo.ID) int {
	return slices.IndexFunc(w.chart.Line, func(m Mooring) bool { return m.ID == id })
}

// read fills in what the commits on the chart say.
func (w *walk) read(ctx context.Context) error {
	var ids []repo.ID
	for _, m := range w.chart.Line {
		ids = append(ids, m.ID)
	}
	for _, s := range w.chart.Stacks {
		for _, segment := range s.Segments {
			for _, mark := range segment.Commits {
				ids = append(ids, mark.ID)
			}
		}
	}
	commits, err := w.Repo.Commits(ctx, ids)
	if err != nil {
		return err
	}
	email := w.email(ctx)
	at := 0
	for i := range w.chart.Line {
		w.chart.Line[i].Subject = commits[at].Subject()
		at++
	}
	for _, s := range w.chart.Stacks {
		for n := range s.Segments {
			for k := range s.Segments[n].Commits {
				writer := commits[at].Writer()
				mark := &s.Segments[n].Commits[k]
				mark.Subject, mark.Author, mark.Mine = commits[at].Subject(), writer.Name, email != "" && strings.EqualFold(writer.Email, email)
				at++
			}
		}
	}
	return nil
}

// mostCounted is of how many branches with merges the commits are counted one by one.
const mostCounted = 50

// count corrects how far branches are ahead and behind where something was merged in: then the commits of the row are not all.
func (w *walk) count(ctx context.Context) (err error) {
	counted := 0
	for _, s := range w.chart.Stacks {
		for i := range s.Segments {
			segment := &s.Segments[i]
			if !segment.merges || counted >= mostCounted || w.chart.Target.ID.IsZero() {
				continue
			}
			counted++
			if segment.Behind, segment.Ahead, err = w.Repo.AheadBehind(ctx, w.chart.Target.ID, segment.Tip); err != nil {
				return err
			}
		}
	}
	return nil
}
