// Package shape holds the plan of a branch's rewriting: which commits result,
// from which sources, in which order, with which messages. It knows how a plan is
// edited, checked, written to a file and read back. Carrying it out is left to
// package replay.
//
// Its tests promise: edits keep every source accounted for, and files come back as they were written.
package shape

import (
	"cmp"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"bastel/internal/mend"
	"bastel/internal/repo"
)

// Plan says what a branch shall become. Plans are values: every edit gives a new
// one and leaves the old one as it was.
type Plan struct {
	Branch        string            // short name
	Tip           repo.ID           // where the branch was when the plan was made
	Base          repo.ID           // the commit before the first source; zero where that is a root commit
	Onto          string            // where the series shall begin: a name or an id; empty: at Base
	Sources       []repo.ID         // the commits that the plan speaks of, oldest first
	LeftOut       []repo.ID         // sources that are dropped on purpose
	Next          []Entry           // what shall come out, oldest first
	Splits        []Split           // sources that are used in parts
	Extra         []repo.ID         // commits used besides the sources: changed content, and new commits
	Answers       []mend.Resolution // answers to conflicts
	NotFromMemory []mend.Key        // conflicts for which remembered answers are not to be used
}

// Split puts parts in the place of a source: commits that lead, one after the other,
// from the source's parent to its content.
type Split struct {
	Of    repo.ID
	Parts []repo.ID
}

// Entry is one resulting commit.
type Entry struct {
	From    []repo.ID // its sources, applied in this order
	Message string    // empty: the first source's
	Author  string    // "Name <address>"; empty: the first source's
	Date    string    // when it was written, as "seconds zone"; empty: the first source's
	Merge   bool      // its one source is an extra, whose branch is merged, and not replayed
}

// New is the plan that changes nothing.
func New(branch string, tip, base repo.ID, sources []repo.ID) Plan {
	p := Plan{Branch: branch, Tip: tip, Base: base, Sources: sources}
	for _, id := range sources {
		p.Next = append(p.Next, Entry{From: []repo.ID{id}})
	}
	return p
}

// ErrBadPlan is what every rule that a plan breaks wraps.
var ErrBadPlan = errors.New("the plan does not hold")

func bad(format string, args ...any) error {
	return fmt.Errorf("%w: %s", ErrBadPlan, fmt.Sprintf(format, args...))
}

// OntoName is what the start of the series is called: a branch by its name, a commit by a short id.
func (p Plan) OntoName() string {
	if id, err := repo.ParseID(p.Onto); err == nil {
		return id.Short()
	}
	return p.Onto
}

// Check says whether every source is accounted for exactly once, and nothing
// else is in the plan. Errors: ErrBadPlan.
func (p Plan) Check() error {
	used := make(map[repo.ID]string, len(p.Sources))
	pieces, err := p.pieces()
	if err != nil {
		return err
	}
	known := make(map[repo.ID]bool, len(pieces))
	for _, id := range pieces {
		known[id] = true
	}
	use := func(id repo.ID, where string) error {
		if !known[id] {
			return bad("%s names %s, which is not a commit of %s after its start %s", where, id.Short(), p.Branch, orRoot(p.Base))
		}
		if before, ok := used[id]; ok {
			return bad("%s names %s, which stands in %s already", where, id.Short(), before)
		}
		used[id] = where
		return nil
	}
	for _, id := range p.LeftOut {
		if err := use(id, "left_out"); err != nil {
			return err
		}
	}
	for i, entry := range p.Next {
		where := fmt.Sprintf("entry %d", i+1)
		if len(entry.From) == 0 {
			return bad("%s has no source", where)
		}
		if entry.Message != "" && strings.TrimSpace(entry.Message) == "" {
			return bad("%s has an empty message", where)
		}
		if entry.Merge && (len(entry.From) != 1 || !slices.Contains(p.Extra, entry.From[0]) || entry.Message == "") {
			return bad("%s is a merge; it needs one source, which stands in extra, and a message", where)
		}
		if entry.Author != "" && !isAuthor(entry.Author) {
			return bad("%s has the author %q; write it as Name <address>", where, entry.Author)
		}
		for _, id := range entry.From {
			if err := use(id, where); err != nil {
				return err
			}
		}
	}
	for _, id := range pieces {
		if used[id] == "" {
			return bad("commit %s is neither used nor left out; name it in a from or in left_out", id.Short())
		}
	}
	return nil
}

