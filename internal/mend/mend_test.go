package mend_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/test/fixture"
)

var ctx = context.Background()

// lines writes "a,b," as two lines.
func lines(text string) []byte { return []byte(strings.ReplaceAll(text, ",", "\n")) }

// meet merges three versions of a file, which must conflict.
func meet(t fixture.TB, base, left, right string) merge.Conflict {
	o := fixture.NewObjects()
	_, conflicts, err := merge.Trees(ctx, o, o.Make(base), o.Make(left), o.Make(right))
	require.NoError(t, err)
	require.NotEmpty(t, conflicts)
	return conflicts[0]
}

func source(t fixture.TB) repo.ID { return fixture.ID(t, strings.Repeat("7", 40)) }

func TestAnswersOfARegion(t *testing.T) {
	c := meet(t, "a:1,2,3,", "a:1,x,y,3,", "a:1,z,3,")
	for name, test := range map[string]struct {
		answer mend.Answer
		want   string
	}{
		"one side":         {mend.Take(mend.Left), "1,x,y,3,"},
		"the other":        {mend.Take(mend.Right), "1,z,3,"},
		"both":             {mend.Take(mend.Left, mend.Right), "1,x,y,z,3,"},
		"both, turned":     {mend.Take(mend.Right, mend.Left), "1,z,x,y,3,"},
		"neither":          {mend.Take(), "1,3,"},
		"the base":         {mend.Take(mend.Base), "1,2,3,"},
		"lines":            {mend.Answer{Take: []mend.Part{{Side: mend.Left, Lines: []int{1}}, {Side: mend.Right, Lines: []int{0}}}}, "1,y,z,3,"},
		"own text":         {mend.Answer{Own: []byte("own\n")}, "1,own,3,"},
		"own, without end": {mend.Answer{Own: []byte("own")}, "1,own,3,"},
		"own, empty":       {mend.Answer{Own: []byte{}}, "1,3,"},
	} {
		t.Run(name, func(t *testing.T) {
			open := mend.Look(c, source(t), mend.AnswerBook{})
			require.Equal(t, 1, open.Open())
			_, ok := open.Text()
			require.False(t, ok)
			given := open.Regions[0].Give(test.answer)
			s := mend.Look(c, source(t), mend.AnswerBook{Answers: []mend.Resolution{given}})
			require.Zero(t, s.Open())
			assert.Equal(t, mend.Here, s.Regions[0].Origin)
			text, ok := s.Text()
			require.True(t, ok)
			assert.Equal(t, string(lines(test.want)), string(text))
		})
	}
}

// TestTheMemory: what was answered once is answered wherever it comes back, whichever
// side is which.
func TestTheMemory(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.SampledFrom([]string{"p\n", "q\n", "r\n", "s\n", "\n", "t"})
		text := func(name string) string { return strings.Join(rapid.SliceOfN(line, 0, 4).Draw(t, name), "") }
		base, left, right := text("base"), text("left"), text("right")
		before := rapid.SampledFrom([]string{"", "before\n", "one\ntwo\n"}).Draw(t, "before")
		chunks := merge.Text([]byte(before+base), []byte(before+left), []byte(before+right))
		regions := merge.Regions(chunks)
		if len(regions) == 0 {
			return
		}
		c := merge.Conflict{Path: "a", Kind: merge.Content, Chunks: chunks}
		s := mend.Look(c, source(t), mend.AnswerBook{})
		var given []mend.Resolution
		memory := map[mend.Key]mend.Resolution{}
		for _, q := range s.Regions {
			a := rapid.SampledFrom([]mend.Answer{mend.Take(mend.Left), mend.Take(mend.Right), mend.Take(mend.Left, mend.Right), mend.Take(),
				mend.Take(mend.Base), {Own: []byte("own\n")}}).Draw(t, "answer")
			given = append(given, q.Give(a))
			memory[q.Key] = given[len(given)-1]
		}
		here, ok := mend.Look(c, source(t), mend.AnswerBook{Answers: given}).Text()
		require.True(t, ok)
		mirror := merge.Conflict{Path: "b", Kind: merge.Content, Chunks: merge.Text([]byte("far\n"+base), []byte("far\n"+right),
			[]byte("far\n"+left))}
		asked := mend.Look(mirror, repo.ID{}, mend.AnswerBook{Memory: memory})
		assert.Equal(t, len(asked.Regions), asked.Open(), "in another file it is asked about")
		for key, g := range memory {
			g.Everywhere = true
			memory[key] = g
		}
		again := mend.Look(mirror, repo.ID{}, mend.AnswerBook{Memory: memory})
		if before == "" || len(regions) > 1 || len(merge.Regions(mirror.Chunks)) != 1 {
			return // other lines around it can make other regions
		}
		require.Zero(t, again.Open())
		assert.Equal(t, mend.Remembered, again.Regions[0].Origin)
		there, ok := again.Text()
		require.True(t, ok)
		assert.Equal(t, strings.TrimPrefix(string(here), before), strings.TrimPrefix(string(there), "far\n"))
		shut := mend.Look(mirror, repo.ID{}, mend.AnswerBook{Memory: memory, NotFromMemory: []mend.Key{again.Regions[0].Key}})
		assert.Equal(t, 1, shut.Open(), "what is revoked is open")
	})
}

