package shape

import (
	"encoding/base64"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"bastel/internal/mend"
	"bastel/internal/repo"
)

// Answer adds answers to conflicts. One for the same place takes the earlier one's.
func (p Plan) Answer(given ...mend.Resolution) Plan {
	p = p.clone()
	for _, g := range given {
		p.Answers = slices.DeleteFunc(p.Answers, func(o mend.Resolution) bool { return o.Key == g.Key && o.Place == g.Place })
		p.Answers = append(p.Answers, g)
	}
	return p
}

// Reopen takes an answer back, wherever it came from: the question is open again.
func (p Plan) Reopen(q mend.Question) Plan {
	p = p.clone()
	p.Answers = slices.DeleteFunc(p.Answers, func(o mend.Resolution) bool { return o.Key == q.Key && o.Place == q.Place })
	if q.Origin != mend.Here && !slices.Contains(p.NotFromMemory, q.Key) {
		p.NotFromMemory = append(p.NotFromMemory, q.Key)
	}
	return p
}

// FileAnswer is an answer in a file.
type FileAnswer struct {
	Key        mend.Key `toml:"key" json:"key"`
	Of         repo.ID  `toml:"of" json:"of"`
	Path       string   `toml:"path" json:"path"`
	QuotedPath string   `toml:"quoted_path,omitempty" json:"quoted_path,omitempty"` // in place of path, where that is no text
	Nth        int      `toml:"nth,omitempty" json:"nth,omitempty"`
	Take       []string `toml:"take,omitempty" json:"take,omitempty"` // "left", "right", "base", or lines of them: "left:1,3"
	Text       *string  `toml:"text,multiline,omitempty" json:"text,omitempty"`
	Data       *string  `toml:"data,omitempty" json:"data,omitempty"` // in base64, in place of text, where that is no text
	Confirmed  bool     `toml:"confirmed,omitempty" json:"confirmed,omitempty"`
	Unfinished bool     `toml:"unfinished,omitempty" json:"unfinished,omitempty"`
	Everywhere bool     `toml:"everywhere,omitempty" json:"everywhere,omitempty"` // it counts in other files too
}

// NewFileAnswer writes an answer for a file.
func NewFileAnswer(g mend.Resolution) FileAnswer {
	f := FileAnswer{Key: g.Key, Of: g.Source, Path: g.Path, Nth: g.Nth, Confirmed: g.Answer.Confirmed, Unfinished: g.Answer.Unfinished,
		Everywhere: g.Everywhere}
	if !utf8.ValidString(g.Path) {
		f.Path, f.QuotedPath = "", strconv.QuoteToASCII(g.Path)
	}
	text := string(g.Answer.Own)
	switch {
	case g.Answer.Own == nil:
		f.Take = WriteTake(g.Answer)
	case utf8.ValidString(text) && !strings.ContainsAny(text, "\x00\r\x7f"):
		f.Text = &text
	default:
		data := base64.StdEncoding.EncodeToString(g.Answer.Own)
		f.Data = &data
	}
	return f
}

// Answers reads an answer from a file. Errors: ErrBadPlan.
func (f FileAnswer) Resolution() (g mend.Resolution, err error) {
	g = mend.Resolution{Key: f.Key, Everywhere: f.Everywhere, Place: mend.Place{Source: f.Of, Path: f.Path, Nth: f.Nth}}
	if f.QuotedPath != "" {
		if g.Path, err = strconv.Unquote(f.QuotedPath); err != nil {
			return g, bad("the answer %s has the path %s, which is not quoted as it should be", f.Key, f.QuotedPath)
		}
	}
	switch {
	case f.Key == "":
		return g, bad("an answer for %q has no key", g.Path)
	case f.Text != nil && len(f.Take) > 0 || f.Data != nil && (f.Text != nil || len(f.Take) > 0):
		return g, bad("the answer %s has more than one of take, text and data", f.Key)
	case f.Text != nil:
		g.Answer.Own = append([]byte{}, *f.Text...)
	case f.Data != nil:
		if g.Answer.Own, err = base64.StdEncoding.DecodeString(*f.Data); err != nil {
			return g, bad("the answer %s has data that is not base64: %v", f.Key, err)
		}
	default:
		if g.Answer, err = ReadTake(f.Take); err != nil {
			return g, bad("the answer %s: %v", f.Key, err)
		}
	}
	g.Answer.Confirmed, g.Answer.Unfinished = f.Confirmed, f.Unfinished
	return g, nil
}

// WriteTake writes the parts of an answer, each as a side, or as a side with its lines,
// counted from 1: "left:1,3".
func WriteTake(a mend.Answer) []string {
	words := make([]string, len(a.Take))
	for i, p := range a.Take {
		words[i] = string(p.Side)
		if p.Lines == nil {
			continue
		}
		numbers := make([]string, len(p.Lines))
		for n, line := range p.Lines {
			numbers[n] = strconv.Itoa(line + 1)
		}
		words[i] += ":" + strings.Join(numbers, ",")
	}
	return words
}

// ReadTake reads them back.
func ReadTake(words []string) (mend.Answer, error) {
	a := mend.Answer{Take: []mend.Part{}}
	for _, word := range words {
		side, numbers, some := strings.Cut(word, ":")
		p := mend.Part{Side: mend.Side(side)}
		if p.Side != mend.Left && p.Side != mend.Right && p.Side != mend.Base {
			return a, fmt.Errorf("%q is no side; take left, right or base", word)
		}
		for number := range strings.SplitSeq(numbers, ",") {
			n, err := strconv.Atoi(number)
			if some && (err != nil || n < 1) {
				return a, fmt.Errorf("%q does not name lines as 1,3", word)
			}
			if some {
				p.Lines = append(p.Lines, n-1)
			}
		}
		a.Take = append(a.Take, p)
	}
	return a, nil
}
