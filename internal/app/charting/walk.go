package charting

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// mostComing is how many commits that come with landings are places of the line; those before them are counted.
const mostComing = 12

// longestLine bounds how far back a line is followed for moorings.
const longestLine = 200_000

// walk finds the moorings of branches.
type walk struct {
	*App
	chart    *Chart
	line     []repo.ID // newest first
	position map[repo.ID]int
	own      map[repo.ID]repo.CommitParents // commits that the line's history does not have
	tips     map[repo.ID][]int              // branches by their tips
	unsent   map[repo.ID]bool
	rank     []int64         // by branch
	claimed  map[repo.ID]int // commits that are on the chart, by the branch that has them
	comes    int             // commits of the line that come with landings
}

func (w *walk) run(ctx context.Context, branches []Branch) error {
	var err error
	if !w.chart.Target.ID.IsZero() {
		if w.line, err = w.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", longestLine),
			w.chart.Target.ID.String()); err != nil {
			return err
		}
	}
	for at, id := range w.line {
		w.position[id] = at
	}
	if err := w.walkOwn(ctx, branches); err != nil {
		return err
	}
	w.tips = map[repo.ID][]int{}
	for i, b := range branches {
		w.tips[b.Tip] = append(w.tips[b.Tip], i)
	}
	placed := make([]place, len(branches))
	w.claimed = map[repo.ID]int{}
	order := make([]int, len(branches))
	for i := range order {
		order[i] = i
	}
	w.rank = w.ranks(branches)
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Compare(w.rank[y], w.rank[x]) })
	for _, i := range order {
		if placed[i], err = w.place(ctx, branches[i].Tip); err != nil {
			return err
		}
		for _, id := range placed[i].commits {
			w.claimed[id] = i
		}
	}
	w.stack(branches, placed)
	if err := w.count(ctx); err != nil {
		return err
	}
	return w.read(ctx)
}

// walkOwn reads what the branches have beyond the line, and what of it no remote has.
func (w *walk) walkOwn(ctx context.Context, branches []Branch) error {
	var tips []string
	for _, b := range branches {
		tips = append(tips, b.Tip.String())
	}
	if len(tips) == 0 {
		return nil
	}
	beyond := tips
	if !w.chart.Target.ID.IsZero() {
		beyond = append(slices.Clone(tips), "^"+w.chart.Target.ID.String())
	}
	commits, err := w.Repo.WalkParents(ctx, beyond...)
	if err != nil {
		return err
	}
	for _, c := range commits {
		w.own[c.ID] = c
	}
	known, err := w.onRemotes(ctx)
	if err != nil {
		return err
	}
	for _, id := range known {
		beyond = append(beyond, "^"+id.String())
	}
	sent, err := w.Repo.WalkParents(ctx, beyond...)
	w.unsent = map[repo.ID]bool{}
	for _, c := range sent {
		w.unsent[c.ID] = true
	}
	return err
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

func (w *walk) place(ctx context.Context, tip repo.ID) (place, error) {
	var p place
	for at := tip; ; {
		c, own := w.own[at]
		if !own {
			mooring, err := w.onLine(ctx, at)
			p.mooring = mooring
			return p, err
		}
		if _, taken := w.claimed[at]; taken && at == tip && w.isTip(at) {
			p.same = true
			return p, nil
		} else if at != tip && w.isTip(at) || taken {
			p.on, p.inside = at, !w.isTip(at)
			return p, nil
		}
		p.commits = append(p.commits, at)
		if len(c.Parents) == 0 {
			return p, nil
		}
		at = c.Parents[0]
	}
}

func (w *walk) isTip(id repo.ID) bool { return len(w.tips[id]) > 0 }

// onLine is the commit of the line that first had a commit of its history.
func (w *walk) onLine(ctx context.Context, id repo.ID) (repo.ID, error) {
	if _, ok := w.position[id]; ok {
		return id, nil
	}
	above, err := w.Repo.RevList(ctx, "--first-parent", "--ancestry-path", w.chart.Target.ID.String(), "^"+id.String())
	if err != nil || len(above) == 0 {
		return repo.ID{}, err
	}
	return above[len(above)-1], nil
}

// ranks say which of several branches goes on in a row, and has the commits that several have: the one on which more others
// sit, then the newest. What is checked out does not count, so that rows stay where they are at a switch.
func (w *walk) ranks(branches []Branch) []int64 {
	const oneMore = 1 << 40 // more than any date
	ranks := make([]int64, len(branches))
	for i, b := range branches {
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
	for at := range min(w.comes, mostComing) {
		used[at] = true
	}
	var places []int
	for at := range used {
		places = append(places, at)
	}
	slices.Sort(places)
	slices.Reverse(places) // the oldest first
	last := len(w.line)
	for _, at := range places {
		w.chart.Line = append(w.chart.Line, Mooring{At: at, ID: w.line[at], Hidden: last - at - 1, Branches: there[w.line[at]]})
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