// TestOneSideEverywhere: where the sides meet in one place, taking one side everywhere
// gives that side.
func TestOneSideEverywhere(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.SampledFrom([]string{"p\n", "q\n", "r\n", "s\n", "t\n"})
		text := func(name string) string { return strings.Join(rapid.SliceOfN(line, 1, 5).Draw(t, name), "") }
		left, right := "A\n"+text("left")+"Z\n", "A\n"+text("right")+"Z\n"
		c := merge.Conflict{Path: "a", Kind: merge.Content, Chunks: merge.Text([]byte("A\nb\nZ\n"), []byte(left), []byte(right))}
		if len(merge.Regions(c.Chunks)) != 1 {
			return
		}
		for side, want := range map[mend.Side]string{mend.Left: left, mend.Right: right} {
			s := mend.Look(c, repo.ID{}, mend.AnswerBook{})
			got, ok := mend.Look(c, repo.ID{}, mend.AnswerBook{Answers: []mend.Resolution{s.Regions[0].Give(mend.Take(side))}}).Text()
			require.True(t, ok)
			assert.Equal(t, want, string(got))
		}
	})
}

func TestSettlingTrees(t *testing.T) {
	own := mend.Answer{Own: []byte("own")}
	for _, test := range []struct {
		name, base, left, right string
		answer                  mend.Answer
		want                    string
	}{
		{"deleted: it goes", "a:1 k:1", "k:1", "a:2 k:1", mend.Take(mend.Left), "k:1"},
		{"deleted: it stays", "a:1 k:1", "k:1", "a:2 k:1", mend.Take(mend.Right), "a:2 k:1"},
		{"deleted: own text", "a:1 k:1", "k:1", "a:2 k:1", own, "a:own k:1"},
		{"binary: the other", "a:0", "a:01", "a:02", mend.Take(mend.Right), "a:02"},
		{"binary: neither", "a:0 k:1", "a:01 k:1", "a:02 k:1", mend.Take(), "k:1"},
		{"binary: own", "a:0", "a:01", "a:02", own, "a:own"},
		{"link", "l@:1", "l@:2", "l@:3", mend.Take(mend.Right), "l@:3"},
		{"submodule", "s%:1", "s%:2", "s%:3", mend.Take(mend.Right), "s%:3"},
		{"type", "a:1", "a@:1", "a:2", mend.Take(mend.Right), "a:2"},
		{"mode", "", "a*:1", "a:1", mend.Take(mend.Right), "a:1"},
		{"file against folder: the file", "a:1", "a/x:5", "a:2", mend.Take(mend.Right), "a:2"},
		{"file against folder: the folder", "a:1", "a:2", "a/x:5", mend.Take(mend.Right), "a/x:5"},
		{"renamed twice: the one name", "a:1,2,3,", "b:1,2,3,", "c:1,2,3,", mend.Take(mend.Left), "b:1,2,3,"},
		{"renamed twice: the other name", "a:1,2,3,", "b:1,2,3,", "c:1,2,x,", mend.Take(mend.Right), "c:1,2,x,"},
		{"renamed and deleted: it goes", "a:1,2, k:1", "b:1,2, k:1", "k:1", mend.Take(mend.Right), "k:1"},
		{"renamed and deleted: it stays", "a:1,2, k:1", "k:1", "b:1,2, k:1", mend.Take(mend.Right), "b:1,2, k:1"},
		{"a text as a whole", "a:1,", "a:2,", "a:3,", mend.Take(mend.Right), "a:3,"},
		{"a text as a whole, own", "a:1,", "a:2,", "a:3,", own, "a:own"},
		{"a text, neither: it goes", "a:1, k:1", "a:2, k:1", "a:3, k:1", mend.Take(), "k:1"},
	} {
		t.Run(test.name, func(t *testing.T) {
			o := fixture.NewObjects()
			tree, conflicts, err := merge.Trees(ctx, o, o.Make(test.base), o.Make(test.left), o.Make(test.right))
			require.NoError(t, err)
			require.Len(t, conflicts, 1)
			open := mend.Look(conflicts[0], source(t), mend.AnswerBook{})
			require.NotZero(t, open.Open())
			book := mend.AnswerBook{Answers: []mend.Resolution{open.WholeQuestion().Give(test.answer)}}
			s := mend.Look(conflicts[0], source(t), book)
			require.Zero(t, s.Open())
			settled, err := mend.ApplyAnswers(ctx, o, tree, []mend.State{s})
			require.NoError(t, err)
			assert.Equal(t, test.want, o.Spec(settled))
		})
	}
}

