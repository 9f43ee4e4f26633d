package review_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/repo"
	"bastel/internal/review"
	"bastel/internal/tray"
	"bastel/test/fixture"
)

var (
	today = time.Date(2026, 5, 4, 8, 0, 0, 0, time.UTC)
	later = today.Add(time.Hour)
)

// differ compares texts of one file without writing anything.
type differ struct {
	t       fixture.TB
	objects *repo.Overlay
}

func newDiffer(t *testing.T) differ { return differ{t, fixture.New(t).Open(t).NewOverlay()} }

func (d differ) file(path, old, new string) tray.File {
	tree := func(text string) repo.ID {
		var tree repo.Tree
		if text != "" {
			tree = repo.Tree{{Mode: repo.ModeFile, Name: path, ID: d.objects.Put(repo.KindBlob, []byte(text))}}
		}
		return d.objects.PutTree(tree)
	}
	files, err := tray.Between(context.Background(), d.objects, tree(old), tree(new))
	require.NoError(d.t, err)
	require.Len(d.t, files, 1)
	return files[0]
}

func ticks(f tray.File, read bool) map[string]bool {
	ticks := map[string]bool{}
	for _, h := range f.Hunks {
		ticks[h.ID] = read
	}
	return ticks
}

func TestReadSurvivesWhatDoesNotChangeIt(t *testing.T) {
	d := newDiffer(t)
	lines := strings.Split("a b c d e f g h i j k l m n o p q r s t", " ")
	text := func(change ...string) string {
		all := slices.Clone(lines)
		for _, c := range change {
			from, to, _ := strings.Cut(c, "=")
			all[slices.Index(all, from)] = to
		}
		return strings.Join(all, "\n") + "\n"
	}
	read := d.file("f", text(), text("c=C", "p=P"))
	for name, test := range map[string]struct {
		now  tray.File
		want []bool
	}{
		"the same":                       {read, []bool{true, true}},
		"on another base":                {d.file("f", "0\n"+text(), "0\n"+text("c=C", "p=P")), []bool{true, true}},
		"run together by a third change": {d.file("f", text(), text("c=C", "p=P", "i=I")), []bool{false}},
		"one is different":               {d.file("f", text(), text("c=CC", "p=P")), []bool{false, true}},
		"what stands beside it is":       {d.file("f", text("d=x"), text("d=x", "c=C")), []bool{false}},
		"what stands further off is":     {d.file("f", text("e=x"), text("e=x", "c=C")), []bool{true}},
		"run together with a new one":    {d.file("f", text(), text("c=C", "f=F")), []bool{false}},
		"part of it":                     {d.file("f", text(), text("p=P")), []bool{true}},
		"the same lines in another file": {d.file("g", text(), text("c=C")), []bool{false}},
		"a binary file":                  {d.file("f", "\x00a", "\x00b"), []bool{false}},
		"a file that goes":               {d.file("f", text(), ""), []bool{false}},
	} {
		t.Run(name, func(t *testing.T) {
			var b review.Record
			b.Tick(read, review.Keys(read), ticks(read, true), today)
			assert.Equal(t, test.want, b.WasRead(review.Keys(test.now))[:len(test.want)])
			b.Tick(test.now, review.Keys(test.now), ticks(test.now, true), today)
			assert.NotContains(t, b.WasRead(review.Keys(test.now)), false, "ticked itself")
			b.Tick(test.now, review.Keys(test.now), ticks(test.now, false), today)
			assert.NotContains(t, b.WasRead(review.Keys(test.now)), true, "and not any more")
		})
	}
	t.Run("equal changes are told apart", func(t *testing.T) {
		twice := d.file("f", strings.Repeat("x\n", 20), strings.Repeat("x\n", 3)+"new\n"+strings.Repeat("x\n",
			12)+"new\n"+strings.Repeat("x\n", 5))
		var b review.Record
		b.Tick(twice, review.Keys(twice), map[string]bool{twice.Hunks[0].ID: true}, today)
		assert.Equal(t, []bool{true, false}, b.WasRead(review.Keys(twice)))
	})
}

