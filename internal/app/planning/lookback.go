package planning

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/wording"
)

// mostListed is how many commits or files are named before the rest is counted.
const mostListed = 8

// LookBack tells what taking an entry of the journal back would give, in lines fit to be drawn: which commits come again and which go,
// which files are as they were, and what stands before it.
func (a *App) LookBack(ctx context.Context, e journal.Entry) ([]string, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return nil, err
	}
	state := journal.StateOf(entries, a.Repo.WorktreeName())
	same := func(o journal.Entry) bool { return o.Number == e.Number }
	at := slices.IndexFunc(state.Done, same)
	var lines []string
	switch later := len(state.Done) - 1 - at; {
	case slices.ContainsFunc(state.Undone, same):
		return []string{"It was undone. U does the last undone step again."}, nil
	case at < 0:
		return []string{"It is only a record: u does not undo it."}, nil
	case later > 0:
		lines = append(lines, fmt.Sprintf("u undoes %s first, the newest before the others.", wording.Count(later, "later step")), "")
	default:
		lines = append(lines, "u undoes it and brings back:", "")
	}
	moves := append([]journal.RefMove{{Ref: e.Ref, Old: e.Old, New: e.New}}, e.Others...)
	for _, m := range moves {
		if m.Old == m.New {
			continue
		}
		told, err := a.refBack(ctx, m)
		if err != nil {
			return nil, err
		}
		lines = append(lines, told...)
	}
	return append(lines, filesBack(e)...), nil
}

// refBack tells how a ref moves back.
func (a *App) refBack(ctx context.Context, m journal.RefMove) ([]string, error) {
	name := safe.Line(strings.TrimPrefix(m.Ref, "refs/heads/"))
	switch {
	case m.Old.IsZero():
		return []string{name + " is not there any more."}, nil
	case m.New.IsZero():
		return []string{name + " is there again, at " + m.Old.Short() + "."}, nil
	}
	lines := []string{name + " at " + m.Old.Short() + " in place of " + m.New.Short()}
	for _, side := range []struct {
		sign     string
		of, than repo.ID
	}{{"+", m.Old, m.New}, {"−", m.New, m.Old}} {
		ids, err := a.Repo.RevList(ctx, "--topo-order", side.of.String(), "^"+side.than.String())
		if err != nil {
			return lines, nil // it points at no commit
		}
		for i, id := range ids {
			if i == mostListed {
				lines = append(lines, fmt.Sprintf("  %s %s more", side.sign, wording.Count(len(ids)-i, "commit")))
				break
			}
			c, err := a.Repo.Commit(ctx, id)
			if err != nil {
				return nil, err
			}
			lines = append(lines, fmt.Sprintf("  %s %s  %s", side.sign, id.Short(), safe.Line(c.Subject())))
		}
	}
	return lines, nil
}

// filesBack tells which files are as they were.
func filesBack(e journal.Entry) (lines []string) {
	for _, part := range []struct {
		what  string
		files []journal.File
	}{{"Working files as they were:", e.Files}, {"Staged as it was:", e.Index}} {
		if len(part.files) == 0 {
			continue
		}
		lines = append(lines, part.what)
		for i, f := range part.files {
			if i == mostListed {
				lines = append(lines, "  and "+wording.Count(len(part.files)-i, "more file"))
				break
			}
			lines = append(lines, "  "+safe.Line(string(f.Path)))
		}
	}
	if e.TraysOld != e.TraysNew {
		lines = append(lines, "The trays as they were.")
	}
	if e.Kind == journal.Apply && e.Plan != "" {
		lines = append(lines, "Its plan, as a draft in Shape.")
	}
	return lines
}
