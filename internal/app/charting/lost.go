package charting

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/wording"
)

// LostKind is what sort of thing is lost.
type LostKind string

// The kinds.
const (
	LostCommits LostKind = "commits" // that only a reflog has
	LostBranch  LostKind = "branch"  // that was deleted, by the journal
	LostChanges LostKind = "changes" // that were put aside with a branch
	LostTexts   LostKind = "texts"   // that were thrown away, or replaced
)

// Lost is something that is not where it was any more, and can be brought back.
type Lost struct {
	Kind    LostKind
	When    time.Time
	Title   string
	Commit  repo.ID  // of commits and of a branch: the latest
	Commits int      // how many of them nothing else holds
	Branch  string   // that was deleted, or that changes are aside with
	Entry   int      // of the journal, of changes and texts
	Files   []string // of changes and texts
}

// mostLost is how many things are listed, the latest.
const mostLost = 200

// Lost lists what can be found again, the latest first: commits that only reflogs hold, branches that were deleted here,
// changes that were put aside, and texts that were thrown away and not brought back.
func (a *App) Lost(ctx context.Context) ([]Lost, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	deleted := deletedBranches(entries)
	list, err := a.lostCommits(ctx, deleted)
	if err != nil {
		return nil, err
	}
	asides, err := a.Asides(ctx)
	if err != nil {
		return nil, err
	}
	for branch, of := range asides {
		for _, e := range of {
			list = append(list, Lost{Kind: LostChanges, When: e.Time, Title: "put aside with " + branch, Branch: branch, Entry: e.Number,
				Files: pathsOf(e)})
		}
	}
	done := journal.StateOf(entries, a.Repo.WorktreeName()).Done
	back := func(e journal.Entry) bool {
		return slices.ContainsFunc(done, func(later journal.Entry) bool { return later.Kind == journal.Take && later.Of == e.Number })
	}
	for _, e := range done {
		if e.Kind == journal.Discard && len(pathsOf(e)) > 0 && !back(e) {
			list = append(list, Lost{Kind: LostTexts, When: e.Time, Title: "thrown away: " + e.Title, Entry: e.Number, Files: pathsOf(e)})
		}
	}
	slices.SortStableFunc(list, func(x, y Lost) int { return y.When.Compare(x.When) })
	return list[:min(len(list), mostLost)], nil
}

func pathsOf(e journal.Entry) (paths []string) {
	files := e.Aside
	if e.Kind == journal.Discard {
		files = e.Files
	}
	for _, f := range files {
		if !f.Before.IsZero() {
			paths = append(paths, string(f.Path))
		}
	}
	return paths
}

func allPathsOf(e journal.Entry) (paths []string) {
	for _, f := range e.Files {
		paths = append(paths, string(f.Path))
	}
	return paths
}

// deletedBranches are branches that went by a step of the journal, with their names and the times, by where they were.
func deletedBranches(entries []journal.Entry) map[repo.ID]Lost {
	gone := map[repo.ID]Lost{}
	for _, e := range entries {
		if e.Kind == journal.Push || e.Kind == journal.Pushed || e.Kind == journal.Void {
			continue // those are a remote's, or were never so
		}
		for _, move := range append([]journal.RefMove{{Ref: e.Ref, Old: e.Old, New: e.New}}, e.Others...) {
			name, isBranch := strings.CutPrefix(move.Ref, "refs/heads/")
			if _, later := gone[move.Old]; isBranch && move.New.IsZero() && !move.Old.IsZero() && !later {
				gone[move.Old] = Lost{Kind: LostBranch, When: e.Time, Branch: name, Entry: e.Number}
			}
		}
	}
	return gone
}