func TestWhatIsNoAnswer(t *testing.T) {
	content, binary := meet(t, "a:1,", "a:2,", "a:3,"), meet(t, "a:0", "a:01", "a:02")
	renamed, module := meet(t, "a:1,2,", "b:1,2,", "c:1,2,"), meet(t, "s%:1", "s%:2", "s%:3")
	for name, test := range map[string]struct {
		conflict merge.Conflict
		answer   mend.Answer
	}{
		"lines that are not there": {content, mend.Answer{Take: []mend.Part{{Side: mend.Left, Lines: []int{1}}}}},
		"no such side":             {content, mend.Answer{Take: []mend.Part{{Side: "up"}}}},
		"unfinished":               {content, mend.Answer{Own: []byte("half"), Unfinished: true}},
		"two binaries in one":      {binary, mend.Take(mend.Left, mend.Right)},
		"no name":                  {renamed, mend.Take()},
		"a text for a submodule":   {module, mend.Answer{Own: []byte("x")}},
	} {
		t.Run(name, func(t *testing.T) {
			q := mend.Look(test.conflict, source(t), mend.AnswerBook{}).Questions()[0]
			assert.NotZero(t, mend.Look(test.conflict, source(t), mend.AnswerBook{Answers: []mend.Resolution{q.Give(test.answer)}}).Open())
		})
	}
}