// TestReadByContent: whatever is edited, a hunk counts as read exactly if each of its
// changes stands as it was read.
func TestReadByContent(t *testing.T) {
	d := newDiffer(t)
	rapid.Check(t, func(t *rapid.T) {
		lines := func(edits []int, word string) string {
			var b strings.Builder
			for i := range 40 {
				if slices.Contains(edits, i) {
					fmt.Fprintf(&b, "%s %d\n", word, i)
				} else {
					fmt.Fprintf(&b, "line %d\n", i)
				}
			}
			return b.String()
		}
		places := rapid.SliceOfNDistinct(rapid.IntRange(1, 19), 1, 8, rapid.ID[int])
		first, second := places.Draw(t, "first"), places.Draw(t, "second")
		for i := range first { // every second line, so that runs never touch
			first[i] *= 2
		}
		for i := range second {
			second[i] *= 2
		}
		was, now := d.file("f", lines(nil, ""), lines(first, "edit")), d.file("f", lines(nil, ""), lines(second, "edit"))
		var b review.Record
		b.Tick(was, review.Keys(was), ticks(was, true), today)
		for i, read := range b.WasRead(review.Keys(now)) {
			known := true
			for _, line := range now.Hunks[i].Lines {
				if line.Op == '+' && !slices.Contains(first, line.New) {
					known = false
				}
			}
			assert.Equal(t, known, read)
		}
	})
}

func TestRemarksHoldOnToTheirLine(t *testing.T) {
	d := newDiffer(t)
	old := "one\ntwo\nthree\nfour\nfive\nsix\n"
	id := func(n byte) repo.ID { return fixture.ID(t, strings.Repeat(fmt.Sprintf("%02x", n), 20)) }
	commit := func(n byte, author string, files ...tray.File) review.Commit {
		return review.NewCommit(id(n), author, "", files)
	}
	changed := d.file("f", old, strings.Replace(old, "three", "depth := 3", 1))
	other := d.file("g", "x\n", "depth := 3\n")
	at, found := review.LineOf([]tray.File{changed}, "f", "+", 3)
	require.True(t, found)
	noted := review.Remark{Anchor: review.AnchorOf(commit(1, "ines 10", changed), at)}
	assert.Equal(t, "depth := 3", noted.Anchor.Text)
	for name, test := range map[string]struct {
		series []review.Commit
		commit int
		gone   bool
	}{
		"the same":          {[]review.Commit{commit(1, "ines 10", changed)}, 0, false},
		"rewritten":         {[]review.Commit{commit(7, "ines 10", changed)}, 0, false},
		"moved":             {[]review.Commit{commit(8, "ines 20", other), commit(7, "ines 10", changed)}, 1, false},
		"joined to another": {[]review.Commit{commit(9, "ines 5", other, changed)}, 0, false},
		"on another base": {[]review.Commit{commit(7, "ines 10", d.file("f", "0\n"+old,
			"0\n"+strings.Replace(old, "three", "depth := 3", 1)))}, 0, false},
		"two with the line": {[]review.Commit{commit(8, "ines 20", changed), commit(7, "ines 10", changed)}, 1, false},
		"the line is different": {[]review.Commit{commit(7, "ines 10", d.file("f", old, strings.Replace(old, "three", "depth := 4", 1)))}, 0,
			true},
		"another file only": {[]review.Commit{commit(7, "ines 10", other)}, 0, true},
		"nothing":           {nil, 0, true},
	} {
		t.Run(name, func(t *testing.T) {
			at, found := noted.Find(test.series)
			assert.Equal(t, !test.gone, found)
			if found {
				assert.Equal(t, test.commit, at.Commit)
				f := test.series[at.Commit].Files[at.File]
				assert.Equal(t, "depth := 3\n", string(f.Hunks[at.Hunk].Lines[at.Line].Text))
			}
		})
	}
	whole := review.Remark{Anchor: review.AnchorOf(commit(1, "ines 10", changed), review.Place{File: -1, Hunk: -1, Line: -1})}
	place, found := whole.Find([]review.Commit{commit(8, "ines 20", other), commit(7, "ines 10", changed)})
	assert.True(t, found)
	assert.Equal(t, review.Place{Commit: 1, File: -1, Hunk: -1, Line: -1}, place)
	stranger := commit(8, "ines 20", other)
	stranger.Subject = "Other"
	_, found = whole.Find([]review.Commit{stranger})
	assert.False(t, found)
}

