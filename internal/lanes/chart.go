package lanes

import (
	"fmt"
)

// ChartBranch is a branch in a row of the chart, with its commits from the line outward.
type ChartBranch struct {
	NameWidth int      // in cells
	Marks     []string // of its commits, oldest first
	Open      []bool   // which of them stand in brackets
}

// Piece says what a cell of the chart is.
type Piece int

// The pieces. A bracket opens on the side of the line.
const (
	Edge    Piece = iota // the thread between commits, or from the line
	Dot                  // a commit
	Stretch              // commits that are counted
	Opens
	Closes
	Name
)

// ChartCell is a piece of a row, from the line outward.
type ChartCell struct {
	Piece       Piece
	Text        string // of a dot or a stretch
	Width       int    // in cells
	Branch      int    // whose it is, by its place in the row
	First, Last int    // the commits that it stands for, by their places in the branch
}

// mostMarks is how many commits of a branch are drawn one by one where there is room.
const mostMarks = 9

// shortest is how few cells a name is cut down to.
const shortest = 4

// How a branch's commits are drawn, in the order in which they give way.
const (
	whole   = iota // each of them; of more than mostMarks two at each end
	ends           // the first and the last
	counted        // as a number
	levels
)

// ChartRow lays a row of the chart out in at most width cells: each commit is a cell of its own or lies within exactly one
// stretch that counts it. Marks give way before names do, those of the branch with the most commits first.
func ChartRow(branches []ChartBranch, width int) []ChartCell {
	level := make([]int, len(branches))
	for {
		cells := chartCells(branches, level)
		over := cellsWidth(cells) - width
		if over <= 0 {
			return cells
		}
		next := -1
		for i := range branches {
			if level[i] < levels-1 && (next < 0 || level[i] < level[next] ||
				level[i] == level[next] && len(branches[i].Marks) > len(branches[next].Marks)) {
				next = i
			}
		}
		if next < 0 {
			return cutNames(cells, over)
		}
		level[next]++
	}
}

func chartCells(branches []ChartBranch, level []int) []ChartCell {
	cells := []ChartCell{{Piece: Edge, Width: 2, Branch: -1}}
	for i, b := range branches {
		if i > 0 {
			cells = append(cells, ChartCell{Piece: Edge, Width: 1, Branch: i})
		}
		open := false
		for n, s := range stretches(b.Open, level[i]) {
			starts := b.Open[s[0]]
			if open && !starts {
				cells = append(cells, ChartCell{Piece: Closes, Width: 1, Branch: i})
			}
			if n > 0 {
				cells = append(cells, ChartCell{Piece: Edge, Width: 1, Branch: i})
			}
			if starts && !open {
				cells = append(cells, ChartCell{Piece: Opens, Width: 1, Branch: i})
			}
			open = starts
			cell := ChartCell{Piece: Dot, Text: b.Marks[s[0]], Branch: i, First: s[0], Last: s[1]}
			if s[0] != s[1] {
				cell.Piece, cell.Text = Stretch, fmt.Sprintf("·%d·", s[1]-s[0]+1)
			}
			cell.Width = len([]rune(cell.Text))
			cells = append(cells, cell)
		}
		if open {
			cells = append(cells, ChartCell{Piece: Closes, Width: 1, Branch: i})
		}
		cells = append(cells, ChartCell{Piece: Name, Width: b.NameWidth + 2, Branch: i})
	}
	return cells
}

// stretches are the first and the last commit of each cell. None reaches over a bracket.
func stretches(open []bool, level int) (list [][2]int) {
	n := len(open)
	one := func(from, to int) {
		for at := from; at < to; at++ {
			list = append(list, [2]int{at, at})
		}
	}
	keep := 2
	if level == ends {
		keep = 1
	}
	switch {
	case n == 0:
	case level == counted && n > 1:
		return between(open, 0, n-1)
	case level == whole && n <= mostMarks, n <= 2*keep+1:
		one(0, n)
	default:
		one(0, keep)
		list = append(list, between(open, keep, n-keep-1)...)
		one(n-keep, n)
	}
	return list
}

// between are stretches from one commit to another, parted where a bracket stands.
func between(open []bool, from, to int) (list [][2]int) {
	start := from
	for at := from; at <= to; at++ {
		if at == to || open[at+1] != open[at] {
			list = append(list, [2]int{start, at})
			start = at + 1
		}
	}
	return list
}

func cellsWidth(cells []ChartCell) (width int) {
	for _, c := range cells {
		width += c.Width
	}
	return width
}

// cutNames takes cells away from the longest names.
func cutNames(cells []ChartCell, over int) []ChartCell {
	for ; over > 0; over-- {
		longest := -1
		for i, c := range cells {
			if c.Piece == Name && c.Width > shortest+2 && (longest < 0 || c.Width > cells[longest].Width) {
				longest = i
			}
		}
		if longest < 0 {
			return cells // there is no room for more: what is outermost is cut off
		}
		cells[longest].Width--
	}
	return cells
}
