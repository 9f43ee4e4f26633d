// Package shape holds the plan of a branch's rewriting: which commits result,
// from which sources, in which order, with which messages. It knows how a plan is
// edited, checked, written to a file and read back. Carrying it out is left to
// package replay.
package shape

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/repo"
)

// Plan says what a branch shall become. Plans are values: every edit gives a new
// one and leaves the old one as it was.
type Plan struct {
	Branch  string    // short name
	Tip     repo.ID   // where the branch was when the plan was made
	Base    repo.ID   // the commit before the first source; zero where that is a root commit
	Onto    string    // where the series shall begin: a name or an id; empty: at Base
	Sources []repo.ID // the commits that the plan speaks of, oldest first
	LeftOut []repo.ID // sources that are dropped on purpose
	Next    []Entry   // what shall come out, oldest first
}

// Entry is one resulting commit.
type Entry struct {
	From    []repo.ID // its sources, applied in this order
	Message string    // empty: the first source's
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

// Check says whether every source is accounted for exactly once, and nothing
// else is in the plan. Errors: ErrBadPlan.
func (p Plan) Check() error {
	used := make(map[repo.ID]string, len(p.Sources))
	known := make(map[repo.ID]bool, len(p.Sources))
	for _, id := range p.Sources {
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
		for _, id := range entry.From {
			if err := use(id, where); err != nil {
				return err
			}
		}
	}
	for _, id := range p.Sources {
		if used[id] == "" {
			return bad("commit %s is neither used nor left out; name it in a from or in left_out", id.Short())
		}
	}
	return nil
}

func orRoot(id repo.ID) string {
	if id.IsZero() {
		return "at the first commit"
	}
	return id.Short()
}

// Equal says whether two plans would do the same to the same branch.
func (p Plan) Equal(o Plan) bool {
	sameEntry := func(a, b Entry) bool { return a.Message == b.Message && slices.Equal(a.From, b.From) }
	return p.Branch == o.Branch && p.Tip == o.Tip && p.Base == o.Base && p.Onto == o.Onto &&
		slices.Equal(p.LeftOut, o.LeftOut) && slices.EqualFunc(p.Next, o.Next, sameEntry)
}

// Changes says whether the plan would do anything at all.
func (p Plan) Changes() bool {
	start := New(p.Branch, p.Tip, p.Base, p.Sources)
	start.Onto = p.Onto
	return p.Onto != "" || !p.Equal(start)
}

func (p Plan) clone() Plan {
	p.LeftOut = slices.Clone(p.LeftOut)
	p.Next = slices.Clone(p.Next)
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
	places = slices.Sorted(slices.Values(places))
	into := places[0]
	joined := Entry{From: slices.Clone(p.Next[into].From), Message: p.Next[into].Message}
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
			part.Message = p.Next[i].Message
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

// BringBack makes an entry of a source that was left out. It comes before the
// first entry whose first source is younger.
func (p Plan) BringBack(id repo.ID) Plan {
	p = p.clone()
	p.LeftOut = slices.DeleteFunc(p.LeftOut, func(out repo.ID) bool { return out == id })
	age := slices.Index(p.Sources, id)
	place := slices.IndexFunc(p.Next, func(e Entry) bool { return slices.Index(p.Sources, e.From[0]) > age })
	if place < 0 {
		place = len(p.Next)
	}
	p.Next = slices.Insert(p.Next, place, Entry{From: []repo.ID{id}})
	return p
}

// Place finds the entry that a source has become part of; -1 where it is left out.
func (p Plan) Place(id repo.ID) int {
	return slices.IndexFunc(p.Next, func(e Entry) bool { return slices.Contains(e.From, id) })
}
