package series_test

import (
	"context"
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/repo"
	"bastel/internal/series"
	"bastel/test/fixture"
)

// written is a commit to be paired: what it adds to files, line by line.
type written struct {
	id, truth int // truth: the old one that it is; -1: none
	message   string
	lines     []string // "path line"
}

var ctx = context.Background()

var words = strings.Fields("berth tide quay ship rope lamp crane chart depth wind clock table plan board hall ferry mole steps lock gate")

func phrase(random *rand.Rand, n int) string {
	var list []string
	for range n {
		list = append(list, words[random.Intn(len(words))])
	}
	return strings.Join(list, " ")
}

func member(t fixture.TB, o *fixture.Objects, w written) series.Member {
	files := map[string]string{}
	for _, line := range w.lines {
		path, text, _ := strings.Cut(line, " ")
		files[path] += text + "\n"
	}
	var tree repo.Tree
	for path, text := range files {
		tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: path, ID: o.Put(repo.KindBlob, []byte(text))})
	}
	tree.Sort()
	m, err := series.ReadMember(ctx, o, fixture.ID(t, fmt.Sprintf("%040x", w.id+1)), o.PutTree(nil), o.PutTree(tree), w.message)
	require.NoError(t, err)
	return m
}

// branch is one of commits that have a few lines in common, as neighbours have.
func branch(random *rand.Rand, n int) (list []written) {
	for i := range n {
		w := written{id: i, truth: i, message: phrase(random, 3+random.Intn(3)) + "\n\n" + phrase(random, 8) + "\n"}
		for range 2 + random.Intn(12) {
			w.lines = append(w.lines, fmt.Sprintf("f%d %s", random.Intn(6), phrase(random, 4)))
		}
		list = append(list, w)
	}
	return list
}

// rewritten changes a series as people do: order, words, content, some gone, some new.
func rewritten(random *rand.Rand, old []written) (list []written) {
	id := 10000
	for _, w := range old {
		id++
		w.id = id
		switch random.Intn(8) {
		case 0:
			continue
		case 1:
			w.message = phrase(random, 4) + "\n"
		case 2, 3:
			w.lines = slices.Clone(w.lines)
			for range 1 + len(w.lines)/5 {
				w.lines[random.Intn(len(w.lines))] = fmt.Sprintf("f%d %s", random.Intn(6), phrase(random, 4))
			}
		case 4:
			w.message = strings.Replace(w.message, "\n", " again\n", 1)
			w.lines = append(slices.Clone(w.lines), "f1 "+phrase(random, 4))
		}
		list = append(list, w)
		if random.Intn(10) == 0 {
			id++
			list = append(list, written{id: id, truth: -1, message: phrase(random, 4) + "\n",
				lines: []string{"n " + phrase(random, 5), "n " + phrase(random, 5)}})
		}
	}
	for range len(list) / 4 {
		i, j := random.Intn(len(list)), random.Intn(len(list))
		list[i], list[j] = list[j], list[i]
	}
	return list
}

// TestPairsOnRandomRewrites: of rewrites whose truth is known 99 in 100 pairs are right.
func TestPairsOnRandomRewrites(t *testing.T) {
	random, right, all := rand.New(rand.NewSource(3)), 0, 0
	for range 200 {
		o := fixture.NewObjects()
		old := branch(random, 2+random.Intn(24))
		new := rewritten(random, old)
		var olds, news []series.Member
		truth := map[repo.ID]repo.ID{}
		for _, w := range old {
			olds = append(olds, member(t, o, w))
		}
		for _, w := range new {
			m := member(t, o, w)
			news = append(news, m)
			if w.truth >= 0 {
				truth[olds[w.truth].ID] = m.ID
			}
		}
		for _, p := range series.Pair(olds, news, nil) {
			if p.Relation == series.New {
				continue
			}
			all++
			if truth[p.Old] == p.New {
				right++
			}
		}
	}
	assert.GreaterOrEqual(t, float64(right)/float64(all), 0.99, "%d of %d", right, all)
}

