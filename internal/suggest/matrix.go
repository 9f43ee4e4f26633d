// Package suggest helps with planning: it finds which commits of a branch touch the
// same files and lines (Survey), and from that, from their subjects and from a
// forecast, what could be joined or left out (Find). What becomes of it is the user's
// to say.
//
// Its tests promise: what is offered applies cleanly.
package suggest

import (
	"context"
	"slices"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Commit is a commit of the branch, oldest first.
type Commit struct {
	ID      repo.ID
	Message string // in UTF-8
	Before  repo.ID
	Tree    repo.ID
}

// Cell is what one commit does to one file.
type Cell struct {
	Commit         int // place among the commits
	Added, Removed int // lines
}

// Row is a file with the commits that touch it.
type Row struct {
	Path    string
	Cells   []Cell
	Regions []Region // in the order of their lines; those of which nothing is left come last
}

// Region is a place in a file whose changes touch each other, so that the commits that
// made them cannot move past each other.
type Region struct {
	Start, End int   // its lines in the last content, [Start, End), counted from 0; none: it is gone there
	Commits    []int // oldest first
}

// Overlap says that a commit changes lines that an older one wrote, or next to them:
// they cannot move past each other without a conflict.
type Overlap struct {
	Older, Newer int
	Path         string
	Within       bool // all that the newer one changes there are lines that the older one wrote
}

// Matrix is a branch as files by commits.
type Matrix struct {
	Commits  []Commit
	Rows     []Row // in the order of the paths
	Overlaps []Overlap
}

// Of lists the overlaps of two commits.
func (m Matrix) Of(older, newer int) (found []Overlap) {
	for _, o := range m.Overlaps {
		if o.Older == older && o.Newer == newer {
			found = append(found, o)
		}
	}
	return found
}

// original marks lines that were there before the branch.
const original = -1

// Survey works the matrix out: for each file it follows which commit wrote each line.
// The cost is that of comparing each changed file once per commit that changes it.
func Survey(ctx context.Context, objects merge.Objects, commits []Commit) (Matrix, error) {
	m := Matrix{Commits: commits}
	rows := map[string]*Row{}
	texts := map[string]*text{}
	for n, c := range commits {
		if err := ctx.Err(); err != nil {
			return m, err
		}
		differences, err := merge.Compare(ctx, objects, c.Before, c.Tree)
		if err != nil {
			return m, err
		}
		for _, d := range differences {
			if rows[d.Path] == nil {
				rows[d.Path] = &Row{Path: d.Path}
			}
			if texts[d.Path] == nil {
				texts[d.Path] = &text{}
			}
			cell, overlaps, err := texts[d.Path].follow(ctx, objects, d, n)
			if err != nil {
				return m, err
			}
			rows[d.Path].Cells = append(rows[d.Path].Cells, cell)
			m.Overlaps = append(m.Overlaps, overlaps...)
		}
	}
	for path, row := range rows {
		row.Regions = texts[path].places()
		m.Rows = append(m.Rows, *row)
	}
	slices.SortFunc(m.Rows, func(a, b Row) int { return compareText(a.Path, b.Path) })
	return m, nil
}

func compareText(a, b string) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// text is a file on its way through the branch.
type text struct {
	writers []int   // who wrote each line, as of the commit looked at last
	regions []int   // the region of each line
	commits [][]int // by region
	joined  []int   // by region: the one that it was joined into, or itself
}

// follow takes the file one commit on.
func (f *text) follow(ctx context.Context, objects merge.Objects, d merge.Difference, n int) (Cell, []Overlap, error) {
	cell := Cell{Commit: n}
	old, err := textOf(ctx, objects, d.Old)
	if err != nil {
		return cell, nil, err
	}
	new, err := textOf(ctx, objects, d.New)
	if err != nil {
		return cell, nil, err
	}
	if len(f.writers) != len(old) { // seen for the first time, or replaced by something else meanwhile
		f.writers = slices.Repeat([]int{original}, len(old))
		f.regions = slices.Clone(f.writers)
	}
	touched := map[int]bool{} // by older commit
	onlyTheirs := map[int]bool{}
	var wrote, regions []int
	at := 0
	for _, c := range diff.Lines(old, new) {
		cell.Added += c.NewEnd - c.NewStart
		cell.Removed += c.OldEnd - c.OldStart
		region := f.regionOf(c, n)
		wrote = append(append(wrote, f.writers[at:c.OldStart]...), slices.Repeat([]int{n}, c.NewEnd-c.NewStart)...)
		regions = append(append(regions, f.regions[at:c.OldStart]...), slices.Repeat([]int{region}, c.NewEnd-c.NewStart)...)
		at = c.OldEnd
		for i := max(0, c.OldStart-1); i < min(len(f.writers), c.OldEnd+1); i++ {
			if f.writers[i] != original {
				touched[f.writers[i]] = true
			}
		}
		for writer := range touched {
			if _, known := onlyTheirs[writer]; !known {
				onlyTheirs[writer] = true
			}
			onlyTheirs[writer] = onlyTheirs[writer] && within(f.writers, c, writer)
		}
	}
	f.writers, f.regions = append(wrote, f.writers[at:]...), append(regions, f.regions[at:]...)
	var overlaps []Overlap
	for older := range touched {
		overlaps = append(overlaps, Overlap{older, n, d.Path, onlyTheirs[older]})
	}
	slices.SortFunc(overlaps, func(a, b Overlap) int { return a.Older - b.Older })
	return cell, overlaps, nil
}

// regionOf is the region that a change belongs to: all those whose lines it touches
// become one; if there is none it is a new one.
func (f *text) regionOf(c diff.Change, commit int) int {
	region := -1
	for i := max(0, c.OldStart-1); i < min(len(f.regions), c.OldEnd+1); i++ {
		if f.regions[i] == original {
			continue
		}
		other := f.root(f.regions[i])
		if region < 0 {
			region = other
		} else if other != region {
			f.joined[other] = region
			f.commits[region] = append(f.commits[region], f.commits[other]...)
		}
	}
	if region < 0 {
		region = len(f.joined)
		f.joined, f.commits = append(f.joined, region), append(f.commits, nil)
	}
	f.commits[region] = append(f.commits[region], commit)
	return region
}

func (f *text) root(region int) int {
	for f.joined[region] != region {
		region = f.joined[region]
	}
	return region
}

// places lists the regions with where they lie in the end.
func (f *text) places() []Region {
	var places, gone []Region
	seen := map[int]int{} // by region: its place
	for line, region := range f.regions {
		if region == original {
			continue
		}
		root := f.root(region)
		at, known := seen[root]
		if !known {
			at = len(places)
			seen[root] = at
			places = append(places, Region{Start: line, Commits: inOrder(f.commits[root])})
		}
		places[at].End = line + 1
	}
	for region, into := range f.joined {
		if _, known := seen[region]; into == region && !known {
			gone = append(gone, Region{Commits: inOrder(f.commits[region])})
		}
	}
	return append(places, gone...)
}

func inOrder(commits []int) []int {
	slices.Sort(commits)
	return slices.Compact(commits)
}

// within says whether a change is about lines of one writer only: it replaces such
// lines, or stands among them.
func within(writers []int, c diff.Change, writer int) bool {
	for i := c.OldStart; i < c.OldEnd; i++ {
		if writers[i] != writer {
			return false
		}
	}
	if c.OldStart < c.OldEnd {
		return true
	}
	before := c.OldStart > 0 && writers[c.OldStart-1] == writer
	after := c.OldStart < len(writers) && writers[c.OldStart] == writer
	return before || after
}

// textOf gives an entry's lines; what is no text is one line.
func textOf(ctx context.Context, objects merge.Objects, e repo.Entry) ([][]byte, error) {
	switch {
	case e.IsZero():
		return nil, nil
	case !e.Mode.IsFile():
		return [][]byte{[]byte(e.ID.String())}, nil
	}
	data, err := objects.Blob(ctx, e.ID)
	if err != nil {
		return nil, err
	}
	if merge.IsBinary(data) || len(data) > repo.LargeFile {
		return [][]byte{[]byte(e.ID.String())}, nil
	}
	return diff.Split(data), nil
}
