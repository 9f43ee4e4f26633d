package app

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"time"

	"bastel/internal/journal"
	"bastel/internal/repo"
)

// Moment is where branches and those of remotes were at one time, by the full names of their refs.
type Moment map[string]repo.ID

// Of is where a target was; where it is now if nothing tells.
func (m Moment) Of(target Target) repo.ID {
	ref := "refs/heads/" + target.Branch
	if target.Remote != "" {
		ref = "refs/remotes/" + target.Name
	}
	return cmp.Or(m[ref], target.ID)
}

// Before is the moment just before an entry of the journal: by the journal where Bastel moved a ref since, else by reflogs. The
// pushes of a landing are part of it. Past the last entry it is now.
func (a *App) Before(ctx context.Context, number int) (Moment, error) {
	refs, err := a.Repo.Refs(ctx, "refs/heads", "refs/remotes")
	if err != nil {
		return nil, err
	}
	m := Moment{}
	for _, ref := range refs {
		if ref.Symref == "" {
			m[ref.Name] = ref.ID
		}
	}
	entries, err := a.Journal.Entries(ctx) // newest first
	if err != nil {
		return nil, err
	}
	at := slices.IndexFunc(entries, func(e journal.Entry) bool { return e.Number == number })
	if at < 0 {
		if len(entries) > 0 && number == entries[0].Number+1 {
			return m, nil
		}
		return nil, Refuse("The journal has no entry %d. bastel journal lists them.", number)
	}
	at = beginOf(entries, at)
	a.byReflogs(m, entries[at].Time)
	for _, e := range entries[:at+1] {
		for _, move := range movesOf(e, entries) {
			if m[move.Ref] = move.Old; move.Old.IsZero() {
				delete(m, move.Ref)
			}
		}
	}
	return m, nil
}

// beginOf is the place of the first of a landing's own pushes, before an entry that is one.
func beginOf(entries []journal.Entry, at int) int {
	if entries[at].Kind != journal.Land {
		return at
	}
	begin := at
	for i := at + 1; i < len(entries); i++ {
		switch e := entries[i]; {
		case e.Kind == journal.Pushed:
		case e.Kind == journal.Push && (e.Ref != entries[at].Ref || e.New.IsZero()):
			begin = i
		default:
			return begin
		}
	}
	return begin
}

// movesOf are the refs here that an entry moved: of a push that was taken, those that follow the remote's.
func movesOf(e journal.Entry, all []journal.Entry) (moves []journal.RefMove) {
	of := func(kind journal.Kind) bool {
		return slices.ContainsFunc(all, func(later journal.Entry) bool {
			return later.Of == e.Number && later.Kind == kind && (kind != journal.Pushed || later.Outcome == journal.Sent ||
				later.Outcome == journal.TakenBack)
		})
	}
	if e.Kind == journal.Pushed || of(journal.Void) || e.Kind == journal.Push && !of(journal.Pushed) {
		return nil
	}
	for _, move := range append([]journal.RefMove{{Ref: e.Ref, Old: e.Old, New: e.New}}, e.Others...) {
		if name, isBranch := strings.CutPrefix(move.Ref, "refs/heads/"); isBranch && e.Kind == journal.Push {
			move.Ref = "refs/remotes/" + e.Remote + "/" + name
		}
		if strings.HasPrefix(move.Ref, "refs/heads/") || strings.HasPrefix(move.Ref, "refs/remotes/") {
			moves = append(moves, move)
		}
	}
	return moves
}

// byReflogs puts refs where their reflogs say that they were at a time; without one they stay.
func (a *App) byReflogs(m Moment, at time.Time) {
	for ref, now := range m {
		then, known := a.Repo.RefAt(ref, at)
		switch {
		case known && then.IsZero():
			delete(m, ref)
		case known && then != now:
			m[ref] = then
		}
	}
}
