// Package series pairs the commits of two states of a branch, and writes a branch as patches and as a request for
// review.
//
// Its tests promise: what pairing finds in rewritten branches is what was done to them, and patches lead to the same
// contents.
package series

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/diff"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Relation says what became of a commit in another series.
type Relation string

// The relations.
const (
	Same     Relation = "same"     // its change and its message, in its place
	Moved    Relation = "moved"    // the same, in another place
	Reworded Relation = "reworded" // its change with another message
	Changed  Relation = "changed"  // its content changed
	Joined   Relation = "joined"   // it became a part of one that is another's too
	Split    Relation = "split"    // it became several, of which this is one
	Gone     Relation = "gone"
	New      Relation = "new"
)

// Pairing is a commit of one series with its counterpart in the other; one of them is
// zero where the relation is Gone or New.
type Pairing struct {
	Old, New repo.ID
	Relation Relation
}

// Member is a commit of a series, by what it changes.
type Member struct {
	ID      repo.ID
	Message string
	patch   string         // a hash of paths, modes and lines, without where they stand
	lines   map[string]int // what it adds and removes: path, sign and line, by how often
	size    int
}

// ReadMember works out what a commit changes.
func ReadMember(ctx context.Context, objects merge.Objects, id, before, tree repo.ID, message string) (Member, error) {
	m := Member{ID: id, Message: message, lines: map[string]int{}}
	list, err := merge.Compare(ctx, objects, before, tree)
	if err != nil {
		return m, err
	}
	h := sha256.New()
	for _, d := range list {
		fmt.Fprintf(h, "%q %o %o\n", d.Path, d.Old.Mode, d.New.Mode)
		old, err := linesOf(ctx, objects, d.Old)
		if err != nil {
			return m, err
		}
		new, err := linesOf(ctx, objects, d.New)
		if err != nil {
			return m, err
		}
		add := func(sign string, lines [][]byte) {
			for _, line := range lines {
				fmt.Fprintf(h, "%s%s", sign, line)
				m.lines[d.Path+"\x00"+sign+string(bytes.TrimSpace(line))]++
				m.size++
			}
		}
		for _, c := range diff.Lines(old, new) {
			add("-", old[c.OldStart:c.OldEnd])
			add("+", new[c.NewStart:c.NewEnd])
		}
		if m.size == 0 { // an empty file, or a mode
			m.lines[d.Path+"\x00"]++
			m.size++
		}
	}
	m.patch = hex.EncodeToString(h.Sum(nil))
	return m, nil
}

func linesOf(ctx context.Context, objects merge.Objects, e repo.Entry) ([][]byte, error) {
	if e.Mode == repo.ModeSubmodule {
		return [][]byte{[]byte(e.ID.String())}, nil
	}
	data, err := objects.Blob(ctx, e.ID)
	if err == nil && (merge.IsBinary(data) || len(data) > repo.LargeFile) {
		return [][]byte{[]byte(e.ID.String())}, nil
	}
	return diff.Split(data), err
}

// leastLike is from which likeness on, of 1, two commits are the same one changed.
const leastLike = 0.35

// mostlyIn is which part of a commit's lines another one must have, of 1, for the one to
// have become a part of the other.
const mostlyIn = 0.6

// Pair finds for each commit of an old series what it became in a new one. What is
// known exactly, from the journal, goes before: by old commit, the new ones. Then come
// the same ids, the same changes, and for the rest the assignment with the greatest
// likeness altogether (Kuhn, Munkres); the cost is that of the smaller rest squared
// times the larger one.
func Pair(old, new []Member, known map[repo.ID][]repo.ID) []Pairing {
	p := pairing{old: old, new: new, to: make([][]int, len(old)), from: make([][]int, len(new))}
	p.byKnown(known)
	p.byKey(func(m Member) string { return m.ID.String() })
	p.byKey(func(m Member) string { return m.patch + m.Message })
	p.byKey(func(m Member) string { return m.patch })
	p.byLikeness()
	p.joinedAndSplit()
	return p.result()
}