func TestBook(t *testing.T) {
	var b review.Record
	assert.Equal(t, 1, b.Add(review.Remark{Text: "mine"}))
	remarks, verdicts := b.Receive([]review.Remark{{From: "7", Text: "theirs", By: "Mira"}},
		[]review.Verdict{{Branch: "t", By: "Mira", When: today}})
	assert.Equal(t, []int{1, 1}, []int{remarks, verdicts})
	b.Remark(2).Settled = true
	remarks, verdicts = b.Receive([]review.Remark{{From: "7", Text: "theirs, better"}, {From: "8", Text: "more"}}, []review.Verdict{
		{Branch: "t", By: "Mira", When: today}, {Branch: "t", By: "Oskar", When: today}, {Branch: "t", By: "Mira", When: later, Approved: true}})
	assert.Equal(t, []int{1, 2}, []int{remarks, verdicts})
	assert.Equal(t, "theirs, better", b.Remark(2).Text)
	assert.True(t, b.Remark(2).Settled, "what was settled stays so")
	assert.True(t, b.Verdicts[0].Approved, "the latest counts")
	b.Drop(1)
	assert.Nil(t, b.Remark(1))
	b.Read = map[string]time.Time{"a": today, "b": later, "c": later.Add(1)}
	b.Trim(2)
	assert.Len(t, b.Read, 2)
	assert.NotContains(t, b.Read, "a")

	data, err := b.Encode()
	require.NoError(t, err)
	again, err := review.Parse(data)
	require.NoError(t, err)
	assert.Equal(t, len(b.Remarks), len(again.Remarks))
	assert.Equal(t, b.Remarks[0].Text, again.Remarks[0].Text)
	for _, bad := range []string{"", "format = \"other/1\"", "format = ["} {
		_, err := review.Parse([]byte(bad))
		assert.ErrorIs(t, err, review.ErrUnreadable)
	}
}

func TestExport(t *testing.T) {
	text := review.Export("topic", []review.Placed{
		{Remark: review.Remark{Number: 1, Text: "Done\n", Settled: true}, Subject: "First"},
		{Remark: review.Remark{Number: 2, Text: "Why 3?\nMetres?", By: "Mira",
			Anchor: review.Anchor{Path: "a`b", Number: 4, Sign: "+", Text: "x := 3"}}, Subject: "Second"},
		{Remark: review.Remark{Number: 3, Text: "Lost"}, Gone: true},
	})
	assert.Equal(t, "# Remarks on topic\n\n## Open\n\n- **2** ``a`b`` line 4, in *Second*, "+
		"from Mira\n\n      +x := 3\n\n  Why 3?\n  Metres?\n\n"+
		"- **3** in commit , whose line is gone\n\n  Lost\n\n\n## Done\n\n- **1** in *First*\n\n  Done\n\n", text)
}

func TestReadAnswer(t *testing.T) {
	a, err := review.ReadAnswer(strings.NewReader(`{"comments": [{"id": "1", "commit": "", "text": "hm", "when": "2026-05-04T08:00:00Z"}]}`))
	require.NoError(t, err)
	assert.Len(t, a.Comments, 1)
	for _, bad := range []string{"", "[]", "<html>", `{"comments": [{"id": "1"}]}`, `{"comments": [{"text": "1"}]}`} {
		_, err := review.ReadAnswer(strings.NewReader(bad))
		assert.Error(t, err, bad)
	}
}
