package shape_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/mend"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/test/fixture"
)

func ids(t fixture.TB, n int) []repo.ID {
	list := make([]repo.ID, n)
	for i := range list {
		list[i] = fixture.ID(t, fmt.Sprintf("%040x", i+1))
	}
	return list
}

// sketch writes a plan in a few characters: "1 2+3 !4" has 2 and 3 joined and 4 left out.
func sketch(p shape.Plan) string {
	number := map[repo.ID]string{}
	for i, id := range p.Sources {
		number[id] = fmt.Sprint(i + 1)
	}
	var parts []string
	for _, e := range p.Next {
		var from []string
		for _, id := range e.From {
			from = append(from, number[id])
		}
		parts = append(parts, strings.Join(from, "+"))
	}
	for _, id := range p.LeftOut {
		parts = append(parts, "!"+number[id])
	}
	return strings.Join(parts, " ")
}

func newPlan(t fixture.TB, n int) shape.Plan {
	sources := ids(t, n)
	return shape.New("feature", sources[n-1], repo.ID{}, sources)
}

func TestEdits(t *testing.T) {
	p := newPlan(t, 4)
	fourth := p.Sources[3]
	for want, got := range map[string]shape.Plan{
		"1 2 3 4":   p,
		"3 1 2 4":   p.Move(2, 0),
		"2 3 4 1":   p.Move(0, 3),
		"1 2+3 4":   p.Join(1, 2),
		"1+2+4 3":   p.Join(3, 0, 1),
		"1 3+2 4":   p.Move(2, 1).Join(1, 2),
		"1 2 3 !4":  p.LeaveOut(3),
		"3 4 !1 !2": p.Join(0, 1).LeaveOut(0),
		"1 2 4 3":   p.Move(3, 2),
		"4 1 2 3":   p.LeaveOut(3).BringBack(fourth).Move(3, 0),
	} {
		assert.Equal(t, want, sketch(got))
		assert.NoError(t, got.Check())
	}
	joined := p.Reword(1, "kept").Join(1, 2)
	assert.Equal(t, "kept", joined.Next[1].Message)
	assert.Equal(t, "1 2 3 4", sketch(joined.Part(1)))
	assert.Equal(t, "kept", joined.Part(1).Next[1].Message)
	assert.Equal(t, "1 2 3 4", sketch(p), "the plan itself never changes")
	assert.False(t, p.Changes())
	assert.True(t, p.Reword(0, "x").Changes())
}

// TestEditsKeepEverySource: whatever is done, each source is used or left out once.
func TestEditsKeepEverySource(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := newPlan(t, rapid.IntRange(1, 8).Draw(t, "sources"))
		for range rapid.IntRange(0, 20).Draw(t, "edits") {
			before := sketch(p)
			old := p
			if len(p.Next) == 0 {
				p = p.BringBack(p.LeftOut[0])
				continue
			}
			i := rapid.IntRange(0, len(p.Next)-1).Draw(t, "i")
			j := rapid.IntRange(0, len(p.Next)-1).Draw(t, "j")
			switch rapid.IntRange(0, 5).Draw(t, "kind") {
			case 0:
				p = p.Move(i, j)
				assert.Equal(t, before, sketch(p.Move(j, i)), "moving back")
			case 1:
				if i != j {
					p = p.Join(i, j)
				}
			case 2:
				p = p.Part(i)
			case 3:
				p = p.Reword(i, "new message")
			case 4:
				p = p.LeaveOut(i)
			case 5:
				if len(p.LeftOut) > 0 {
					p = p.BringBack(p.LeftOut[0])
				}
			}
			require.NoError(t, p.Check())
			require.Equal(t, before, sketch(old))
		}
	})
}

func TestFilesComeBack(t *testing.T) {
	text := rapid.StringMatching(`[^\n]{1,20}(\n\n(?s:.{0,30}))?`)
	rapid.Check(t, func(t *rapid.T) {
		p := newPlan(t, 5).Move(3, 1).Join(0, 1).LeaveOut(2)
		p.Onto = rapid.SampledFrom([]string{"", "origin/main", "we\"ird"}).Draw(t, "onto")
		messages := map[repo.ID]string{}
		for _, id := range p.Sources {
			messages[id] = text.Draw(t, "message")
		}
		messageOf := func(id repo.ID) string { return messages[id] }
		if own := text.Draw(t, "own"); strings.TrimSpace(own) != "" {
			p = p.Reword(1, own)
		}
		data, err := p.File(messageOf).Encode()
		require.NoError(t, err)
		file, err := shape.Decode(data)
		require.NoError(t, err, "%s", data)
		back, err := file.Plan(p.Base, p.Sources, messageOf)
		require.NoError(t, err)
		for i := range p.Next {
			if strings.TrimRight(p.Next[i].Message, "\n") == strings.TrimRight(messages[p.Next[i].From[0]], "\n") {
				p.Next[i].Message = back.Next[i].Message
			}
		}
		assert.True(t, p.Equal(back), "%s", data)
	})
}