// pieces are what must be accounted for: the sources, or their parts, and the extras.
func (p Plan) pieces() ([]repo.ID, error) {
	parts := map[repo.ID][]repo.ID{}
	for _, s := range p.Splits {
		switch {
		case !slices.Contains(p.Sources, s.Of):
			return nil, bad("a split is of %s, which is not a commit of %s", s.Of.Short(), p.Branch)
		case len(s.Parts) < 2:
			return nil, bad("the split of %s has fewer than two parts", s.Of.Short())
		case parts[s.Of] != nil:
			return nil, bad("%s is split twice", s.Of.Short())
		}
		parts[s.Of] = s.Parts
	}
	var pieces []repo.ID
	for _, id := range p.Sources {
		if parts[id] == nil {
			pieces = append(pieces, id)
		}
		pieces = append(pieces, parts[id]...)
	}
	return append(pieces, p.Extra...), nil
}

// Parts gives what stands for a source: its parts, or itself.
func (p Plan) Parts(source repo.ID) []repo.ID {
	for _, s := range p.Splits {
		if s.Of == source {
			return s.Parts
		}
	}
	return []repo.ID{source}
}

// Origin gives the source that a piece is, or is a part of, and the part's number,
// counted from 1; 0 stands for a whole source. An extra has no origin.
func (p Plan) Origin(piece repo.ID) (source repo.ID, part int) {
	for _, s := range p.Splits {
		if at := slices.Index(s.Parts, piece); at >= 0 {
			return s.Of, at + 1
		}
	}
	if slices.Contains(p.Sources, piece) {
		return piece, 0
	}
	return repo.ID{}, 0
}

// Origin is the source that a commit of a plan is, or is a part of: then counted from 1.
type Origin struct {
	Source repo.ID
	Part   int
}

// Origins are those of all pieces, for who asks for many of them.
func (p Plan) Origins() map[repo.ID]Origin {
	origins := make(map[repo.ID]Origin, len(p.Sources))
	for _, id := range p.Sources {
		origins[id] = Origin{Source: id}
	}
	for _, s := range p.Splits {
		for i, part := range s.Parts {
			origins[part] = Origin{s.Of, i + 1}
		}
	}
	return origins
}

func orRoot(id repo.ID) string {
	if id.IsZero() {
		return "at the first commit"
	}
	return id.Short()
}

// Equal says whether two plans would do the same to the same branch.
func (p Plan) Equal(o Plan) bool {
	sameEntry := func(a, b Entry) bool {
		return a.Message == b.Message && a.Author == b.Author && a.Date == b.Date && a.Merge == b.Merge && slices.Equal(a.From, b.From)
	}
	sameSplit := func(a, b Split) bool { return a.Of == b.Of && slices.Equal(a.Parts, b.Parts) }
	return p.Branch == o.Branch && p.Tip == o.Tip && p.Base == o.Base && p.Onto == o.Onto &&
		slices.Equal(p.LeftOut, o.LeftOut) && slices.EqualFunc(p.Next, o.Next, sameEntry) &&
		slices.EqualFunc(p.Splits, o.Splits, sameSplit) && slices.Equal(p.Extra, o.Extra) &&
		slices.EqualFunc(p.Answers, o.Answers, sameGiven) && slices.Equal(p.NotFromMemory, o.NotFromMemory)
}

func sameGiven(a, b mend.Resolution) bool { return reflect.DeepEqual(a, b) }

