// Package mend answers conflicts. A conflict is known by its content (Key); an answer
// is data (Answer), given for one place or remembered for wherever the same content
// comes back (AnswerBook); a State is a conflict with what the book says of it, and ApplyAnswers
// puts the answered ones into a tree.
//
// Where conflicts come from is left to package merge, and how they are shown to others.
//
// Its tests promise: an answer settles its conflict wherever that comes back, and nothing else.
package mend

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"slices"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Side is where lines of an answer come from.
type Side string

// The sides. When a commit is replayed, left is the series so far and right the commit.
const (
	Left  Side = "left"
	Right Side = "right"
	Base  Side = "base"
)

func (s Side) other() Side {
	switch s {
	case Left:
		return Right
	case Right:
		return Left
	}
	return s
}

// Part is a side, or some lines of it, counted from 0 and in this order.
type Part struct {
	Side  Side
	Lines []int // nil: all
}

// Answer is what shall stand in a conflict's place: parts of the sides one after the
// other, where none means that nothing stays; or a text of the user's own. For a path
// without regions the answer is one side: that side's version, or its name.
type Answer struct {
	Take       []Part
	Own        []byte // if not nil, in place of Take
	Confirmed  bool   // marker lines in Own are meant as they are
	Unfinished bool   // Own is still being written: it counts as no answer
}

// Take is the answer that puts whole sides one after the other.
func Take(sides ...Side) Answer {
	a := Answer{Take: []Part{}}
	for _, s := range sides {
		a.Take = append(a.Take, Part{Side: s})
	}
	return a
}

// Flipped is the answer for the same conflict with its sides the other way round.
func (a Answer) Flipped() Answer {
	parts := make([]Part, len(a.Take))
	for i, p := range a.Take {
		parts[i] = Part{p.Side.other(), p.Lines}
	}
	a.Take = parts
	return a
}

// single gives the side of an answer that is one whole side.
func (a Answer) single() (Side, bool) {
	if a.Own != nil || len(a.Take) != 1 || a.Take[0].Lines != nil {
		return "", false
	}
	return a.Take[0].Side, true
}

// Key names a conflict by its content, whatever its place and whichever side is which.
type Key string

func keyOf(kind string, base, left, right []byte) (key Key, flipped bool) {
	if flipped = bytes.Compare(left, right) > 0; flipped {
		left, right = right, left
	}
	h := sha256.New()
	for _, part := range [][]byte{[]byte(kind), base, left, right} {
		fmt.Fprintf(h, "%d\n", len(part))
		h.Write(part)
	}
	return Key(hex.EncodeToString(h.Sum(nil)[:12])), flipped
}

func regionKey(r merge.Region) (Key, bool) {
	return keyOf("region", join(r.Base), join(r.Left), join(r.Right))
}

// pathKey names a path's conflict as a whole.
func pathKey(c merge.Conflict) (Key, bool) {
	left, right := entryText(c.Left), entryText(c.Right)
	if c.Kind == merge.RenameRename {
		left, right = left+" "+c.Path, right+" "+c.Other
	}
	return keyOf(string(c.Kind), []byte(entryText(c.Base)), []byte(left), []byte(right))
}

func entryText(e repo.Entry) string { return fmt.Sprintf("%o %s", e.Mode, e.ID) }

func join(lines [][]byte) []byte { return bytes.Join(lines, nil) }

// Origin says why an answer holds.
type Origin int

// The origins.
const (
	Open       Origin = iota // there is no answer
	Here                     // it was given for this place
	Elsewhere                // it was given for another place of this plan
	Remembered               // it was given before, in another plan
	ByHand                   // it stands in the working file already
)

// Place is where an answer was given.
type Place struct {
	Source repo.ID // the commit whose replay met the conflict
	Path   string
	Nth    int // among the conflicts of the same content there
}

// Answers is an answer in a plan.
type Resolution struct {
	Place
	Key        Key
	Answer     Answer
	Everywhere bool // it counts in other files too, which was asked about
}

// counts says that an answer may be used at another place: in its own file, or where that was asked about.
func (g Resolution) counts(at Place) bool { return g.Everywhere || g.Path == at.Path }

// AnswerBook holds the answers that there are.
type AnswerBook struct {
	Answers       []Resolution
	NotFromMemory []Key              // for these the memory is not asked
	Memory        map[Key]Resolution // with the sides in the order of their bytes
	InFiles       []Resolution       // those that stand in working files
}

// find looks an answer up: for this very place, for another one, or in the memory.
func (b AnswerBook) find(key Key, flipped bool, at Place) (Answer, Origin) {
	var other *Resolution
	for i := range b.Answers {
		switch g := &b.Answers[i]; {
		case g.Key != key:
		case g.Place == at:
			return turned(g.Answer, flipped), Here
		case other == nil && !g.Answer.Unfinished && g.counts(at):
			other = g
		}
	}
	for _, g := range b.InFiles {
		if g.Key == key && g.Place == at {
			return turned(g.Answer, flipped), ByHand
		}
	}
	for _, shut := range b.NotFromMemory {
		if shut == key {
			return Answer{}, Open
		}
	}
	if other != nil {
		return turned(other.Answer, flipped), Elsewhere
	}
	if g, ok := b.Memory[key]; ok && g.counts(at) {
		return turned(g.Answer, flipped), Remembered
	}
	return Answer{}, Open
}

func turned(a Answer, flipped bool) Answer {
	if flipped {
		return a.Flipped()
	}
	return a
}

// Question is one thing to be answered: a region of a text, or a path as a whole.
type Question struct {
	Place
	Key     Key
	Region  *merge.Region // nil: the path as a whole
	Answer  Answer        // as the sides are here
	Origin  Origin
	flipped bool
}