type pairing struct {
	old, new []Member
	to       [][]int // by old: the new ones that it became
	from     [][]int // by new: the old ones that it came from
}

func (p *pairing) pair(i, j int) {
	p.to[i], p.from[j] = append(p.to[i], j), append(p.from[j], i)
}

func (p *pairing) byKnown(known map[repo.ID][]repo.ID) {
	places := map[repo.ID]int{}
	for j, m := range p.new {
		places[m.ID] = j
	}
	for i, m := range p.old {
		for _, id := range known[m.ID] {
			if j, ok := places[id]; ok && !slices.Contains(p.to[i], j) {
				p.pair(i, j)
			}
		}
	}
}

// byKey pairs what is left and has the same key, in order.
func (p *pairing) byKey(key func(Member) string) {
	places := map[string][]int{}
	for j, m := range p.new {
		if len(p.from[j]) == 0 {
			places[key(m)] = append(places[key(m)], j)
		}
	}
	for i, m := range p.old {
		if left := places[key(m)]; len(p.to[i]) == 0 && len(left) > 0 {
			p.pair(i, left[0])
			places[key(m)] = left[1:]
		}
	}
}

// like is how much two commits are alike, from 0 to 1: mostly by what they change, and a
// little by their messages.
func like(a, b Member) float64 {
	content := 0.0
	if a.size+b.size > 0 {
		content = 2 * float64(common(a, b)) / float64(a.size+b.size)
	}
	message := wordsAlike(a.Message, b.Message)
	if repo.Subject(a.Message) == repo.Subject(b.Message) {
		message = 1
	}
	return 0.65*content + 0.35*message
}

func common(a, b Member) (n int) {
	if len(a.lines) > len(b.lines) {
		a, b = b, a
	}
	for line, times := range a.lines {
		n += min(times, b.lines[line])
	}
	return n
}

func wordsAlike(a, b string) float64 {
	x, y := strings.Fields(strings.ToLower(a)), strings.Fields(strings.ToLower(b))
	if len(x)+len(y) == 0 {
		return 1
	}
	times := map[string]int{}
	for _, word := range x {
		times[word]++
	}
	shared := 0
	for _, word := range y {
		if times[word] > 0 {
			times[word]--
			shared++
		}
	}
	return 2 * float64(shared) / float64(len(x)+len(y))
}

// byLikeness assigns what is left so that the sum of likenesses is greatest.
func (p *pairing) byLikeness() {
	var olds, news []int
	for i := range p.old {
		if len(p.to[i]) == 0 {
			olds = append(olds, i)
		}
	}
	for j := range p.new {
		if len(p.from[j]) == 0 {
			news = append(news, j)
		}
	}
	if len(olds) == 0 || len(news) == 0 {
		return
	}
	turned := len(olds) > len(news)
	rows, columns := olds, news
	if turned {
		rows, columns = news, olds
	}
	cost := make([][]float64, len(rows))
	for r, i := range rows {
		cost[r] = make([]float64, len(columns))
		for c, j := range columns {
			a, b := i, j
			if turned {
				a, b = j, i
			}
			// What is not alike enough to be paired is all the same.
			if share := like(p.old[a], p.new[b]); share >= leastLike {
				cost[r][c] = -share
			}
		}
	}
	for r, c := range assign(cost) {
		if cost[r][c] >= 0 {
			continue
		}
		if turned {
			p.pair(columns[c], rows[r])
		} else {
			p.pair(rows[r], columns[c])
		}
	}
}