// Changes says whether the plan would do anything at all.
func (p Plan) Changes() bool {
	start := New(p.Branch, p.Tip, p.Base, p.Sources)
	start.Onto = p.Onto
	return p.Onto != "" || !p.Equal(start)
}

func (p Plan) clone() Plan {
	p.LeftOut = slices.Clone(p.LeftOut)
	p.Next = slices.Clone(p.Next)
	p.Splits = slices.Clone(p.Splits)
	p.Extra = slices.Clone(p.Extra)
	p.Answers = slices.Clone(p.Answers)
	p.NotFromMemory = slices.Clone(p.NotFromMemory)
	return p
}

// Move takes entry i to place j.
func (p Plan) Move(i, j int) Plan {
	p = p.clone()
	entry := p.Next[i]
	p.Next = slices.Insert(slices.Delete(p.Next, i, i+1), j, entry)
	return p
}

// Join squashes the entries at the given places into the first of them. The
// sources stand in the order of the entries; the first one's message stays.
func (p Plan) Join(places ...int) Plan {
	p = p.clone()
	places = slices.Compact(slices.Sorted(slices.Values(places)))
	into := places[0]
	joined := p.Next[into]
	joined.From = slices.Clone(joined.From)
	for _, place := range places[1:] {
		joined.From = append(joined.From, p.Next[place].From...)
	}
	p.Next[into] = joined
	for _, place := range slices.Backward(places[1:]) {
		p.Next = slices.Delete(p.Next, place, place+1)
	}
	return p
}

// Part takes an entry of several sources apart again: one entry for each. The
// first keeps the entry's message.
func (p Plan) Part(i int) Plan {
	p = p.clone()
	var parts []Entry
	for n, id := range p.Next[i].From {
		part := Entry{From: []repo.ID{id}}
		if n == 0 {
			part = p.Next[i]
			part.From = []repo.ID{id}
		}
		parts = append(parts, part)
	}
	p.Next = slices.Replace(p.Next, i, i+1, parts...)
	return p
}

// Reword gives an entry a message of its own.
func (p Plan) Reword(i int, message string) Plan {
	p = p.clone()
	p.Next[i].Message = message
	return p
}

// LeaveOut drops an entry with all its sources.
func (p Plan) LeaveOut(i int) Plan {
	p = p.clone()
	p.LeftOut = append(p.LeftOut, p.Next[i].From...)
	p.Next = slices.Delete(p.Next, i, i+1)
	return p
}

// Sign gives an entry an author or a date of its own; empty text stands for the first
// source's.
func (p Plan) Sign(i int, author, date string) Plan {
	p = p.clone()
	p.Next[i].Author, p.Next[i].Date = author, date
	return p
}

// Gather takes the entries at the given places together, in their order, so that the
// first of them comes to place j.
func (p Plan) Gather(places []int, j int) Plan {
	p = p.clone()
	places = slices.Sorted(slices.Values(places))
	var taken []Entry
	for _, place := range places {
		taken = append(taken, p.Next[place])
	}
	for _, place := range slices.Backward(places) {
		p.Next = slices.Delete(p.Next, place, place+1)
	}
	p.Next = slices.Insert(p.Next, min(j, len(p.Next)), taken...)
	return p
}

// Divide puts parts in the place of an entry's only source: an entry for each, the
// first with the entry's message, the others with those given.
func (p Plan) Divide(i int, parts []repo.ID, messages []string) Plan {
	p = p.clone()
	p.Splits = append(p.Splits, Split{Of: p.Next[i].From[0], Parts: parts})
	entries := make([]Entry, len(parts))
	for n, id := range parts {
		entries[n] = Entry{From: []repo.ID{id}, Message: messages[n]}
	}
	p.Next = slices.Replace(p.Next, i, i+1, entries...)
	return p
}

// Insert makes an entry of a commit that is none of the sources, at place i.
func (p Plan) Insert(i int, extra repo.ID) Plan {
	p = p.clone()
	p.Extra = append(p.Extra, extra)
	p.Next = slices.Insert(p.Next, i, Entry{From: []repo.ID{extra}})
	return p
}