// Open says that there is no answer that counts.
func (q Question) Open() bool {
	return q.Origin == Open || q.Answer.Unfinished
}

// Give is the answer to a question, as a plan keeps it.
func (q Question) Give(a Answer) Resolution {
	return Resolution{Place: q.Place, Key: q.Key, Answer: turned(a, q.flipped)}
}

// Fitting is the answer to a question, if it can be one there.
func (q Question) Fitting(c merge.Conflict, a Answer) (Resolution, bool) {
	q.Answer = a
	if q.Region == nil && c.Chunks == nil || q.Region != nil {
		return q.Give(a), q.fits(c)
	}
	return Resolution{}, false
}

// fits says whether an answer can be one to this question. Answers come from files, too.
func (q Question) fits(c merge.Conflict) bool {
	if q.Answer.Own != nil {
		return q.Region != nil || c.Chunks != nil || c.Kind == merge.Binary || c.Kind == merge.ModifyDelete || c.Kind == merge.Symlink
	}
	if q.Region == nil {
		side, single := q.Answer.single()
		if c.NoBase && side == Base {
			return false
		}
		return single || len(q.Answer.Take) == 0 && c.Kind != merge.RenameRename
	}
	for _, p := range q.Answer.Take {
		lines, known := linesOf(*q.Region)[p.Side]
		if !known || len(p.Lines) > 0 && slices.Max(p.Lines) >= len(lines) {
			return false
		}
	}
	return true
}

func linesOf(r merge.Region) map[Side][][]byte {
	lines := map[Side][][]byte{Left: r.Left, Right: r.Right, Base: r.Base}
	if r.NoBase {
		delete(lines, Base)
	}
	return lines
}

// State is a conflict with what the book says of it.
type State struct {
	merge.Conflict
	Whole   *Question  // the path as a whole; nil: only its regions are to be answered
	Regions []Question // of its text
	byText  bool       // the text is settled by an answer for the whole path
}

// Look asks the book about a conflict that the replay of a commit met.
func Look(c merge.Conflict, source repo.ID, b AnswerBook) State {
	s := State{Conflict: c}
	times := map[Key]int{}
	ask := func(key Key, flipped bool, region *merge.Region) Question {
		q := Question{Place: Place{source, c.Path, times[key]}, Key: key, Region: region, flipped: flipped}
		times[key]++
		q.Answer, q.Origin = b.find(key, flipped, q.Place)
		if !q.fits(c) {
			q.Answer, q.Origin = Answer{}, Open
		}
		return q
	}
	key, flipped := pathKey(c)
	whole := ask(key, flipped, nil)
	s.byText = c.Chunks != nil && !whole.Open()
	if c.Chunks == nil || whole.Origin != Open {
		s.Whole = &whole
	}
	for i := range c.Chunks {
		if region := c.Chunks[i].Region; region != nil {
			key, flipped := regionKey(*region)
			s.Regions = append(s.Regions, ask(key, flipped, region))
		}
	}
	return s
}

// WholeQuestion is the question about the path as a whole, asked or not.
func (s State) WholeQuestion() Question {
	if s.Whole != nil {
		return *s.Whole
	}
	key, flipped := pathKey(s.Conflict)
	place := Place{Path: s.Path}
	if len(s.Regions) > 0 {
		place.Source = s.Regions[0].Source
	}
	return Question{Place: place, Key: key, flipped: flipped}
}

// Questions are the ones that count: of a text its regions, unless the whole is
// answered; of other conflicts the path.
func (s State) Questions() []Question {
	if s.Chunks == nil || s.byText {
		return []Question{*s.Whole}
	}
	return s.Regions
}

// Open counts the questions without an answer.
func (s State) Open() (n int) {
	for _, q := range s.Questions() {
		if q.Open() {
			n++
		}
	}
	return n
}

// Lines is what an answer puts in a region's place. Where a line without an end would
// be followed by others it gets one.
func (a Answer) Lines(r merge.Region) [][]byte {
	if a.Own != nil {
		return [][]byte{a.Own}
	}
	var lines [][]byte
	for _, p := range a.Take {
		of := linesOf(r)[p.Side]
		if p.Lines == nil {
			lines = append(lines, of...)
			continue
		}
		for _, n := range p.Lines {
			lines = append(lines, of[n])
		}
	}
	for i := range lines[:max(0, len(lines)-1)] {
		if !bytes.HasSuffix(lines[i], []byte("\n")) {
			lines[i] = append(bytes.Clone(lines[i]), '\n')
		}
	}
	return lines
}

// Text puts a conflict's text together; ok is false while a region is open.
func (s State) Text() (text []byte, ok bool) {
	if s.byText {
		if s.Whole.Answer.Own != nil {
			return s.Whole.Answer.Own, true
		}
		return nil, false
	}
	var b bytes.Buffer
	next := 0
	for i, chunk := range s.Chunks {
		if chunk.Region == nil {
			writeLines(&b, chunk.Settled)
			continue
		}
		q := s.Regions[next]
		next++
		if q.Open() {
			return nil, false
		}
		lines := q.Answer.Lines(*chunk.Region)
		if n := len(lines); n > 0 && i < len(s.Chunks)-1 && len(lines[n-1]) > 0 && !bytes.HasSuffix(lines[n-1], []byte("\n")) {
			lines = append(lines[:n-1:n-1], append(bytes.Clone(lines[n-1]), '\n'))
		}
		writeLines(&b, lines)
	}
	return b.Bytes(), true
}

func writeLines(w io.Writer, lines [][]byte) {
	for _, line := range lines {
		_, _ = w.Write(line) // a buffer does not fail
	}
}