// assign gives each row a column of its own so that the sum is least. There are at least
// as many columns as rows. After E. L. Lawler, Combinatorial Optimization (1976), chapter
// 5, with potentials, in O(rows² · columns).
func assign(cost [][]float64) []int {
	n, m := len(cost), len(cost[0])
	const none = -1
	rowOf := slices.Repeat([]int{none}, m+1) // the last column is where a new row comes in
	u, v := make([]float64, n), make([]float64, m+1)
	way := make([]int, m+1)
	for i := range n {
		rowOf[m] = i
		at := m
		least := slices.Repeat([]float64{inf}, m+1)
		used := make([]bool, m+1)
		for rowOf[at] != none {
			used[at] = true
			row, delta, next := rowOf[at], inf, none
			for j := range m {
				if used[j] {
					continue
				}
				if c := cost[row][j] - u[row] - v[j]; c < least[j] {
					least[j], way[j] = c, at
				}
				if least[j] < delta {
					delta, next = least[j], j
				}
			}
			for j := range m + 1 {
				if used[j] {
					u[rowOf[j]] += delta
					v[j] -= delta
				} else {
					least[j] -= delta
				}
			}
			at = next
		}
		for at != m {
			rowOf[at] = rowOf[way[at]]
			at = way[at]
		}
	}
	columns := make([]int, n)
	for j := range m {
		if rowOf[j] != none {
			columns[rowOf[j]] = j
		}
	}
	return columns
}

const inf = 1e18

// joinedAndSplit finds homes for what is left: an old commit most of whose lines a new
// one has that is another's already, and a new one most of whose lines an old one had.
func (p *pairing) joinedAndSplit() {
	within := func(part, whole Member) float64 {
		if part.size == 0 {
			return 0
		}
		return float64(common(part, whole)) / float64(part.size)
	}
	for i := range p.old {
		if len(p.to[i]) > 0 {
			continue
		}
		if j := most(len(p.new), func(j int) float64 { return within(p.old[i], p.new[j]) }); j >= 0 {
			p.pair(i, j)
		}
	}
	for j := range p.new {
		if len(p.from[j]) > 0 {
			continue
		}
		if i := most(len(p.old), func(i int) float64 { return within(p.new[j], p.old[i]) }); i >= 0 {
			p.pair(i, j)
		}
	}
}

// most is the place with the greatest share, if that is enough; -1 if none is.
func most(n int, share func(int) float64) int {
	best, at := mostlyIn, -1
	for i := range n {
		if s := share(i); s >= best && (at < 0 || s > best) {
			best, at = s, i
		}
	}
	return at
}

// result lists the pairings in the order of the old series, and then what is new.
func (p *pairing) result() []Pairing {
	still := p.inPlace()
	var list []Pairing
	for i, m := range p.old {
		if len(p.to[i]) == 0 {
			list = append(list, Pairing{Old: m.ID, Relation: Gone})
		}
		for _, j := range p.to[i] {
			n := p.new[j]
			relation := Same
			switch {
			case len(p.to[i]) > 1:
				relation = Split
			case len(p.from[j]) > 1:
				relation = Joined
			case m.ID == n.ID:
			case m.patch != n.patch:
				relation = Changed
			case strings.TrimSpace(m.Message) != strings.TrimSpace(n.Message):
				relation = Reworded
			case !still[i]:
				relation = Moved
			}
			list = append(list, Pairing{m.ID, n.ID, relation})
		}
	}
	for j, n := range p.new {
		if len(p.from[j]) == 0 {
			list = append(list, Pairing{New: n.ID, Relation: New})
		}
	}
	return list
}

// inPlace says which old commits kept their order: a longest run of pairs that ascends.
func (p *pairing) inPlace() map[int]bool {
	var ends []int // by length of a run: the old commit that ends it, with the least place
	before := map[int]int{}
	place := func(i int) int { return p.to[i][0] }
	for i := range p.old {
		if len(p.to[i]) == 0 {
			continue
		}
		at, _ := slices.BinarySearchFunc(ends, place(i), func(end, want int) int { return place(end) - want })
		before[i] = -1
		if at > 0 {
			before[i] = ends[at-1]
		}
		if at == len(ends) {
			ends = append(ends, i)
		} else {
			ends[at] = i
		}
	}
	still := map[int]bool{}
	if len(ends) > 0 {
		for i := ends[len(ends)-1]; i >= 0; i = before[i] {
			still[i] = true
		}
	}
	return still
}
