package charting

import (
	"cmp"
	"context"
	"slices"
	"time"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// Chart is the branches as they hang from the line of their target.
type Chart struct {
	Show     Show
	Target   app.Target
	Head     repo.Head            // what is checked out
	Line     []Mooring            // the places of the line that something hangs from, and its tip, oldest first
	Stacks   []Stack              // in the order of their moorings, oldest first; those with a root of their own come last
	Others   int                  // branches that are not on show
	Branches int                  // all there are, here and on remotes
	Unmoored int                  // branches on show of which the walk has not found yet where they hang
	Tags     map[repo.ID][]string // names by tags
}

// Uncounted stands for a number that is not known yet.
const Uncounted = -1

// Mooring is a commit of the target's line.
type Mooring struct {
	At       int // how many commits of the line came after it; less than 0: it comes with a landing
	ID       repo.ID
	Subject  string
	Hidden   int      // commits of the line before it, back to the place before; Uncounted: the walk has not passed them yet
	Branches []Branch // those that are just there, with nothing of their own
}

// Stack is branches that sit on each other, the one that left the line first.
type Stack struct {
	Mooring  int     // of the chart's line; -1: its root is its own
	On       string  // the branch that it leaves from, where that goes on in another row; empty: the line
	From     repo.ID // the commit of that branch
	Below    int     // how many commits are between it and the line
	Segments []Segment
}

// Segment is a branch with the commits that it has beyond what it sits on.
type Segment struct {
	Branch
	Also    []Branch // others with the same tip
	Commits []Mark   // oldest first

	merges bool // something was merged into it, or into what it sits on
}

// Named are the branch and those with the same tip.
func (s Segment) Named() []Branch {
	named := []Branch{s.Branch}
	for _, b := range s.Also {
		b.Ahead, b.Behind, b.Unsent = s.Ahead, s.Behind, s.Unsent
		named = append(named, b)
	}
	return named
}

// Branch is one as the chart tells of it.
type Branch struct {
	Name     string // as people say it; of a remote with the remote's name
	Ref      string
	Tip      repo.ID
	Upstream string
	Worktree string // checked out there
	Remote   bool
	Here     bool // checked out in this working tree
	AtWork   bool
	Author   string
	Mine     bool
	When     time.Time
	Subject  string
	Ahead    int // commits that the target does not have
	Behind   int // commits of the line that it does not have
	Unsent   int // of those ahead, the ones that no remote has
	Aside    int // files with changes that were put aside with it
}

// Mark is a commit of a branch on the chart.
type Mark struct {
	ID      repo.ID
	Subject string
	Author  string
	Mine    bool
	Unsent  bool
	Merges  repo.ID // what it brought in; zero: it is no merge
}

// AtWork says whether the branch at work is on the chart, or where it stands on the line.
func (c Chart) AtWork() bool {
	for _, s := range c.Stacks {
		for _, segment := range s.Segments {
			if slices.ContainsFunc(segment.Named(), func(b Branch) bool { return b.AtWork }) {
				return true
			}
		}
	}
	return slices.ContainsFunc(c.Line, func(m Mooring) bool {
		return slices.ContainsFunc(m.Branches, func(b Branch) bool { return b.AtWork })
	})
}

// Chart works out where branches hang. The cost is one walk down the history, to where the last of those on show left the line.
func (a *App) Chart(ctx context.Context, show Show) (Chart, error) { return a.Grow(ctx, show, nil) }

// Grow works the chart out, and gives what is found meanwhile: the places next to the line's tip first, older ones above
// them later, so that no row changes its place from below.
func (a *App) Grow(ctx context.Context, show Show, part func(Chart)) (Chart, error) {
	return a.grow(ctx, show, part, apart)
}

func (a *App) grow(ctx context.Context, show Show, part func(Chart), apart time.Duration) (Chart, error) {
	c := Chart{Show: show}
	tips, err := a.Tips(ctx)
	if err != nil {
		return c, err
	}
	if c.Head, err = a.Repo.Head(ctx); err != nil {
		return c, err
	}
	if c.Target, err = a.lineOf(ctx, show); err != nil {
		return c, err
	}
	if show.moment != nil {
		if tips, err = a.asThen(ctx, tips, show.moment); err != nil {
			return c, err
		}
		c.Target.ID = show.moment.Of(c.Target)
	}
	if c.Tags, err = a.tags(ctx); err != nil {
		return c, err
	}
	w := walk{App: a, chart: &c}
	since := cmp.Or(show.since, c.Target.ID)
	c.Target.ID = cmp.Or(show.lines[c.Target.Name], c.Target.ID)
	if since != c.Target.ID {
		comes, err := a.Repo.RevList(ctx, "--first-parent", c.Target.ID.String(), "^"+since.String())
		if err != nil {
			return c, err
		}
		w.comes = len(comes)
	}
	tips = willBe(tips, show)
	c.Branches = len(tips)
	chosen := choose(tips, c.Target, show)
	c.Others = len(tips) - len(chosen)
	err = w.run(ctx, chosen, part, apart)
	return c, err
}

// lineOf finds what the chart hangs from.
func (a *App) lineOf(ctx context.Context, show Show) (app.Target, error) {
	if show.Line != "" {
		ref, err := a.BranchNamed(ctx, show.Line)
		if err != nil {
			return app.Target{}, err
		}
		if ref.ID.IsZero() {
			return app.Target{}, app.Refuse("There is no branch %s. bastel branches --all lists them.", show.Line)
		}
		return a.TargetOf(ctx, ref)
	}
	work, err := a.AtWork(ctx)
	if err != nil {
		return app.Target{}, err
	}
	target, err := a.FindTarget(ctx, work.Branch())
	if err == nil && target.ID.IsZero() && work.Ref != "" { // a branch by itself is its own line
		target = app.Target{Name: work.Branch(), ID: work.Commit, Branch: work.Branch()}
	}
	return target, err
}