func TestBadFilesSayWhatIsWrong(t *testing.T) {
	sources := ids(t, 3)
	head := fmt.Sprintf("format = \"bastel-plan/1\"\nbranch = \"feature\"\ntip = \"%s\"\n", sources[2])
	entry := func(list ...string) string { return "[[next]]\nfrom = [\"" + strings.Join(list, "\", \"") + "\"]\n" }
	one, two, three := sources[0].String(), sources[1].String(), sources[2].String()
	all := entry(one) + entry(two) + entry(three)
	_, err := shape.Decode([]byte(head + all))
	require.NoError(t, err)
	for name, test := range map[string]struct{ text, want string }{
		"truncated":          {(head + all)[:len(head)+20], "line 5"},
		"no format":          {"branch = \"x\"\n", "no format"},
		"other format":       {strings.Replace(head, "plan/1", "plan/9", 1), "bastel-plan/9"},
		"unknown key":        {head + "exec = \"x\"\n", "does not know: exec"},
		"unknown entry key":  {head + entry(one) + "verb = \"x\"\n", "does not know: next.verb"},
		"no branch":          {strings.Replace(head, "feature", "", 1), "no branch"},
		"short tip":          {strings.Replace(head, three, three[:7], 1), "line 3, column 7: not a full object id"},
		"twice":              {head + all + entry(one), "entry 4 names 0000000, which stands in entry 1"},
		"twice in one":       {head + entry(one, one) + entry(two) + entry(three), "stands in entry 1 already"},
		"used and left out":  {head + "left_out = [\"" + one + "\"]\n" + all, "stands in left_out already"},
		"missing":            {head + entry(one) + entry(two), "neither used nor left out"},
		"outside the range":  {head + all + entry(fmt.Sprintf("%040x", 99)), "not a commit of feature"},
		"no source":          {head + all + "[[next]]\nfrom = []\n", "entry 4 has no source"},
		"empty message":      {head + entry(one) + "message = \"\"\n" + entry(two) + entry(three), "entry 1 has an empty message"},
		"blank message":      {head + entry(one) + "message = \" \\n\"\n" + entry(two) + entry(three), "entry 1 has an empty message"},
		"impossible date":    {head + entry(one) + "date = \"2026-02-31T09:30:00+02:00\"\n" + entry(two) + entry(three), "entry 1 has the date"},
		"too early a date":   {head + entry(one) + "date = \"1950-02-01T09:30:00+02:00\"\n" + entry(two) + entry(three), "entry 1 has the date"},
		"no author":          {head + entry(one) + "author = \"nobody\"\n" + entry(two) + entry(three), "entry 1 has the author"},
		"merge of a source":  {head + entry(one) + "merge = true\nmessage = \"m\"\n" + entry(two) + entry(three), "entry 1 is a merge"},
		"answer without key": {head + all + "[[answer]]\nof = \"" + one + "\"\npath = \"a\"\n", "has no key"},
		"answer of a side":   {head + all + "[[answer]]\nkey = \"k\"\nof = \"" + one + "\"\npath = \"a\"\ntake = [\"up\"]\n", "is no side"},
		"answer of lines": {head + all + "[[answer]]\nkey = \"k\"\nof = \"" + one + "\"\npath = \"a\"\ntake = [\"left:0\"]\n",
			"does not name lines"},
		"two answers in one": {head + all + "[[answer]]\nkey = \"k\"\nof = \"" + one + "\"\npath = \"a\"\ntake = [\"left\"]\ntext = \"x\"\n",
			"more than one of"},
		"answer not base64":  {head + all + "[[answer]]\nkey = \"k\"\nof = \"" + one + "\"\npath = \"a\"\ndata = \"%\"\n", "not base64"},
		"not a list":         {head + "next = 3\n", "line 4, column 8"},
		"nothing":            {"", "no format"},
		"not even text":      {"\x00\xff", "line 1"},
		"id of other length": {head + entry(one[:39]), "line 5, column 9: not a full object id"},
	} {
		t.Run(name, func(t *testing.T) {
			file, err := shape.Decode([]byte(test.text))
			if err == nil {
				_, err = file.Plan(repo.ID{}, sources, func(repo.ID) string { return "" })
			}
			require.ErrorIs(t, err, shape.ErrBadPlan)
			assert.Contains(t, err.Error(), test.want)
		})
	}
}