// Amend adds a change to an entry's content: a commit that is none of the sources.
func (p Plan) Amend(i int, extra repo.ID) Plan {
	p = p.clone()
	p.Extra = append(p.Extra, extra)
	p.Next[i].From = append(slices.Clone(p.Next[i].From), extra)
	return p
}

// Grow adds commits that the branch has got since, at the end, and their tip.
func (p Plan) Grow(tip repo.ID, more []repo.ID) Plan {
	p = p.clone()
	p.Tip = tip
	p.Sources = append(slices.Clone(p.Sources), more...)
	for _, id := range more {
		p.Next = append(p.Next, Entry{From: []repo.ID{id}})
	}
	return p
}

// BringBack makes an entry of a source, or a part, that was left out. It comes before
// the first entry whose first source is younger.
func (p Plan) BringBack(id repo.ID) Plan {
	p = p.clone()
	p.LeftOut = slices.DeleteFunc(p.LeftOut, func(out repo.ID) bool { return out == id })
	pieces, err := p.pieces()
	if err != nil {
		pieces = p.Sources // Check says what is wrong
	}
	age := slices.Index(pieces, id)
	place := slices.IndexFunc(p.Next, func(e Entry) bool { return slices.Index(pieces, e.From[0]) > age })
	if place < 0 {
		place = len(p.Next)
	}
	p.Next = slices.Insert(p.Next, place, Entry{From: []repo.ID{id}})
	return p
}

// Place finds the entry that a source, or a part, has become part of; -1 where it is
// left out. Of a source that is split it is the one of its first part that is used.
func (p Plan) Place(id repo.ID) int {
	if places := p.Places(id); len(places) > 0 {
		return places[0]
	}
	return -1
}

// Places finds all entries that a source has become part of, as one or in parts.
func (p Plan) Places(id repo.ID) []int {
	var places []int
	for _, part := range p.Parts(id) {
		at := slices.IndexFunc(p.Next, func(e Entry) bool { return slices.Contains(e.From, part) })
		if at >= 0 && !slices.Contains(places, at) {
			places = append(places, at)
		}
	}
	return places
}

// Merge makes an entry of one extra the merge of that commit's branch.
func (p Plan) Merge(i int, message string) Plan {
	p = p.clone()
	p.Next[i].Merge, p.Next[i].Message = true, message
	return p
}

// InOrder gives an entry's sources in the order in which they are applied: those of the
// branch, and their parts, in the order of its history; those from elsewhere as listed.
func (p Plan) InOrder(from []repo.ID) []repo.ID {
	if len(from) < 2 {
		return from
	}
	type own struct {
		id          repo.ID
		place, part int
	}
	var owns []own
	for _, id := range from {
		if source, part := p.Origin(id); !source.IsZero() {
			owns = append(owns, own{id, slices.Index(p.Sources, source), part})
		}
	}
	slices.SortStableFunc(owns, func(a, b own) int { return cmp.Or(cmp.Compare(a.place, b.place), cmp.Compare(a.part, b.part)) })
	ordered := slices.Clone(from)
	for i, id := range from {
		if source, _ := p.Origin(id); !source.IsZero() {
			ordered[i], owns = owns[0].id, owns[1:]
		}
	}
	return ordered
}

// Rearranges says that the plan only moves, joins and rewords what there is, where it is:
// its content at the end should be that of the branch.
func (p Plan) Rearranges() bool {
	return len(p.LeftOut) == 0 && len(p.Answers) == 0 && len(p.Extra) == 0 && p.Onto == "" && p.Changes()
}

// Letter names an entry by its place: A to Z, then AA, AB and so on.
func Letter(place int) string {
	name := ""
	for n := place + 1; n > 0; n = (n - 1) / 26 {
		name = string(rune('A'+(n-1)%26)) + name
	}
	return name
}