// TestTheSameContentTwice: each place can have its own answer; one that has none takes
// the other's.
func TestTheSameContentTwice(t *testing.T) {
	c := meet(t, "a:v1,m,v1,", "a:v2,m,v2,", "a:v3,m,v3,")
	first := mend.Look(c, source(t), mend.AnswerBook{}).Regions[0].Give(mend.Take(mend.Right))
	s := mend.Look(c, source(t), mend.AnswerBook{Answers: []mend.Resolution{first}})
	require.Zero(t, s.Open())
	assert.Equal(t, []mend.Origin{mend.Here, mend.Elsewhere}, []mend.Origin{s.Regions[0].Origin, s.Regions[1].Origin})
	second := s.Regions[1].Give(mend.Take(mend.Left))
	text, _ := mend.Look(c, source(t), mend.AnswerBook{Answers: []mend.Resolution{first, second}}).Text()
	assert.Equal(t, "v3\nm\nv2\n", string(text))
	shut := mend.Look(c, source(t), mend.AnswerBook{Answers: []mend.Resolution{first}, NotFromMemory: []mend.Key{first.Key}})
	assert.Equal(t, 1, shut.Open())
}

func TestMarkers(t *testing.T) {
	c := merge.Conflict{Path: "a", Kind: merge.Content, Chunks: meetRaw(t, "a", "a:1,======= a,2,", "a:1,======= a,x,", "a:1,======= a,y,")}
	s := mend.Look(c, source(t), mend.AnswerBook{})
	marked := s.Marked(mend.Labels{Left: "main", Base: "base", Right: "mine"}, 0)
	assert.Equal(t, string(lines("1,======= a,<<<<<<< main,x,||||||| base,2,=======,y,>>>>>>> mine,")), string(marked))
	assert.Equal(t, []int{3, 5, 7, 9}, s.Markers(marked, 0), "what a side has itself only looks like one")
	assert.Empty(t, s.Markers(lines("1,======= a,x,"), 0))
	assert.Equal(t, []int{1}, s.Markers(lines("<<<<<<< HEAD\r,"), 0))
	assert.Empty(t, s.Markers(lines("========,<<<<<<<<,"), 0), "longer lines are none")
	assert.Contains(t, string(s.Marked(mend.Labels{}, 3)), "\n<<<\n")
	half := s.WholeQuestion().Give(mend.Answer{Own: []byte("half"), Unfinished: true})
	s = mend.Look(c, source(t), mend.AnswerBook{Answers: []mend.Resolution{half}})
	assert.Equal(t, 1, s.Open())
	assert.Equal(t, "half", string(s.Marked(mend.Labels{}, 0)), "an unfinished text comes back")
}

func TestSuggest(t *testing.T) {
	for name, test := range map[string]struct {
		path, base, left, right, end string
		want                         string
	}{
		"white space there": {"a", "a:x y,", "a:x  y,", "a:z,", "", "the other side changed only white space: z,"},
		"white space here":  {"a", "a:x y,", "a:z,", "a:x  y,", "", "the other side changed only white space: z,"},
		"both added": {"a", "a:1,", "a:1,x y z u,", "a:1,y,", "", "both only added lines: one after the other: x y z u,y,; both only added " +
			"lines: the other way round: y,x y z u,"},
		"a list": {"a", "a:1,", "a:1,use x;,", "a:1,use a;,use y;,", "", "both sides' entries, sorted: use a;,use x;,use y;,; both only added " +
			"lines: one after the other: use x;,use a;,use y;,; both only added lines: the other way round: use a;,use y;,use x;,"},
		"a list, one entry gone": {"a", "a:1,- b,- c,", "a:1,- c,", "a:1,- b,- a,- c,", "", "both sides' entries, each once: - a,"},
		"line ends": {"a", "a:x y,", "a:x y\r,", "a:x z,", "", "one side's text with the other's line ends: x z\r,; " +
			"the other side changed only white space: x z,"},
		"newer": {"go.sum", "go.sum:v1.2.3,", "go.sum:v1.10.0,", "go.sum:v1.9.0,", "", "the newer version: v1.10.0,"},
		"newer on the right": {"web/package-lock.json", "web/package-lock.json:v1.2,", "web/package-lock.json:v1.3,",
			"web/package-lock.json:v1.3.1,", "", "the newer version: v1.3.1,"},
		"older and newer":   {"go.sum", "go.sum:v1.2-v1.1,", "go.sum:v1.3-v1.4,", "go.sum:v1.4-v1.3,", "", ""},
		"versions anywhere": {"a", "a:v1.2,", "a:v1.3,", "a:v1.4,", "", "the newer version: v1.4,"},
		"not of one text":   {"a", "a:v1.2 x,", "a:v1.3 y,", "a:v1.4 z,", "", ""},
		"words":             {"a", "a:one_two_three,", "a:One_two_three,", "a:one_two_Three,", "", ""},
		"words apart":       {"a", "a:one=two=three,", "a:One=two=three,", "a:one=two=Three,", "", "both sides' words: One=two=Three,"},
		"the end":           {"a", "a:1,2,3,", "a:1,x,3,", "a:1,y,3,", "0,1,z,3,", "as it is at the branch's end now: z,"},
	} {
		t.Run(name, func(t *testing.T) {
			r := merge.Regions(meetRaw(t, test.path, test.base, test.left, test.right))[0]
			var end [][]byte
			if test.end != "" {
				end = mend.AtEnd(lines(strings.TrimPrefix(test.base, test.path+":")), lines(test.end), r)
			}
			var got []string
			for _, s := range mend.Suggest(test.path, r, end) {
				var text []byte
				for _, line := range s.Answer.Lines(r) {
					text = append(text, line...)
				}
				got = append(got, fmt.Sprintf("%s: %s", s.Why, strings.ReplaceAll(string(text), "\n", ",")))
			}
			assert.Equal(t, test.want, strings.Join(got, "; "))
		})
	}
}