func TestRelations(t *testing.T) {
	o := fixture.NewObjects()
	lines := func(list ...string) (all []string) {
		for _, l := range list {
			for i := range 4 {
				all = append(all, fmt.Sprintf("f %s %d", l, i))
			}
		}
		return all
	}
	a, b := written{1, 0, "Add a\n", lines("a")}, written{2, 0, "Add b\n", lines("b")}
	c, ab := written{3, 0, "Add c\n", lines("c")}, written{4, 0, "Add a and b\n", lines("a", "b")}
	anew := func(w written, id int) written { w.id = id; return w }
	reworded, more := anew(a, 5), anew(a, 6)
	reworded.message = "Say it otherwise\n"
	more.lines = append(slices.Clone(a.lines), "f one more")
	for name, test := range map[string]struct {
		old, new []written
		known    map[int][]int
		want     string
	}{
		"the same":        {[]written{a, b}, []written{a, b}, nil, "1 same 1, 2 same 2"},
		"put onto others": {[]written{a, b}, []written{anew(a, 11), anew(b, 12)}, nil, "1 same 11, 2 same 12"},
		"moved":           {[]written{a, b, c}, []written{anew(b, 12), anew(c, 13), anew(a, 11)}, nil, "1 moved 11, 2 same 12, 3 same 13"},
		"reworded":        {[]written{a}, []written{reworded}, nil, "1 reworded 5"},
		"changed":         {[]written{a}, []written{more}, nil, "1 changed 6"},
		"gone and new":    {[]written{a}, []written{c}, nil, "1 gone 0, 0 new 3"},
		"joined":          {[]written{a, b}, []written{ab}, nil, "1 joined 4, 2 joined 4"},
		"split":           {[]written{ab}, []written{a, b}, nil, "4 split 1, 4 split 2"},
		"known":           {[]written{a, b}, []written{c}, map[int][]int{1: {3}, 2: {3}}, "1 joined 3, 2 joined 3"},
		"nothing":         {nil, nil, nil, ""},
	} {
		t.Run(name, func(t *testing.T) {
			id := func(n int) repo.ID { return fixture.ID(t, fmt.Sprintf("%040x", n+1)) }
			var olds, news []series.Member
			for _, w := range test.old {
				olds = append(olds, member(t, o, w))
			}
			for _, w := range test.new {
				news = append(news, member(t, o, w))
			}
			known := map[repo.ID][]repo.ID{}
			for from, tos := range test.known {
				for _, to := range tos {
					known[id(from)] = append(known[id(from)], id(to))
				}
			}
			number := func(want repo.ID) int {
				for n := range 20 {
					if id(n) == want {
						return n
					}
				}
				return 0
			}
			var got []string
			for _, p := range series.Pair(olds, news, known) {
				got = append(got, fmt.Sprintf("%d %s %d", number(p.Old), p.Relation, number(p.New)))
			}
			assert.ElementsMatch(t, strings.Split(test.want, ", "), append([]string{}, strings.Split(strings.Join(got, ", "), ", ")...))
		})
	}
}

// BenchmarkPair pairs 500 commits with 500 of which nothing is the same.
func BenchmarkPair(b *testing.B) {
	random, o := rand.New(rand.NewSource(5)), fixture.NewObjects()
	old := branch(random, 500)
	var olds, news []series.Member
	for i, w := range old {
		olds = append(olds, member(b, o, w))
		w.id, w.message = 20000+i, w.message+"more\n"
		w.lines = append(slices.Clone(w.lines), "f1 "+phrase(random, 4))
		news = append(news, member(b, o, w))
	}
	random.Shuffle(len(news), func(i, j int) { news[i], news[j] = news[j], news[i] })
	for b.Loop() {
		series.Pair(olds, news, nil)
	}
}