// lostCommits are the ends of lines of commits that no ref holds: those of branches that were deleted, and those that
// reflogs have.
func (a *App) lostCommits(ctx context.Context, deleted map[repo.ID]Lost) ([]Lost, error) {
	values, err := a.Repo.RevList(ctx, "--walk-reflogs", "--branches", "HEAD")
	if err != nil {
		values = nil // no reflogs are kept
	}
	for id := range deleted {
		if known, err := a.Repo.Has(ctx, id); err != nil {
			return nil, err
		} else if known {
			values = append(values, id)
		}
	}
	walk, err := a.unheld(ctx, values)
	if err != nil || len(walk) == 0 {
		return nil, err
	}
	parents, place := map[repo.ID]bool{}, map[repo.ID]repo.CommitParents{}
	for _, c := range walk {
		place[c.ID] = c
		for _, parent := range c.Parents {
			parents[parent] = true
		}
	}
	var ends []repo.ID
	for _, c := range walk {
		if _, wasBranch := deleted[c.ID]; wasBranch || !parents[c.ID] {
			ends = append(ends, c.ID)
		}
	}
	sources, err := a.Sources(ctx, ends)
	if err != nil {
		return nil, err
	}
	var list []Lost
	for i, id := range ends {
		lost, wasBranch := deleted[id]
		if !wasBranch {
			lost = Lost{Kind: LostCommits, When: repo.ParsePerson(sources[i].Commit.Committer).When}
		}
		lost.Commit, lost.Commits = id, below(place, id)
		lost.Title = fmt.Sprintf("%s up to %q", wording.Count(lost.Commits, "commit"), sources[i].Commit.Subject())
		if wasBranch {
			lost.Title = "branch " + lost.Branch + ", deleted: " + lost.Title
		}
		list = append(list, lost)
	}
	return list, nil
}

// unheld lists the commits that only the given ones hold, and no ref.
func (a *App) unheld(ctx context.Context, ids []repo.ID) ([]repo.CommitParents, error) {
	if len(ids) == 0 {
		return nil, nil
	}
	refs, err := a.Repo.Refs(ctx, "refs/heads", "refs/remotes", "refs/tags")
	if err != nil {
		return nil, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	known := map[repo.ID]bool{}
	var args []string
	for _, ref := range refs {
		if !known[ref.ID] {
			known[ref.ID] = true
			args = append(args, "^"+ref.ID.String())
		}
	}
	if !head.Commit.IsZero() {
		args = append(args, "^"+head.Commit.String())
	}
	for _, id := range ids {
		if !known[id] {
			known[id] = true
			args = append(args, id.String())
		}
	}
	return a.Repo.WalkParents(ctx, args...)
}

// below counts a commit and those before it, among some.
func below(place map[repo.ID]repo.CommitParents, id repo.ID) int {
	seen, open := map[repo.ID]bool{id: true}, []repo.ID{id}
	for len(open) > 0 {
		c := place[open[len(open)-1]]
		open = open[:len(open)-1]
		for _, parent := range c.Parents {
			if _, there := place[parent]; there && !seen[parent] {
				seen[parent] = true
				open = append(open, parent)
			}
		}
	}
	return len(seen)
}

// TextsBack puts texts into the working tree that an entry of the journal took from it. Where a file was changed since that
// is refused, and nothing is lost.
func (a *App) TextsBack(ctx context.Context, number int) (files int, err error) {
	if err := a.RefuseUnfinished(); err != nil {
		return 0, err
	}
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return 0, err
	}
	at := slices.IndexFunc(entries, func(e journal.Entry) bool { return e.Number == number && e.Kind == journal.Discard })
	if at < 0 {
		return 0, app.Refuse("Entry %d of the journal threw nothing away. bastel lost lists those that did.", number)
	}
	e := entries[at]
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return 0, err
	}
	if _, err := a.Repo.ReadRaw(ctx, allPathsOf(e), true); err != nil { // undo needs what lies there now
		return 0, err
	}
	record := journal.Entry{Kind: journal.Take, Ref: head.Ref, Old: head.Commit, New: head.Commit, Of: e.Number, Raw: true,
		Files: app.FilesBack(e.Files), Title: wording.Count(len(e.Files), "file") + " thrown away before"}
	_, err = a.CarryOut(ctx, &app.Operation{Entry: record, Reflog: app.ReflogMessage(record.Kind, record.Title)})
	if err != nil {
		return 0, fmt.Errorf("bring back what was thrown away (it is kept: bastel rescue %d): %w", number, err)
	}
	return len(e.Files), nil
}