// meetRaw merges texts that may hold blanks.
func meetRaw(t fixture.TB, path, base, left, right string) []merge.Chunk {
	text := func(spec string) []byte { return lines(strings.TrimPrefix(spec, path+":")) }
	chunks := merge.Text(text(base), text(left), text(right))
	require.NotEmpty(t, merge.Regions(chunks))
	return chunks
}

// TestAtEnd: where the branch's end is one of the sides, so is the region there.
func TestAtEnd(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		line := rapid.SampledFrom([]string{"p\n", "q\n", "r\n", "s\n"})
		base, left := strings.Join(rapid.SliceOfN(line, 1, 9).Draw(t, "base"), ""), strings.Join(rapid.SliceOfN(line, 1, 9).Draw(t, "left"), "")
		right := strings.Join(rapid.SliceOfN(line, 1, 9).Draw(t, "right"), "")
		for _, r := range merge.Regions(merge.Text([]byte(base), []byte(left), []byte(right))) {
			got := mend.AtEnd([]byte(base), []byte(left), r)
			assert.LessOrEqual(t, len(r.Left), len(got), "it is there as a whole: what is alike at a region's ends may come with it")
		}
	})
}

func FuzzAnswers(f *testing.F) {
	f.Add("a\nb\n", "a\nc\n", "a\r\nb", "own", uint8(3))
	f.Add("", "x", "\n\n", "", uint8(0))
	f.Fuzz(func(t *testing.T, base, left, right, own string, pick uint8) {
		c := merge.Conflict{Path: "a", Kind: merge.Content, Chunks: merge.Text([]byte(base), []byte(left), []byte(right))}
		s := mend.Look(c, repo.ID{}, mend.AnswerBook{})
		var given []mend.Resolution
		for i, q := range s.Regions {
			answers := []mend.Answer{mend.Take(mend.Left), mend.Take(mend.Right, mend.Left), mend.Take(), {Own: []byte(own)},
				{Take: []mend.Part{{Side: mend.Base, Lines: []int{int(pick)}}}}}
			given = append(given, q.Give(answers[(int(pick)+i)%len(answers)]))
			mend.Suggest("go.sum", *q.Region, mend.AtEnd([]byte(base), []byte(own), *q.Region))
		}
		s = mend.Look(c, repo.ID{}, mend.AnswerBook{Answers: given})
		_, ok := s.Text()
		assert.Equal(t, s.Open() == 0, ok)
		s.Marked(mend.Labels{}, int(pick))
	})
}
