// Package suggest helps with planning: it finds which commits of a branch touch the
// same files and lines (Survey), and from that, from their subjects and from a
// forecast, what could be joined or left out (Find). What becomes of it is the user's
// to say.
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
	Path  string
	Cells []Cell
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
	writers := map[string][]int{} // by path: who wrote each line, as of the commit looked at last
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
			cell, overlaps, wrote, err := follow(ctx, objects, d, n, writers[d.Path])
			if err != nil {
				return m, err
			}
			rows[d.Path].Cells = append(rows[d.Path].Cells, cell)
			m.Overlaps = append(m.Overlaps, overlaps...)
			writers[d.Path] = wrote
		}
	}
	for _, row := range rows {
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

// follow takes one file one commit on.
func follow(ctx context.Context, objects merge.Objects, d merge.Difference, n int, writers []int) (Cell, []Overlap, []int, error) {
	cell := Cell{Commit: n}
	old, err := textOf(ctx, objects, d.Old)
	if err != nil {
		return cell, nil, nil, err
	}
	new, err := textOf(ctx, objects, d.New)
	if err != nil {
		return cell, nil, nil, err
	}
	if len(writers) != len(old) { // seen for the first time, or replaced by something else meanwhile
		writers = slices.Repeat([]int{original}, len(old))
	}
	touched := map[int]bool{} // by older commit
	onlyTheirs := map[int]bool{}
	var wrote []int
	at := 0
	for _, c := range diff.Lines(old, new) {
		cell.Added += c.NewEnd - c.NewStart
		cell.Removed += c.OldEnd - c.OldStart
		wrote = append(wrote, writers[at:c.OldStart]...)
		wrote = append(wrote, slices.Repeat([]int{n}, c.NewEnd-c.NewStart)...)
		at = c.OldEnd
		for i := max(0, c.OldStart-1); i < min(len(writers), c.OldEnd+1); i++ {
			if writers[i] != original {
				touched[writers[i]] = true
			}
		}
		for writer := range touched {
			if _, known := onlyTheirs[writer]; !known {
				onlyTheirs[writer] = true
			}
			onlyTheirs[writer] = onlyTheirs[writer] && within(writers, c, writer)
		}
	}
	wrote = append(wrote, writers[at:]...)
	var overlaps []Overlap
	for older := range touched {
		overlaps = append(overlaps, Overlap{older, n, d.Path, onlyTheirs[older]})
	}
	slices.SortFunc(overlaps, func(a, b Overlap) int { return a.Older - b.Older })
	return cell, overlaps, wrote, nil
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