// edited makes one random edit of a plan.
func edited(t *rapid.T, p shape.Plan, made *int) shape.Plan {
	fresh := func() repo.ID {
		*made++
		return fixture.ID(t, fmt.Sprintf("%040x", 1000+*made))
	}
	if len(p.Next) == 0 {
		return p.BringBack(p.LeftOut[0])
	}
	at := rapid.IntRange(0, len(p.Next)-1).Draw(t, "at")
	switch rapid.IntRange(0, 10).Draw(t, "edit") {
	case 10:
		answers := []mend.Answer{mend.Take(), mend.Take(mend.Right, mend.Left), {Take: []mend.Part{{Side: mend.Base, Lines: []int{0, 4}}}},
			{Own: []byte{}}, {Own: []byte("text\n"), Confirmed: true}, {Own: []byte("\"\"\"\nno \xff text\r\n"), Unfinished: true}}
		q := mend.Question{Place: mend.Place{Source: p.Next[at].From[0], Path: rapid.SampledFrom([]string{"a", "d/\xff \n\"", "-b"}).Draw(t,
			"path"), Nth: at}, Key: "k", Origin: mend.Remembered}
		if rapid.Bool().Draw(t, "reopen") {
			return p.Reopen(q)
		}
		return p.Answer(mend.Resolution{Place: q.Place, Key: q.Key, Answer: rapid.SampledFrom(answers).Draw(t, "answer")})
	case 0:
		return p.Move(at, rapid.IntRange(0, len(p.Next)-1).Draw(t, "to"))
	case 1:
		return p.Join(at, rapid.IntRange(0, len(p.Next)-1).Draw(t, "with"))
	case 2:
		return p.Part(at)
	case 3:
		return p.Reword(at, rapid.SampledFrom([]string{"", "other\n"}).Draw(t, "message"))
	case 4:
		return p.LeaveOut(at)
	case 5:
		if len(p.LeftOut) > 0 {
			return p.BringBack(p.LeftOut[0])
		}
	case 6:
		return p.Gather([]int{at}, rapid.IntRange(0, len(p.Next)).Draw(t, "to"))
	case 7:
		if source, part := p.Origin(p.Next[at].From[0]); len(p.Next[at].From) == 1 && part == 0 && !source.IsZero() {
			return p.Divide(at, []repo.ID{fresh(), fresh()}, []string{"", "rest\n"})
		}
	case 8:
		return p.Insert(at, fresh())
	case 9:
		return p.Amend(at, fresh()).Sign(at, "A B <a@b.example>", "1700000000 +0100")
	}
	return p
}

// TestEditsAreValues: an edit never changes the plan that it was made of, so that undo
// is the plan before; every plan that edits lead to holds, and comes back from its file.
func TestEditsAreValues(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := newPlan(t, rapid.IntRange(1, 6).Draw(t, "commits"))
		var plans []shape.Plan
		var sketches []string
		made := 0
		for range rapid.IntRange(1, 12).Draw(t, "edits") {
			plans, sketches = append(plans, p), append(sketches, fmt.Sprint(p))
			p = edited(t, p, &made)
			require.NoError(t, p.Check())
			threads := 0
			for _, id := range p.Sources {
				threads += max(1, len(p.Places(id)))
			}
			assert.GreaterOrEqual(t, threads, len(p.Sources), "each source has a thread")
		}
		for i, before := range plans {
			assert.Equal(t, sketches[i], fmt.Sprint(before))
		}
		text, err := p.File(func(repo.ID) string { return "" }).Encode()
		require.NoError(t, err)
		file, err := shape.Decode(text)
		require.NoError(t, err)
		again, err := file.Plan(p.Base, p.Sources, func(repo.ID) string { return "" })
		require.NoError(t, err)
		assert.True(t, p.Equal(again), "%v\n%v", p, again)
	})
}
