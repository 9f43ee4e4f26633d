package review

import (
	"slices"
	"strings"
	"time"

	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Remark is a remark on a line, or on a commit as a whole.
type Remark struct {
	Number  int       `toml:"number" json:"number"`
	Branch  string    `toml:"branch" json:"branch"`
	Anchor  Anchor    `toml:"anchor" json:"anchor"`
	Text    string    `toml:"text" json:"text"`
	By      string    `toml:"by,omitempty" json:"by,omitempty"` // who else made it, by name
	When    time.Time `toml:"when" json:"when"`
	Settled bool      `toml:"settled,omitempty" json:"settled"`
	From    string    `toml:"from,omitempty" json:"from,omitempty"` // its name at the review service that it came from
}

// Verdict is what a reviewer said of a branch as a whole.
type Verdict struct {
	Branch   string    `toml:"branch" json:"branch"`
	By       string    `toml:"by" json:"by"`
	Commit   repo.ID   `toml:"commit" json:"commit"` // the branch as the reviewer saw it
	When     time.Time `toml:"when" json:"when"`
	Approved bool      `toml:"approved" json:"approved"`
}

// Anchor says what a remark is about, in a way that outlasts rewriting.
type Anchor struct {
	Commit repo.ID `toml:"commit" json:"commit"` // as it was when the remark was made
	Author string  `toml:"author,omitempty" json:"-"`
	Title  string  `toml:"subject,omitempty" json:"-"`           // the commit's subject
	Path   string  `toml:"path,omitempty" json:"path,omitempty"` // empty: the commit as a whole
	Sign   string  `toml:"sign,omitempty" json:"sign,omitempty"` // of the line: blank, + or -
	Text   string  `toml:"text,omitempty" json:"text,omitempty"` // the line
	Number int     `toml:"line,omitempty" json:"line,omitempty"` // its number, counted from 1; of a removed line the old one
	Change string  `toml:"change,omitempty" json:"-"`            // key of the change that it is in or next to
}

// Place is where a remark stands in a series: indexes of commit, file, hunk and line. A remark
// on a whole commit has -1 for all but that.
type Place struct{ Commit, File, Hunk, Line int }

// AnchorOf describes a line of a commit. With a path that the commit does not change, or a
// line that it does not show, it is about the commit as a whole.
func AnchorOf(c Commit, at Place) Anchor {
	a := Anchor{Commit: c.ID, Author: c.Author, Title: c.Subject}
	if at.File < 0 || at.Hunk < 0 || at.Line < 0 {
		return a
	}
	f := c.Files[at.File]
	h := f.Hunks[at.Hunk]
	line := h.Lines[at.Line]
	a.Path, a.Sign, a.Text, a.Number = f.Path, string(line.Op), trimmed(line.Text), line.New+1
	if line.New < 0 {
		a.Number = line.Old + 1
	}
	a.Change = changeAt(h, c.Keys[at.File][at.Hunk], at.Line)
	return a
}

func trimmed(line []byte) string {
	return strings.ToValidUTF8(strings.TrimRight(string(line), "\r\n"), "\uFFFD")
}

// changeAt is the key of the change that a line of a hunk is in, or that comes next; of the
// last one where none does.
func changeAt(h tray.Hunk, keys []string, line int) string {
	run := 0
	for start := 0; start < len(h.Lines); {
		end := runEnd(h, start)
		if end == start {
			start++
			continue
		}
		if line < end {
			break
		}
		run, start = run+1, end
	}
	return keys[min(run, len(keys)-1)]
}

// Find gives the place of a remark in a series: the line with the same text that has most in
// common with the one that the remark was made on. A remark whose line is in no commit any more
// has none.
func (n Remark) Find(series []Commit) (Place, bool) {
	a := n.Anchor
	found, best := Place{}, 0
	for c, commit := range series {
		same := a.likeness(commit)
		if a.Path == "" {
			if same > best {
				found, best = Place{c, -1, -1, -1}, same
			}
			continue
		}
		for f, file := range commit.Files {
			if file.Path != a.Path && file.From != a.Path {
				continue
			}
			if at, score := a.within(file, commit.Keys[f]); score > 0 && same+score >= best {
				at.Commit, at.File = c, f
				found, best = at, same+score
			}
		}
	}
	return found, best > 0
}

// likeness says how likely a commit is what the remark's commit became: 0 for not at all.
func (a Anchor) likeness(c Commit) (score int) {
	if c.ID == a.Commit {
		score += 8
	}
	if c.Author == a.Author {
		score += 2
	}
	if c.Subject == a.Title {
		score++
	}
	return score
}

// Successor gives the place of what the remark's commit became; -1 for none.
func (a Anchor) Successor(series []Commit) int {
	at, best := -1, 0
	for i, c := range series {
		if same := a.likeness(c); same > best {
			at, best = i, same
		}
	}
	return at
}

// within finds the line in one file, and says how much it has in common: 0 for not there.
func (a Anchor) within(f tray.File, keys [][]string) (at Place, score int) {
	for h, hunk := range f.Hunks {
		for l, line := range hunk.Lines {
			if string(line.Op) != a.Sign || trimmed(line.Text) != a.Text {
				continue
			}
			s := 1
			if changeAt(hunk, keys[h], l) == a.Change {
				s += 4
			}
			if line.New+1 == a.Number || line.Old+1 == a.Number {
				s++
			}
			if s > score {
				at, score = Place{Hunk: h, Line: l}, s
			}
		}
	}
	return at, score
}

// Add appends a remark with a number of its own, and gives the number.
func (b *Record) Add(n Remark) int {
	for _, other := range b.Remarks {
		n.Number = max(n.Number, other.Number)
	}
	n.Number++
	b.Remarks = append(b.Remarks, n)
	return n.Number
}

// Remark gives the remark of a number; nil where there is none.
func (b *Record) Remark(number int) *Remark {
	for i := range b.Remarks {
		if b.Remarks[i].Number == number {
			return &b.Remarks[i]
		}
	}
	return nil
}

// Drop takes the remark of a number away.
func (b *Record) Drop(number int) {
	b.Remarks = slices.DeleteFunc(b.Remarks, func(n Remark) bool { return n.Number == number })
}

// LineOf finds a line that files show, by its number, counted from 1: of a removed line
// (sign -) in the old text, of others in the new one.
func LineOf(files []tray.File, path, sign string, number int) (Place, bool) {
	for f, file := range files {
		if file.Path != path {
			continue
		}
		for h, hunk := range file.Hunks {
			for l, line := range hunk.Lines {
				at := line.New
				if removed := line.Op == diff.Remove; removed != (sign == "-") {
					continue
				} else if removed {
					at = line.Old
				}
				if at == number-1 {
					return Place{File: f, Hunk: h, Line: l}, true
				}
			}
		}
	}
	return Place{}, false
}

// Receive takes in remarks and verdicts of a review service. What was received before keeps
// its number and whether it is settled. It gives how many remarks and verdicts are new.
func (b *Record) Receive(remarks []Remark, verdicts []Verdict) (newRemarks, newVerdicts int) {
	known := map[string]int{}
	for i, n := range b.Remarks {
		if n.From != "" {
			known[n.From] = i
		}
	}
	for _, n := range remarks {
		if at, ok := known[n.From]; ok {
			b.Remarks[at].Text = n.Text
			continue
		}
		b.Add(n)
		newRemarks++
	}
	for _, v := range verdicts {
		if b.receive(v) {
			newVerdicts++
		}
	}
	return newRemarks, newVerdicts
}

// receive keeps the latest verdict of each reviewer.
func (b *Record) receive(v Verdict) bool {
	for i, old := range b.Verdicts {
		if old.Branch == v.Branch && old.By == v.By {
			if !v.When.After(old.When) {
				return false
			}
			b.Verdicts[i] = v
			return true
		}
	}
	b.Verdicts = append(b.Verdicts, v)
	return true
}
